"""Beats that last far longer than those around them: held, perhaps, as a fermata asks for."""

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import BeatMap, times_of

Values = NDArray[np.float64]

# So many beats to either side say how long a beat is here; at least so many of them have to be there.
AROUND_BEATS, FEWEST_AROUND = 4, 2
# A held beat lasts this many times as long as those around it. Of the eight holds of six performances with their
# scores the shortest lasts 1.9 times as long; slowing down and breathing reach 1.5 in them.
HELD_TIMES = 1.7
# The beats before and after it are no longer than this: otherwise the tempo is another one there.
STEADY_TIMES = 1.4
# Against all beats around it, itself and other held ones among them, a held beat stands out by this share of it.
NEARLY_HELD = 0.7
# A longer stretch is slow, not held.
MOST_BEATS = 4


def likely_held(beat_map: BeatMap) -> list[tuple[int, int, float]]:
    """Beats that are likely held: the first one, how many in a row, and how many times as long they last.

    Args:
        beat_map: beats that are holds already are left out of account.
    """
    length_s = np.diff(times_of(beat_map))
    length_s[[h.beat for h in beat_map.holds if h.beat < len(length_s)]] = np.nan
    found: list[tuple[int, int, float]] = []
    for beat in _far_longer(length_s).tolist():
        if found and beat < found[-1][0] + found[-1][1]:
            continue
        count = next((n for n in range(1, MOST_BEATS + 1) if _is_held(length_s, beat, beat + n)), 0)
        if count:
            found.append((beat, count, float(length_s[beat : beat + count].mean() / _around(length_s, beat, count))))
    return found


def _far_longer(length_s: Values) -> NDArray[np.int64]:
    """Beats that are longer than those around them by most of what a held one is: few are looked at closely."""
    known = np.where(np.isnan(length_s), np.inf, length_s)
    windows = sliding_window_view(np.pad(known, AROUND_BEATS, mode="symmetric"), 2 * AROUND_BEATS + 1)
    usual_s = np.median(windows, axis=1)
    return np.flatnonzero(np.isfinite(known) & (known >= NEARLY_HELD * HELD_TIMES * usual_s))


def _around(length_s: Values, first: int, count: int) -> float:
    """Usual length of the beats to either side, NaN where there are too few on one of them."""
    before = length_s[max(first - AROUND_BEATS, 0) : first]
    after = length_s[first + count : first + count + AROUND_BEATS]
    before, after = before[~np.isnan(before)], after[~np.isnan(after)]
    if min(len(before), len(after)) < FEWEST_AROUND:
        return float("nan")
    return float(np.median(np.concatenate([before, after])))


def _is_held(length_s: Values, first: int, stop: int) -> bool:
    """Whether the beats from ``first`` to before ``stop`` are long, and what lies beside them is not."""
    usual_s = _around(length_s, first, stop - first)
    inside, beside = length_s[first:stop], length_s[[max(first - 1, 0), min(stop, len(length_s) - 1)]]
    # Nothing compares with NaN: a hold inside or beside, or too little around.
    return bool((inside >= HELD_TIMES * usual_s).all() and (beside <= STEADY_TIMES * usual_s).all())
