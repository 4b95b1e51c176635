"""Fits what is weighed after the networks for hits: how sure each drum is, and how hard it was struck.

    python -m training.fit_hits CACHE

Takes loops of kits that no training met: every second one is fitted on, the others say how good
the fit is.
"""

import argparse
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.stats import spearmanr

from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import (
    FEWEST_HITS,
    DrumsHeard,
    hear_drums,
    lane_measures,
    lanes_there,
    log_odds_of,
    loudness_measures,
    powers_apart,
    surely,
)
from training.fitting import RIDGE, fit_logistic
from training.loops_heard import Heard, loops_heard
from training.train_drums import FIRST_SEED, LEAST_STROKES
from training.train_hits import TARGET

VERSION = "hits 14"
# Trained loops lend the velocities their variety.
TRAINED_LOOPS = 800
Values = NDArray[np.float64]
Truth = NDArray[np.bool_]
Loop = tuple[Heard, DrumsHeard]


@dataclass(frozen=True)
class Fitted:
    """What is weighed after the networks.

    Args:
        odds: slope of the log-odds of every drum.
        struck: slope and offset of being struck at all, (2,).
        there: weights that say whether a loop has a drum at all, (measures + 1,).
        velocity: weights of the measures of loudness, (drums, measures).
    """

    odds: float
    struck: Values
    there: Values
    velocity: Values


def fit_odds(share: Values, right: Truth) -> Values:
    """Slope and offset of log-odds (Platt 1999)."""
    odds = log_odds_of(share)
    weights = fit_logistic(np.column_stack([odds, np.ones(len(odds))]), right, np.array([1.0, 0.0]))
    return np.round(weights, 4)


def fit_slope(share: Values, right: Truth) -> float:
    """One slope of the log-odds of all drums: few kits tell how bold networks are, not how often drums sound.

    An offset for each drum told how these kits differ from others: F1 of shakers and hand drums
    on eleven other kits was .55 with them, of toms .80; without them .79 and .87.
    """
    return round(float(fit_logistic(log_odds_of(share).reshape(-1, 1), right.ravel(), np.ones(1))[0]), 4)


def fit_lanes(loops: list[Loop], odds: float) -> Values:
    """Weights that say whether a loop has a drum at all, the same for every drum, (measures + 1,)."""
    enough = [(h, s) for h, s in loops if len(h.found.time_s) >= FEWEST_HITS]
    measures = np.concatenate([lane_measures(surely(s.drum, odds)) for _, s in enough])
    there = np.concatenate([h.right.any(axis=0) for h, _ in enough])
    middle, spread = measures.mean(axis=0), measures.std(axis=0) + 1e-6
    design = np.column_stack([(measures - middle) / spread, np.ones(len(measures))])
    weights = fit_logistic(design, there, np.zeros(design.shape[1]))
    scaled = weights[:-1] / spread
    return np.round([*scaled, weights[-1] - scaled @ middle], 4)


def fit_velocity(loops: list[Loop], odds: float, drum: int) -> Values:
    """Weights of the measures of loudness of a drum, within loops."""
    inputs, wanted = [], []
    for h, s in loops:
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES:
            found = loudness_of(h, s, odds, drum)[struck]
            inputs.append(found - found.mean(axis=0))
            wanted.append(h.velocity[struck, drum] - h.velocity[struck, drum].mean())
    design = np.concatenate(inputs)
    square = design.T @ design + RIDGE * np.eye(design.shape[1])
    return np.round(np.linalg.solve(square, design.T @ np.concatenate(wanted)), 4)


def loudness_of(heard: Heard, said: DrumsHeard, odds: float, drum: int) -> Values:
    """Measures of loudness of a drum in each hit of a loop."""
    return loudness_measures(heard.found, said, powers_apart(heard.found, surely(said.drum, odds)), drum)


def struck_of(loops: list[Loop]) -> tuple[Values, Truth]:
    """How sure the network is that each hit is struck, and whether it is."""
    right = np.concatenate([h.right.any(axis=1) | ~h.clear for h, _ in loops])
    return np.concatenate([s.struck for _, s in loops]), right


def drums_of(loops: list[Loop]) -> tuple[Values, Truth]:
    """How sure the network is of each drum in the hits that are clear, and whether it sounds, (hits, drums)."""
    right = np.concatenate([h.right[h.clear] for h, _ in loops])
    return np.concatenate([s.drum[h.clear] for h, s in loops]), right


def fit(unfamiliar: list[Loop], trained: list[Loop]) -> Fitted:
    """All that is weighed after the networks; how sure they are is fitted on unfamiliar kits alone."""
    share, right = drums_of(unfamiliar)
    odds = fit_slope(share, right)
    every = [*unfamiliar, *trained]
    velocity = np.stack([fit_velocity(every, odds, drum) for drum in range(len(DRUMS))])
    return Fitted(odds, fit_odds(*struck_of(unfamiliar)), fit_lanes(every, odds), velocity)


def agreement(sure: Values, right: Truth) -> str:
    """F1 and calibration error."""
    place = np.minimum((sure * 10).astype(int), 9)
    off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / max(len(sure), 1)
    f1 = 2 * int((right & (sure >= 0.5)).sum()) / max(int((sure >= 0.5).sum() + right.sum()), 1)
    return f"F1 {f1:.3f} of {int(right.sum())}, calibration {off:.3f}"


def rank_of_velocities(loops: list[Loop], fitted: Fitted, drum: int) -> float:
    """Mean rank correlation of a drum's loudness with its velocity, within loops."""
    ranks = []
    for h, s in loops:
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES and np.ptp(h.velocity[struck, drum]) > 0:
            loud = loudness_of(h, s, fitted.odds, drum)[struck] @ fitted.velocity[drum]
            ranks.append(spearmanr(loud, h.velocity[struck, drum]).statistic)
    return float(np.nanmean(ranks))


def tell(loops: list[Loop], fitted: Fitted) -> None:
    """Prints what is found in loops that nothing was fitted on."""
    share, right = drums_of(loops)
    sure = surely(share, fitted.odds)
    has = np.array([h.right.any(axis=0) for h, _ in loops])
    likely = np.array([lanes_there(surely(s.drum, fitted.odds), fitted.there) for _, s in loops])
    for drum, name in enumerate(DRUMS):
        rank = rank_of_velocities(loops, fitted, drum)
        print(f"{name:8} {agreement(sure[:, drum], right[:, drum])}, velocity rank {rank:.3f}")
        print(f"         in a loop at all {agreement(likely[:, drum], has[:, drum])}", flush=True)
    share, right = struck_of(loops)
    print(f"struck   {agreement(surely(share, *fitted.struck), right)}")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=300)
    options = parser.parse_args()
    unfamiliar = [(h, hear_drums(h.found)) for h in loops_heard(options.cache, 0, options.loops, tuning=True)]
    trained = [(h, hear_drums(h.found)) for h in loops_heard(options.cache, FIRST_SEED, TRAINED_LOOPS)]
    tell(unfamiliar[1::2], fit(unfamiliar[::2], trained))
    # The shipped weights use every loop; the figures do not.
    shipped = fit(unfamiliar, trained)
    kept = {
        "version": VERSION,
        "odds": shipped.odds,
        "struck": shipped.struck.tolist(),
        "there": shipped.there.tolist(),
        "velocity": shipped.velocity.tolist(),
    }
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
