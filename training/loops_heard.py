"""What the first network for hits hears in loops made by seed, and which drums truly sound there; kept by recipe."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, fields
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.found import Found
from honest_stave.core.hits.hits_engine import find_hits
from honest_stave.core.hits.reading import DRUMS
from training.hit_clips import HitClip, make_clip
from training.one_shots import trained_kits, tuning_kits

# Raise whenever loops of a seed come out otherwise, or the first network does.
RECIPE = 5
NEAR_S = 0.025
LOOP_S = (4.0, 11.0)
# Of the loops of trained kits so many have every drum from another kit.
MIXED_SHARE = 0.7
# In so many every drum is changed in colour: the first network shall not know it as well as its own kits.
COLOURED_SHARE = 0.6
# Loops kept in one file: what is lost by an interruption.
TOGETHER = 50


@dataclass(frozen=True)
class Heard:
    """A loop's hits: what was found, true velocity of each drum (NaN where it does not sound), clear or not."""

    found: Found
    velocity: NDArray[np.float64]
    clear: NDArray[np.bool_]

    @property
    def right(self) -> NDArray[np.bool_]:
        """Which drums sound in each hit."""
        return ~np.isnan(self.velocity)


def heard(clip: HitClip) -> Heard:
    """What the shipped network hears in a loop, and what is right of it."""
    found = find_hits(clip.sound)
    velocity = np.full((len(found.time_s), len(DRUMS)), np.nan)
    clear = np.ones(len(found.time_s), bool)
    for time_s, drum, struck in clip.hits:
        near = np.flatnonzero(np.abs(found.time_s - time_s) <= NEAR_S)
        if not len(near):
            continue
        if drum < 0:
            clear[near] = False
        else:
            velocity[near[np.abs(found.time_s[near] - time_s).argmin()], int(drum)] = struck
    return Heard(found, velocity, clear)


def _make(cache: Path, first: int, tuning: bool) -> Path:
    path = cache / f"loops-{RECIPE}-{'tuning' if tuning else 'train'}-{first:05d}.npz"
    if path.exists():
        return path
    kits = tuning_kits() if tuning else trained_kits()
    parts: dict[str, NDArray[np.generic]] = {}
    for place in range(TOGETHER):
        random = np.random.default_rng([13, first + place])
        length_s, mixed = float(random.uniform(*LOOP_S)), not tuning and random.random() < MIXED_SHARE
        coloured = not tuning and random.random() < COLOURED_SHARE
        made = heard(make_clip(first + place, kits, tuning=tuning, mixed=mixed, coloured=coloured, length_s=length_s))
        parts |= {f"{place}-{f.name}": getattr(made.found, f.name) for f in fields(Found)}
        parts |= {f"{place}-true": made.velocity, f"{place}-clear": made.clear}
    part = path.with_suffix(".part.npz")
    np.savez_compressed(part, allow_pickle=False, **parts)
    part.rename(path)
    return path


def loops_heard(cache: Path, first: int, count: int, *, tuning: bool = False, workers: int = 1) -> list[Heard]:
    """Loops from seed ``first`` on, made where they are not there yet."""
    starts = range(first, first + count, TOGETHER)
    with ProcessPoolExecutor(workers) as pool:
        paths = list(pool.map(_make, [cache] * len(starts), starts, [tuning] * len(starts)))
    loops = []
    for path in paths:
        with np.load(path) as kept:
            for place in range(TOGETHER):
                found = Found(**{f.name: kept[f"{place}-{f.name}"] for f in fields(Found)})
                loops.append(Heard(found, kept[f"{place}-true"], kept[f"{place}-clear"]))
    return loops
