"""Writes WAV files: 24 bit, with cue points and their names."""

import struct
from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput

FULL_SCALE_24 = 1 << 23
BYTES_24 = 3
# Chunks tell their length in 32 bits; names of cues need a little of it.
MOST_BYTES = (1 << 32) - (1 << 24)
# Frames turned into bytes at once: an hour is not in memory in double precision.
BLOCK_FRAMES = 1 << 20


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _pcm_24(samples: NDArray[np.float32]) -> bytes:
    scaled = np.round(samples.astype(np.float64) * FULL_SCALE_24)
    whole = np.clip(scaled, -FULL_SCALE_24, FULL_SCALE_24 - 1).astype("<i4", order="C")
    return whole[..., None].view(np.uint8)[..., :BYTES_24].tobytes()


def write_wav(samples: NDArray[np.float32], rate: int, cues: Sequence[tuple[int, str]] = ()) -> bytes:
    """A WAV file of 24 bit.

    Args:
        samples: (frames, channels), full scale 1; what is beyond is held there.
        rate: Hz.
        cues: (frame, name) in order.

    Raises:
        BadInput: it is longer than a WAV file can be.
    """
    frames, channels = samples.shape
    starts = range(0, frames, BLOCK_FRAMES)
    blocks = (samples[first : first + BLOCK_FRAMES] for first in starts)
    return b"".join(wav_in_blocks(blocks, frames, channels, rate, cues))


def wav_in_blocks(
    blocks: Iterable[NDArray[np.float32]],
    frames: int,
    channels: int,
    rate: int,
    cues: Sequence[tuple[int, str]] = (),
) -> Iterator[bytes]:
    """The bytes of such a file one after the other: an hour need not be in memory.

    Args:
        blocks: of samples, (some frames, channels) each.
        frames: all there are in them.
        channels, rate, cues: as of ``write_wav``.

    Raises:
        BadInput: it is longer than a WAV file can be.
    """
    block = BYTES_24 * channels
    length = frames * block
    if length > MOST_BYTES:
        hours = MOST_BYTES / block / rate / 3600
        raise BadInput(
            f"This recording lasts longer than the {hours:.1f} hours that fit in a WAV file of its kind.",
            "Cut it into pieces first, or bring it in at a lower sampling rate.",
        )
    form = _chunk(b"fmt ", struct.pack("<HHIIHH", 1, channels, rate, rate * block, block, 8 * BYTES_24))
    padding = b"\0" * (length % 2)
    marks = _cue_chunks(cues)
    whole = len(b"WAVE") + len(form) + 8 + length + len(padding) + len(marks)
    yield b"RIFF" + struct.pack("<I", whole) + b"WAVE" + form + b"data" + struct.pack("<I", length)
    yield from map(_pcm_24, blocks)
    yield padding + marks


def _cue_chunks(cues: Sequence[tuple[int, str]]) -> bytes:
    if not cues:
        return b""
    points = b"".join(struct.pack("<II4sIII", i, frame, b"data", 0, 0, frame) for i, (frame, _) in enumerate(cues, 1))
    names = b"".join(
        _chunk(b"labl", struct.pack("<I", i) + name.encode("latin-1", "replace") + b"\0")
        for i, (_, name) in enumerate(cues, 1)
    )
    return _chunk(b"cue ", struct.pack("<I", len(cues)) + points) + _chunk(b"LIST", b"adtl" + names)
