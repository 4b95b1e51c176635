"""The best line of one voice through strikes, by dynamic programming."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.strikes import Strikes

Values = NDArray[np.float64]

# Notes of one voice begin at least this far apart.
LEAST_APART_S = 0.035
# What sounds on beyond the next onset speaks against the pair, up to the longest.
OVERLAP_PRICE_A_SECOND = 6.0
LONGEST_OVERLAP_S = 0.4
# Earlier strikes that may come just before one.
LOOKED_BACK = 32


def best_line(strikes: Strikes, gain: Values) -> NDArray[np.bool_]:
    """Which strikes are on the line that gains most, (strikes,).

    Args:
        strikes: in order of time.
        gain: what each is worth, negative where it is more likely wrong.
    """
    count = len(strikes)
    if count == 0:
        return np.zeros(0, bool)
    order = np.argsort(strikes.onset_s, kind="stable")
    onset, end, worth = strikes.onset_s[order], strikes.end_s[order], gain[order]
    best = np.empty(count)
    before = np.full(count, -1)
    for j in range(count):
        first = max(0, j - LOOKED_BACK)
        overlap = np.clip(end[first:j] - onset[j], 0.0, LONGEST_OVERLAP_S)
        reached = best[first:j] - OVERLAP_PRICE_A_SECOND * overlap
        reached = np.where(onset[j] - onset[first:j] >= LEAST_APART_S, reached, -np.inf)
        k = int(reached.argmax()) if len(reached) else -1
        if k >= 0 and reached[k] > 0:
            best[j], before[j] = worth[j] + reached[k], first + k
        else:
            best[j] = worth[j]
    on_line = np.zeros(count, bool)
    j = int(best.argmax())
    if best[j] <= 0:
        return on_line
    while j >= 0:
        on_line[order[j]] = True
        j = int(before[j])
    return on_line
