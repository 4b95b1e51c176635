"""How strongly something begins at every moment, from what the ears for notes and for hits hear."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits import hearing as hits_hearing
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, Activity

Values = NDArray[np.float64]

# Pitches under this carry the bass.
BASS_BELOW = 55
# Chords are compared over this much before and after a moment.
CHORD_S = 0.35
# Notes struck together add up, but the fourth less than the first.
CROWDED = 0.5


@dataclass(frozen=True)
class Strength:
    """Strengths by cell of 23 ms, (cells,), and what tells where bars begin.

    Args:
        all: notes and hits together, about 1 for a clear beat.
        bass: bass notes that begin.
        chord: how far the pitches that sound change, 0 to 1.
        kick, snare, cymbal: hits of these drums.
    """

    all: Values
    bass: Values
    chord: Values
    kick: Values
    snare: Values
    cymbal: Values


def measure_strength(notes: Activity, hits: hits_hearing.Activity) -> Strength:
    """Strengths from both networks' activities, on the cells of the notes'."""
    cells = len(notes.onset)
    onset = np.maximum(notes.onset.astype(np.float64) - 0.1, 0)
    bass_rows = BASS_BELOW - LOWEST_PITCH
    drum = {name: _on_cells(hits.drum[:, DRUMS.index(name)], cells) for name in ("kick", "snare", "cymbal")}
    any_hit = _on_cells(hits.any, cells)
    drums_heard = np.maximum.reduce(list(drum.values()))
    struck = np.maximum(any_hit * 0.5, drums_heard)
    many = onset.sum(axis=1) ** CROWDED
    return Strength(
        all=many / max(float(np.quantile(many, 0.98)), 1e-3) + struck * _share_of_drums(hits),
        bass=np.minimum(onset[:, :bass_rows].sum(axis=1), 1.0),
        chord=_chord_change(notes),
        **drum,
    )


def _share_of_drums(hits: hits_hearing.Activity) -> float:
    """How much of a drummer there is, 0 to 1: kicks and snares that are clearly heard."""
    clear = np.quantile(np.maximum(hits.drum[:, 0], hits.drum[:, 1]), 0.985)
    return float(np.clip((clear - 0.3) / 0.4, 0.0, 1.0))


def _on_cells(frames: NDArray[np.float32], cells: int) -> Values:
    """The highest value of the frames in each cell."""
    place = np.round((np.arange(len(frames)) * hits_hearing.HOP_S - FIRST_CELL_S) / CELL_S).astype(int)
    found = np.zeros(cells)
    inside = (place >= 0) & (place < cells)
    np.maximum.at(found, place[inside], frames[inside])
    return found


def _chord_change(notes: Activity) -> Values:
    """One less the likeness of the pitch classes before and after each cell, (cells,)."""
    cells, reach = len(notes.sounding), round(CHORD_S / CELL_S)
    classes = np.zeros((cells, 12))
    sounding = notes.sounding.astype(np.float64)
    for row in range(sounding.shape[1]):
        classes[:, (row + LOWEST_PITCH) % 12] += sounding[:, row]
    summed = np.concatenate([np.zeros((1, 12)), np.cumsum(classes, axis=0)])
    place = np.arange(cells)
    before = summed[place] - summed[np.maximum(place - reach, 0)]
    after = summed[np.minimum(place + reach, cells)] - summed[place]
    size = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    alike = (before * after).sum(axis=1) / np.maximum(size, 1e-6)
    return np.where(size > 1e-3, 1 - alike, 0.0)
