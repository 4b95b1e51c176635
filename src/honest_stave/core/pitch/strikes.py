"""From the network's activity to strikes: every place where a note may begin, measured.

All arithmetic is over whole arrays; nothing here decides what counts.
"""

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import (
    FRAMES_PER_CELL,
    LOWEST_PITCH,
    PITCHES,
    Activity,
    Shares,
    time_of_cell,
)
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, FLOOR_DB

# Peaks of the onset below this are noise: 97 to 99 of a hundred notes of the tuning set peak higher.
LEAST_ONSET = 0.025
# How long a strike sounds, as evidence: until its probability falls under this for good (two cells).
SOUNDING_UNTIL = 0.3
SHORTEST_SOUND_S = 0.02
# A neighbour a tenth lower than the peak has under half the say in where it lies.
TIE_POWER = 8
# Onsets closer than this are one moment.
SAME_ONSET_S = 0.03
SHORT_S, FADED_SHARE = 0.25, 0.9
# Semitones at which a stronger neighbour may explain a strike: octaves, twelfths, two octaves, semitones.
RELATED_STEPS = (-24, -19, -12, -1, 1, 12, 19, 24)

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Strikes:
    """Places where notes may begin, in order of time, all (strikes,).

    Args:
        cell: cell of the peak.
        pitch: MIDI number.
        onset_s: moment between cells.
        end_s: where the sound of that pitch ends, whatever begins on it before.
        onset: height of the peak, 0 to 1.
        sounding: mean sounding in the 100 ms after.
        before: mean sounding in the 70 ms before.
        dip: lowest sounding just before the peak.
        let_go: highest offset just before the peak.
        held_s: how long it sounds.
        velocity: 1 to 127.
    """

    cell: NDArray[np.int64]
    pitch: NDArray[np.int64]
    onset_s: Values
    end_s: Values
    onset: Values
    sounding: Values
    before: Values
    dip: Values
    let_go: Values
    held_s: Values
    velocity: Values

    def __len__(self) -> int:
        return len(self.cell)

    def chosen(self, kept: NDArray[np.bool_] | NDArray[np.int64]) -> "Strikes":
        """Some of the strikes."""
        return Strikes(**{f.name: getattr(self, f.name)[kept] for f in fields(self)})


def find_strikes(activity: Activity) -> Strikes:
    """Peaks of the onset in time, each with what is known round it.

    Args:
        activity: what the network said.
    """
    onset = activity.onset
    cells = len(onset)
    rising, falling = np.ones(onset.shape, bool), onset > 0
    np.greater_equal(onset[1:], onset[:-1], out=rising[1:])
    np.greater(onset[:-1], onset[1:], out=falling[:-1])
    cell, row = np.nonzero(rising & falling & (onset >= LEAST_ONSET))
    height = onset[cell, row].astype(np.float64)
    fraction = _fraction(onset, cell, row)
    # Where the cell beside is nearly as high, the peak is as much there: its own estimate counts by its height.
    beside = np.clip(cell + np.where(fraction >= 0, 1, -1), 0, cells - 1)
    other = beside - cell + _fraction(onset, beside, row)
    weight = (onset[beside, row] / np.maximum(height, 1e-6)) ** TIE_POWER
    fraction = (fraction + weight * other) / (1 + weight)
    sounding = activity.sounding
    onset_s = time_of_cell(cell + fraction)
    end_s = _end_of_sound(sounding, cell, row, onset_s, SOUNDING_UNTIL)

    def around(source: NDArray[np.floating], first: int, last: int) -> Values:
        places = np.clip(cell[:, None] + np.arange(first, last + 1)[None], 0, cells - 1)
        return np.asarray(source[places, row[:, None]], np.float64)

    return Strikes(
        cell=cell,
        pitch=row + LOWEST_PITCH,
        onset_s=onset_s,
        end_s=end_s,
        onset=height,
        sounding=around(sounding, 1, 4).mean(axis=1),
        before=around(sounding, -4, -2).mean(axis=1),
        dip=around(sounding, -2, 1).min(axis=1),
        let_go=around(activity.offset, -3, 1).max(axis=1),
        held_s=end_s - onset_s,
        velocity=np.clip(127 * around(activity.velocity, 0, 0)[:, 0], 1, 127),
    )


def _fraction(onset: Shares, cell: NDArray[np.int64], row: NDArray[np.int64]) -> Values:
    """How far beside a cell its peak lies, in cells, from the two neighbours.

    A triangle of two cells to each side has neighbours that add up to 1.
    """
    last = len(onset) - 1
    left = np.where(cell > 0, onset[cell - 1, row], 0.0).astype(np.float64)
    right = np.where(cell < last, onset[np.minimum(cell + 1, last), row], 0.0).astype(np.float64)
    return np.clip((right - left) / np.maximum(left + right, 0.3), -0.5, 0.5)


