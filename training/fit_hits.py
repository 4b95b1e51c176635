"""Fits how sure the engine for hits is of a drum, on loops of kits that no training met.

    python -m training.fit_hits CACHE

Every second loop is fitted on, the others say how good the fit is.
"""

import argparse
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.stats import spearmanr

from honest_stave.core.hits.found import Found
from honest_stave.core.hits.hits_engine import find_hits, hit_measures, loudness_measures
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.signal.layer import score_of
from training.fitting import RIDGE, fit_score
from training.hit_clips import HitClip, make_clip
from training.one_shots import trained_kits, tuning_kits
from training.train_hits import TARGET

VERSION = "hits 2"
NEAR_S = 0.025
# Loops of trained kits, of other seeds than were trained on; loops of unfamiliar kits count more.
FIRST_TRAINED_SEED, TRAINED_CLIPS, UNFAMILIAR_WEIGHT = 5000, 500, 3.0
# Fewer strokes of a drum than this tell nothing of its dynamics.
LEAST_STROKES = 5
Values = NDArray[np.float64]


@dataclass(frozen=True)
class Example:
    """A loop's hits: what was found, true velocity of each drum (NaN where it does not sound), clear or not."""

    found: Found
    velocity: Values
    clear: NDArray[np.bool_]

    @property
    def right(self) -> NDArray[np.bool_]:
        """Which drums sound in each hit."""
        return ~np.isnan(self.velocity)


def example(clip: HitClip) -> Example:
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
    return Example(found, velocity, clear)


def fit_drums(examples: list[Example], weight: list[float]) -> list[dict[str, object]]:
    """A layer a drum: how sure it is that the drum sounds."""
    inputs = [hit_measures(e.found)[e.clear] for e in examples]
    return [fit_score(inputs, [e.right[e.clear, d] for e in examples], weight) for d in range(len(DRUMS))]


def fit_velocity(examples: list[Example], drum: int) -> list[float]:
    """Weights of the measures of loudness, within loops."""
    inputs, wanted = [], []
    for e in examples:
        struck = e.clear & e.right[:, drum]
        if struck.sum() >= LEAST_STROKES:
            found = loudness_measures(e.found, drum)[struck]
            inputs.append(found - found.mean(axis=0))
            wanted.append(e.velocity[struck, drum] - e.velocity[struck, drum].mean())
    design = np.concatenate(inputs)
    square = design.T @ design + RIDGE * np.eye(design.shape[1])
    return np.round(np.linalg.solve(square, design.T @ np.concatenate(wanted)), 4).tolist()  # type: ignore[no-any-return]


def figures(examples: list[Example], drum: int, layer: dict[str, object], weights: list[float]) -> str:
    """F1 of a drum, its calibration error, and the mean rank correlation of its velocities."""
    said = np.concatenate([1 / (1 + np.exp(-score_of(hit_measures(e.found)[e.clear], layer))) for e in examples])
    right = np.concatenate([e.right[e.clear, drum] for e in examples])
    both = int((said >= 0.5).sum() + right.sum())
    place = np.minimum((said * 10).astype(int), 9)
    off = sum(abs(said[place == k].sum() - right[place == k].sum()) for k in range(10)) / max(len(said), 1)
    ranks = []
    for e in examples:
        struck = e.clear & e.right[:, drum]
        if struck.sum() >= LEAST_STROKES and np.ptp(e.velocity[struck, drum]) > 0:
            said_loud = loudness_measures(e.found, drum)[struck] @ weights
            ranks.append(spearmanr(said_loud, e.velocity[struck, drum]).statistic)
    f1 = 2 * int((right & (said >= 0.5)).sum()) / max(both, 1)
    return f"F1 {f1:.3f} of {int(right.sum())}, calibration {off:.3f}, velocity rank {np.nanmean(ranks):.3f}"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=220)
    options = parser.parse_args()
    kits = tuning_kits()
    unfamiliar = [example(make_clip(seed, kits, tuning=True)) for seed in range(options.clips)]
    kits = trained_kits()
    seeds = range(FIRST_TRAINED_SEED, FIRST_TRAINED_SEED + TRAINED_CLIPS)
    trained = [example(make_clip(seed, kits)) for seed in seeds]
    weight = [UNFAMILIAR_WEIGHT] * len(unfamiliar) + [1.0] * len(trained)
    half = weight[::2][: len(unfamiliar[::2])] + [1.0] * len(trained)
    layers = fit_drums([*unfamiliar[::2], *trained], half)
    for drum, name in enumerate(DRUMS):
        weights = fit_velocity([*unfamiliar[::2], *trained], drum)
        print(f"{name:8} held out: {figures(unfamiliar[1::2], drum, layers[drum], weights)}", flush=True)
    # The shipped weights use every loop; the figures above do not.
    kept = {
        "version": VERSION,
        "drums": fit_drums([*unfamiliar, *trained], weight),
        "velocity": [fit_velocity([*unfamiliar, *trained], drum) for drum in range(len(DRUMS))],
    }
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
