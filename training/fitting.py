"""Small models that are fitted after the networks: logistic curves, softmax, layers of tanh units."""

import numpy as np
import torch
from numpy.typing import NDArray
from scipy.optimize import minimize

Values = NDArray[np.float64]

# Weight of the squares of the weights: clips are few, notes of one clip alike.
RIDGE = 3.0
# Log-odds beyond this are certain, and their exponential stays finite.
MOST_ODDS = 30.0
# Units of the layer, and rounds over all rows.
UNITS, ROUNDS = 32, 60
# Layers fitted from different beginnings; the mean of their log-odds is steadier than any of them.
LAYERS = 3
# An input that hardly changes is not blown up, and its spread survives rounding.
LEAST_SPREAD = 1e-3


def fit_logistic(design: Values, right: NDArray[np.bool_], prior: Values) -> Values:
    """Weights of the log-odds of being right, the likeliest ones, held a little by a prior."""
    sign = np.where(right, 1.0, -1.0)

    def loss(weights: Values) -> tuple[float, Values]:
        margin = sign * (design @ weights)
        slope = -design.T @ (sign / (1 + np.exp(np.clip(margin, -MOST_ODDS, MOST_ODDS))))
        # A few cases do not turn what was said before into certainty.
        apart = weights - prior
        total = np.logaddexp(0, -margin).sum() + RIDGE / 2 * apart @ apart
        return float(total), slope + RIDGE * apart

    return np.asarray(minimize(loss, prior, jac=True, method="BFGS").x)


def fit_softmax(inputs: Values, label: NDArray[np.int64], classes: int) -> tuple[Values, Values]:
    """Weights (classes, inputs) and intercepts of a softmax, by gradient steps on standardised inputs."""
    mean, spread = inputs.mean(axis=0), np.maximum(inputs.std(axis=0), 1e-6)
    design = np.column_stack([(inputs - mean) / spread, np.ones(len(inputs))])
    wanted = np.eye(classes)[label]
    # Every kind counts the same, however many clips it has.
    weight = (1 / np.maximum(wanted.sum(axis=0), 1))[label]
    weight /= weight.sum()
    weights = np.zeros((classes, design.shape[1]))
    for _ in range(6000):
        logits = design @ weights.T
        share = np.exp(logits - logits.max(axis=1, keepdims=True))
        share /= share.sum(axis=1, keepdims=True)
        slope = ((share - wanted) * weight[:, None]).T @ design + 0.002 * weights
        weights -= 0.5 * slope
    own = weights[:, :-1] / spread
    return own, weights[:, -1] - own @ mean


def fit_score(inputs: list[Values], right: list[NDArray[np.bool_]], weight: list[float]) -> dict[str, object]:
    """One layer of tanh units over standardised inputs, for the log-odds of being right.

    Args:
        inputs, right: of each clip.
        weight: of each clip.
    """
    design = np.concatenate(inputs)
    mean, spread = design.mean(axis=0), np.maximum(design.std(axis=0), LEAST_SPREAD)
    known = torch.from_numpy(((design - mean) / spread).astype(np.float32))
    wanted = torch.from_numpy(np.concatenate(right).astype(np.float32))
    weights = torch.from_numpy(
        np.concatenate([np.full(len(x), w, np.float32) for x, w in zip(inputs, weight, strict=True)])
    )
    return _rounded(mean, spread, [_layer(known, wanted, weights, seed) for seed in range(LAYERS)])


def _rounded(mean: Values, spread: Values, layers: list[tuple[Values, ...]]) -> dict[str, object]:
    """Constants of the mean of several layers, as ``layer.score_of`` takes them."""
    return {
        "mean": np.round(mean, 4).tolist(),
        "spread": np.round(spread, 4).tolist(),
        "inner": np.round(np.hstack([inner.T for inner, *_ in layers]), 4).tolist(),
        "inner_offset": np.round(np.concatenate([offset for _, offset, *_ in layers]), 4).tolist(),
        "outer": np.round(np.concatenate([outer[0] for *_, outer, _ in layers]) / LAYERS, 4).tolist(),
        "offset": round(float(np.mean([offset[0] for *_, offset in layers])), 4),
    }


def _layer(known: torch.Tensor, wanted: torch.Tensor, weights: torch.Tensor, seed: int) -> tuple[Values, ...]:
    """One layer: inner weights and offsets, outer weights and offset."""
    torch.manual_seed(seed)
    network = torch.nn.Sequential(torch.nn.Linear(known.shape[1], UNITS), torch.nn.Tanh(), torch.nn.Linear(UNITS, 1))
    optimiser = torch.optim.AdamW(network.parameters(), lr=5e-3, weight_decay=1e-3)
    schedule = torch.optim.lr_scheduler.CosineAnnealingLR(optimiser, ROUNDS)
    for _ in range(ROUNDS):
        order = torch.randperm(len(known))
        for first in range(0, len(known), 512):
            chosen = order[first : first + 512]
            entropy = torch.nn.functional.binary_cross_entropy_with_logits(
                network(known[chosen])[:, 0], wanted[chosen], reduction="none"
            )
            optimiser.zero_grad()
            (entropy * weights[chosen]).mean().backward()
            optimiser.step()
        schedule.step()
    return tuple(p.detach().numpy().astype(float) for p in network.parameters())
