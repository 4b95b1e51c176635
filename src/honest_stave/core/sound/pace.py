"""Recordings at a slower pace with their pitch kept, in pieces that join."""

import numpy as np
from numpy.typing import NDArray

# Sound before and after a piece that the stretcher hears too, so that pieces join.
CONTEXT_S = 0.25
# Rates that browsers must support, and the one used in place of others.
LOWEST_PLAYABLE, HIGHEST_PLAYABLE, PLAYED_INSTEAD = 8000, 96000, 48000


def stereo(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Two channels (2, frames) for listening: mono on both, more than two mixed down."""
    if samples.shape[1] == 2:
        return np.ascontiguousarray(samples.T)
    mono = samples.mean(axis=1, dtype=np.float32)
    return np.stack([mono, mono])


def stretched_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float
) -> NDArray[np.float32]:
    """A stretch of a recording at a pace, (2, frames) at the recording's rate.

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s, to_s: the stretch; silence where it lies outside the recording.
        pace: 1 for as recorded, 0.5 for half as fast.
    """
    first, last = round(from_s * rate), round(to_s * rate)
    if abs(pace - 1) <= 0.001:
        return _padded(samples, first, last)
    from python_stretch import Signalsmith

    context = round(CONTEXT_S * rate)
    piece = _padded(samples, first - context, last + context)
    stretcher = Signalsmith.Stretch()
    stretcher.preset(2, rate)
    stretcher.timeFactor = pace
    slow = np.asarray(stretcher.process(piece), np.float32)
    skip, length = round(context / pace), round((last - first) / pace)
    slow = slow[:, skip : skip + length]
    return np.pad(slow, ((0, 0), (0, length - slow.shape[1])))


def playable(piece: NDArray[np.float32], rate: int) -> tuple[NDArray[np.float32], int]:
    """A piece (2, frames) at a rate every browser plays, and that rate."""
    if LOWEST_PLAYABLE <= rate <= HIGHEST_PLAYABLE:
        return piece, rate
    import soxr

    return np.ascontiguousarray(soxr.resample(piece.T, rate, PLAYED_INSTEAD).T), PLAYED_INSTEAD


def _padded(samples: NDArray[np.float32], first: int, last: int) -> NDArray[np.float32]:
    inside = stereo(np.asarray(samples[max(first, 0) : max(min(last, len(samples)), 0)]))
    before, after = max(-first, 0), max(last - max(len(samples), first), 0)
    return np.pad(inside, ((0, 0), (min(before, last - first), after)))
