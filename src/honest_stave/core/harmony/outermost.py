"""Which notes have nothing above them, or below them, while they begin."""

import numpy as np
from numpy.typing import NDArray

# A note must sound on this far into another to be heard above it; one that begins this much later counts too.
HEARD_WITH_S = 0.05


def outermost(
    onset_s: NDArray[np.float64],
    end_s: NDArray[np.float64],
    height: NDArray[np.int64],
    counted: NDArray[np.bool_],
) -> NDArray[np.bool_]:
    """Which notes nothing that counts lies beyond while they begin, (notes,).

    Args:
        onset_s: onsets in order, (notes,).
        end_s: where each is no longer heard, (notes,).
        height: how far out each lies: its pitch, or minus its pitch for the lowest line, (notes,).
        counted: which count against others, (notes,).
    """
    others = np.flatnonzero(counted)
    onset, end, out = onset_s[others], end_s[others], height[others]
    longest_s = float((end - onset).max(initial=0.0))
    first = np.searchsorted(onset, onset_s - longest_s)
    last = np.searchsorted(onset, onset_s + HEARD_WITH_S, side="right")
    outer = np.ones(len(onset_s), bool)
    for i in range(len(onset_s)):
        near = slice(first[i], last[i])
        beside = (end[near] > onset_s[i] + HEARD_WITH_S) | (np.abs(onset[near] - onset_s[i]) <= HEARD_WITH_S)
        outer[i] = not np.any(beside & (out[near] > height[i]))
    return outer
