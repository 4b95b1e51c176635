"""Cutting a signal into windows without copying it whole."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.convert import amplitude_to_db
from honest_stave.core.signal.listen import Mono

# Frames handled at once: bounds the memory of an hour, large enough for fast products.
BLOCK_FRAMES = 4096
# Beside what is thinned out, so that its low-pass has begun.
MARGIN_SAMPLES = 512


def slice_padded(signal: Mono, begin: int, end: int) -> Mono:
    """Samples ``begin`` to ``end`` of a signal, silence where they lie outside it."""
    piece = signal[max(begin, 0) : max(min(end, len(signal)), 0)]
    if begin >= 0 and end <= len(signal):
        return piece
    return np.pad(piece, (min(max(-begin, 0), end - begin), max(end - max(len(signal), begin), 0)))


def slice_thinned(signal: Mono, begin: int, end: int, by: int) -> Mono:
    """One of every ``by`` samples from ``begin`` to ``end``, low-passed before; silence outside the signal."""
    # Imported here: the web server names what engines hear, only those who listen thin it out.
    import soxr

    piece = slice_padded(signal, begin - MARGIN_SAMPLES, end + MARGIN_SAMPLES)
    return np.asarray(soxr.resample(piece, by, 1)[MARGIN_SAMPLES // by :][: (end - begin) // by], np.float32)


def windows(signal: Mono, first: int, count: int, *, hop: int, length: int) -> NDArray[np.float32]:
    """Windows (count, length) centred on multiples of ``hop``, from window ``first`` on."""
    begin = first * hop - length // 2
    piece = slice_padded(signal, begin, begin + (count - 1) * hop + length)
    return np.lib.stride_tricks.sliding_window_view(piece, length)[::hop][:count]


def magnitudes(frames: NDArray[np.float32], size: int | None = None) -> NDArray[np.float32]:
    """Magnitude spectra (rows, bins) of windows, padded to ``size``, in single precision."""
    return np.abs(np.fft.rfft(np.asarray(frames, np.float32), size, axis=-1))


def levels_of_frames(signal: Mono, *, hop: int, length: int) -> NDArray[np.float32]:
    """Level in dB of windows centred on multiples of ``hop``, (frames,)."""
    total = len(signal) // hop + 1
    levels = np.empty(total, np.float32)
    for first in range(0, total, BLOCK_FRAMES):
        count = min(BLOCK_FRAMES, total - first)
        begin = first * hop - length // 2
        piece = slice_padded(signal, begin, begin + (count - 1) * hop + length)
        sums = np.concatenate([[0.0], np.cumsum(np.square(piece, dtype=np.float64))])
        start = np.arange(count) * hop
        inside = np.minimum(start + begin + length, len(signal)) - np.maximum(start + begin, 0)
        power = (sums[start + length] - sums[start]) / np.maximum(inside, 1)
        levels[first : first + count] = amplitude_to_db(np.sqrt(np.maximum(power, 0.0)))
    return levels
