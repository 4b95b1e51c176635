"""Trains the second network for beats on what the first hears in clips that it never met, and exports it.

    python -m training.train_bars CACHE --clips 700 --wider-clips 1180 [--songs 244] [--alone 700] --minutes 30
    [--from-shipped]

Two learn side by side, from other seeds; what they say in the mean ships. The tuning clips say how good it is.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from training.bar_network import BarNetwork
from training.bar_rows import BarRow, all_bar_rows
from training.beat_clips import (
    FIRST_TUNES_SEED,
    FIRST_UNHEARD_ALONE_SEED,
    FIRST_UNHEARD_SEED,
    FIRST_UNHEARD_SONGS_SEED,
)
from training.beat_material import material
from training.learner import Learner, side_by_side
from training.mean import Mean
from training.onnx_file import halve, write_onnx
from training.shipped_bars import shipped_bars
from training.train_beats import NETWORKS

BATCH, WINDOW_BEATS, PEAK_RATE = 32, 96, 2e-3
# Where it goes on from what is shipped.
PEAK_RATE_AGAIN = 1e-3
# How often each clip is played, quicker or slower: there are fewer of the first kind.
ROUNDS, WIDER_ROUNDS = 2, 2
METER_WEIGHT, RIGHT_WEIGHT = 0.3, 0.5
NETWORK_SEEDS = (5, 6)
# Features vary by so many of their spreads: those of a whole row together, and each beat's.
TOGETHER, OWN = 0.15, 0.1


def batch_of(rows: list[BarRow], spread: torch.Tensor, seed: int, step: int) -> tuple[torch.Tensor, ...]:
    """Features, downbeats, meters, right or not, and what is absent, of windows of rows drawn at random."""
    random = np.random.default_rng([33, seed, step])
    parts: list[list[torch.Tensor]] = [[], [], [], []]
    for row in (rows[int(i)] for i in random.integers(len(rows), size=BATCH)):
        first = int(random.integers(max(1, len(row.features) - WINDOW_BEATS + 1)))
        features = torch.from_numpy(row.features[first : first + WINDOW_BEATS].astype(np.float32))
        drawn = random.normal(0, TOGETHER, (1, features.shape[1])) + random.normal(0, OWN, features.shape)
        parts[0].append(features + spread * torch.from_numpy(drawn.astype(np.float32)))
        parts[1].append(torch.from_numpy(row.downbeat[first : first + WINDOW_BEATS]))
        parts[2].append(torch.full((len(features),), row.meter))
        parts[3].append(torch.full((len(features),), row.right))
    pad = torch.nn.utils.rnn.pad_sequence
    lengths = [len(p) for p in parts[1]]
    absent = pad([torch.zeros(n, dtype=torch.bool) for n in lengths], True, True)
    return pad(parts[0], True), *(pad(p, True, -1) for p in parts[1:]), absent


def loss_of(out: torch.Tensor, downbeat: torch.Tensor, meter: torch.Tensor, right: torch.Tensor) -> torch.Tensor:
    """Entropy of downbeats, of being right, and of the meter, where each is known."""

    def entropy(column: int, label: torch.Tensor) -> torch.Tensor:
        known = label >= 0
        return functional.binary_cross_entropy_with_logits(out[:, :, column][known], label[known].float())

    meters = functional.cross_entropy(out[:, :, 2:].flatten(0, 1), meter.flatten(), ignore_index=-1)
    loss: torch.Tensor = entropy(0, downbeat) + RIGHT_WEIGHT * entropy(1, right) + METER_WEIGHT * meters
    return loss


def train(rows: list[BarRow], minutes: float, cache: Path, seed: int, begun: BarNetwork | None) -> BarNetwork:
    """A network of averaged weights, new or from one that has begun; goes on where it was interrupted."""
    torch.manual_seed(seed)
    path = cache / f"bars-{seed}.pt"
    every = torch.from_numpy(np.concatenate([r.features[::4] for r in rows]).astype(np.float32))
    network = begun or BarNetwork(every.mean(dim=0), every.std(dim=0).clamp(min=1e-2))
    peak_rate = PEAK_RATE_AGAIN if begun else PEAK_RATE
    learner = Learner(network, minutes, peak_rate=peak_rate, warm_steps=100, weight_decay=3e-2, path=path)
    while not learner.done:
        features, downbeat, meter, right, absent = batch_of(rows, network.spread, seed, learner.step)
        number = torch.arange(features.shape[1]).expand(len(features), -1)
        one, other = network.both(features, number, absent)
        learner.learn(loss_of(one, downbeat, meter, right) + loss_of(other, downbeat, meter, right))
    learner.averaged()
    return network


def figures(network: torch.nn.Module, rows: list[BarRow]) -> str:
    """Shares of downbeats, meters and rows that are told rightly."""
    downbeats, meters, counted = [], [], []
    for row in rows:
        features = torch.from_numpy(row.features.astype(np.float32))[None]
        with torch.no_grad():
            out = network(features, torch.arange(features.shape[1])[None])[0].numpy()
        known = row.downbeat >= 0
        downbeats += ((out[:, 0] > 0) == row.downbeat)[known].tolist()
        if row.meter >= 0:
            meters.append(out[:, 2:].mean(axis=0).argmax() == row.meter)
        if row.right >= 0:
            counted.append((out[:, 1].mean() > 0) == row.right)
    return f"downbeats {np.mean(downbeats):.3f}, meters {np.mean(meters):.3f}, right or wrong {np.mean(counted):.3f}"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=700)
    parser.add_argument("--wider-clips", type=int, default=1180)
    parser.add_argument("--songs", type=int, default=0)
    parser.add_argument("--alone", type=int, default=0)
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--from-shipped", action="store_true", help="begin with what is shipped")
    options = parser.parse_args()
    torch.set_num_threads(1)
    rows = all_bar_rows(material(options.cache, options.clips, first=FIRST_UNHEARD_SEED), ROUNDS)
    rows += all_bar_rows(material(options.cache, options.wider_clips, first=FIRST_TUNES_SEED), WIDER_ROUNDS)
    rows += all_bar_rows(material(options.cache, options.songs, first=FIRST_UNHEARD_SONGS_SEED), ROUNDS)
    rows += all_bar_rows(material(options.cache, options.alone, first=FIRST_UNHEARD_ALONE_SEED), ROUNDS)
    print(f"{len(rows)} rows", flush=True)
    count = len(NETWORK_SEEDS)
    begun = shipped_bars(NETWORKS / "bars.onnx", count) if options.from_shipped else count * [None]
    given = [
        (rows, options.minutes, options.cache, seed, own) for seed, own in zip(NETWORK_SEEDS, begun, strict=True)
    ]
    network = Mean(side_by_side(train, given)).eval()
    print(figures(network, all_bar_rows(material(options.cache, 180, tuning=True), 1)), flush=True)
    example = torch.zeros(1, 8, rows[0].features.shape[1]), torch.arange(8)[None]
    axes = {name: {1: "beats"} for name in ("features", "number", "out")}
    write_onnx(network, example, NETWORKS / "bars.onnx", ("features", "number", "out"), axes)
    halve(NETWORKS / "bars.onnx")


if __name__ == "__main__":
    main()
