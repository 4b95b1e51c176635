"""Beats from what the network hears: the likeliest row of moments whose distances change slowly.

A semi-Markov search by dynamic programming over moments and beat lengths, after Ellis (2007),
with the length of the beat as a state of its own (Whiteley, Cemgil and Godsill, 2006).
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import SHORTEST_LOG2, SLOWEST_LOG2, TEMPO_CLASSES, BeatActivity
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, time_of_cell
from honest_stave.core.signal.measure import level_reached

Values = NDArray[np.float64]

FEWEST_BEATS = 4

SHORTEST_S, LONGEST_S = 0.28, 1.65
# Log-odds of a beat are kept within these: music goes on over rests, and one clear beat is not worth three.
LEAST_ODDS, MOST_ODDS = -2.0, 3.5
# Less than this, or than this share of the loud places, is the room before the music and after it.
LEAST_SOUNDING, ROOM_SHARE, LOUD_SHARE = 0.05, 0.15, 0.95
# A row of beats begins and ends with one that is at least this likely.
END_ODDS = -0.5
# What the network says between beats speaks against them only where it is loud.
LENGTH_WEIGHT = 0.5
# A beat as long as the usual one is likeliest; spread in octaves.
USUAL_S, SPREAD_OCTAVES, USUAL_WEIGHT = 0.58, 0.8, 0.5
# A change of length by a tenth from one beat to the next costs about this much of a log-odds.
CHANGE_COST = 90.0
# A second covered by beats, while something sounds.
COVER = 1.2
# A second of sound before the first beat.
LATE_COST = 1.5
# A beat that is passed over costs its odds, this much of them.
PASSED_WEIGHT = 0.5


def track_beats(
    activity: BeatActivity,
    sounding: Values,
    shortest_s: float = SHORTEST_S,
    longest_s: float = LONGEST_S,
    strictness: float = 1.0,
) -> tuple[Values, Values]:
    """Moments of beats (s) and the log-odds of each; empty where nothing sounds.

    Args:
        activity: what the network says.
        sounding: how much sounds, (cells,).
        shortest_s, longest_s: length of a beat.
        strictness: how many times as much a change of length costs, and music before the first beat.
    """
    cells = len(activity.beat)
    heard = np.flatnonzero(sounding > least_sounding(sounding))
    if len(heard) < 4:
        return np.zeros(0), np.zeros(0)
    lengths = np.arange(round(shortest_s / CELL_S), round(longest_s / CELL_S) + 1)
    odds = np.clip(activity.beat.astype(np.float64), LEAST_ODDS, MOST_ODDS)
    passed = np.concatenate([[0.0], np.cumsum(_peaks(np.maximum(odds, 0.0)))])
    classes = (np.log2(lengths * CELL_S) - SHORTEST_LOG2) / (SLOWEST_LOG2 - SHORTEST_LOG2) * (TEMPO_CLASSES - 1)
    low = np.clip(classes.astype(int), 0, TEMPO_CLASSES - 2)
    share = np.exp(activity.length.astype(np.float64))
    likely = share[:, low] * (1 - (classes - low)) + share[:, low + 1] * (classes - low)
    likely = np.log(np.maximum(likely * TEMPO_CLASSES / 8, 0.02))
    likely = likely - USUAL_WEIGHT / LENGTH_WEIGHT * 0.5 * (np.log2(lengths * CELL_S / USUAL_S) / SPREAD_OCTAVES) ** 2
    change = strictness * CHANGE_COST * np.log(lengths[:, None] / lengths[None]) ** 2
    first, last = int(heard[0]), int(heard[-1])
    # Above the first cell lies what no row can come from.
    longest = int(lengths[-1])
    total = np.full((longest + cells, len(lengths)), -np.inf)
    came = np.full((cells, len(lengths)), -1, np.int16)
    cover = COVER * lengths * CELL_S
    # No beat is shorter than the shortest: so many cells do not know of one another, and are reckoned at once.
    for begin in range(max(first - 2, 0), min(last + 3, cells), int(lengths[0])):
        cell = np.arange(begin, min(begin + int(lengths[0]), last + 3, cells))
        earlier = cell[:, None] - lengths
        options = total[longest + earlier] - change
        best = options.argmax(axis=2)
        over = passed[cell][:, None] - passed[np.maximum(earlier + 1, 0)]
        value = np.take_along_axis(options, best[:, :, None], axis=2)[:, :, 0] + cover - PASSED_WEIGHT * over
        starts = -strictness * LATE_COST * CELL_S * np.maximum(cell - first, 0)[:, None]
        fresh = value < starts
        likely_here = odds[cell][:, None] + LENGTH_WEIGHT * likely[cell]
        total[longest + cell] = np.where(fresh, starts, value) + likely_here
        came[cell] = np.where(fresh, -1, best)
    total = total[longest:]
    tail = np.arange(max(last - int(lengths[-1]), first), min(last + 3, cells))
    ends = total[tail]
    place, k = (int(i) for i in np.unravel_index(int(ends.argmax()), ends.shape))
    at = int(tail[place])
    chosen = []
    while at >= 0:
        chosen.append(at)
        before = int(came[at, k])
        if before < 0:
            break
        at, k = at - int(lengths[k]), before
    beats = np.array(chosen[::-1])
    odds = activity.beat.astype(np.float64)
    wide = np.maximum(odds, np.maximum(np.append(LEAST_ODDS, odds[:-1]), np.append(odds[1:], LEAST_ODDS)))
    beats = _without_unheard_ends(beats, wide[beats])
    return _centred(1 / (1 + np.exp(-odds)), beats), wide[beats]


def least_sounding(sounding: Values) -> float:
    """What sounds less than this is the room."""
    return max(LEAST_SOUNDING, ROOM_SHARE * level_reached(sounding, LOUD_SHARE))


def _without_unheard_ends(beats: NDArray[np.int64], odds: Values) -> NDArray[np.int64]:
    """The row without a first or a last beat on which nothing is heard: one before the music, one after it."""
    if len(beats) <= FEWEST_BEATS:
        return beats
    return beats[int(odds[0] < END_ODDS) : len(beats) - int(odds[-1] < END_ODDS)]


def other_levels(beat_s: Values) -> list[Values]:
    """The same music counted otherwise: shifted by half, half, twice, a third, thrice, two thirds, three halves."""
    steps = np.diff(beat_s)
    middle = beat_s[:-1] + steps / 2
    found = [middle, beat_s[::2], beat_s[1::2], np.sort(np.concatenate([beat_s, middle]))]
    found += [beat_s[k::3] for k in range(3)]
    thirds = [beat_s[:-1] + steps * share for share in (1 / 3, 2 / 3)]
    found.append(np.sort(np.concatenate([beat_s, *thirds])))
    # Three beats of the one are two of the other: a bar of six eighths counted in two or in three.
    place = np.arange(len(beat_s))
    for step, starts in ((1.5, (0.0, 0.5, 1.0)), (2 / 3, (0.0, 1 / 3))):
        found += [np.interp(np.arange(start, len(beat_s) - 1 + 1e-6, step), place, beat_s) for start in starts]
    kept = []
    for row in found:
        typical = float(np.median(np.diff(row))) if len(row) >= FEWEST_BEATS else 0.0
        if SHORTEST_S * 0.95 <= typical <= LONGEST_S * 1.05:
            kept.append(row)
    return kept


def odds_near(activity: BeatActivity, beat_s: Values) -> Values:
    """Log-odds of beats at moments, the highest within a cell."""
    cell = np.round((beat_s - FIRST_CELL_S) / CELL_S).astype(int)[:, None] + np.arange(-1, 2)
    return np.asarray(activity.beat[np.clip(cell, 0, len(activity.beat) - 1)].max(axis=1), float)


def _peaks(odds: Values) -> Values:
    """The odds where they are highest among their neighbours, nothing elsewhere."""
    before, after = np.append(0, odds[:-1]), np.append(odds[1:], 0)
    return np.where((odds >= before) & (odds > after), odds, 0.0)


def _centred(sure: Values, beats: NDArray[np.int64]) -> Values:
    """Moments between cells: the centre of what the network says around each beat."""
    near = np.clip(beats[:, None] + np.arange(-2, 3), 0, len(sure) - 1)
    weight = sure[near] + 1e-3 * np.array([0, 1, 4, 1, 0])
    return time_of_cell((near * weight).sum(axis=1) / weight.sum(axis=1))
