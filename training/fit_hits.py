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
from scipy.optimize import minimize
from scipy.stats import spearmanr

from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import (
    FEWEST_HITS,
    MOST_ODDS,
    DrumsHeard,
    hear_drums,
    lane_measures,
    lanes_there,
    log_odds_of,
    loudness_measures,
    powers_apart,
    surely,
)
from training.fitting import RIDGE
from training.loops_heard import Heard, loops_heard
from training.train_drums import FIRST_SEED, LEAST_STROKES
from training.train_hits import TARGET

VERSION = "hits 5"
# Trained loops lend the velocities their variety.
TRAINED_LOOPS = 800
Values = NDArray[np.float64]
Truth = NDArray[np.bool_]


def fit_logistic(design: Values, right: Truth, prior: Values) -> Values:
    """Weights of the log-odds of being right, the likeliest ones, held a little by a prior."""
    sign = np.where(right, 1.0, -1.0)

    def loss(weights: Values) -> tuple[float, Values]:
        margin = sign * (design @ weights)
        slope = -design.T @ (sign / (1 + np.exp(np.clip(margin, -MOST_ODDS, MOST_ODDS))))
        # A few strokes of a rare drum do not turn the network's word into certainty.
        apart = weights - prior
        total = np.logaddexp(0, -margin).sum() + RIDGE / 2 * apart @ apart
        return float(total), slope + RIDGE * apart

    return np.asarray(minimize(loss, prior, jac=True, method="BFGS").x)


def fit_odds(share: Values, right: Truth) -> Values:
    """Slope and offset of log-odds (Platt 1999)."""
    odds = log_odds_of(share)
    weights = fit_logistic(np.column_stack([odds, np.ones(len(odds))]), right, np.array([1.0, 0.0]))
    return np.round(weights, 4)


def fit_lanes(loops: list[Heard], said: list[DrumsHeard], odds: Values) -> Values:
    """Weights that say whether a loop has a drum at all, (drums, measures + 1)."""
    enough = [(h, s) for h, s in zip(loops, said, strict=True) if len(h.found.time_s) >= FEWEST_HITS]
    measures = np.stack([lane_measures(surely(s.drum, odds)) for _, s in enough])
    fitted = []
    for drum in range(len(DRUMS)):
        own = measures[:, drum]
        middle, spread = own.mean(axis=0), own.std(axis=0) + 1e-6
        design = np.column_stack([(own - middle) / spread, np.ones(len(own))])
        there = np.array([h.right[:, drum].any() for h, _ in enough])
        weights = fit_logistic(design, there, np.zeros(design.shape[1]))
        scaled = weights[:-1] / spread
        fitted.append([*scaled, weights[-1] - scaled @ middle])
    return np.round(fitted, 4)


def drum_odds(loops: list[Heard], said: list[DrumsHeard]) -> Values:
    """Slopes and offsets of all drums, (2, drums)."""
    right = np.concatenate([h.right[h.clear] for h in loops])
    share = np.concatenate([s.drum[h.clear] for h, s in zip(loops, said, strict=True)])
    return np.column_stack([fit_odds(share[:, drum], right[:, drum]) for drum in range(len(DRUMS))])


def struck_odds(loops: list[Heard], said: list[DrumsHeard]) -> Values:
    """Slope and offset of being struck at all, (2,)."""
    right = np.concatenate([h.right.any(axis=1) | ~h.clear for h in loops])
    return fit_odds(np.concatenate([s.struck for s in said]), right)


def measures_of(loops: list[Heard], said: list[DrumsHeard], odds: Values, drum: int) -> list[Values]:
    """Measures of loudness of a drum in each loop."""
    return [
        loudness_measures(h.found, s, powers_apart(h.found, surely(s.drum, odds)), drum)
        for h, s in zip(loops, said, strict=True)
    ]


