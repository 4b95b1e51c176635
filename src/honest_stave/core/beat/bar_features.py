"""What is said of every beat for finding bars: what begins in it, and how much it is like other beats."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import BeatActivity
from honest_stave.core.beat.heard import GATHERED, Heard
from honest_stave.core.beat.stress import stresses
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Floats = NDArray[np.float32]
Values = NDArray[np.float64]

# Places within a beat at which beginnings are looked up, for meters in two and in three.
PLACES = (0.0, 0.25, 1 / 3, 0.5, 2 / 3, 0.75)
# Where the features hold what begins at these places.
OWN = 4
PATTERNS = slice(OWN, OWN + len(PLACES) * GATHERED)
# Beats before and after that a beat is compared with.
LAGS = (1, 2, 3, 4, 5, 6, 7, 8, 9, 12)
FAR_LOG_ODDS = 6.0


def bar_features(heard: Heard, activity: BeatActivity, beat_s: Values) -> Floats:
    """Features of each beat, (beats, features).

    Args:
        heard: of the recording.
        activity: what the first network says of it.
        beat_s: moments of beats, rising, at least two.
    """
    cells = len(heard.columns)
    place = np.clip((beat_s - FIRST_CELL_S) / CELL_S, 0, cells - 1)
    step = np.diff(place, append=2 * place[-1] - place[-2])
    patterns = np.concatenate([_near(heard.gathered, place + share * step) for share in PLACES], axis=1)
    chroma = _between(heard.chroma_until, place, step)
    own = np.stack(
        [
            np.clip(_near(activity.beat[:, None], place)[:, 0], -FAR_LOG_ODDS, FAR_LOG_ODDS) / 3,
            np.clip(_near(activity.downbeat[:, None], place)[:, 0], -FAR_LOG_ODDS, FAR_LOG_ODDS) / 3,
            np.log2(np.maximum(step * CELL_S, 0.1)),
            np.clip(np.log2(np.maximum(step, 1) / np.maximum(np.roll(step, 1), 1)), -1, 1),
        ],
        axis=1,
    )
    alike = [_alike(part) for part in (chroma[:, :12], chroma[:, 12:], patterns)]
    moved = [_moved(part) for part in (chroma[:, :12], chroma[:, 12:])]
    stress = stresses(heard.notes, place, step)
    return np.concatenate([own, patterns, *alike, *moved, stress], axis=1).astype(np.float32)


def _near(columns: Floats, place: Values) -> Floats:
    """The highest value within a cell of each place, (beats, columns)."""
    cell = np.clip(np.round(place).astype(int)[:, None] + np.arange(-1, 2), 0, len(columns) - 1)
    return np.asarray(columns[cell].max(axis=1))


def _between(until: Values, place: Values, step: Values) -> Floats:
    """Mean over each beat of what is summed until each cell, (beats, columns)."""
    cells = len(until) - 1
    first = np.clip(np.round(place).astype(int), 0, cells - 1)
    last = np.clip(np.maximum(np.round(place + step).astype(int), first + 1), 0, cells)
    return np.asarray((until[last] - until[first]) / np.maximum(last - first, 1)[:, None], np.float32)


def _alike(rows: Floats) -> Floats:
    """Likeness to the beats before and after at each lag, 0 where there is none, (beats, 2 * lags)."""
    unit = rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-6)
    found = np.zeros((len(rows), 2 * len(LAGS)), np.float32)
    for i, lag in enumerate(LAGS):
        if lag < len(rows):
            likeness = (unit[lag:] * unit[:-lag]).sum(axis=1)
            found[lag:, 2 * i] = likeness
            found[:-lag, 2 * i + 1] = likeness
    return found


def _moved(chroma: Floats) -> Values:
    """How far harmony moves into each beat: likeness to the beat before, turned by each interval, (beats, 12)."""
    unit = chroma / np.maximum(np.linalg.norm(chroma, axis=1, keepdims=True), 1e-6)
    before = np.concatenate([unit[:1], unit[:-1]])
    return np.stack([(unit * np.roll(before, by, axis=1)).sum(axis=1) for by in range(12)], axis=1)
