"""Trains the second network for hits, on what the first hears, and exports it: the mean of three from other seeds.

    python -m training.train_drums CACHE --loops 3600 --minutes 29

Loops of trained kits only are trained on; the kits in no training say how good it is.
"""

import argparse
from collections.abc import Callable
from copy import deepcopy
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from scipy.stats import spearmanr
from torch.nn import functional

from honest_stave.core import networks
from honest_stave.core.hits.hits_engine import LONG_STRETCHES, RISE_GROUPS, SHORT_STRETCHES
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.hits.weighing import hit_inputs
from training.drum_network import DrumNetwork
from training.learner import Learner, side_by_side
from training.look import scale_of
from training.loops_heard import Heard, loops_heard
from training.loops_made import SPARSE_SEEDS
from training.mean import Mean
from training.onnx_file import in_8_bits, write_onnx
from training.shipped import part_of, take_over, weights_of

TARGET = Path(networks.__file__).parent / "drums.onnx"
FIRST_SEED = 20_000
# What networks that began elsewhere say in the mean is surer than what either says.
NETWORK_SEEDS = (4, 5, 6)
FORCE_SEED = 7
# What the networks of the mean are called in the shipped file.
MEMBER = "network.networks.{}"
# Where the network says how sure each drum is, and how hard it was struck.
DRUM_SHARES, FORCES = slice(0, len(DRUMS)), slice(len(DRUMS), 2 * len(DRUMS))
BATCH = 16
# From the beginning, and where trained networks go on: they would forget at the full rate.
PEAK_RATE, PEAK_RATE_AGAIN = 2e-3, 1e-3
# Levels are scaled by those of about so many loops.
SCALED_ON = 300
# Of the errors of velocities, and within them of their mean; the same where nothing else is learnt.
VELOCITY_WEIGHT, MIDDLE_WEIGHT = 6.0, 0.3
FORCE_WEIGHT, FORCE_MIDDLE_WEIGHT = 10.0, 0.1
# Fewer strokes of a drum than this tell nothing of its dynamics.
LEAST_STROKES = 5
# Whether a hit is one at all is said for every hit, and learnt with this weight.
STRUCK_WEIGHT = 1.0
# The first columns of the measures are what the first network said, the last are rises of levels: colour is added to
# these, as another desk would.
SAID = 7
# Colours in units of the levels (30 dB), at so many points of the spectrum: of a drum, and how it falls; of the desk,
# and all of a loop louder. Log-odds by which the first network leans.
DRUM_COLOUR, COLOUR_POINTS, DRUM_FALL, DRUM_LEANING = 0.15, 5, 0.2, 0.6
DESK_COLOUR, DESK_POINTS, DESK_LOUDNESS = 0.08, 9, 0.12
# So often everything in a loop is moved by up to so many bands (seven to the octave).
MOVED_SHARE, MOST_BANDS = 0.5, 3
# When each stretch lies, 0 before the stroke to 1: what comes later has fallen more.
LATENESS = torch.tensor(
    [max(lags.start, 0) / SHORT_STRETCHES[-1].start for lags in (*SHORT_STRETCHES, *LONG_STRETCHES)]
)
BEFORE = torch.tensor([lags.stop <= 0 for lags in (*SHORT_STRETCHES, *LONG_STRETCHES)])


Loss = Callable[[torch.Tensor, torch.Tensor, torch.Tensor, torch.Tensor], torch.Tensor]


class Loops:
    """Loops as arrays of one length."""

    def __init__(self, loops: list[Heard]) -> None:
        self.inputs = [torch.from_numpy(hit_inputs(h.found)) for h in loops]
        self.levels = [torch.from_numpy(h.found.around) for h in loops]
        self.time_s = [torch.from_numpy(h.found.time_s.astype(np.float32)) for h in loops]
        self.velocity = [torch.from_numpy(h.velocity.astype(np.float32)) for h in loops]
        self.clear = [torch.from_numpy(h.clear) for h in loops]

    def batch(self, chosen: list[int]) -> tuple[torch.Tensor, ...]:
        """Inputs, levels, moments, velocities, what is clear and what is absent of the chosen loops."""
        pad = torch.nn.utils.rnn.pad_sequence
        every = (self.inputs, self.levels, self.time_s, self.velocity, self.clear)
        parts = [[rows[i] for i in chosen] for rows in every]
        absent = pad([torch.zeros(len(t), dtype=torch.bool) for t in parts[2]], True, True)
        inputs, levels, *rest = (pad(p, batch_first=True) for p in parts)
        return (inputs, levels.float(), *rest, absent)


def smooth(points: torch.Tensor, bands: int) -> torch.Tensor:
    """Colours (..., bands) through so many points."""
    return functional.interpolate(points, size=bands, mode="linear", align_corners=True)


