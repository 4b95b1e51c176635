"""What the shipped networks hear in clips, as they are and changed, kept by recipe: made once, read often."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import fields
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from training import clips as recipes
from training.changed import changed
from training.material import Heard, is_unheard, load, seed_of

# Of the changed clips so many have drums or noise beside them.
ACCOMPANIED_SHARE = 0.15
# Clips kept in one file: what is lost by an interruption.
TOGETHER = 50
T = TypeVar("T")


def clip_paths(cache: Path, tuning: bool) -> list[Path]:
    """Clips of the material, in order; of the trained ones those kept from the first network, sung and unpitched."""
    name = "tuning" if tuning else "train"
    found = sorted(p for p in cache.glob(f"notes-{recipes.RECIPE}-{name}-*.npz") if ".part" not in p.name)
    return [p for p in found if tuning or is_unheard(p) or seed_of(p) >= recipes.FIRST_SUNG_SEED]


def _clip(cache: Path, path: Path, variant: int) -> Heard:
    clip = load(path)
    if not variant:
        return clip
    unpitched = sorted(cache.glob(f"notes-{recipes.RECIPE}-train-9*.npz"))
    random = np.random.default_rng([31, variant, *path.stem.encode()])
    with_drums = random.random() < ACCOMPANIED_SHARE
    beside = load(unpitched[int(random.integers(len(unpitched)))]) if with_drums else None
    return changed(clip, beside, random)


def _make(cache: Path, name: str, paths: list[Path], variant: int, hear: Callable[[Heard], Any]) -> Path:
    kept = cache / f"{name}-{variant}-{paths[0].stem}.npz"
    if not kept.exists():
        parts: dict[str, NDArray[np.generic]] = {}
        for place, path in enumerate(paths):
            heard = hear(_clip(cache, path, variant))
            parts |= {f"{place}-{f.name}": getattr(heard, f.name) for f in fields(heard)}
        part = kept.with_suffix(".part.npz")
        np.savez_compressed(part, allow_pickle=False, **parts)
        part.rename(kept)
    return kept


def heard_in(
    cache: Path, name: str, paths: list[Path], variant: int, hear: Callable[[Heard], T], kind: type[T], workers: int
) -> list[T]:
    """What ``hear`` says of the clips of ``paths``, made where it is not there yet.

    Args:
        cache: folder of the material.
        name: with its recipe, under which it is kept.
        paths: of the clips.
        variant: 0 for the clips as they are, others for clips changed by this seed.
        hear: of a clip, arrays in a dataclass.
        kind: that dataclass.
        workers: processes.
    """
    groups = [paths[first : first + TOGETHER] for first in range(0, len(paths), TOGETHER)]
    count = len(groups)
    with ProcessPoolExecutor(workers) as pool:
        made = list(pool.map(_make, [cache] * count, [name] * count, groups, [variant] * count, [hear] * count))
    found = []
    for path, group in zip(made, groups, strict=True):
        with np.load(path) as kept:
            for place in range(len(group)):
                found.append(kind(**{f.name: kept[f"{place}-{f.name}"] for f in fields(kind)}))
    return found
