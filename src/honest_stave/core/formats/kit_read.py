"""Reads SFZ and SoundFont 2 kits back, for the proof; shares no code with the writers."""

import io
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput
from honest_stave.core.formats.zones import Zone

TOKEN = re.compile(r"(\w+)=(.*?)(?=\s+\w+=|\s*$)")


@dataclass(frozen=True)
class ReadZone:
    """One zone as a reader understands it: sound (frames, channels) on a key, how a note's end acts on it."""

    key: int
    sound: NDArray[np.float32]
    rate: int
    one_shot: bool
    release_s: float
    choke: int
    by_velocity: bool


def read_sfz(text: str, open_file: Callable[[str], bytes]) -> list[ReadZone]:
    """Zones of an SFZ text.

    Args:
        text: the instrument.
        open_file: gives the bytes of a sound by the path in the text.

    Raises:
        BadInput: a region lacks its sound or key.
    """
    import soundfile

    scopes: dict[str, dict[str, str]] = {"control": {}, "global": {}, "group": {}}
    zones: list[ReadZone] = []
    current: dict[str, str] = scopes["global"]
    regions: list[dict[str, str]] = []
    for line in text.splitlines():
        rest = line.split("//")[0].strip()
        while rest:
            head = re.match(r"<(\w+)>\s*", rest)
            if head:
                name = head.group(1)
                current = {} if name in ("region", "group") else scopes.setdefault(name, {})
                if name == "group":
                    scopes["group"] = current
                if name == "region":
                    current |= {**scopes["global"], **scopes["group"]}
                    regions.append(current)
                rest = rest[head.end() :]
                continue
            following = rest.find("<")
            part, rest = (rest, "") if following < 0 else (rest[:following], rest[following:])
            current |= {m.group(1): m.group(2).strip() for m in TOKEN.finditer(part)}
    for region in regions:
        if "sample" not in region or "key" not in region:
            raise BadInput("A region of this SFZ has no sound or no key.", "Write the kit again.")
        sound, rate = soundfile.read(
            io.BytesIO(open_file(scopes["control"].get("default_path", "") + region["sample"])),
            dtype="float32",
            always_2d=True,
        )
        zones.append(
            ReadZone(
                key=int(region["key"]),
                sound=sound,
                rate=rate,
                one_shot=region.get("loop_mode") == "one_shot",
                release_s=float(region.get("ampeg_release", 0.001)),
                choke=int(region.get("off_by", 0)),
                by_velocity=float(region.get("amp_veltrack", 100)) != 0,
            )
        )
    return zones


def read_sf2(data: bytes) -> list[ReadZone]:
    """Zones of the first instrument of a bank, pairs of hard-panned zones joined.

    Raises:
        BadInput: it is no such bank.
    """
    chunks = dict(_chunks(data))
    try:
        pool = (np.frombuffer(chunks["smpl"], "<i2") / 32767).astype(np.float32)
        generators = np.frombuffer(chunks["igen"], np.dtype([("what", "<u2"), ("amount", "<i2")]))
        bags = np.frombuffer(chunks["ibag"], "<u2").reshape(-1, 2)
        headers = np.frombuffer(
            chunks["shdr"],
            np.dtype(
                [("name", "S20"), ("start", "<u4"), ("end", "<u4"), ("loop", "<u4", 2), ("rate", "<u4"),
                 ("root", "u1"), ("fine", "i1"), ("link", "<u2"), ("kind", "<u2")]
            ),
        )  # fmt: skip
        modulators = np.frombuffer(chunks["imod"], np.dtype("<u2,<u2,<i2,<u2,<u2"))
    except KeyError as missing:
        raise BadInput(f"This bank has no {missing} chunk.", "Write the kit again.") from None
    sides: dict[int, dict[int, ReadZone]] = {}
    for i in range(len(bags) - 1):
        own = {int(g["what"]): int(g["amount"]) for g in generators[bags[i][0] : bags[i + 1][0]]}
        if 53 not in own:
            continue
        header = headers[own[53]]
        key = own[43] & 0xFF
        release_s = 2 ** (own.get(38, -12000) / 1200)
        sides.setdefault(key, {})[own.get(17, 0)] = ReadZone(
            key=key,
            sound=pool[header["start"] : header["end"], None],
            rate=int(header["rate"]),
            one_shot=release_s > 10,
            release_s=release_s,
            choke=own.get(57, 0),
            # Velocity acts unless a modulator of the same shape switches it off.
            by_velocity=not any(m[0] == 0x0502 and m[1] == 48 and m[2] == 0 for m in modulators),
        )
    joined = []
    for key, pair in sorted(sides.items()):
        left, right = pair[-500], pair[500]
        sound = np.concatenate([left.sound, right.sound], axis=1)
        joined.append(ReadZone(key, sound, left.rate, left.one_shot, left.release_s, left.choke, left.by_velocity))
    return joined


def _chunks(data: bytes) -> list[tuple[str, bytes]]:
    """Chunks of a RIFF file, lists opened."""
    if data[:4] != b"RIFF":
        raise BadInput("This is no RIFF file.", "Write the kit again.")
    found: list[tuple[str, bytes]] = []
    waiting = [data[12:]]
    while waiting:
        body = waiting.pop()
        place = 0
        while place + 8 <= len(body):
            name = body[place : place + 4]
            length = int.from_bytes(body[place + 4 : place + 8], "little")
            inner = body[place + 8 : place + 8 + length]
            if name == b"LIST":
                waiting.append(inner[4:])
            else:
                found.append((name.decode("latin-1"), inner))
            place += 8 + length + length % 2
    return found


def play(
    zones: Sequence[ReadZone | Zone], notes: list[tuple[float, float, int]], rate: int, frames: int
) -> NDArray[np.float32]:
    """What a sampler makes of the zones for notes (onset s, end s, key), (frames, channels)."""
    by_key = {zone.key: zone for zone in zones}
    channels = max((z.sound.shape[1] for z in zones), default=1)
    out = np.zeros((frames, channels), np.float32)
    for onset_s, end_s, key in notes:
        zone = by_key.get(key)
        if zone is None:
            continue
        first, held = round(onset_s * rate), round(end_s * rate) - round(onset_s * rate)
        sound = zone.sound.copy()
        if not zone.one_shot and len(sound) > held:
            release = max(round(zone.release_s * rate), 1)
            sound = sound[: held + release]
            tail = len(sound) - held
            sound[held:] *= np.linspace(1, 0, release, dtype=np.float32)[:tail, None]
        sound = sound[: max(frames - first, 0)]
        out[first : first + len(sound)] += sound
    return out
