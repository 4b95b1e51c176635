"""Loops made by seed as sound and truth, kept by recipe: every new first network hears the same ones."""

from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from training.hit_clips import HitClip, make_clip
from training.one_shots import trained_kits
from training.unfamiliar_kits import tuning_kits

# Raise whenever loops of a seed come out otherwise.
RECIPE = 8
LOOP_S = (4.0, 11.0)
# Of the loops of trained kits so many have every drum from another kit.
MIXED_SHARE = 0.7
# In so many every drum is changed in colour: the first network shall not know it as well as its own kits.
COLOURED_SHARE = 0.6
# Loops of these seeds have one drum, or few: stems, and samples cut out.
SPARSE_SEEDS = range(80_000, 90_000)
# Loops kept in one file: what is lost by an interruption.
TOGETHER = 50
# The recording is divided by its peak before anything is heard: 16 bits hold it.
LOUDEST = 32767


def _make(cache: Path, first: int, tuning: bool) -> Path:
    path = cache / f"loops-{RECIPE}-{'tuning' if tuning else 'train'}-{first:05d}.npz"
    if path.exists():
        return path
    kits = tuning_kits() if tuning else trained_kits()
    parts = {}
    for place in range(TOGETHER):
        random = np.random.default_rng([13, first + place])
        length_s, mixed = float(random.uniform(*LOOP_S)), not tuning and random.random() < MIXED_SHARE
        coloured = not tuning and random.random() < COLOURED_SHARE
        sparse = first + place in SPARSE_SEEDS
        clip = make_clip(
            first + place, kits, tuning=tuning, mixed=mixed, coloured=coloured, sparse=sparse, length_s=length_s
        )
        loudest = max(float(np.abs(clip.sound).max(initial=0.0)), 1e-6)
        parts[f"{place}-sound"] = np.round(clip.sound * (LOUDEST / loudest)).astype(np.int16)
        parts[f"{place}-hits"] = clip.hits
    part = path.with_suffix(".part.npz")
    np.savez(part, allow_pickle=False, **parts)
    part.rename(path)
    return path


def made_loops(cache: Path, first: int, count: int, *, tuning: bool = False, workers: int = 1) -> list[Path]:
    """Files of loops from seed ``first`` on, made where they are not there yet.

    Args:
        cache: folder of the material.
        first: seed.
        count: of loops, whole files.
        tuning: of kits in no training.
        workers: processes.
    """
    starts = range(first, first + count, TOGETHER)
    with ProcessPoolExecutor(workers) as pool:
        return list(pool.map(_make, [cache] * len(starts), starts, [tuning] * len(starts)))


def loops_in(path: Path) -> list[HitClip]:
    """The loops of a file."""
    with np.load(path) as kept:
        return [
            HitClip(kept[f"{place}-sound"].astype(np.float32) / LOUDEST, kept[f"{place}-hits"])
            for place in range(TOGETHER)
        ]
