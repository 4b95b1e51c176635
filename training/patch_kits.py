"""A drum kit of single patches (the format of an old sound card, one stroke a file), for measuring."""

import re
import struct
from pathlib import Path

import numpy as np
import soxr

from training.one_shots import BY_GM_NOTE, RATE, Kit, one_shot

# In Debian's freepats; in no training.
FOLDER = Path("/usr/share/midi/freepats/Drum_000")
# The headers of file, instrument and layer, and that of a sample after them.
HEADER_BYTES, SAMPLE_HEADER_BYTES = 239, 96
# Where a sample's header tells its bytes, its rate and how it is written.
BYTES_AT, RATE_AT, MODES_AT = 8, 20, 55
SIXTEEN_BITS, UNSIGNED = 1, 2


def sound_of_patch(data: bytes) -> tuple[np.ndarray, int]:
    """The first sample of a patch, full scale 1, and its rate in Hz."""
    header = data[HEADER_BYTES : HEADER_BYTES + SAMPLE_HEADER_BYTES]
    (size,), (rate,) = struct.unpack_from("<I", header, BYTES_AT), struct.unpack_from("<H", header, RATE_AT)
    modes = header[MODES_AT]
    first = HEADER_BYTES + SAMPLE_HEADER_BYTES
    words = np.frombuffer(data[first : first + size], "<u2" if modes & SIXTEEN_BITS else "u1")
    scale = 1 << (15 if modes & SIXTEEN_BITS else 7)
    signed = words.astype(np.int64) - scale if modes & UNSIGNED else (words.astype(np.int64) ^ scale) - scale
    return (signed / scale).astype(np.float32), rate


def kit_of_patches() -> Kit:
    """The kit of the folder, each drum struck once."""
    kit: Kit = {}
    for path in sorted(FOLDER.glob("*.pat")):
        number = re.match(r"\d+", path.name)
        role = BY_GM_NOTE.get(int(number[0])) if number else None
        if role is None:
            continue
        sound, rate = sound_of_patch(path.read_bytes())
        found = one_shot(np.asarray(soxr.resample(sound, rate, RATE), np.float32), role, 1.0)
        if found:
            kit.setdefault(role, []).append(found)
    return kit
