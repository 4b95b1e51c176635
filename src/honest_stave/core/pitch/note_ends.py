"""Where notes end: possible ends of each, and which of them the evidence speaks for.

The network's sounding fades long before the release of one instrument and long after that of
another. So every note has several possible ends (where its sounding falls under several
limits, peaks of the offset, the next onset and shares of the way to it), and a network chooses
by level, network, what the passage is like and how the notes round it end.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import (
    CELL_S,
    FIRST_CELL_S,
    FRAMES_PER_CELL,
    LOWEST_PITCH,
    Activity,
    time_of_cell,
)
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, Bands
from honest_stave.core.pitch.passages import passage_mean, weight_of
from honest_stave.core.pitch.strikes import Strikes, next_onset, next_same, sound_ends
from honest_stave.core.pitch.weighing import Halves, heard_together

Values = NDArray[np.float64]

SOUNDING_LIMITS = (0.15, 0.3, 0.5, 0.7)
OFFSET_PEAKS = (0.15, 0.3, 0.5)
# Shares of the way to the next onset; a next onset farther off than this says nothing.
SHARES = (0.84, 0.5, 1.0)
FARTHEST_NEXT_S, FARTHEST_SHARE_S = 4.0, 1.5
SHORTEST_S = 0.03
# A note that nothing cuts is not said to be shorter: how soon it dies away is told less surely than that it is one.
LEAST_UNCUT_S = 0.055
# The end by which the others and the passage are measured: sounding under 0.5.
USUAL = 2
# Frames round an end at which its level is measured, 12 ms each; dB to a unit.
LEVEL_FRAMES = (-16, -8, -3, 0, 3, 8, 16)
UNIT_DB = 20.0
PARTIAL_STEPS = (0, 12, 19)
# Strikes weighed at once: bounds the memory of an hour.
BLOCK = 2048


def choose_ends(
    strikes: Strikes,
    score: Values,
    passage: NDArray[np.int64],
    activity: Activity,
    bands: Bands,
    voices: str,
) -> Values:
    """The likeliest end (s) of each strike, (strikes,).

    Args:
        strikes: all, in order of time.
        score: their log-odds; those over 0 cut and are the next onsets of others.
        passage: of each strike.
        activity, bands: where they were found.
        voices: one or many.

    Raises:
        BadInput: the network is missing or damaged.
    """
    ends = possible_ends(strikes, score >= 0, activity, voices)
    inputs = end_inputs(strikes, score, ends, passage, activity, bands)
    likely = heard_together("ends", strikes, passage, inputs, one_voice=voices == "one")
    chosen = np.take_along_axis(ends, likely.argmax(axis=1)[:, None], axis=1)[:, 0]
    return np.asarray(np.maximum(chosen, strikes.onset_s + LEAST_UNCUT_S))


def possible_ends(strikes: Strikes, counted: NDArray[np.bool_], activity: Activity, voices: str) -> Values:
    """Possible ends (s) of each strike, (strikes, ends)."""
    columns = [sound_ends(activity, strikes, limit) for limit in SOUNDING_LIMITS]
    for least in OFFSET_PEAKS:
        peak_s = _next_offset(strikes, activity, least)
        columns.append(np.where(np.isfinite(peak_s), peak_s, columns[0]))
    following_s = next_onset(strikes, counted)
    cut_s = following_s if voices == "one" else next_same(strikes, counted)
    columns.append(np.where(np.isfinite(cut_s), cut_s, columns[0]))
    gap_s = np.minimum(following_s - strikes.onset_s, FARTHEST_SHARE_S)
    columns += [strikes.onset_s + share * gap_s for share in SHARES]
    ends = np.minimum(np.stack(columns, axis=1), cut_s[:, None])
    return np.maximum(ends, strikes.onset_s[:, None] + SHORTEST_S)


def _next_offset(strikes: Strikes, activity: Activity, least: float) -> Values:
    """Moment (s) of the first peak of the offset of at least ``least`` after each strike; infinite without."""
    cells = len(activity.offset)
    found = np.zeros(len(strikes))
    row = strikes.pitch - LOWEST_PITCH
    for pitch_row in np.unique(row).tolist():
        own = row == pitch_row
        offset = activity.offset[:, pitch_row].astype(np.float64)
        peak = np.zeros(cells, bool)
        peak[1:-1] = (offset[1:-1] >= offset[:-2]) & (offset[1:-1] > offset[2:]) & (offset[1:-1] >= least)
        place = np.where(peak, np.arange(cells, dtype=np.float64), np.inf)
        following = np.minimum.accumulate(place[::-1])[::-1]
        found[own] = following[np.minimum(strikes.cell[own] + 2, cells - 1)]
    return time_of_cell(found)


def passage_means(
    strikes: Strikes,
    ends: Values,
    score: Values,
    passage: NDArray[np.int64],
    activity: Activity,
    bands: Bands,
) -> Values:
    """What the usual ends of a passage are like, (strikes, measures)."""
    weight = weight_of(score)
    usual = ends[:, USUAL]
    cell = _cells(usual, len(activity.onset))
    row = strikes.pitch - LOWEST_PITCH
    level = {frame: _level(strikes, FRAMES_PER_CELL * cell + frame, bands) for frame in (-16, -8, -3, 0, 8)}
    loudest = _loudest(strikes, bands)
    filled = _filled(strikes, usual, score)
    measures = [
        filled,
        np.clip((level[-8] - level[-16]) / UNIT_DB, -4, 4),
        np.clip((level[8] - level[0]) / UNIT_DB, -4, 4),
        np.clip((level[-3] - loudest) / UNIT_DB, -4, 1),
        _around(activity.offset, cell, row, range(-2, 3)).max(axis=0),
        _around(activity.sounding, cell, row, range(-3, 0)).mean(axis=0),
    ]
    means = [passage_mean(passage, weight, m) for m in measures]
    spread = np.sqrt(np.maximum(passage_mean(passage, weight, filled**2) - means[0] ** 2, 0.0))
    return np.column_stack([*means, spread])


def end_inputs(
    strikes: Strikes, score: Values, ends: Values, passage: NDArray[np.int64], activity: Activity, bands: Bands
) -> Halves:
    """What the network sees of each strike and its possible ends, (strikes, ends x measures of each + of all).

    Args:
        strikes: all, in order of time.
        score: their log-odds.
        ends: as from ``possible_ends``.
        passage: of each strike.
        activity, bands: where they were found.
    """
    means = passage_means(strikes, ends, score, passage, activity, bands)
    blocks = []
    for first in range(0, max(len(strikes), 1), BLOCK):
        block = np.arange(first, min(first + BLOCK, len(strikes)))
        blocks.append(_inputs(strikes, score, ends, means, block, activity, bands))
    return np.concatenate(blocks)


def _inputs(
    strikes: Strikes,
    score: Values,
    ends: Values,
    means: Values,
    block: NDArray[np.int64],
    activity: Activity,
    bands: Bands,
) -> Halves:
    own, end_s = strikes.chosen(block), ends[block]
    shape = end_s.shape
    length_s = end_s - own.onset_s[:, None]
    cell = _cells(end_s, len(activity.onset))
    row = np.broadcast_to((own.pitch - LOWEST_PITCH)[:, None], shape)
    counted_s = np.append(np.sort(strikes.onset_s[score >= 0]), np.inf)
    place = np.searchsorted(counted_s[:-1], end_s)
    to_onset_s = np.minimum(np.abs(counted_s[place] - end_s), np.abs(counted_s[np.maximum(place - 1, 0)] - end_s))
    loudest = _loudest(own, bands)[:, None]
    level = {
        frame: np.clip((_level(own, FRAMES_PER_CELL * cell + frame, bands) - loudest) / UNIT_DB, -4, 1)
        for frame in LEVEL_FRAMES
    }
    gap_s = np.maximum(next_onset(strikes, score >= 0)[block] - own.onset_s, SHORTEST_S)[:, None]
    filled = np.clip(np.log2(length_s / np.minimum(gap_s, FARTHEST_NEXT_S)), -4, 3)
    agreeing = np.abs(length_s[:, :, None] - length_s[:, None]) < np.maximum(0.05, 0.2 * length_s)[:, :, None]
    measures = [
        np.log2(length_s / 0.3),
        np.log2(length_s / length_s[:, [USUAL]]),
        filled,
        _around(activity.sounding, cell, row, range(-3, 0)).mean(axis=0),
        _around(activity.sounding, cell, row, range(1, 4)).mean(axis=0),
        _around(activity.sounding, cell, row, range(1))[0],
        _around(activity.offset, cell, row, range(-2, 3)).max(axis=0),
        _around(activity.offset, cell, row, range(1))[0],
        np.clip(_short_fall(own, FRAMES_PER_CELL * cell, bands) / UNIT_DB, -3, 3),
        np.minimum(to_onset_s, 0.3) / 0.1,
        *level.values(),
        level[-3] - level[-8],
        level[8] - level[0],
        np.log2(agreeing.mean(axis=2)),
    ]
    whole = [(own.pitch - 62) / 24, np.clip(score[block] / 4, -2, 2), filled[:, USUAL], *means[block].T]
    of_ends = np.stack(measures, axis=2).reshape(len(block), len(measures) * shape[1])
    return np.column_stack([of_ends, *whole]).astype(np.float16)


def _filled(strikes: Strikes, end_s: Values, score: Values) -> Values:
    """How much of the way to the next onset a note fills, in octaves."""
    gap_s = np.clip(next_onset(strikes, score >= 0) - strikes.onset_s, SHORTEST_S, FARTHEST_NEXT_S)
    return np.clip(np.log2((end_s - strikes.onset_s) / gap_s), -4, 3)


def _cells(moment_s: Values, cells: int) -> NDArray[np.int64]:
    return np.clip(np.round((moment_s - FIRST_CELL_S) / CELL_S), 0, cells - 1).astype(np.int64)


def _around(
    source: NDArray[np.floating], cell: NDArray[np.int64], row: NDArray[np.int64], lags: range
) -> NDArray[np.float64]:
    """Values of the pitch at several cells round a place, (lags, ...)."""
    last = len(source) - 1
    return np.stack([source[np.clip(cell + lag, 0, last), row] for lag in lags]).astype(np.float64)


def _level(strikes: Strikes, frame: NDArray[np.int64], bands: Bands) -> Values:
    """Level (dB) of each strike's strongest partial at frames (strikes, ...)."""
    place = np.clip(frame, 0, len(bands.long_db) - 1)
    pitch = strikes.pitch.reshape(-1, *([1] * (frame.ndim - 1)))
    level = np.full(frame.shape, -np.inf)
    for step in PARTIAL_STEPS:
        band = np.minimum(BANDS_PER_SEMITONE * (pitch + step - LOWEST_PITCH) + 1, bands.long_db.shape[1] - 1)
        level = np.maximum(level, bands.long_db[place, band])
    return level


def _loudest(strikes: Strikes, bands: Bands) -> Values:
    """Level (dB) of the strongest partial in the first 120 ms, (strikes,)."""
    frames = FRAMES_PER_CELL * strikes.cell[:, None] + np.arange(10)
    return np.asarray(_level(strikes, frames, bands).max(axis=1, initial=-200.0))


def _short_fall(strikes: Strikes, frame: NDArray[np.int64], bands: Bands) -> Values:
    """Change of level (dB) in the short bands of the pitch and its octave across each end."""
    last, highest = len(bands.short_db) - 1, bands.short_db.shape[1] - 1

    def level(places: NDArray[np.int64]) -> Values:
        row = (strikes.pitch - LOWEST_PITCH)[:, None]
        views = [bands.short_db[np.clip(places, 0, last), np.minimum(row + step, highest)] for step in (0, 12)]
        return np.asarray(np.maximum(*views), np.float64)

    return level(frame + 4) - level(frame - 3)
