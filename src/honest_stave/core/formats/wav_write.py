"""Writes WAV files: 24 bit, with cue points and their names."""

import struct
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

FULL_SCALE_24 = 1 << 23
BYTES_24 = 3


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _pcm_24(samples: NDArray[np.float32]) -> bytes:
    scaled = np.round(samples.astype(np.float64) * FULL_SCALE_24)
    whole = np.clip(scaled, -FULL_SCALE_24, FULL_SCALE_24 - 1).astype("<i4")
    return whole.reshape(-1, 1).view(np.uint8)[:, :BYTES_24].tobytes()


def write_wav(samples: NDArray[np.float32], rate: int, cues: Sequence[tuple[int, str]] = ()) -> bytes:
    """A WAV file of 24 bit.

    Args:
        samples: (frames, channels), full scale 1; what is beyond is held there.
        rate: Hz.
        cues: (frame, name) in order.
    """
    channels = samples.shape[1]
    block = BYTES_24 * channels
    form = struct.pack("<HHIIHH", 1, channels, rate, rate * block, block, 8 * BYTES_24)
    chunks = [_chunk(b"fmt ", form), _chunk(b"data", _pcm_24(samples))]
    if cues:
        points = b"".join(
            struct.pack("<II4sIII", i, frame, b"data", 0, 0, frame) for i, (frame, _) in enumerate(cues, 1)
        )
        chunks.append(_chunk(b"cue ", struct.pack("<I", len(cues)) + points))
        names = b"".join(
            _chunk(b"labl", struct.pack("<I", i) + name.encode("latin-1", "replace") + b"\0")
            for i, (_, name) in enumerate(cues, 1)
        )
        chunks.append(_chunk(b"LIST", b"adtl" + names))
    body = b"WAVE" + b"".join(chunks)
    return b"RIFF" + struct.pack("<I", len(body)) + body