def fit_velocity(loops: list[Heard], measures: list[Values], drum: int) -> Values:
    """Weights of the measures of loudness, within loops."""
    inputs, wanted = [], []
    for h, own in zip(loops, measures, strict=True):
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES:
            found = own[struck]
            inputs.append(found - found.mean(axis=0))
            wanted.append(h.velocity[struck, drum] - h.velocity[struck, drum].mean())
    design = np.concatenate(inputs)
    square = design.T @ design + RIDGE * np.eye(design.shape[1])
    return np.round(np.linalg.solve(square, design.T @ np.concatenate(wanted)), 4)


def agreement(sure: Values, right: Truth) -> str:
    """F1 and calibration error."""
    place = np.minimum((sure * 10).astype(int), 9)
    off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / max(len(sure), 1)
    f1 = 2 * int((right & (sure >= 0.5)).sum()) / max(int((sure >= 0.5).sum() + right.sum()), 1)
    return f"F1 {f1:.3f} of {int(right.sum())}, calibration {off:.3f}"


def rank_of_velocities(loops: list[Heard], loud: list[Values], drum: int) -> float:
    """Mean rank correlation of a drum's loudness with its velocity, within loops."""
    ranks = []
    for h, own in zip(loops, loud, strict=True):
        struck = h.clear & h.right[:, drum]
        if struck.sum() >= LEAST_STROKES and np.ptp(h.velocity[struck, drum]) > 0:
            ranks.append(spearmanr(own[struck], h.velocity[struck, drum]).statistic)
    return float(np.nanmean(ranks))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=300)
    options = parser.parse_args()
    unfamiliar = loops_heard(options.cache, 0, options.loops, tuning=True)
    trained = loops_heard(options.cache, FIRST_SEED, TRAINED_LOOPS)
    said, said_of_trained = ([hear_drums(h.found) for h in loops] for loops in (unfamiliar, trained))
    told, held = unfamiliar[1::2], said[1::2]
    odds, struck = drum_odds(unfamiliar[::2], said[::2]), struck_odds(unfamiliar[::2], said[::2])
    for drum, name in enumerate(DRUMS):
        measures, others = (
            measures_of(*pair, odds, drum) for pair in ((unfamiliar, said), (trained, said_of_trained))
        )
        weights = fit_velocity([*unfamiliar[::2], *trained], [*measures[::2], *others], drum)
        sure = np.concatenate([surely(s.drum, odds)[h.clear, drum] for h, s in zip(told, held, strict=True)])
        right = np.concatenate([h.right[h.clear, drum] for h in told])
        rank = rank_of_velocities(told, [own @ weights for own in measures[1::2]], drum)
        print(f"{name:8} held out: {agreement(sure, right)}, velocity rank {rank:.3f}", flush=True)
    sure = np.concatenate([surely(s.struck, struck) for s in held])
    right = np.concatenate([h.right.any(axis=1) | ~h.clear for h in told])
    print(f"struck   held out: {agreement(sure, right)}", flush=True)
    lanes = fit_lanes([*unfamiliar[::2], *trained], [*said[::2], *said_of_trained], odds)
    has = np.array([h.right.any(axis=0) for h in told])
    likely = np.array([lanes_there(surely(s.drum, odds), lanes) for s in held])
    for drum, name in enumerate(DRUMS):
        print(f"{name:8} in the loop at all: {agreement(likely[:, drum], has[:, drum])}")
    # The shipped weights use every loop; the figures above do not.
    odds = drum_odds(unfamiliar, said)
    kept = {
        "version": VERSION,
        "odds": odds.T.tolist(),
        "struck": struck_odds(unfamiliar, said).tolist(),
        "there": fit_lanes([*unfamiliar, *trained], [*said, *said_of_trained], odds).tolist(),
        "velocity": [
            fit_velocity(
                [*unfamiliar, *trained],
                [*measures_of(unfamiliar, said, odds, drum), *measures_of(trained, said_of_trained, odds, drum)],
                drum,
            ).tolist()
            for drum in range(len(DRUMS))
        ],
    }
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