def coloured(
    inputs: torch.Tensor, levels: torch.Tensor, velocity: torch.Tensor, random: torch.Generator
) -> tuple[torch.Tensor, torch.Tensor]:
    """Measures and levels of each loop as through another desk and from another kit, the first network less sure.

    Every drum of a loop gets a colour of its own, smooth over the bands, and dies sooner or later; the first
    network's word on it leans to another side. A hit of several drums has the mean of theirs. Now and then everything
    sounds higher or lower.
    """
    batch, _, drums = velocity.shape
    bands = levels.shape[3]

    def normal(*shape: int) -> torch.Tensor:
        return torch.randn(*shape, generator=random)

    sounds = (~velocity.isnan()).float()
    share = sounds / sounds.sum(dim=2, keepdim=True).clamp(min=1)
    desk = DESK_LOUDNESS * normal(batch, 1, 1) + smooth(DESK_COLOUR * normal(batch, 1, DESK_POINTS), bands)
    colour = share @ smooth(DRUM_COLOUR * normal(batch, drums, COLOUR_POINTS), bands)
    fall = (share @ (DRUM_FALL * normal(batch, drums, 1)))[:, :, :, None] * LATENESS[:, None]
    added = torch.where(BEFORE[:, None], 0.0, colour[:, :, None]) + fall + desk[:, :, None]
    # Silence stays silence.
    levels = torch.where(levels > 0, (levels + added).clamp(min=0), levels)
    if float(torch.rand(1, generator=random)) < MOVED_SHARE:
        # Higher by so many bands; what is not known goes on as the edge.
        higher = int(torch.randint(-MOST_BANDS, MOST_BANDS + 1, (1,), generator=random))
        levels = levels[..., (torch.arange(bands) - higher).clamp(0, bands - 1)]
    changed = inputs.clone()
    changed[:, :, -RISE_GROUPS:] += (colour + desk).unflatten(2, (RISE_GROUPS, -1)).mean(dim=3)
    changed[:, :, :SAID] *= 1 + 0.15 * normal(batch, 1, SAID)
    changed[:, :, :SAID] += 0.4 * normal(batch, 1, SAID) + share @ (DRUM_LEANING * normal(batch, drums, SAID))
    return changed, levels


def drums_loss(
    logits: torch.Tensor, velocity: torch.Tensor, clear: torch.Tensor, absent: torch.Tensor
) -> torch.Tensor:
    """Entropy of the drums and of being struck, and errors of velocities."""
    right = ~velocity.isnan() & ~absent[:, :, None]
    counted = (clear & ~absent)[:, :, None].float()
    drums, struck = logits.transpose(1, 2)[:, :, DRUM_SHARES], logits[:, -1]
    entropy = functional.binary_cross_entropy_with_logits(drums, right.float(), reduction="none")
    there = (~absent).float()
    hit = functional.binary_cross_entropy_with_logits(struck, (right.any(dim=2) | ~clear).float(), reduction="none")
    loss: torch.Tensor = (entropy * counted).sum() / counted.sum()
    loss = loss + STRUCK_WEIGHT * (hit * there).sum() / there.sum()
    return loss + VELOCITY_WEIGHT * force_error(logits, velocity, clear, absent, MIDDLE_WEIGHT)


def force_error(
    logits: torch.Tensor,
    velocity: torch.Tensor,
    clear: torch.Tensor,
    absent: torch.Tensor,
    middle_weight: float,
) -> torch.Tensor:
    """Squared error of velocities within each loop, and with a weight of their mean."""
    struck = (~velocity.isnan() & (clear & ~absent)[:, :, None]).float()
    count = struck.sum(dim=1, keepdim=True)
    error = (torch.sigmoid(logits[:, FORCES]).transpose(1, 2) - velocity.nan_to_num()) * struck
    middle = error.sum(dim=1, keepdim=True) / count.clamp(min=1)
    within = ((error - middle * struck) ** 2).sum() / struck.sum().clamp(min=1)
    absolute: torch.Tensor = (middle**2 * (count > 0)).sum() / (count > 0).sum().clamp(min=1)
    return within + middle_weight * absolute


def force_loss(
    logits: torch.Tensor, velocity: torch.Tensor, clear: torch.Tensor, absent: torch.Tensor
) -> torch.Tensor:
    """Errors of velocities alone."""
    return FORCE_WEIGHT * force_error(logits, velocity, clear, absent, FORCE_MIDDLE_WEIGHT)


