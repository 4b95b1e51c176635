"""Running the network for notes over a recording, in stretches that overlap enough not to matter."""

import numpy as np

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.networks.opening import open_network
from honest_stave.core.pitch.activity import FRAMES_PER_CELL, PITCHES, Activity
from honest_stave.core.pitch.bands import HOP_SAMPLES, LONG_BANDS, SEMITONES, Bands, measure_bands
from honest_stave.core.pitch.scaling import scaled
from honest_stave.core.signal.listen import Mono

# Cells heard at once: bounds the memory of an hour.
STRETCH_CELLS = 1024
# What the network sees to either side of a cell (45), up to the next multiple of its slowest step (4).
CONTEXT_CELLS = 48
STEP_CELLS = 4
BLOCK_FRAMES = 256
TUNING_STEP_CENTS = 5


def measure_all(signal: Mono, tuning_cents: float = 0.0, progress: Progress = no_progress) -> Bands:
    """Bands of the whole signal in half precision: 260 MB an hour.

    Args:
        signal: mono at ``ANALYSIS_RATE``.
        tuning_cents: where the semitones lie; whole steps are taken, so that parts of a take agree.
        progress: told the share done; may raise ``Stopped``.
    """
    tuning_cents = TUNING_STEP_CENTS * round(tuning_cents / TUNING_STEP_CENTS)
    frames = FRAMES_PER_CELL * cells_of(signal)
    long = np.empty((frames, LONG_BANDS), np.float16)
    short = np.empty((frames, SEMITONES), np.float16)
    for first in range(0, frames, BLOCK_FRAMES):
        stop = min(first + BLOCK_FRAMES, frames)
        bands = measure_bands(signal, first, stop - first, tuning_cents)
        long[first:stop], short[first:stop] = bands.long_db, bands.short_db
        progress((first + 1) / frames)
    return Bands(long, short)


def cells_of(signal: Mono) -> int:
    """Cells of a signal, whole steps of the network."""
    frames = len(signal) // HOP_SAMPLES + 1
    return STEP_CELLS * -(-frames // (FRAMES_PER_CELL * STEP_CELLS))


def hear(bands: Bands, progress: Progress = no_progress, network: str = "notes") -> Activity:
    """What the network says of a recording.

    Args:
        bands: of the whole recording, as from ``measure_all``.
        progress: told the share done; may raise ``Stopped``.
        network: which hears: what others learnt from keeps its ears.

    Raises:
        BadInput: the network is missing or damaged.
    """
    ears = open_network(network)
    cells = len(bands.long_db) // FRAMES_PER_CELL
    shares = np.empty((4, cells, PITCHES), np.float16)
    for first in range(0, cells, STRETCH_CELLS):
        stop = min(first + STRETCH_CELLS, cells)
        views = {
            name: _stretch(view, first - CONTEXT_CELLS, stop + CONTEXT_CELLS, bands.reference_db)
            for name, view in (("long", bands.long_db), ("short", bands.short_db))
        }
        heard = ears.run(None, views)[0][0]
        shares[:, first:stop] = heard[:, CONTEXT_CELLS : CONTEXT_CELLS + stop - first]
        progress(stop / cells)
    return Activity(*shares)


def _stretch(view: np.ndarray, first_cell: int, stop_cell: int, reference_db: float) -> np.ndarray:
    first, stop = first_cell * FRAMES_PER_CELL, stop_cell * FRAMES_PER_CELL
    inside = view[max(first, 0) : max(min(stop, len(view)), 0)].astype(np.float32) - reference_db
    levels = scaled(inside)
    return np.pad(levels, ((max(-first, 0), max(stop - len(view), 0)), (0, 0)))[None]
