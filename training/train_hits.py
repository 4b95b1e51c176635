"""Makes the material, trains the network for hits and exports it; goes on where it was interrupted.

python -m training.train_hits CACHE --clips 1500 --minutes 20
"""

import argparse
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from honest_stave.core.hits.hearing import HOP_SAMPLES, LEAD_S, RATE, measure_levels
from training.hit_clips import HitClip, make_clip
from training.hit_network import DRUMS, HitNetwork
from training.learner import Learner
from training.one_shots import trained_kits, tuning_kits
from training.onnx_file import write_onnx

TARGET = Path(__file__).parents[1] / "src" / "honest_stave" / "core" / "networks" / "hits.onnx"
RECIPE = 3
BATCH, FRAMES = 16, 640
PEAK_RATE = 3e-3
POSITIVE_WEIGHT, VELOCITY_WEIGHT = 3.0, 1.0
BYTE_UNIT = 60.0


def heard(clip: HitClip) -> tuple[np.ndarray, np.ndarray]:
    """Levels as bytes (2, frames, bands), and hits."""
    return np.clip(np.round(measure_levels(clip.sound) * BYTE_UNIT), 0, 255).astype(np.uint8), clip.hits


def material(cache: Path, count: int, *, tuning: bool = False) -> list[tuple[np.ndarray, np.ndarray]]:
    """Clips by seed, kept in one file."""
    path = cache / f"hits-{RECIPE}-{'tuning' if tuning else 'train'}-{count}.npz"
    if not path.exists():
        kits = tuning_kits() if tuning else trained_kits()
        print(f"{len(kits)} kits", flush=True)
        made = []
        for seed in range(count):
            made.append(heard(make_clip(seed, kits, tuning=tuning)))
            if seed % 200 == 199:
                print(f"{seed + 1} of {count} loops", flush=True)
        np.savez_compressed(path, *[part for clip in made for part in clip])
    with np.load(path) as kept:
        parts = [kept[f"arr_{i}"] for i in range(2 * count)]
    return list(zip(parts[::2], parts[1::2], strict=True))


def targets_of(hits: np.ndarray, frames: int) -> tuple[np.ndarray, np.ndarray]:
    """Targets (13, frames) and weights of the classes (6, frames): unclear strokes have none."""
    target, weight = np.zeros((13, frames), np.float32), np.ones((DRUMS, frames), np.float32)
    for time_s, drum, velocity in hits:
        middle = (time_s + LEAD_S) * RATE / HOP_SAMPLES
        near = np.arange(max(int(middle) - 1, 0), min(int(middle) + 3, frames))
        height = np.clip(1 - 0.5 * np.abs(near - middle), 0, 1)
        target[0, near] = np.maximum(target[0, near], height)
        if drum < 0:
            weight[:, max(int(middle) - 3, 0) : int(middle) + 5] = 0
        else:
            target[1 + int(drum), near] = np.maximum(target[1 + int(drum), near], height)
            target[7 + int(drum), near] = velocity
    return target, weight


def batch_of(clips: list[tuple[np.ndarray, np.ndarray]], step: int) -> tuple[torch.Tensor, ...]:
    random = np.random.default_rng([5, step])
    levels, targets, weights = [], [], []
    for i in random.integers(len(clips), size=BATCH):
        kept, hits = clips[int(i)]
        target, weight = targets_of(hits, kept.shape[1])
        first = int(random.integers(max(1, kept.shape[1] - FRAMES)))
        view = kept[:, first : first + FRAMES].astype(np.float32) / BYTE_UNIT
        tilt = float(random.normal(0, 0.08)) * np.linspace(-1, 1, view.shape[2], dtype=np.float32)
        view = np.maximum(view + (tilt + float(random.normal(0, 0.12))) * (view > 0), 0)
        levels.append(np.pad(view, ((0, 0), (0, FRAMES - view.shape[1]), (0, 0))))
        target, weight = target[:, first : first + FRAMES], weight[:, first : first + FRAMES]
        targets.append(np.pad(target, ((0, 0), (0, FRAMES - target.shape[1]))))
        weights.append(np.pad(weight, ((0, 0), (0, FRAMES - weight.shape[1]))))
    return tuple(torch.from_numpy(np.stack(part)) for part in (levels, targets, weights))


def loss_of(logits: torch.Tensor, target: torch.Tensor, weight: torch.Tensor) -> torch.Tensor:
    positive = torch.tensor(POSITIVE_WEIGHT)
    entropy = functional.binary_cross_entropy_with_logits
    struck = entropy(logits[:, 0], target[:, 0], pos_weight=positive)
    drums = (entropy(logits[:, 1:7], target[:, 1:7], pos_weight=positive, reduction="none") * weight).mean()
    at = (target[:, 7:] > 0).float()
    velocity = (((torch.sigmoid(logits[:, 7:]) - target[:, 7:]) ** 2) * at).sum() / (at.sum() + 1)
    total: torch.Tensor = struck + 4 * drums + VELOCITY_WEIGHT * velocity
    return total


def train(cache: Path, clips: list[tuple[np.ndarray, np.ndarray]], minutes: float, threads: int) -> HitNetwork:
    torch.manual_seed(3)
    torch.set_num_threads(threads)
    network = HitNetwork()
    learner = Learner(network, minutes, peak_rate=PEAK_RATE, path=cache / "hits.pt")
    with ThreadPoolExecutor(1) as pool:
        waiting = pool.submit(batch_of, clips, learner.step)
        while not learner.done:
            batch = waiting.result()
            waiting = pool.submit(batch_of, clips, learner.step + 1)
            learner.learn(loss_of(network(batch[0]), batch[1], batch[2]))
    learner.averaged()
    return network


class Shares(torch.nn.Module):
    """The network with its outputs as probabilities."""

    def __init__(self, network: torch.nn.Module) -> None:
        super().__init__()
        self.network = network

    def forward(self, levels: torch.Tensor) -> torch.Tensor:
        return torch.sigmoid(self.network(levels))


def export(network: HitNetwork) -> None:
    """Writes the network as the application ships it."""
    axes = {"levels": {2: "frames"}, "shares": {2: "frames"}}
    write_onnx(Shares(network).eval(), (torch.zeros(1, 2, 256, 64),), TARGET, ("levels", "shares"), axes)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=1500)
    parser.add_argument("--tuning-clips", type=int, default=160)
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--threads", type=int, default=2)
    parser.add_argument("--material-only", action="store_true")
    options = parser.parse_args()
    clips = material(options.cache, options.clips)
    material(options.cache, options.tuning_clips, tuning=True)
    if not options.material_only:
        export(train(options.cache, clips, options.minutes, options.threads))


if __name__ == "__main__":
    main()
