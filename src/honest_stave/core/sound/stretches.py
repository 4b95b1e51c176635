"""Stretches of a recording in two channels, with silence where they lie outside it."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.mapped import let_go


def stereo(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Two channels (2, frames) for listening: mono on both, more than two mixed down."""
    if samples.shape[1] == 2:
        return np.ascontiguousarray(samples.T)
    mono = samples.mean(axis=1, dtype=np.float32)
    return np.stack([mono, mono])


def padded(samples: NDArray[np.float32], first: int, last: int) -> NDArray[np.float32]:
    """Frames ``first`` to ``last`` of samples (frames, channels), (2, frames); silence where there are none."""
    inside = stereo(np.asarray(samples[max(first, 0) : max(min(last, len(samples)), 0)]))
    let_go(samples)
    before, after = max(-first, 0), max(last - max(len(samples), first), 0)
    return np.pad(inside, ((0, 0), (min(before, last - first), after)))
