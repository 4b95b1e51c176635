"""Stretches of a recording: with silence outside it, at another rate, in two channels."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.mapped import let_go


def stereo(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Two channels (2, frames) for listening: mono on both, more than two mixed down."""
    if samples.shape[1] == 2:
        return np.ascontiguousarray(samples.T)
    mono = samples.mean(axis=1, dtype=np.float32)
    return np.stack([mono, mono])


def at_rate(sound: NDArray[np.float32], rate: int, wanted_rate: int) -> NDArray[np.float32]:
    """Sound (frames, channels) at another rate; itself where that is its own."""
    if wanted_rate == rate:
        return sound
    import soxr

    return np.asarray(soxr.resample(sound, rate, wanted_rate), np.float32)


def padded(samples: NDArray[np.float32], first: int, last: int) -> NDArray[np.float32]:
    """Frames ``first`` to ``last`` of samples, with silence where there are none, both (frames, channels)."""
    inside = np.array(samples[max(first, 0) : max(min(last, len(samples)), 0)])
    let_go(samples)
    before, after = max(-first, 0), max(last - max(len(samples), first), 0)
    return np.pad(inside, ((min(before, last - first), after), (0, 0)))
