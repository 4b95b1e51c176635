"""Beats found anew where an edit says roughly where they are: taps, a stretch between two pins, twice the beats."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import Beat, BeatMap, check_map, times_of
from honest_stave.core.beat.beats_hearing import sure_of
from honest_stave.core.beat.begun import begins_at
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from honest_stave.core.words import how_many

Values = NDArray[np.float64]
Floats = NDArray[np.float32]

# A tap lies this close to the beat that was meant, once what all taps are late by is taken off.
TAP_REACH_S = 0.09
FEWEST_TAPS = 3
# Taps may all be late, or early, by up to this much.
MOST_LATE_S = 0.25
# Log-odds under which nothing draws a beat to it.
LEAST_ODDS = -1.5
# Beats of a stretch are this much longer or shorter than even ones at most.
SPREAD = 0.3
EVEN_COST = 60.0
# A beat put between others is drawn by this share of the way to the nearer one: no swung eighth lies as near.
DRAWN_SHARE = 0.15


@dataclass(frozen=True)
class HeardBefore:
    """What a reading of beats keeps, by cell of 23 ms.

    Args:
        odds: log-odds of a beat, (cells,).
        begun: how likely something begins, (cells,).
        starts_s: moment of the first cell's beginning.
    """

    odds: Floats
    begun: Floats
    starts_s: float


def refine_taps(kept: HeardBefore, tap_s: Values) -> tuple[list[Beat], float]:
    """Beats near taps, drawn to where something is heard, and by how much all taps were late (s).

    Args:
        kept: what was heard of the take.
        tap_s: moments of the taps, rising.

    Raises:
        BadInput: too few taps, or they do not rise.
    """
    if np.any(np.diff(tap_s) <= 0):
        raise BadInput("Taps go back in time.", "Give their moments as they were tapped, one after the other.")
    if len(tap_s) < FEWEST_TAPS:
        raise BadInput(
            f"{how_many(len(tap_s), 'tap')} cannot tell a tempo.",
            f"Tap at least {FEWEST_TAPS} times along the passage.",
        )
    lags = np.arange(-MOST_LATE_S, MOST_LATE_S + CELL_S / 2, CELL_S / 2)
    agreement = [_odds_at(kept, tap_s - lag).mean() - 2.0 * abs(lag) for lag in lags]
    late_s = float(lags[int(np.argmax(agreement))])
    return [_beat_near(kept, float(t - late_s), TAP_REACH_S) for t in tap_s], late_s


def reread_between(kept: HeardBefore, from_s: float, to_s: float, beats: int) -> list[Beat]:
    """The beats between two moments that are beats themselves, so many steps apart.

    Dynamic programming over cells: what is heard, less a price on steps that differ from even ones.

    Args:
        kept: what was heard of the take.
        from_s, to_s: the two.
        beats: steps between them, at least 1.
    """
    if beats < 2:
        return []
    odds, starts_s = kept.odds, kept.starts_s
    first = (from_s - starts_s - FIRST_CELL_S) / CELL_S
    step = (to_s - from_s) / CELL_S / beats
    lowest, highest = max(1, int(step * (1 - SPREAD))), int(np.ceil(step * (1 + SPREAD)))
    lengths = np.arange(lowest, highest + 1)
    price = EVEN_COST * np.log(lengths / step) ** 2
    cells = round(step * beats) + 1
    places = np.clip(np.round(first).astype(int) + np.arange(cells), 0, len(odds) - 1)
    worth = np.maximum(odds[places].astype(float), LEAST_ODDS)
    total = np.full(cells, -np.inf)
    total[0] = 0.0
    came = np.zeros((beats + 1, cells), int)
    for number in range(1, beats + 1):
        reached = np.full(cells, -np.inf)
        for length, cost in zip(lengths.tolist(), price.tolist(), strict=True):
            value = np.concatenate([np.full(min(length, cells), -np.inf), total[: max(cells - length, 0)] - cost])
            better = value > reached
            reached[better], came[number][better] = value[better], length
        total = reached + (worth if number < beats else 0.0)
    cell, found = cells - 1, []
    for number in range(beats, 1, -1):
        cell -= int(came[number][cell]) or round(step)
        found.append(starts_s + FIRST_CELL_S + (first + cell) * CELL_S)
    return [_beat_near(kept, t, 1.5 * CELL_S) for t in found[::-1]]


def drawn_to_beats(beat_map: BeatMap, was: BeatMap, kept: HeardBefore) -> BeatMap:
    """A map whose new beats lie where they are heard near by; what was there before the edit stays.

    Args:
        beat_map: after the edit.
        was: before it.
        kept: what was heard of the take.
    """
    known = set(times_of(was).tolist())
    steps = np.diff(times_of(beat_map))
    beats = list(beat_map.beats)
    for i, beat in enumerate(beats):
        if beat.time_s not in known and beat.heard_s is None and not beat.pinned:
            reach_s = DRAWN_SHARE * float(steps[max(i - 1, 0) : i + 1].min())
            heard_s = _beat_near(kept, beat.time_s, reach_s).heard_s
            if heard_s is not None and abs(heard_s - beat.time_s) <= reach_s:
                beats[i] = replace(beat, time_s=heard_s, heard_s=heard_s)
    return check_map(replace(beat_map, beats=tuple(beats)))


def _odds_at(kept: HeardBefore, time_s: Values) -> Values:
    cell = np.round((time_s - kept.starts_s - FIRST_CELL_S) / CELL_S).astype(int)
    return np.asarray(np.maximum(kept.odds[np.clip(cell, 0, len(kept.odds) - 1)].astype(float), LEAST_ODDS))


def _beat_near(kept: HeardBefore, time_s: float, reach_s: float) -> Beat:
    """The clearest beat within reach, at the centre of what is heard there; the moment itself where nothing is."""
    odds, starts_s = kept.odds, kept.starts_s
    middle = (time_s - starts_s - FIRST_CELL_S) / CELL_S
    reach = max(1, round(reach_s / CELL_S))
    near = np.clip(round(middle) + np.arange(-reach, reach + 1), 0, len(odds) - 1)
    best = int(near[int(odds[near].argmax())])
    strength = float(odds[best])
    sure = float(sure_of(np.array(strength)))
    if strength < LEAST_ODDS:
        return Beat(time_s, None, sure)
    around = np.clip(best + np.arange(-2, 3), 0, len(odds) - 1)
    weight = 1 / (1 + np.exp(-odds[around].astype(float)))
    moment = starts_s + FIRST_CELL_S + CELL_S * float((around * weight).sum() / weight.sum())
    begins = bool(begins_at(kept.begun, np.array([moment - starts_s]))[0])
    return Beat(moment, moment if begins else None, sure)
