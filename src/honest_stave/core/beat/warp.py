"""The way of a score through a recording: dynamic time warping (Sakoe and Chiba 1978), coarse before fine.

All cells of a score against all of a recording are too many for anything longer than a song. So what is long is
warped in coarse cells first, and finely only near the way that was found so (Mueller, Mattes and Kurth 2006).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress

Values = NDArray[np.float64]
Shares = NDArray[np.floating]

# An onset that is heard where one is written counts this beside the likeness of what sounds.
ONSET_WEIGHT = 1.5
# A cell of the recording in which the score stands still, or of the score that is passed over, costs this.
STANDING_COST = 0.08
# Cells left over after the score's end cost this, up to so many. Those before its beginning cost a little more than
# standing still: a first note may be held for long, and often its pitch is given before.
AFTER_COST, BEFORE_COST, LEFT_CELLS = 0.6, 0.1, 170
# Up to so many cells are warped as they are: 2.3 minutes.
MOST_WHOLE = 6000
# The fine way lies within so many cells of the coarse one, ten seconds, or so many coarse cells.
REACH_CELLS, REACH_COARSE = 430, 6
# Cells of the score compared at once.
BLOCK_ROWS = 64


@dataclass(frozen=True)
class Roll:
    """What sounds and what begins in each cell, 0 to 1, both (cells, pitches)."""

    sounding: Shares
    onset: Shares

    def __len__(self) -> int:
        return len(self.sounding)

    def part(self, first: int, stop: int) -> "Roll":
        """Cells from ``first`` to ``stop`` in double precision."""
        return Roll(self.sounding[first:stop].astype(np.float64), self.onset[first:stop].astype(np.float64))

    def gathered(self, by: int) -> "Roll":
        """The mean of what sounds and the most of what begins in so many cells each."""
        edges = np.arange(0, len(self), by)
        count = np.diff(np.append(edges, len(self)))[:, None]
        sounding = np.add.reduceat(self.sounding.astype(np.float64), edges, axis=0) / count
        return Roll(sounding, np.maximum.reduceat(self.onset.astype(np.float64), edges, axis=0))


def likeness(written: Shares, heard: Shares) -> Values:
    """How alike what sounds is, 0 to 1, of every cell (cells, pitches) with every other, (written, heard)."""
    size = np.sqrt((written**2).sum(axis=1)[:, None] * (heard**2).sum(axis=1)[None])
    return np.asarray(written @ heard.T / np.maximum(size, 1e-3))


def warp(written: Roll, heard: Roll, sounds: tuple[int, int], progress: Progress = no_progress) -> NDArray[np.int64]:
    """The cheapest way through: the first cell of the recording of each cell of the score, (score cells,).

    It may begin and end anywhere, but what sounds before and after belongs to the score unless it is long: then it is
    something else.

    Args:
        written: the score.
        heard: the recording.
        sounds: the first and the last cell of the recording in which anything sounds.
        progress: told the share done; may raise ``Stopped``.
    """
    by = -(-max(len(written), len(heard)) // MOST_WHOLE)
    everywhere = np.zeros(len(written), np.int64), np.full(len(written), len(heard))
    if by == 1:
        return _through(written, heard, *everywhere, sounds, LEFT_CELLS, progress)
    few = written.gathered(by), heard.gathered(by)
    shape = np.zeros(len(few[0]), np.int64), np.full(len(few[0]), len(few[1]))
    ends = sounds[0] // by, sounds[1] // by
    coarse = _through(*few, *shape, ends, LEFT_CELLS // by, lambda share: progress(0.5 * share))
    middle = by * np.arange(len(coarse)) + (by - 1) / 2
    near = np.interp(np.arange(len(written)), middle, by * coarse).astype(np.int64)
    reach = max(REACH_CELLS, REACH_COARSE * by)
    low = np.maximum(near - reach, 0)
    # Where the score stands still it must get to where the next cell of it is looked for.
    high = np.minimum(np.append(near[1:], near[-1]) + reach + LEFT_CELLS, len(heard))
    return _through(written, heard, low, high, sounds, LEFT_CELLS, lambda share: progress(0.5 + 0.5 * share))


def _through(
    written: Roll,
    heard: Roll,
    low: NDArray[np.int64],
    high: NDArray[np.int64],
    sounds: tuple[int, int],
    left_cells: int,
    progress: Progress,
) -> NDArray[np.int64]:
    """The cheapest way of which each cell of the score lies from ``low`` to before ``high`` in the recording."""
    begins = np.concatenate([[0], np.cumsum(high - low)]).tolist()
    came = np.zeros(begins[-1], np.int8)
    firsts, stops = low.tolist(), high.tolist()
    total, before, shares = np.zeros(0), (0, 0), (0, 0, heard)
    for first in range(0, len(written), BLOCK_ROWS):
        last = min(first + BLOCK_ROWS, len(written))
        left, right = min(firsts[first:last]), max(stops[first:last])
        if shares[:2] != (left, right):
            shares = (left, right, heard.part(left, right))
        cost = 1.0 - _agreeing(written.part(first, last), shares[2])
        for row in range(first, last):
            span = firsts[row], stops[row]
            own = cost[row - first, span[0] - left : span[1] - left]
            if row:
                straight, over = _moved(total, before, span, 1), _moved(total, before, span, 0) + STANDING_COST
                entered = np.minimum(straight, over) + own
                step = np.where(straight <= over, 1, 2).astype(np.int8)
            else:
                left_before = np.clip(np.arange(*span) - sounds[0], 0, left_cells)
                entered, step = own + BEFORE_COST * left_before, np.ones(len(own), np.int8)
            total, stood = _stand(entered, own)
            came[begins[row] : begins[row + 1]] = np.where(stood, step, 0)
            before = span
        progress(last / len(written))
    left_after = np.clip(sounds[1] - np.arange(*before), 0, left_cells)
    return _traced(came, begins, firsts, before[0] + int((total + AFTER_COST * left_after).argmin()))


def _agreeing(written: Roll, heard: Roll) -> Values:
    """How well what sounds and what begins agree, (score cells, cells)."""
    begins = written.onset @ heard.onset.T / np.maximum(written.onset.sum(axis=1), 1.0)[:, None]
    # An onset that is heard where none is written, and the reverse, speaks against.
    loud, loudest = written.onset.max(axis=1)[:, None], heard.onset.max(axis=1)[None]
    against = 0.5 * np.abs(loud - loudest) * np.maximum(loud, loudest)
    return np.asarray(likeness(written.sounding, heard.sounding) + ONSET_WEIGHT * (begins - against))


def _moved(total: Values, before: tuple[int, int], span: tuple[int, int], by: int) -> Values:
    """Totals of the cells of one span for those ``by`` later of another; what was not reached costs endlessly."""
    found = np.full(span[1] - span[0], np.inf)
    first, stop = max(span[0], before[0] + by), min(span[1], before[1] + by)
    if stop > first:
        found[first - span[0] : stop - span[0]] = total[first - by - before[0] : stop - by - before[0]]
    return found


def _stand(entered: Values, cost: Values) -> tuple[Values, NDArray[np.bool_]]:
    """Cheapest total of each cell when the score may stand still, and where it was entered instead."""
    summed = np.cumsum(cost + STANDING_COST)
    # total[j] = min over i <= j of entered[i] + summed[j] - summed[i]
    ahead = entered - summed
    best = np.minimum.accumulate(ahead)
    return best + summed, ahead <= best


def _traced(came: NDArray[np.int8], begins: list[int], firsts: list[int], column: int) -> NDArray[np.int64]:
    """The way back from the column where it ends: ``came`` tells whether each cell stood (0) or came (1, 2)."""
    path = np.zeros(len(firsts), np.int64)
    for row in range(len(firsts) - 1, -1, -1):
        own = came[begins[row] : begins[row + 1]]
        entered = np.flatnonzero(own[: column - firsts[row] + 1])
        column = firsts[row] + (int(entered[-1]) if len(entered) else 0)
        path[row] = column
        column -= int(row > 0 and own[column - firsts[row]] == 1 and column > 0)
    return path
