"""What is said of every beat for finding bars: what begins in it, and how much it is like other beats."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import BeatActivity
from honest_stave.core.beat.heard import ZONES, Heard
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Floats = NDArray[np.float32]
Values = NDArray[np.float64]

# Places within a beat at which beginnings are looked up, for meters in two and in three.
PLACES = (0.0, 0.25, 1 / 3, 0.5, 2 / 3, 0.75)
# Beats before and after that a beat is compared with.
LAGS = (1, 2, 3, 4, 5, 6, 7, 8, 9, 12)
FAR_LOG_ODDS = 6.0
# Notes this near to a beat begin on it: in cells, or as a share of the beat.
ON_BEAT_CELLS, ON_BEAT_SHARE = 2.0, 0.1
# Notes are told apart between an eighth of a beat and eight.
SHORTEST_OCTAVES, LONGEST_OCTAVES = 3.0, 3.0
# A note sounds over a beat when it does so for this share of it.
TIED_SHARE = 0.25
# Beats to either side that say what is usual.
BESIDE = 8


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
    few = _few(heard.columns)
    patterns = np.concatenate([_near(few, place + share * step) for share in PLACES], axis=1)
    chroma = _between(heard.chroma, place, step)
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
    return np.concatenate([own, patterns, *alike, *moved, _stressed(heard.notes, place, step)], axis=1).astype(
        np.float32
    )


def _few(columns: Floats) -> Floats:
    """The columns gathered to bass, middle and top, drums and harmony as they are."""
    gathered = [
        group.sum(axis=1)
        for block in (columns[:, :ZONES], columns[:, ZONES : 2 * ZONES] / 2)
        for group in (block[:, :3], block[:, 3:5], block[:, 5:])
    ]
    return np.concatenate([np.stack(gathered, axis=1), columns[:, 2 * ZONES :]], axis=1)


def _near(columns: Floats, place: Values) -> Floats:
    """The highest value within a cell of each place, (beats, columns)."""
    cell = np.clip(np.round(place).astype(int)[:, None] + np.arange(-1, 2), 0, len(columns) - 1)
    return np.asarray(columns[cell].max(axis=1))


def _between(chroma: Floats, place: Values, step: Values) -> Floats:
    """Mean of the chroma over each beat, (beats, 24)."""
    summed = np.concatenate([np.zeros((1, chroma.shape[1])), np.cumsum(chroma, axis=0, dtype=np.float64)])
    first = np.clip(np.round(place).astype(int), 0, len(chroma) - 1)
    last = np.clip(np.maximum(np.round(place + step).astype(int), first + 1), 0, len(chroma))
    return np.asarray((summed[last] - summed[first]) / np.maximum(last - first, 1)[:, None], np.float32)


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


def _stressed(notes: Floats, place: Values, step: Values) -> Values:
    """What begins on each beat: how much, how long it sounds, how low, high and hard beside its neighbours.

    (beats, ``STRESSES``); long notes, low ones and hard ones tell the beginning of a bar.
    """
    beats = len(place)
    cell, pitch, held, sure, hard = notes.T.astype(np.float64)
    nearest = np.clip(np.searchsorted(place, cell), 1, beats - 1)
    nearest -= cell - place[nearest - 1] < place[nearest] - cell
    on = np.abs(cell - place[nearest]) < np.maximum(ON_BEAT_CELLS, ON_BEAT_SHARE * step[nearest])
    within = np.clip(np.searchsorted(place, cell, side="right") - 1, 0, beats - 1)
    # Beats past the end that a note sounds, as octaves of a beat.
    long = np.clip(np.log2(np.maximum(held, 1) / step[nearest]), -SHORTEST_OCTAVES, LONGEST_OCTAVES)
    over = ~on & (cell + held > place[np.minimum(within + 1, beats - 1)] + step[within] * TIED_SHARE)

    def mean(values: Values, chosen: NDArray[np.bool_]) -> Values:
        beat = nearest[chosen]
        weight = np.bincount(beat, sure[chosen], beats)
        return np.bincount(beat, (sure * values)[chosen], beats) / np.maximum(weight, 1e-6)

    lowest, highest = np.full(beats, np.inf), np.full(beats, -np.inf)
    np.minimum.at(lowest, nearest[on], pitch[on])
    np.maximum.at(highest, nearest[on], pitch[on])
    low, high = on & (pitch == lowest[nearest]), on & (pitch == highest[nearest])
    begun = np.bincount(nearest[on], sure[on], beats)
    none = begun < 1e-6
    longest = np.full(beats, -SHORTEST_OCTAVES)
    np.maximum.at(longest, nearest[on], long[on])
    values = [
        np.log1p(begun),
        np.where(none, -SHORTEST_OCTAVES, mean(long, on)),
        longest,
        np.where(none, -SHORTEST_OCTAVES, mean(long, low)),
        np.where(none, -SHORTEST_OCTAVES, mean(long, high)),
        _beside(np.where(none, np.nan, lowest)) / 12,
        _beside(np.where(none, np.nan, highest)) / 12,
        _beside(np.where(none, np.nan, mean(hard, on))) * 4,
        np.log1p(np.bincount(within, sure, beats)),
        np.log1p(np.bincount(within[over], sure[over], beats)),
    ]
    return np.stack(values, axis=1)


def _beside(values: Values) -> Values:
    """Values less their mean over ``BESIDE`` beats to either side, 0 where there is none, (beats,)."""
    known = ~np.isnan(values)
    filled = np.where(known, values, 0.0)
    kernel = np.ones(2 * BESIDE + 1)

    def gathered(row: Values) -> Values:
        return np.asarray(np.convolve(np.pad(row, BESIDE), kernel, mode="valid"))

    mean = gathered(filled) / np.maximum(gathered(known.astype(float)), 1)
    return np.where(known, filled - mean, 0.0)
