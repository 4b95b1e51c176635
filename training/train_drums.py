"""Trains the second network for hits, on what the first hears, and exports it: the mean of two from other seeds.

    python -m training.train_drums CACHE --loops 3800 --minutes 22

Loops of trained kits only are trained on; the kits in no training say how good it is.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from scipy.stats import spearmanr
from torch.nn import functional

from honest_stave.core import networks
from honest_stave.core.hits.hearing import BANDS
from honest_stave.core.hits.hits_engine import LONG_COURSE, LOW_BANDS, RISE_GROUPS, SHORT_COURSE
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import hit_inputs
from training.drum_network import DrumNetwork
from training.learner import Learner
from training.loops_heard import Heard, loops_heard
from training.onnx_file import write_onnx

TARGET = Path(networks.__file__).parent / "drums.onnx"
FIRST_SEED = 20_000
# What networks that began elsewhere say in the mean is surer than what either says.
NETWORK_SEEDS = (4, 5)
BATCH, PEAK_RATE = 16, 2e-3
VELOCITY_WEIGHT = 6.0
# Fewer strokes of a drum than this tell nothing of its dynamics.
LEAST_STROKES = 5
# Whether a hit is one at all is said for every hit, and learnt with this weight.
STRUCK_WEIGHT = 1.0
# The first columns of the measures are what the first network said, the last are levels: colour is added to these,
# as another desk would.
SAID, FIRST_LEVEL = 7, 22
# Colours of a drum in units of the levels (30 dB), at so many points of the spectrum; how it falls; log-odds.
DRUM_COLOUR, COLOUR_POINTS, DRUM_FALL, DRUM_LEANING = 0.15, 5, 0.2, 0.6
# Of each level: the group of bands in which it lies, and how late after the stroke, 0 to 1.
GROUP_OF_LEVEL = [*range(RISE_GROUPS)] * (1 + len(SHORT_COURSE)) + [
    band * RISE_GROUPS // BANDS for band in range(LOW_BANDS)
] * len(LONG_COURSE)
LATENESS_OF_LEVEL = torch.tensor(
    [0.0] * RISE_GROUPS
    + [max(lags.start, 0) / SHORT_COURSE[-1].start for lags in SHORT_COURSE for _ in range(RISE_GROUPS)]
    + [max(lags.start, 0) / SHORT_COURSE[-1].start for lags in LONG_COURSE for _ in range(LOW_BANDS)]
)


class Loops:
    """Loops as arrays of one length."""

    def __init__(self, loops: list[Heard]) -> None:
        self.inputs = [torch.from_numpy(hit_inputs(h.found)) for h in loops]
        self.time_s = [torch.from_numpy(h.found.time_s.astype(np.float32)) for h in loops]
        self.velocity = [torch.from_numpy(h.velocity.astype(np.float32)) for h in loops]
        self.clear = [torch.from_numpy(h.clear) for h in loops]

    def batch(self, chosen: list[int]) -> tuple[torch.Tensor, ...]:
        """Inputs, moments, velocities, what is clear and what is absent of the chosen loops."""
        pad = torch.nn.utils.rnn.pad_sequence
        parts = [[rows[i] for i in chosen] for rows in (self.inputs, self.time_s, self.velocity, self.clear)]
        absent = pad([torch.zeros(len(t), dtype=torch.bool) for t in parts[1]], True, True)
        return (*(pad(p, batch_first=True) for p in parts), absent)


def coloured(inputs: torch.Tensor, velocity: torch.Tensor, random: torch.Generator) -> torch.Tensor:
    """Measures of each loop as through another desk and from another kit, with the first network less or more sure.

    Every drum of a loop gets a colour of its own, smooth over the bands, and dies sooner or later; the first
    network's word on it leans to another side. A hit of several drums has the mean of theirs.
    """
    batch, _, drums = velocity.shape
    sounds = (~velocity.isnan()).float()
    share = sounds / sounds.sum(dim=2, keepdim=True).clamp(min=1)
    points = DRUM_COLOUR * torch.randn(batch, drums, COLOUR_POINTS, generator=random)
    colour = functional.interpolate(points, size=RISE_GROUPS, mode="linear", align_corners=True)[:, :, GROUP_OF_LEVEL]
    colour = colour + DRUM_FALL * torch.randn(batch, drums, 1, generator=random) * LATENESS_OF_LEVEL
    leaning = DRUM_LEANING * torch.randn(batch, drums, SAID, generator=random)
    desk = 0.12 * torch.randn(batch, 1, 1, generator=random) + 0.08 * torch.randn(
        batch, 1, inputs.shape[2] - FIRST_LEVEL, generator=random
    )
    changed = inputs.clone()
    changed[:, :, FIRST_LEVEL:] += desk + share @ colour
    changed[:, :, :SAID] *= 1 + 0.15 * torch.randn(batch, 1, SAID, generator=random)
    changed[:, :, :SAID] += 0.4 * torch.randn(batch, 1, SAID, generator=random) + share @ leaning
    return changed


def loss_of(logits: torch.Tensor, velocity: torch.Tensor, clear: torch.Tensor, absent: torch.Tensor) -> torch.Tensor:
    """Entropy of the drums and of being struck, and squared error of velocities within each loop."""
    logits = logits.transpose(1, 2)
    right = ~velocity.isnan() & ~absent[:, :, None]
    counted = (clear & ~absent)[:, :, None].float()
    entropy = functional.binary_cross_entropy_with_logits(logits[:, :, :6], right.float(), reduction="none")
    drums = (entropy * counted).sum() / counted.sum()
    there = (~absent).float()
    hit = functional.binary_cross_entropy_with_logits(
        logits[:, :, 12], (right.any(dim=2) | ~clear).float(), reduction="none"
    )
    drums = drums + STRUCK_WEIGHT * (hit * there).sum() / there.sum()
    struck = right.float() * counted
    count = struck.sum(dim=1, keepdim=True)
    error = (torch.sigmoid(logits[:, :, 6:12]) - velocity.nan_to_num()) * struck
    middle = error.sum(dim=1, keepdim=True) / count.clamp(min=1)
    within = ((error - middle * struck) ** 2).sum() / struck.sum().clamp(min=1)
    absolute = (middle**2 * (count > 0)).sum() / (count > 0).sum().clamp(min=1)
    loss: torch.Tensor = drums + VELOCITY_WEIGHT * (within + 0.3 * absolute)
    return loss


class Mean(torch.nn.Module):
    """What several networks say in the mean, in log-odds."""

    def __init__(self, networks: list[DrumNetwork]) -> None:
        super().__init__()
        self.networks = torch.nn.ModuleList(networks)

    def forward(self, hits: torch.Tensor, time_s: torch.Tensor) -> torch.Tensor:
        return torch.stack([network(hits, time_s) for network in self.networks]).mean(dim=0)


def train(cache: Path, loops: Loops, minutes: float, seed: int) -> DrumNetwork:
    """A network of averaged weights."""
    torch.manual_seed(seed)
    random = torch.Generator().manual_seed(seed)
    rows = torch.cat(loops.inputs)
    network = DrumNetwork(rows.mean(dim=0), rows.std(dim=0).clamp(min=1e-2))
    learner = Learner(
        network, minutes, peak_rate=PEAK_RATE, warm_steps=100, weight_decay=1e-2, path=cache / f"drums-{seed}.pt"
    )
    while not learner.done:
        chosen = torch.randint(len(loops.inputs), (BATCH,), generator=random).tolist()
        inputs, time_s, velocity, clear, absent = loops.batch(chosen)
        logits = network(coloured(inputs, velocity, random), time_s, absent)
        learner.learn(loss_of(logits, velocity, clear, absent))
    learner.averaged()
    return network


def figures(network: Mean, loops: list[Heard], limit: float = 0.5) -> str:
    """F1, calibration error and velocity rank of each drum."""
    said: list[NDArray[np.float64]] = []
    kept = Loops(loops)
    with torch.no_grad():
        for i in range(len(loops)):
            heard = torch.sigmoid(network(kept.inputs[i][None], kept.time_s[i][None]))[0].numpy().T
            said.append(heard.astype(np.float64))
    lines = []
    for drum, name in enumerate(DRUMS):
        sure = np.concatenate([s[h.clear, drum] for s, h in zip(said, loops, strict=True)])
        right = np.concatenate([h.right[h.clear, drum] for h in loops])
        f1 = 2 * int((right & (sure >= limit)).sum()) / max(int((sure >= limit).sum() + right.sum()), 1)
        place = np.minimum((sure * 10).astype(int), 9)
        off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / max(len(sure), 1)
        ranks = []
        for s, h in zip(said, loops, strict=True):
            struck = h.clear & h.right[:, drum]
            if struck.sum() >= LEAST_STROKES and np.ptp(h.velocity[struck, drum]) > 0:
                ranks.append(spearmanr(s[struck, 6 + drum], h.velocity[struck, drum]).statistic)
        lines.append(
            f"{name:8} F1 {f1:.3f} of {int(right.sum())}, calibration {off:.3f}, "
            f"velocity rank {np.nanmean(ranks) if ranks else np.nan:.3f}"
        )
    sure = np.concatenate([s[:, -1] for s in said])
    right = np.concatenate([h.right.any(axis=1) | ~h.clear for h in loops])
    f1 = 2 * int((right & (sure >= limit)).sum()) / int((sure >= limit).sum() + right.sum())
    return "\n".join([*lines, f"struck   F1 {f1:.3f} of {int(right.sum())}"])


class Shares(torch.nn.Module):
    """The network with its outputs as probabilities, (batch, 2, hits, drums) and (batch, hits)."""

    def __init__(self, network: Mean) -> None:
        super().__init__()
        self.network = network

    def forward(self, hits: torch.Tensor, time_s: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        said = torch.sigmoid(self.network(hits, time_s))
        return said[:, :-1].unflatten(1, (2, -1)).transpose(2, 3), said[:, -1]


def export(network: Mean, inputs: int, target: Path = TARGET) -> None:
    """Writes the network as the application ships it."""
    given = torch.zeros(1, 8, inputs), torch.arange(8.0)[None]
    axes = {"hits": {1: "hits"}, "time_s": {1: "hits"}, "shares": {2: "hits"}, "struck": {1: "hits"}}
    write_onnx(Shares(network).eval(), given, target, ("hits", "time_s", "shares", "struck"), axes)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=3800)
    parser.add_argument("--tuning-loops", type=int, default=300)
    parser.add_argument("--minutes", type=float, default=22.0)
    options = parser.parse_args()
    torch.set_num_threads(1)
    trained = loops_heard(options.cache, FIRST_SEED, options.loops)
    unfamiliar = loops_heard(options.cache, 0, options.tuning_loops, tuning=True)
    loops = Loops(trained)
    network = Mean([train(options.cache, loops, options.minutes, seed) for seed in NETWORK_SEEDS])
    print(figures(network, unfamiliar), flush=True)
    export(network, loops.inputs[0].shape[1])


if __name__ == "__main__":
    main()
