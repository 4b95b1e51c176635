"""Trains the second network for hits, on what the first hears, and exports it.

    python -m training.train_drums CACHE --loops 2000 --minutes 15

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
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import hit_inputs
from training.drum_network import DrumNetwork
from training.learner import Learner
from training.loops_heard import Heard, loops_heard
from training.onnx_file import write_onnx

TARGET = Path(networks.__file__).parent / "drums.onnx"
FIRST_SEED = 20_000
BATCH, PEAK_RATE = 16, 2e-3
VELOCITY_WEIGHT = 6.0
# Fewer strokes of a drum than this tell nothing of its dynamics.
LEAST_STROKES = 5
# Columns of the measures that are levels: colour is added to them, as another desk would.
LEVELS = slice(16, None)


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


def coloured(inputs: torch.Tensor, random: torch.Generator) -> torch.Tensor:
    """Measures of each loop as through another desk, louder or softer, with the first network less or more sure."""
    batch = len(inputs)
    shift = 0.12 * torch.randn(batch, 1, 1, generator=random)
    colour = 0.08 * torch.randn(batch, 1, inputs.shape[2] - 16, generator=random)
    changed = inputs.clone()
    changed[:, :, LEVELS] += shift + colour
    changed[:, :, :7] *= 1 + 0.15 * torch.randn(batch, 1, 7, generator=random)
    changed[:, :, :7] += 0.4 * torch.randn(batch, 1, 7, generator=random)
    return changed


def loss_of(logits: torch.Tensor, velocity: torch.Tensor, clear: torch.Tensor, absent: torch.Tensor) -> torch.Tensor:
    """Entropy of the drums, and squared error of velocities within each loop."""
    logits = logits.transpose(1, 2)
    right = ~velocity.isnan() & ~absent[:, :, None]
    counted = (clear & ~absent)[:, :, None].float()
    entropy = functional.binary_cross_entropy_with_logits(logits[:, :, :6], right.float(), reduction="none")
    drums = (entropy * counted).sum() / counted.sum()
    struck = right.float() * counted
    count = struck.sum(dim=1, keepdim=True)
    error = (torch.sigmoid(logits[:, :, 6:]) - velocity.nan_to_num()) * struck
    middle = error.sum(dim=1, keepdim=True) / count.clamp(min=1)
    within = ((error - middle * struck) ** 2).sum() / struck.sum().clamp(min=1)
    absolute = (middle**2 * (count > 0)).sum() / (count > 0).sum().clamp(min=1)
    loss: torch.Tensor = drums + VELOCITY_WEIGHT * (within + 0.3 * absolute)
    return loss


def train(cache: Path, loops: Loops, minutes: float) -> DrumNetwork:
    """A network of averaged weights."""
    torch.manual_seed(4)
    random = torch.Generator().manual_seed(4)
    rows = torch.cat(loops.inputs)
    network = DrumNetwork(rows.mean(dim=0), rows.std(dim=0).clamp(min=1e-2))
    learner = Learner(
        network, minutes, peak_rate=PEAK_RATE, warm_steps=100, weight_decay=1e-2, path=cache / "drums.pt"
    )
    while not learner.done:
        chosen = torch.randint(len(loops.inputs), (BATCH,), generator=random).tolist()
        inputs, time_s, velocity, clear, absent = loops.batch(chosen)
        logits = network(coloured(inputs, random), time_s, absent)
        learner.learn(loss_of(logits, velocity, clear, absent))
    learner.averaged()
    return network


def figures(network: DrumNetwork, loops: list[Heard], limit: float = 0.5) -> str:
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
    return "\n".join(lines)


class Shares(torch.nn.Module):
    """The network with its outputs as probabilities, (batch, 2, hits, drums)."""

    def __init__(self, network: torch.nn.Module) -> None:
        super().__init__()
        self.network = network

    def forward(self, hits: torch.Tensor, time_s: torch.Tensor) -> torch.Tensor:
        said = torch.sigmoid(self.network(hits, time_s))
        return said.unflatten(1, (2, -1)).transpose(2, 3)


def export(network: DrumNetwork, target: Path = TARGET) -> None:
    """Writes the network as the application ships it."""
    given = torch.zeros(1, 8, len(network.mean)), torch.arange(8.0)[None]
    axes = {"hits": {1: "hits"}, "time_s": {1: "hits"}, "shares": {2: "hits"}}
    write_onnx(Shares(network).eval(), given, target, ("hits", "time_s", "shares"), axes)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=2000)
    parser.add_argument("--tuning-loops", type=int, default=300)
    parser.add_argument("--minutes", type=float, default=15.0)
    options = parser.parse_args()
    torch.set_num_threads(1)
    trained = loops_heard(options.cache, FIRST_SEED, options.loops)
    unfamiliar = loops_heard(options.cache, 0, options.tuning_loops, tuning=True)
    network = train(options.cache, Loops(trained), options.minutes)
    print(figures(network, unfamiliar), flush=True)
    export(network)


if __name__ == "__main__":
    main()
