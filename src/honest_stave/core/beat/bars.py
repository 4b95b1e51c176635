"""Bars over beats: where they begin and in which meter, by what happens on each beat.

Chords change, basses enter and kicks fall on downbeats, snares on others; and a bar is like the
one before. A search by dynamic programming over meters and places in the bar weighs them.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.strength import Strength
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Values = NDArray[np.float64]

# What speaks for a downbeat, each in deviations from the mean over the beats.
WEIGHTS = {"chord": 1.0, "bass": 0.7, "kick": 0.6, "snare": -0.7, "cymbal": 0.4, "all": 0.3}
LEAST_SPREAD = 0.05
NEAR_CELLS = 2
# Beats of a bar, with how likely each is before anything is heard (log, a bar).
METERS = {4: 0.0, 3: -0.5, 2: -1.3, 5: -2.5, 6: -2.8, 7: -3.2}
# The same where a beat is divided in three: two beats are 6/8, three 9/8, four 12/8.
COMPOUND_METERS = {2: 0.0, 4: -1.0, 3: -1.0}
CLEAR = 1.1
REPEAT_WEIGHT = 1.6
CHANGE_COST = 10.0
# Beats in three where thirds are struck so much more than halves.
COMPOUND_FROM = 1.4


@dataclass(frozen=True)
class Bars:
    """Place of each beat in its bar, (beats,).

    Args:
        bar: number of the bar, 1 for the first full one, 0 for a pickup.
        beat: place in the bar from 1.
        length: beats of the bar in which it lies.
        confidence: how clearly the downbeats of its meter lie where they do, 0 to 1.
        compound: a beat is a dotted quarter.
    """

    bar: NDArray[np.int64]
    beat: NDArray[np.int64]
    length: NDArray[np.int64]
    confidence: Values
    compound: bool


def find_bars(beat_s: Values, strength: Strength) -> Bars:
    """Bars of a row of beats.

    Args:
        beat_s: moments (s), rising, at least one.
        strength: what happens at every moment.
    """
    cell = np.clip(np.round((beat_s - FIRST_CELL_S) / CELL_S).astype(int), 0, len(strength.all) - 1)
    near = np.clip(cell[:, None] + np.arange(-NEAR_CELLS, NEAR_CELLS + 1), 0, len(strength.all) - 1)
    columns = {name: getattr(strength, name)[near].max(axis=1) for name in WEIGHTS}
    evidence = np.zeros(len(beat_s))
    for name, weight in WEIGHTS.items():
        spread = float(columns[name].std())
        if spread > LEAST_SPREAD:
            evidence += weight * (columns[name] - columns[name].mean()) / spread
    evidence /= max(float(evidence.std()), 1e-6)
    compound = _is_compound(cell, strength.all)
    meters = COMPOUND_METERS if compound else METERS
    repeats = _repeats(np.column_stack([columns[name] for name in WEIGHTS]), meters)
    length, place = _search(evidence, repeats, meters)
    downbeat = place == 0
    number = np.cumsum(downbeat)
    apart = (
        float(evidence[downbeat].mean() - evidence[~downbeat].mean())
        if downbeat.any() and not downbeat.all()
        else 0.0
    )
    sure = float(1 / (1 + np.exp(-1.5 * (apart - 0.7))))
    return Bars(number, place + 1, length, np.full(len(beat_s), sure), compound)


def _repeats(columns: Values, meters: dict[int, float]) -> dict[int, float]:
    """How much alike beats so many apart are, against other distances."""
    spread = np.maximum(columns.std(axis=0), LEAST_SPREAD)
    scaled = (columns - columns.mean(axis=0)) / spread
    found = {}
    for lag in meters:
        if len(scaled) > 2 * lag:
            found[lag] = float((scaled[lag:] * scaled[:-lag]).mean())
        else:
            found[lag] = 0.0
    return found


def _search(
    evidence: Values, repeats: dict[int, float], known: dict[int, float]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Length of the bar and place in it of every beat."""
    states = [(meter, place) for meter in known for place in range(meter)]
    index = {state: i for i, state in enumerate(states)}
    meters = np.array([m for m, _ in states])
    places = np.array([p for _, p in states])
    beats = len(evidence)
    # A downbeat is likelier the more speaks for it; every other beat the less.
    bonus = np.array([(known[m] / m + REPEAT_WEIGHT * repeats[m] / 4) for m, _ in states])
    total = bonus + np.where(places == 0, CLEAR * evidence[0] - CLEAR**2 / 2, 0.0) - 0.7 * (places > 0)
    came = np.zeros((beats, len(states)), int)
    before = np.array([index[m, (p - 1) % m] for m, p in states])
    ends = np.array([index[m, m - 1] for m in known])
    for i in range(1, beats):
        options = total[before]
        source = before.copy()
        best_end = ends[int(total[ends].argmax())]
        changed = total[best_end] - CHANGE_COST
        begins = (places == 0) & (changed > options)
        options = np.where(begins, changed, options)
        source = np.where(begins, best_end, source)
        total = options + bonus + np.where(places == 0, CLEAR * evidence[i] - CLEAR**2 / 2, 0.0)
        came[i] = source
    state = int(total.argmax())
    path = np.zeros(beats, int)
    for i in range(beats - 1, -1, -1):
        path[i] = state
        state = came[i, state]
    return meters[path], places[path]


def _is_compound(cell: NDArray[np.int64], all_strength: Values) -> bool:
    """Whether beats are divided in three."""
    if len(cell) < 3:
        return False
    step = np.diff(cell)

    def at(share: float) -> float:
        place = np.round(cell[:-1] + share * step).astype(int)
        near = np.clip(place[:, None] + np.arange(-1, 2), 0, len(all_strength) - 1)
        return float(np.minimum(all_strength[near].max(axis=1), 1.0).mean())

    return max(at(1 / 3), at(2 / 3)) > COMPOUND_FROM * max(at(0.5), 0.05)
