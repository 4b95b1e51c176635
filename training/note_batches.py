"""Batches for the network for notes: crops of cached clips, changed at random, with targets."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import HOP_SAMPLES, LOWEST_PITCH
from honest_stave.core.pitch.scaling import reference_level_db, scaled
from honest_stave.core.signal.listen import ANALYSIS_RATE
from training.material import LOWEST_DB, STEP_DB, Heard
from training.note_network import FRAMES_PER_CELL, PITCHES

CELL_S = FRAMES_PER_CELL * HOP_SAMPLES / ANALYSIS_RATE
# Middle of the first cell: halfway between its two frames.
FIRST_CELL_S = 0.5 * HOP_SAMPLES / ANALYSIS_RATE
CROP_CELLS = 128
# A triangle this many cells to each side lets fractions of a cell be learnt.
TRIANGLE_CELLS = 2.0
# So many crops have another added in power; so many of these are drums or noise.
ADDED_SHARE, DRUMS_SHARE = 0.2, 0.5
# So many crops are coloured once more, by what is as narrow as the body of an instrument.
BODY_SHARE = 0.5

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Batch:
    """Inputs (batch, frames, bands) and targets (batch, 4, cells, pitches)."""

    long: Floats
    short: Floats
    targets: Floats


def draw_targets(notes: NDArray[np.float64], first_cell: int, cells: int) -> Floats:
    """Onset, sounding, offset and velocity (0 to 1) for cells from ``first_cell`` on, (4, cells, 88)."""
    targets = np.zeros((4, cells, PITCHES), np.float32)
    times = FIRST_CELL_S + (first_cell + np.arange(cells)) * CELL_S
    for onset_s, _, off_s, pitch, velocity in notes:
        row = int(pitch) - LOWEST_PITCH
        if not 0 <= row < PITCHES or onset_s > times[-1] + 0.1 or off_s < times[0] - 0.1:
            continue
        rise = np.maximum(0, 1 - np.abs(times - onset_s) / (TRIANGLE_CELLS * CELL_S))
        targets[0, :, row] = np.maximum(targets[0, :, row], rise)
        targets[1, :, row] = np.maximum(targets[1, :, row], (times >= onset_s - CELL_S / 2) & (times <= off_s))
        fall = np.maximum(0, 1 - np.abs(times - off_s) / (TRIANGLE_CELLS * CELL_S))
        targets[2, :, row] = np.maximum(targets[2, :, row], fall)
        near = np.abs(times - onset_s) < 1.5 * CELL_S
        targets[3, near, row] = velocity / 127
    return targets


def _cut(clip: Heard, first_frame: int, frames: int) -> tuple[Floats, Floats]:
    long = np.full((frames, clip.long.shape[1]), LOWEST_DB, np.float32)
    short = np.full((frames, clip.short.shape[1]), LOWEST_DB, np.float32)
    stop = min(first_frame + frames, len(clip.long))
    long[: stop - first_frame] = LOWEST_DB + STEP_DB * clip.long[first_frame:stop].astype(np.float32)
    short[: stop - first_frame] = LOWEST_DB + STEP_DB * clip.short[first_frame:stop].astype(np.float32)
    return long, short


def moved(levels_db: Floats, bands: float) -> Floats:
    """Levels moved up by a fractional number of bands."""
    places = np.arange(levels_db.shape[1]) - bands
    low = np.floor(places).astype(int)
    share = (places - low).astype(np.float32)
    inside = (low >= 0) & (low + 1 < levels_db.shape[1])
    low = np.clip(low, 0, levels_db.shape[1] - 2)
    moved = levels_db[:, low] * (1 - share) + levels_db[:, low + 1] * share
    return np.where(inside, moved, np.float32(LOWEST_DB))


def add_levels(first_db: Floats, second_db: Floats) -> Floats:
    return np.asarray(10 * np.log10(10 ** (first_db / 10) + 10 ** (second_db / 10)), np.float32)


def coloured(long: Floats, short: Floats, random: np.random.Generator) -> tuple[Floats, Floats]:
    """Tilt, ripples and a noise floor over both views, as a body, a room and a desk would give."""
    octaves = np.linspace(0, 8.7, long.shape[1], dtype=np.float32)
    colour = float(random.normal(0, 2.0)) * (octaves - 4) + float(random.uniform(0, 4)) * np.sin(
        float(random.uniform(0.5, 3)) * octaves + float(random.uniform(0, 6.28))
    )
    if random.random() < BODY_SHARE:
        turns = float(random.uniform(2, 6)) * octaves + float(random.uniform(0, 6.28))
        colour = colour + float(random.uniform(0, 7)) * np.sin(turns)
    long, short = long + colour, short + colour[1::3]
    if random.random() < 0.5:
        floor = float(random.uniform(-100, -45)) + float(random.uniform(-3, 3)) * octaves
        noise = floor + random.normal(0, 3, long.shape)
        long = add_levels(long, noise.astype(np.float32))
        short = add_levels(short, (floor[1::3] + random.normal(0, 3, short.shape)).astype(np.float32))
    return long, short


def reference_of(clip: Heard) -> float:
    """The clip's own reference level in dB."""
    return reference_level_db(LOWEST_DB + STEP_DB * clip.long.astype(np.float32))


def make_example(
    clips: list[Heard], references_db: list[float], chosen: int, random: np.random.Generator
) -> tuple[Floats, Floats, Floats]:
    """One crop, changed at random: long, short and targets."""
    frames = CROP_CELLS * FRAMES_PER_CELL

    def crop(clip: Heard) -> tuple[Floats, Floats, NDArray[np.float64]]:
        last = max(1, (len(clip.long) - frames // 2) // FRAMES_PER_CELL)
        cell = int(random.integers(last))
        long, short = _cut(clip, cell * FRAMES_PER_CELL, frames)
        steps, fraction = int(random.integers(-4, 5)), float(np.clip(random.normal(0, 0.35), -0.9, 0.9))
        notes = clip.notes.copy()
        notes[:, :3] -= cell * CELL_S
        notes[:, 3] += steps
        return moved(long, 3 * steps + fraction), moved(short, steps + fraction / 3), notes

    long, short, notes = crop(clips[chosen])
    targets = draw_targets(notes, 0, CROP_CELLS)
    if random.random() < ADDED_SHARE:
        unpitched = [i for i, clip in enumerate(clips) if clip.kind in ("drums", "noise")]
        pool = unpitched if unpitched and random.random() < DRUMS_SHARE else range(len(clips))
        other_long, other_short, other_notes = crop(clips[int(random.choice(pool))])
        gain = float(random.uniform(-12, 0))
        long, short = add_levels(long, other_long + gain), add_levels(short, other_short + gain)
        targets = np.maximum(targets, draw_targets(other_notes, 0, CROP_CELLS))
    long, short = coloured(long, short, random)
    shift = float(random.normal(0, 4.0)) - references_db[chosen]
    return scaled(long + shift), scaled(short + shift), targets


def make_batch(clips: list[Heard], references_db: list[float], chosen: NDArray[np.int64], seed: int) -> Batch:
    """Crops of the chosen clips; the same seed gives the same batch."""
    random = np.random.default_rng(seed)
    examples = [make_example(clips, references_db, int(i), random) for i in chosen]
    long, short, targets = (np.stack(part) for part in zip(*examples, strict=True))
    return Batch(long, short, targets)
