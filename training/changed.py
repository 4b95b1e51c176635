"""A clip changed on its bands: as another instrument, in another room, with drums or noise beside it."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from training.material import LOWEST_DB, STEP_DB, Heard, as_bytes
from training.note_batches import add_levels, coloured, moved

ACCOMPANIED_DB = (-15.0, -3.0)
MOST_STEPS, SEMITONES_APART = 4, 0.35
# Ripples over the spectrum, as the body of another instrument gives: how many, how high in dB, how dense an octave.
RIPPLES, RIPPLE_DB, RIPPLE_DENSITY = 2, 4.0, (0.5, 6.0)


def levels_of(view: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Levels in dB of a view that is kept in bytes."""
    return np.asarray(LOWEST_DB + STEP_DB * view.astype(np.float32))


def changed(clip: Heard, beside: Heard | None, random: np.random.Generator) -> Heard:
    """The clip moved by some semitones and a fraction, coloured, and softer ``beside`` it what is given."""
    long, short = levels_of(clip.long), levels_of(clip.short)
    steps = int(random.integers(-MOST_STEPS, MOST_STEPS + 1))
    fraction = float(np.clip(random.normal(0, SEMITONES_APART), -0.9, 0.9))
    long, short = moved(long, 3 * steps + fraction), moved(short, steps + fraction / 3)
    notes = clip.notes + np.array([0.0, 0.0, 0.0, steps, 0.0])
    if beside is not None:
        frames, gain_db = min(len(long), len(beside.long)), float(random.uniform(*ACCOMPANIED_DB))
        long[:frames] = add_levels(long[:frames], levels_of(beside.long[:frames]) + gain_db)
        short[:frames] = add_levels(short[:frames], levels_of(beside.short[:frames]) + gain_db)
    octaves = np.linspace(0, 8.7, long.shape[1], dtype=np.float32)
    for _ in range(RIPPLES):
        height_db, density, phase = random.uniform((0, RIPPLE_DENSITY[0], 0), (RIPPLE_DB, RIPPLE_DENSITY[1], 6.28))
        body = (height_db * np.sin(density * octaves + phase)).astype(np.float32)
        long, short = long + body, short + body[1::3]
    long, short = coloured(long, short, random)
    # A byte holds no more than this.
    over_db = max(float(long.max()), float(short.max())) - (LOWEST_DB + 255 * STEP_DB)
    long, short = long - max(over_db, 0.0), short - max(over_db, 0.0)
    return replace(clip, long=as_bytes(long), short=as_bytes(short), notes=notes)
