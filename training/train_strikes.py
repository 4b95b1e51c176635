"""Trains the second network for notes, on what the first hears, and exports it.

    python -m training.train_strikes CACHE --minutes 40

Every second tuning clip takes part, at more weight, and the others say how good it is; what
ships is trained with all of them (``--all``), for as long.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch.nn import functional

from honest_stave.core import networks
from honest_stave.core.pitch.weighing import CONTEXT_STRIKES, SHIFT_UNIT_S, STRETCH_STRIKES
from training import clips as recipes
from training.learner import Learner
from training.onnx_file import write_onnx
from training.strike_network import Shipped, StrikeNetwork
from training.strikes_heard import StrikesHeard, all_strikes_heard

TARGET = Path(networks.__file__).parent / "strikes.onnx"
BATCH, PEAK_RATE = 16, 2e-3
WINDOW = STRETCH_STRIKES + 2 * CONTEXT_STRIKES
# Clips changed by so many seeds take part beside the clips as they are.
VARIANTS = 2
UNFAMILIAR_WEIGHT = 2.0
# A clip of one voice is read as many this often.
READ_AS_MANY = 0.3
VELOCITY_WEIGHT, MIDDLE_WEIGHT, SHIFT_WEIGHT = 3.0, 0.1, 0.05
# Shifts in units; longer ones are errors of the pairing.
LONGEST_SHIFT = 6.0


class Windows:
    """Windows of clips as tensors of one length."""

    def __init__(self, clips: list[StrikesHeard], weights: list[float], seed: int) -> None:
        self.clips = clips
        # A long clip holds more windows.
        share = np.array(weights) * np.sqrt([min(len(c.right), 2 * WINDOW) for c in clips])
        self.share = share / share.sum()
        self.random = np.random.default_rng(seed)

    def batch(self) -> dict[str, torch.Tensor]:
        """A batch at random."""
        chosen = self.random.choice(len(self.clips), BATCH, p=self.share)
        rows: dict[str, list[torch.Tensor]] = {}
        for clip in (self.clips[i] for i in chosen):
            first = int(self.random.integers(max(len(clip.right) - WINDOW, 0) + 1))
            cut = slice(first, first + WINDOW)
            parts = {
                "inputs": clip.inputs[cut].astype(np.float32), "onset_s": clip.onset_s[cut], "pitch": clip.pitch[cut],
                "passage": clip.passage[cut], "right": clip.right[cut], "velocity": clip.velocity[cut],
                "shift": clip.shift_s[cut] / SHIFT_UNIT_S, "there": np.ones(len(clip.right[cut]), bool),
            }  # fmt: skip
            for name, values in parts.items():
                rows.setdefault(name, []).append(torch.from_numpy(np.ascontiguousarray(values)))
            as_one = bool(clip.one_voice) and self.random.random() >= READ_AS_MANY
            rows.setdefault("one_voice", []).append(torch.tensor(float(as_one)))
        voices = torch.stack(rows.pop("one_voice"))
        padded = {name: torch.nn.utils.rnn.pad_sequence(parts, True) for name, parts in rows.items()}
        return {**padded, "one_voice": voices}


def varied(inputs: torch.Tensor, spread: torch.Tensor, random: torch.Generator) -> torch.Tensor:
    """Measures of each window as of another instrument: all moved together, and each strike's a little."""
    whole = 0.15 * torch.randn(len(inputs), 1, inputs.shape[2], generator=random)
    own = 0.05 * torch.randn(inputs.shape, generator=random)
    return inputs + spread * (whole + own)


def said_of(network: StrikeNetwork, rows: dict[str, torch.Tensor]) -> torch.Tensor:
    """What the network says of a batch; no strike sees another passage."""
    hidden = (rows["passage"][:, None] != rows["passage"][:, :, None]) | ~rows["there"][:, None]
    return network(rows["inputs"], rows["onset_s"], rows["pitch"], rows["one_voice"], hidden)  # type: ignore


def loss_of(said: torch.Tensor, rows: dict[str, torch.Tensor]) -> torch.Tensor:
    """Entropy of being a note, squared error of velocities within windows, error of moments."""
    there, right = rows["there"], rows["right"] & rows["there"]
    entropy = functional.binary_cross_entropy_with_logits(said[..., 0], right.float(), reduction="none")[there].mean()
    struck = (right & ~rows["velocity"].isnan()).float()
    count = struck.sum(dim=1, keepdim=True).clamp(min=1)
    error = (said[..., 1] - rows["velocity"].nan_to_num()) * struck
    middle = error.sum(dim=1, keepdim=True) / count
    within = ((error - middle * struck) ** 2).sum() / struck.sum().clamp(min=1)
    telling = (there & ~rows["shift"].isnan()).float()
    wanted = rows["shift"].nan_to_num().clamp(-LONGEST_SHIFT, LONGEST_SHIFT)
    late = functional.smooth_l1_loss(said[..., 2], wanted, reduction="none") * telling
    velocity = within + MIDDLE_WEIGHT * (middle**2).mean()
    loss: torch.Tensor = entropy + VELOCITY_WEIGHT * velocity + SHIFT_WEIGHT * late.sum() / telling.sum().clamp(min=1)
    return loss