def begun(loops: Loops, seed: int) -> DrumNetwork:
    """A network that knows only how its measures and levels are spread."""
    torch.manual_seed(seed)
    rows = torch.cat(loops.inputs)
    seen = torch.cat(loops.levels[:: max(1, len(loops.levels) // SCALED_ON)]).float()
    return DrumNetwork(scale_of(rows, 1e-2), scale_of(seen, 1e-1))


def shipped() -> tuple[list[DrumNetwork], DrumNetwork]:
    """The shipped networks, and that for the force; they share how measures and levels are spread."""
    weights = weights_of(TARGET)
    names = [*(MEMBER.format(place) for place in range(len(NETWORK_SEEDS))), "force"]
    scales = {n: v for n, v in part_of(weights, names[0]).items() if n.endswith(("mean", "spread"))}
    found = []
    for name in names:
        own = scales | part_of(weights, name)
        measures, levels = (torch.stack([own[f"{of}mean"], own[f"{of}spread"]]) for of in ("", "look."))
        network = DrumNetwork(measures, levels)
        take_over(network, own)
        found.append(network)
    return found[:-1], found[-1]


def train(
    network: DrumNetwork, loops: Loops, loss_of: Loss, seed: int, minutes: float, peak_rate: float, path: Path
) -> DrumNetwork:
    """The network with averaged weights; goes on where it was interrupted."""
    learner = Learner(network, minutes, peak_rate=peak_rate, warm_steps=100, weight_decay=1e-2, path=path)
    random = torch.Generator().manual_seed(seed)
    while not learner.done:
        chosen = torch.randint(len(loops.inputs), (BATCH,), generator=random).tolist()
        inputs, levels, time_s, velocity, clear, absent = loops.batch(chosen)
        logits = network(*coloured(inputs, levels, velocity, random), time_s, absent)
        learner.learn(loss_of(logits, velocity, clear, absent))
    learner.averaged()
    return network


def figures(network: Mean, force: DrumNetwork, loops: list[Heard], limit: float = 0.5) -> str:
    """F1, calibration error and velocity rank of each drum."""
    shipped = Shares(network, force).eval()
    said: list[NDArray[np.float64]] = []
    kept = Loops(loops)
    with torch.no_grad():
        for i in range(len(loops)):
            given = kept.inputs[i][None], kept.levels[i][None].float(), kept.time_s[i][None]
            shares, hit = shipped(*given)
            said.append(np.column_stack([*shares[0].numpy(), hit[0].numpy()]).astype(np.float64))
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
    """What is shipped, as probabilities: drums and forces (batch, 2, hits, drums), being struck (batch, hits)."""

    def __init__(self, network: Mean, force: DrumNetwork) -> None:
        super().__init__()
        self.network, self.force = network, force

    def forward(
        self, hits: torch.Tensor, levels: torch.Tensor, time_s: torch.Tensor
    ) -> tuple[torch.Tensor, torch.Tensor]:
        said = torch.sigmoid(self.network(hits, levels, time_s))
        forces = torch.sigmoid(self.force(hits, levels, time_s))[:, FORCES]
        return torch.stack([said[:, DRUM_SHARES], forces], dim=1).transpose(2, 3), said[:, -1]


def export(network: Mean, force: DrumNetwork, loops: Loops, target: Path = TARGET) -> None:
    """Writes the networks as the application ships them."""
    given = loops.inputs[0][None], loops.levels[0][None].float(), loops.time_s[0][None]
    axes = {name: {1: "hits"} for name in ("hits", "levels", "time_s", "struck")} | {"shares": {2: "hits"}}
    names = ("hits", "levels", "time_s", "shares", "struck")
    write_onnx(Shares(network, force).eval(), given, target, names, axes)
    in_8_bits(target)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--loops", type=int, default=3600)
    parser.add_argument("--sparse-loops", type=int, default=1000, help="of one drum, or of few")
    parser.add_argument("--tuning-loops", type=int, default=300)
    parser.add_argument("--minutes", type=float, default=29.0)
    parser.add_argument("--force-minutes", type=float, default=15.0)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--from-shipped", action="store_true", help="go on from the networks in the package")
    options = parser.parse_args()
    torch.set_num_threads(1)
    workers = options.workers
    trained = loops_heard(options.cache, FIRST_SEED, options.loops, workers=workers)
    trained += loops_heard(options.cache, SPARSE_SEEDS.start, options.sparse_loops, workers=workers)
    trained = [loop for loop in trained if len(loop.found.time_s)]
    unfamiliar = loops_heard(options.cache, 0, options.tuning_loops, tuning=True, workers=workers)
    loops = Loops(trained)
    peak_rate = PEAK_RATE_AGAIN if options.from_shipped else PEAK_RATE
    several, force = shipped() if options.from_shipped else ([begun(loops, seed) for seed in NETWORK_SEEDS], None)
    given = [
        (network, loops, drums_loss, seed, options.minutes, peak_rate, options.cache / f"drums-{seed}.pt")
        for network, seed in zip(several, NETWORK_SEEDS, strict=True)
    ]
    several = side_by_side(train, given)
    # Both at once, neither is learnt well: the force has a network of its own, which goes on from one of those.
    force = force or deepcopy(several[0])
    path = options.cache / "drum-force.pt"
    train(force, loops, force_loss, FORCE_SEED, options.force_minutes, peak_rate, path)
    mean = Mean(several)
    print(figures(mean, force, unfamiliar), flush=True)
    export(mean, force, loops)


if __name__ == "__main__":
    main()
