"""Fits what is weighed after the networks for hits: how sure each drum is, and how hard it was struck.

    python -m training.fit_hits CACHE

Takes loops of kits that no training met: every second one is fitted on, the others say how good
the fit is.
"""

import argparse
import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.stats import spearmanr

from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import hear_drums, log_odds_of, loudness_measures
from training.fitting import RIDGE
from training.loops_heard import Heard, loops_heard
from training.train_drums import FIRST_SEED, LEAST_STROKES
from training.train_hits import TARGET

VERSION = "hits 4"
# Trained loops lend the velocities their variety.
TRAINED_LOOPS = 400
STEPS = 400
Values = NDArray[np.float64]
Said = tuple[Values, Values]


def fit_odds(loops: list[Heard], said: list[Said], drum: int) -> list[float]:
    """Slope and offset of a drum's log-odds, by Newton steps on the likelihood (Platt 1999)."""
    odds = np.concatenate([log_odds_of(s[0][h.clear, drum]) for h, s in zip(loops, said, strict=True)])
    right = np.concatenate([h.right[h.clear, drum] for h in loops]).astype(float)
    design, weights = np.column_stack([odds, np.ones(len(odds))]), np.array([1.0, 0.0])
    for _ in range(STEPS):
        sure = 1 / (1 + np.exp(-design @ weights))
        curve = (design * (sure * (1 - sure))[:, None]).T @ design + 1e-6 * np.eye(2)
        step = np.linalg.solve(curve, design.T @ (right - sure))
        weights = weights + step
        if np.abs(step).max() < 1e-8:
            break
    return np.round(weights, 4).tolist()


def fit_velocity(loops: list[Heard], said: list[Said], drum: int) -> list[float]:
    """Weights of the measures of loudness, within loops."""
    inputs, wanted = [], []
    for h, s in zip(loops, said, strict=True):
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES:
            found = loudness_measures(h.found, *s, drum)[struck]
            inputs.append(found - found.mean(axis=0))
            wanted.append(h.velocity[struck, drum] - h.velocity[struck, drum].mean())
    design = np.concatenate(inputs)
    square = design.T @ design + RIDGE * np.eye(design.shape[1])
    return np.round(np.linalg.solve(square, design.T @ np.concatenate(wanted)), 4).tolist()


def figures(loops: list[Heard], said: list[Said], drum: int, odds: list[float], weights: list[float]) -> str:
    """F1 of a drum, its calibration error, and the mean rank correlation of its velocities."""
    heard = [1 / (1 + np.exp(-(odds[0] * log_odds_of(s[0][:, drum]) + odds[1]))) for s in said]
    sure = np.concatenate([p[h.clear] for h, p in zip(loops, heard, strict=True)])
    right = np.concatenate([h.right[h.clear, drum] for h in loops])
    place = np.minimum((sure * 10).astype(int), 9)
    off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / max(len(sure), 1)
    ranks = []
    for h, s in zip(loops, said, strict=True):
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES and np.ptp(h.velocity[struck, drum]) > 0:
            loud = loudness_measures(h.found, *s, drum)[struck] @ weights
            ranks.append(spearmanr(loud, h.velocity[struck, drum]).statistic)
    f1 = 2 * int((right & (sure >= 0.5)).sum()) / max(int((sure >= 0.5).sum() + right.sum()), 1)
    return f"F1 {f1:.3f} of {int(right.sum())}, calibration {off:.3f}, velocity rank {np.nanmean(ranks):.3f}"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=300)
    options = parser.parse_args()
    unfamiliar = loops_heard(options.cache, 0, options.loops, tuning=True)
    trained = loops_heard(options.cache, FIRST_SEED, TRAINED_LOOPS)
    said, said_of_trained = ([hear_drums(h.found) for h in loops] for loops in (unfamiliar, trained))
    for drum, name in enumerate(DRUMS):
        odds = fit_odds(unfamiliar[::2], said[::2], drum)
        weights = fit_velocity([*unfamiliar[::2], *trained], [*said[::2], *said_of_trained], drum)
        print(f"{name:8} held out: {figures(unfamiliar[1::2], said[1::2], drum, odds, weights)}", flush=True)
    # The shipped weights use every loop; the figures above do not.
    drums = range(len(DRUMS))
    kept = {
        "version": VERSION,
        "odds": [fit_odds(unfamiliar, said, drum) for drum in drums],
        "velocity": [fit_velocity([*unfamiliar, *trained], [*said, *said_of_trained], drum) for drum in drums],
    }
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