def train(clips: list[StrikesHeard], weights: list[float], minutes: float, path: Path | None) -> StrikeNetwork:
    """A network of averaged weights."""
    torch.manual_seed(4)
    random = torch.Generator().manual_seed(4)
    kept = [i for i, c in enumerate(clips) if len(c.right) > 2]
    windows = Windows([clips[i] for i in kept], [weights[i] for i in kept], seed=4)
    all_inputs = torch.from_numpy(np.concatenate([c.inputs for c in clips[::3]]).astype(np.float32))
    spread = all_inputs.std(dim=0).clamp(min=1e-2)
    network = StrikeNetwork(all_inputs.mean(dim=0), spread)
    learner = Learner(network, minutes, peak_rate=PEAK_RATE, warm_steps=100, weight_decay=1e-2, path=path)
    while not learner.done:
        rows = windows.batch()
        rows["inputs"] = varied(rows["inputs"], spread, random)
        learner.learn(loss_of(said_of(network, rows), rows))
    learner.averaged()
    return network


def figures(network: StrikeNetwork, clips: list[StrikesHeard], *, one_voice: bool) -> str:
    """F1 of all strikes together, their entropy and calibration error."""
    sure_all: list[NDArray[np.float32]] = []
    for clip in clips:
        given = torch.from_numpy(clip.inputs.astype(np.float32))[None], torch.from_numpy(clip.onset_s)[None]
        hidden = torch.from_numpy(clip.passage[None, :, None] != clip.passage[None, None])
        with torch.no_grad():
            said = network(*given, torch.from_numpy(clip.pitch)[None], torch.tensor([float(one_voice)]), hidden)
        sure_all.append(torch.sigmoid(said[0, :, 0]).numpy())
    sure, right = np.concatenate(sure_all), np.concatenate([c.right for c in clips])
    f1 = 2 * (right & (sure >= 0.5)).sum() / (right.sum() + (sure >= 0.5).sum())
    entropy = -np.log(np.where(right, sure, 1 - sure).clip(1e-6)).mean()
    place = np.minimum((sure * 10).astype(int), 9)
    off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / len(sure)
    return f"F1 {f1:.3f} of {int(right.sum())}, entropy {entropy:.4f}, calibration {off:.3f}"


def export(network: StrikeNetwork, target: Path = TARGET) -> None:
    """Writes the network as the application ships it."""
    given = (
        torch.zeros(1, 8, len(network.mean)), torch.arange(8.0)[None], torch.arange(60, 68)[None], torch.ones(1),
    )  # fmt: skip
    axes = {name: {1: "count"} for name in ("strikes", "time_s", "pitch", "said")}
    names = ("strikes", "time_s", "pitch", "one_voice", "said")
    write_onnx(Shipped(network).eval(), given, target, names, axes)


def split(clips: list[StrikesHeard]) -> tuple[list[int], list[int]]:
    """Which tuning clips are learnt from and which are held out: every second one of one voice and of many."""
    groups = [[i for i, c in enumerate(clips) if bool(c.one_voice) == one] for one in (False, True)]
    return [i for g in groups for i in g[::2]], [i for g in groups for i in g[1::2]]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--minutes", type=float, default=40.0)
    parser.add_argument("--workers", type=int, default=1)
    parser.add_argument("--all", action="store_true", help="learn from all tuning clips, as what ships does")
    options = parser.parse_args()
    torch.set_num_threads(1)
    paths = {
        name: sorted(p for p in options.cache.glob(f"notes-{recipes.RECIPE}-{name}-*.npz") if ".part" not in p.name)
        for name in ("train", "tuning")
    }
    heard = {
        (name, variant): all_strikes_heard(options.cache, paths[name], variant, options.workers)
        for name in paths
        for variant in range(VARIANTS + 1 if name == "train" else 2)
    }
    learnt, held_out = split(heard["tuning", 0])
    if options.all:
        learnt = sorted([*learnt, *held_out])
    trained = [c for variant in range(VARIANTS + 1) for c in heard["train", variant]]
    unfamiliar = [heard["tuning", variant][i] for variant in range(2) for i in learnt]
    weights = [1.0] * len(trained) + [UNFAMILIAR_WEIGHT] * len(unfamiliar)
    checkpoint = options.cache / ("strikes-all.pt" if options.all else "strikes.pt")
    network = train([*trained, *unfamiliar], weights, options.minutes, checkpoint)
    told = [heard["tuning", 0][i] for i in held_out]
    for one in (False, True):
        print(
            "one " if one else "many", figures(network, [c for c in told if bool(c.one_voice) == one], one_voice=one)
        )
    export(network)


if __name__ == "__main__":
    main()
