"""What the first network for hits hears in loops made by seed, and which drums truly sound there; kept by recipe."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, fields
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.found import Found
from honest_stave.core.hits.hits_engine import find_hits
from honest_stave.core.hits.reading import DRUMS
from training.hit_clips import HitClip
from training.loops_made import TOGETHER, loops_in, made_loops

# Raise whenever the first network hears otherwise.
RECIPE = 9
NEAR_S = 0.025


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


def _hear(made: Path) -> Path:
    path = made.with_name(f"heard-{RECIPE}-{made.name}")
    if path.exists():
        return path
    parts: dict[str, NDArray[np.generic]] = {}
    for place, clip in enumerate(loops_in(made)):
        loop = heard(clip)
        parts |= {f"{place}-{f.name}": getattr(loop.found, f.name) for f in fields(Found)}
        parts |= {f"{place}-true": loop.velocity, f"{place}-clear": loop.clear}
    part = path.with_suffix(".part.npz")
    np.savez_compressed(part, allow_pickle=False, **parts)
    part.rename(path)
    return path


def loops_heard(cache: Path, first: int, count: int, *, tuning: bool = False, workers: int = 1) -> list[Heard]:
    """Loops from seed ``first`` on, made and heard where they are not yet."""
    made = made_loops(cache, first, count, tuning=tuning, workers=workers)
    with ProcessPoolExecutor(workers) as pool:
        paths = list(pool.map(_hear, made))
    loops = []
    for path in paths:
        with np.load(path) as kept:
            for place in range(TOGETHER):
                found = Found(**{f.name: kept[f"{place}-{f.name}"] for f in fields(Found)})
                loops.append(Heard(found, kept[f"{place}-true"], kept[f"{place}-clear"]))
    return loops
