"""What the shipped network for notes hears in clips, as they are and changed, and which strikes are true; kept."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, fields, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.hearing import STEP_CELLS, hear
from honest_stave.core.pitch.passages import passage_of
from honest_stave.core.pitch.strikes import Strikes, find_strikes
from honest_stave.core.pitch.weighing import strike_inputs
from training import clips as recipes
from training.material import LOWEST_DB, STEP_DB, as_bytes, load
from training.material import Heard as Clip
from training.note_batches import add_levels, coloured, moved
from training.note_network import FRAMES_PER_CELL

# Raise whenever what is heard in a clip comes out otherwise.
RECIPE = 1
# A strike this near to a note's onset may be that note; one this near tells how far off it is.
NEAR_S, TELLING_S = 0.07, 0.12
# Of the changed clips so many have drums or noise beside them, by this much softer.
ACCOMPANIED_SHARE, ACCOMPANIED_DB = 0.15, (-15.0, -3.0)
MOST_STEPS, SEMITONES_APART = 4, 0.35
# Ripples over the spectrum, as the body of another instrument gives: how many, how high in dB, how dense an octave.
RIPPLES, RIPPLE_DB, RIPPLE_DENSITY = 2, 4.0, (0.5, 6.0)
# Clips kept in one file: what is lost by an interruption.
TOGETHER = 50


@dataclass(frozen=True)
class StrikesHeard:
    """The strikes of a clip, all (strikes, ...).

    Args:
        inputs: as from ``strike_inputs``.
        onset_s, pitch, passage: of each.
        right: whether it is a note.
        shift_s: how much later the nearest true onset of its pitch is; NaN where there is none.
        velocity: the note's, 0 to 1; NaN where it is none.
        one_voice: whether the clip is to be read as one voice, (1,).
    """

    inputs: NDArray[np.float16]
    onset_s: NDArray[np.float32]
    pitch: NDArray[np.int64]
    passage: NDArray[np.int64]
    right: NDArray[np.bool_]
    shift_s: NDArray[np.float32]
    velocity: NDArray[np.float32]
    one_voice: NDArray[np.bool_]


def bands_of(clip: Clip) -> Bands:
    """The clip's bands, whole steps of the network."""
    frames = len(clip.long) // (STEP_CELLS * FRAMES_PER_CELL) * STEP_CELLS * FRAMES_PER_CELL
    return Bands(*(_levels(view[:frames]).astype(np.float16) for view in (clip.long, clip.short)))


def note_of(
    strikes: Strikes, notes: NDArray[np.float64], likely: NDArray[np.float64], near_s: float = 0.05
) -> NDArray[np.int64]:
    """True note of the likeliest strike near it, -1 for strikes that are none, (strikes,)."""
    found = np.full(len(strikes), -1)
    for index, (onset_s, _, _, pitch, _) in enumerate(notes):
        near = np.flatnonzero((strikes.pitch == pitch) & (np.abs(strikes.onset_s - onset_s) <= near_s) & (found < 0))
        if len(near):
            found[near[likely[near].argmax()]] = index
    return found


def shift_of(strikes: Strikes, notes: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much later (s) the nearest true onset of each strike's pitch is, NaN where none is near, (strikes,)."""
    found = np.full(len(strikes), np.inf)
    for onset_s, _, _, pitch, _ in notes:
        away = np.where(strikes.pitch == pitch, onset_s - strikes.onset_s, np.inf)
        found = np.where(np.abs(away) < np.abs(found), away, found)
    return np.where(np.abs(found) <= TELLING_S, found, np.nan)


def strikes_heard(clip: Clip) -> StrikesHeard:
    """What the shipped network hears in a clip."""
    bands = bands_of(clip)
    activity = hear(bands)
    strikes = find_strikes(activity)
    note = note_of(strikes, clip.notes, strikes.onset, NEAR_S)
    velocity = np.append(clip.notes[:, 4], np.nan)[note] / 127
    return StrikesHeard(
        inputs=strike_inputs(strikes, activity, bands).astype(np.float16),
        onset_s=strikes.onset_s.astype(np.float32),
        pitch=strikes.pitch,
        passage=passage_of(strikes.cell, activity),
        right=note >= 0,
        shift_s=shift_of(strikes, clip.notes).astype(np.float32),
        velocity=velocity.astype(np.float32),
        one_voice=np.array([clip.kind not in recipes.MANY_KINDS]),
    )


def _levels(view: NDArray[np.uint8]) -> NDArray[np.float32]:
    return np.asarray(LOWEST_DB + STEP_DB * view.astype(np.float32))


def changed(clip: Clip, beside: Clip | None, random: np.random.Generator) -> Clip:
    """A clip as another instrument in another room: moved, coloured, with drums or noise beside it."""
    long, short = _levels(clip.long), _levels(clip.short)
    steps = int(random.integers(-MOST_STEPS, MOST_STEPS + 1))
    fraction = float(np.clip(random.normal(0, SEMITONES_APART), -0.9, 0.9))
    long, short = moved(long, 3 * steps + fraction), moved(short, steps + fraction / 3)
    notes = clip.notes + np.array([0.0, 0.0, 0.0, steps, 0.0])
    if beside is not None:
        frames, gain_db = min(len(long), len(beside.long)), float(random.uniform(*ACCOMPANIED_DB))
        long[:frames] = add_levels(long[:frames], _levels(beside.long[:frames]) + gain_db)
        short[:frames] = add_levels(short[:frames], _levels(beside.short[:frames]) + gain_db)
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


def _make(cache: Path, paths: list[Path], variant: int) -> Path:
    kept = cache / f"strikes-{RECIPE}-{variant}-{paths[0].stem}.npz"
    if kept.exists():
        return kept
    unpitched = sorted(cache.glob(f"notes-{recipes.RECIPE}-train-9*.npz"))
    parts: dict[str, NDArray[np.generic]] = {}
    for place, path in enumerate(paths):
        clip = load(path)
        if variant:
            random = np.random.default_rng([31, variant, *path.stem.encode()])
            with_drums = random.random() < ACCOMPANIED_SHARE
            beside = load(unpitched[int(random.integers(len(unpitched)))]) if with_drums else None
            clip = changed(clip, beside, random)
        heard = strikes_heard(clip)
        parts |= {f"{place}-{f.name}": getattr(heard, f.name) for f in fields(StrikesHeard)}
    part = kept.with_suffix(".part.npz")
    np.savez_compressed(part, allow_pickle=False, **parts)
    part.rename(kept)
    return kept


def all_strikes_heard(cache: Path, paths: list[Path], variant: int, workers: int = 1) -> list[StrikesHeard]:
    """What is heard in the clips of ``paths``, made where it is not there yet.

    Args:
        cache: folder of the material.
        paths: of the clips, as ``training.material`` keeps them.
        variant: 0 for the clips as they are, others for clips changed by this seed.
        workers: processes.
    """
    groups = [paths[first : first + TOGETHER] for first in range(0, len(paths), TOGETHER)]
    with ProcessPoolExecutor(workers) as pool:
        made = list(pool.map(_make, [cache] * len(groups), groups, [variant] * len(groups)))
    heard = []
    for path, group in zip(made, groups, strict=True):
        with np.load(path) as kept:
            for place in range(len(group)):
                heard.append(StrikesHeard(**{f.name: kept[f"{place}-{f.name}"] for f in fields(StrikesHeard)}))
    return heard
