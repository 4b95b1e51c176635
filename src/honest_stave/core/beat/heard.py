"""What the networks for beats hear: beginnings by register and drum, changes of harmony, chroma.

It is made of what the ears for notes and for hits say, so that an instrument never met is heard
through them, and of plain rises in level, which soft attacks still have.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits import hearing as hits_hearing
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, FRAMES_PER_CELL, LOWEST_PITCH, Activity
from honest_stave.core.pitch.bands import Bands

Floats = NDArray[np.float32]

# Registers of beginnings, and of rises in level.
ZONES = 8
MOST_IN_ZONE = 1.5
RISE_UNIT_DB = 12.0
# Chords are compared over so much before and after a moment.
CHORD_SPANS_S = (0.35, 0.9)
BASS_ROWS = 34
COLUMNS = 2 * ZONES + 7 + 3 + 1
# After beginnings and rises by register.
HIT_COLUMN = 2 * ZONES
# The same with either kind of register gathered to three.
GATHERED = COLUMNS - 2 * ZONES + 2 * 3
CHROMA = 24
# A note begins where its onset is likelier than this and than around it, and sounds while that is so likely.
LEAST_ONSET, LEAST_SOUNDING = 0.25, 0.3
# An attack takes some cells until its pitch sounds.
SPEAKING_CELLS = 3
NOTE_VALUES = 5


@dataclass(frozen=True)
class Heard:
    """By cell of 23 ms.

    Args:
        columns: (cells, ``COLUMNS``): beginnings by register, rises by register, any hit and six
            drums, three changes of harmony, how much sounds.
        chroma: pitch classes of all that sounds and of the bass, (cells, 24).
        notes: what begins, (notes, ``NOTE_VALUES``), by time: cell, pitch, cells it sounds, how sure
            and how hard, both 0 to 1.
    """

    columns: Floats
    chroma: Floats
    notes: Floats

    @cached_property
    def gathered(self) -> Floats:
        """The columns gathered to bass, middle and top, drums and harmony as they are."""
        gathered = [
            group.sum(axis=1)
            for block in (self.columns[:, :ZONES], self.columns[:, ZONES : 2 * ZONES] / 2)
            for group in (block[:, :3], block[:, 3:5], block[:, 5:])
        ]
        return np.concatenate([np.stack(gathered, axis=1), self.columns[:, 2 * ZONES :]], axis=1)

    @cached_property
    def begun(self) -> Floats:
        """How likely something begins, a note or a stroke on a drum, (cells,), from 0."""
        return np.asarray(np.maximum(self.columns[:, :ZONES].sum(axis=1), self.columns[:, HIT_COLUMN]))

    @cached_property
    def chroma_until(self) -> NDArray[np.float64]:
        """The chroma summed up to each cell, (cells + 1, 24)."""
        return np.concatenate([np.zeros((1, CHROMA)), np.cumsum(self.chroma, axis=0, dtype=np.float64)])


def measure_heard(notes: Activity, hits: hits_hearing.Activity, bands: Bands) -> Heard:
    """What is heard of a recording, from both ears and the levels of its bands."""
    cells = len(notes.onset)
    onset = np.maximum(notes.onset.astype(np.float32) - 0.05, 0)
    sounding = notes.sounding.astype(np.float32)
    begins = np.stack([part.sum(axis=1) for part in np.array_split(onset, ZONES, axis=1)], axis=1)
    drums = _on_cells(np.concatenate([hits.any[:, None], hits.drum], axis=1), cells)
    classes = (np.arange(sounding.shape[1]) + LOWEST_PITCH) % 12
    turn = np.eye(12, dtype=np.float32)[classes]
    chroma = np.concatenate([sounding @ turn, sounding[:, :BASS_ROWS] @ turn[:BASS_ROWS]], axis=1)
    changes = [_change(chroma[:, :12], span) for span in CHORD_SPANS_S]
    changes.append(_change(chroma[:, 12:], CHORD_SPANS_S[0]))
    loudness = np.sqrt(sounding.sum(axis=1)) / 3
    columns = [
        np.minimum(begins, MOST_IN_ZONE),
        _rises(bands, cells),
        drums,
        np.stack(changes, axis=1),
        loudness[:, None],
    ]
    return Heard(np.concatenate(columns, axis=1).astype(np.float32), chroma, notes_begun(notes))


def notes_begun(said: Activity) -> Floats:
    """Where onsets are likeliest, and how long their pitch sounds until it ends or is struck again.

    Returns:
        (notes, ``NOTE_VALUES``) as in ``Heard``, by time.
    """
    onset = said.onset.astype(np.float32)
    edged = np.pad(onset, [(1, 1), (0, 0)])
    begins = (onset > LEAST_ONSET) & (onset >= edged[:-2]) & (onset > edged[2:])
    cells = np.arange(len(onset), dtype=np.int32)[:, None]
    # The first cell from each on that is silent, or struck again.
    silent = np.minimum.accumulate(np.where(said.sounding < LEAST_SOUNDING, cells, np.int32(len(onset)))[::-1])[::-1]
    struck = np.minimum.accumulate(np.where(begins, cells, np.int32(len(onset)))[::-1])[::-1]
    cell, row = np.nonzero(begins)
    last = len(onset) - 1
    until = np.minimum(silent[np.minimum(cell + SPEAKING_CELLS, last), row], struck[np.minimum(cell + 1, last), row])
    values = (cell, row + LOWEST_PITCH, np.maximum(until - cell, 1), onset[cell, row], said.velocity[cell, row])
    return np.stack(values, axis=1).astype(np.float32)


def _on_cells(frames: Floats, cells: int) -> Floats:
    """The highest value of the frames in each cell, (cells, columns)."""
    place = np.round((np.arange(len(frames)) * hits_hearing.HOP_S - FIRST_CELL_S) / CELL_S).astype(int)
    found = np.zeros((cells, frames.shape[1]), np.float32)
    inside = (place >= 0) & (place < cells)
    np.maximum.at(found, place[inside], frames[inside])
    return found


def _rises(bands: Bands, cells: int) -> Floats:
    """How much the level rises within two frames, by register, (cells, ``ZONES``)."""
    level = bands.short_db.astype(np.float32)
    level = np.maximum(level, level.max(initial=-110.0) - 60.0)
    rise = np.zeros_like(level)
    rise[2:] = np.maximum(level[2:] - level[:-2], 0)
    zones = np.stack([part.mean(axis=1) for part in np.array_split(rise, ZONES, axis=1)], axis=1) / RISE_UNIT_DB
    return np.asarray(
        np.minimum(zones[: cells * FRAMES_PER_CELL].reshape(cells, FRAMES_PER_CELL, ZONES).max(axis=1), 2.0)
    )


def _change(chroma: Floats, span_s: float) -> Floats:
    """One less the likeness of what sounds before and after each cell, (cells,)."""
    cells, reach = len(chroma), round(span_s / CELL_S)
    summed = np.concatenate([np.zeros((1, chroma.shape[1])), np.cumsum(chroma, axis=0, dtype=np.float64)])
    place = np.arange(cells)
    before = summed[place] - summed[np.maximum(place - reach, 0)]
    after = summed[np.minimum(place + reach, cells)] - summed[place]
    size = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    alike = (before * after).sum(axis=1) / np.maximum(size, 1e-6)
    return np.where(size > 1e-3, 1 - alike, 0.0).astype(np.float32)
