"""Writes WAV files: 24 bit, with cue points and their names."""

import struct
from collections.abc import Sequence

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
    frames, channels = samples.shape
    written = np.empty((frames, channels, BYTES_24), np.uint8)
    for first in range(0, frames, BLOCK_FRAMES):
        scaled = np.round(samples[first : first + BLOCK_FRAMES].astype(np.float64) * FULL_SCALE_24)
        whole = np.clip(scaled, -FULL_SCALE_24, FULL_SCALE_24 - 1).astype("<i4", order="C")
        written[first : first + BLOCK_FRAMES] = whole[..., None].view(np.uint8)[..., :BYTES_24]
    return written.tobytes()


def write_wav(samples: NDArray[np.float32], rate: int, cues: Sequence[tuple[int, str]] = ()) -> bytes:
    """A WAV file of 24 bit.

    Args:
        samples: (frames, channels), full scale 1; what is beyond is held there.
        rate: Hz.
        cues: (frame, name) in order.

    Raises:
        BadInput: it is longer than a WAV file can be.
    """
    channels = samples.shape[1]
    block = BYTES_24 * channels
    if len(samples) * block > MOST_BYTES:
        hours = MOST_BYTES / block / rate / 3600
        raise BadInput(
            f"This recording lasts longer than the {hours:.1f} hours that fit in a WAV file of its kind.",
            "Cut it into pieces first, or bring it in at a lower sampling rate.",
        )
    form = struct.pack("<HHIIHH", 1, channels, rate, rate * block, block, 8 * BYTES_24)
    sound = _pcm_24(samples)
    padding = b"\0" * (len(sound) % 2)
    chunks = [_chunk(b"fmt ", form), b"data" + struct.pack("<I", len(sound)), sound, padding]
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
    length = len(b"WAVE") + sum(len(chunk) for chunk in chunks)
    return b"".join([b"RIFF", struct.pack("<I", length), b"WAVE", *chunks])
