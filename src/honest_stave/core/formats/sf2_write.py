"""Writes SoundFont 2 banks of one instrument, by the published specification 2.04."""

import math
import struct
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.formats.zones import Zone

# Generators of the specification.
PAN, KEY_RANGE, INSTRUMENT, SAMPLE_ID, SAMPLE_MODES = 17, 43, 41, 53, 54
SCALE_TUNING, EXCLUSIVE_CLASS, ROOT_KEY, RELEASE = 56, 57, 58, 38
HARD_LEFT, HARD_RIGHT = -500, 500
# The longest release the specification knows, in timecents: a one-shot rings on after its note.
LONGEST_RELEASE_TIMECENTS = 8000
# Zeros that have to follow every sample.
SILENCE_AFTER = 46
FULL_SCALE = 32767
# Default modulators set to nothing: velocity to attenuation, velocity to filter.
NO_VELOCITY = ((0x0502, 48, 0, 0, 0), (0x0102, 8, 0, 0, 0))
MONO, RIGHT, LEFT = 1, 2, 4


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _name(text: str) -> bytes:
    return text.encode("ascii", "replace")[:19].ljust(20, b"\0")


def _signed(generator: int, value: int) -> bytes:
    return struct.pack("<Hh", generator, value)


def _range(generator: int, low: int, high: int) -> bytes:
    return struct.pack("<HBB", generator, low, high)


def _timecents(seconds: float) -> int:
    return max(-12000, min(LONGEST_RELEASE_TIMECENTS, round(1200 * math.log2(max(seconds, 1e-3)))))


def _sixteen_bit(channel: NDArray[np.float32]) -> bytes:
    whole = np.clip(np.round(channel.astype(np.float64) * FULL_SCALE), -FULL_SCALE - 1, FULL_SCALE).astype("<i2")
    return whole.tobytes() + b"\0" * (2 * SILENCE_AFTER)


def write_sf2(zones: Sequence[Zone], rate: int, title: str) -> bytes:
    """A bank with one preset that plays ``zones``.

    A mono sound lies hard left and hard right, for a middle position would make it softer.
    """
    data: list[bytes] = []
    headers: list[bytes] = []
    bags: list[bytes] = []
    generators: list[bytes] = []
    place = 0
    # The first zone holds for all: no modulator but the two that switch velocity off.
    bags.append(struct.pack("<HH", 0, 0))
    for zone in zones:
        channels = zone.sound.shape[1]
        first_header = len(headers)
        for channel in range(min(channels, 2)):
            data.append(_sixteen_bit(zone.sound[:, channel]))
            end = place + len(zone.sound)
            kind = MONO if channels == 1 else (LEFT, RIGHT)[channel]
            link = 0 if channels == 1 else first_header + 1 - channel
            headers.append(
                _name(zone.name) + struct.pack("<IIIIIBbHH", place, end, place, end, rate, zone.key, 0, link, kind)
            )
            place = end + SILENCE_AFTER
        for side, pan in enumerate((HARD_LEFT, HARD_RIGHT)):
            bags.append(struct.pack("<HH", len(generators), len(NO_VELOCITY)))
            release = LONGEST_RELEASE_TIMECENTS if zone.one_shot else _timecents(zone.release_s)
            own = [
                _range(KEY_RANGE, zone.key, zone.key),
                _signed(PAN, pan),
                _signed(RELEASE, release),
                _signed(SAMPLE_MODES, 0),
                _signed(SCALE_TUNING, 0),
                _signed(ROOT_KEY, zone.key),
            ]
            if zone.choke:
                own.append(_signed(EXCLUSIVE_CLASS, zone.choke))
            own.append(_signed(SAMPLE_ID, first_header + min(side, channels - 1)))
            generators += own
    bags.append(struct.pack("<HH", len(generators), len(NO_VELOCITY)))
    no_velocity = b"".join(struct.pack("<HHhHH", *m) for m in NO_VELOCITY)
    end_of_samples = _name("EOS") + struct.pack("<IIIIIBbHH", 0, 0, 0, 0, 0, 0, 0, 0, 0)
    info = _chunk(b"ifil", struct.pack("<HH", 2, 4)) + _chunk(b"isng", b"EMU8000\0") + _chunk(b"INAM", _text(title))
    preset = [
        _chunk(b"phdr", _preset(title, 0) + _preset("EOP", 1)),
        _chunk(b"pbag", struct.pack("<HHHH", 0, 0, 1, 0)),
        _chunk(b"pmod", b"\0" * 10),
        _chunk(b"pgen", _signed(INSTRUMENT, 0) + b"\0" * 4),
        _chunk(b"inst", _name(title) + struct.pack("<H", 0) + _name("EOI") + struct.pack("<H", len(bags) - 1)),
        _chunk(b"ibag", b"".join(bags)),
        _chunk(b"imod", no_velocity + b"\0" * 10),
        _chunk(b"igen", b"".join(generators) + b"\0" * 4),
        _chunk(b"shdr", b"".join(headers) + end_of_samples),
    ]
    body = (
        b"sfbk"
        + _chunk(b"LIST", b"INFO" + info)
        + _chunk(b"LIST", b"sdta" + _chunk(b"smpl", b"".join(data)))
        + _chunk(b"LIST", b"pdta" + b"".join(preset))
    )
    return b"RIFF" + struct.pack("<I", len(body)) + body


def _text(text: str) -> bytes:
    body = text.encode("ascii", "replace")[:254] + b"\0"
    return body + b"\0" * (len(body) % 2)


def _preset(name: str, bag: int) -> bytes:
    return _name(name) + struct.pack("<HHHIII", 0, 0, bag, 0, 0, 0)
