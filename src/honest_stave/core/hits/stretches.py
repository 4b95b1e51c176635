"""Short stretches of a take about its hits, cut out in blocks: an hour never lies in memory a second time."""

import numpy as np
from numpy.typing import NDArray

# Hits cut out at once.
BLOCK_HITS = 256


def cut_out(mono: NDArray[np.float32], first: NDArray[np.int64], length: int) -> NDArray[np.float32]:
    """Stretches (hits, length) from the samples ``first`` on, silence where they lie outside the take."""
    at = first[:, None] + np.arange(length)
    inside = (at >= 0) & (at < len(mono))
    return np.where(inside, mono[np.clip(at, 0, len(mono) - 1)], np.float32(0))


def mean_power(mono: NDArray[np.float32], first: NDArray[np.int64], length: int) -> NDArray[np.float64]:
    """Mean power of stretches of a take, (hits,); what lies outside the take does not count.

    Args:
        mono: full scale 1.
        first: first sample of each stretch, (hits,).
        length: of all stretches, in samples.
    """
    powers = [np.zeros(0)]
    for k in range(0, len(first), BLOCK_HITS):
        begins = first[k : k + BLOCK_HITS]
        pieces = cut_out(mono, begins, length)
        inside = np.clip(begins + length, 0, len(mono)) - np.clip(begins, 0, len(mono))
        powers.append(np.square(pieces, dtype=np.float64).sum(axis=1) / np.maximum(inside, 1))
    return np.concatenate(powers)
