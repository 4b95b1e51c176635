"""What a file's name and chunks suggest: tempo, key, moment on a timeline. Offered, never assumed."""

import re
import struct
from dataclasses import dataclass
from typing import BinaryIO

_TEMPO = re.compile(r"(?<!\d)(\d{2,3}(?:[.,]\d{1,2})?)\s*_?-?\s*bpm(?![a-z])", re.IGNORECASE)
_KEY = re.compile(r"(?:^|[\s_\-(])([A-G](?:#|b|♯|♭|sharp|flat)?)[ _]?(maj(?:or)?|min(?:or)?|m)?(?=$|[\s_\-).])")


@dataclass(frozen=True)
class Hints:
    """Tempo (bpm), key, and the moment (s) on its source's timeline; None where nothing is named."""

    tempo_bpm: float | None = None
    key: str | None = None
    timeline_s: float | None = None


def hints_from_name(name: str) -> tuple[float | None, str | None]:
    """Tempo and key named in a file's name, such as ``bass 96bpm Am.wav``."""
    stem = name.rsplit(".", 1)[0]
    tempo = _TEMPO.search(stem)
    bpm = float(tempo[1].replace(",", ".")) if tempo else None
    if bpm is not None and not 20 <= bpm <= 400:
        bpm = None
    found = [m for m in _KEY.finditer(stem) if m[2] or len(m[1]) > 1]
    key = None
    if found:
        tonic = found[-1][1].replace("sharp", "#").replace("flat", "b")
        mode = (
            "minor"
            if (found[-1][2] or "").startswith(("min", "m")) and found[-1][2] not in ("maj", "major")
            else "major"
        )
        key = f"{tonic} {mode}"
    return bpm, key


def timeline_of_wav(file: BinaryIO, rate: int) -> float | None:
    """Moment (s) since midnight that a WAV's broadcast chunk gives its first sample, or None."""
    file.seek(0)
    head = file.read(12)
    if head[:4] not in (b"RIFF", b"RF64") or head[8:12] != b"WAVE":
        return None
    while True:
        chunk = file.read(8)
        if len(chunk) < 8:
            return None
        name, size = chunk[:4], struct.unpack("<I", chunk[4:])[0]
        if name == b"bext" and size >= 346:
            body = file.read(346)
            low, high = struct.unpack("<II", body[338:346])
            samples = low + (high << 32)
            return samples / rate if samples else None
        file.seek(size + (size & 1), 1)