def sound_ends(activity: Activity, strikes: Strikes, until: float) -> Values:
    """Where the sound of each strike's pitch ends (s), (strikes,).

    Args:
        activity: where the strikes were found.
        strikes: what was found.
        until: a note sounds until its probability falls under this for good (two cells).
    """
    end_s = _end_of_sound(activity.sounding, strikes.cell, strikes.pitch - LOWEST_PITCH, strikes.onset_s, until)
    # A short note hardly reaches its full probability: it ends where it fades.
    fades_s = strikes.onset_s + FADED_SHARE * strikes.held_s
    return np.where(strikes.held_s < SHORT_S, np.maximum(end_s, fades_s), end_s)


def _end_of_sound(
    sounding: NDArray[np.floating], cell: NDArray[np.int64], row: NDArray[np.int64], onset_s: Values, until: float
) -> Values:
    """Ends (s), pitch by pitch: an hour of all pitches at once would fill the memory."""
    end = np.zeros(len(cell))
    for pitch_row in np.unique(row).tolist():
        own = row == pitch_row
        ends = _ends(sounding[:, pitch_row].astype(np.float64), until)
        end[own] = ends[np.minimum(cell[own] + 1, len(sounding) - 1)]
    return np.maximum(time_of_cell(end), onset_s + SHORTEST_SOUND_S)


def _ends(sounding: Values, until: float) -> Values:
    """For each cell of one pitch, the fractional cell at which sound going on there ends, (cells,)."""
    cells = len(sounding)
    silent = (sounding < until) & (np.append(sounding[1:], 0.0) < until)
    index = np.where(silent, np.arange(cells), cells)
    first_silent = np.minimum.accumulate(index[::-1])[::-1]
    last_heard = np.clip(first_silent - 1, 0, cells - 1)
    high = sounding[last_heard]
    low = np.where(first_silent < cells, sounding[np.minimum(first_silent, cells - 1)], 0.0)
    share = np.clip((high - until) / np.maximum(high - low, 1e-6), 0.0, 1.0)
    return np.asarray(last_heard + share)


def related_onsets(activity: Activity, strikes: Strikes) -> Values:
    """Strongest onset and sounding at related pitches about each strike, (strikes, 2 x steps)."""
    cells = len(activity.onset)
    rows = strikes.pitch - LOWEST_PITCH
    columns = []
    for source, reach in ((activity.onset, (-1, 1)), (activity.sounding, (1, 3))):
        places = np.clip(strikes.cell[:, None] + np.arange(reach[0], reach[1] + 1), 0, cells - 1)
        for step in RELATED_STEPS:
            at = rows + step
            inside = (at >= 0) & (at < PITCHES)
            near = source[places, np.clip(at, 0, PITCHES - 1)[:, None]].max(axis=1)
            columns.append(np.where(inside, near, 0.0))
    return np.stack(columns, axis=1).astype(np.float64)


def next_onset(strikes: Strikes, counted: NDArray[np.bool_]) -> Values:
    """Moment (s) of the next counted strike of any pitch after each, infinite where there is none."""
    onset_s = np.append(np.sort(strikes.onset_s[counted]), np.inf)
    return np.asarray(onset_s[np.searchsorted(onset_s[:-1], strikes.onset_s + SAME_ONSET_S)])


def next_same(strikes: Strikes, counted: NDArray[np.bool_]) -> Values:
    """Moment (s) of the next counted strike of the same pitch after each, infinite where there is none."""
    order = np.lexsort((strikes.onset_s, strikes.pitch))
    onset_s, pitch = strikes.onset_s[order], strikes.pitch[order]
    place = np.where(counted[order], np.arange(len(order)), len(order))
    following = np.append(np.minimum.accumulate(place[::-1])[::-1], len(order))[1:]
    same = np.append(pitch, -1)[following] == pitch
    found = np.empty(len(order))
    found[order] = np.where(same, np.append(onset_s, np.inf)[following], np.inf)
    return found


def loudest_db(strikes: Strikes, long_db: NDArray[np.float32]) -> Values:
    """Loudest level in the bands of each strike's pitch during its first 100 ms, (strikes,)."""
    frame = np.clip(FRAMES_PER_CELL * strikes.cell[:, None] + np.arange(9), 0, len(long_db) - 1)
    band = BANDS_PER_SEMITONE * (strikes.pitch - LOWEST_PITCH) + 1
    return np.asarray(long_db[frame, band[:, None]].max(axis=1, initial=FLOOR_DB), np.float64)
