"""Makes the material, trains the network for hits and exports it; goes on where it was interrupted.

python -m training.train_hits CACHE --clips 1500 --minutes 20
"""

import argparse
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from honest_stave.core.hits.hearing import HOP_SAMPLES, LEAD_S, RATE, measure_levels
from training.hit_clips import HitClip, make_clip
from training.hit_network import DRUMS, HitNetwork
from training.learner import Learner
from training.one_shots import trained_kits
from training.onnx_file import write_onnx
from training.part_way import part_way
from training.shipped import part_of, take_over, weights_of
from training.unfamiliar_kits import tuning_kits

TARGET = Path(__file__).parents[1] / "src" / "honest_stave" / "core" / "networks" / "hits.onnx"
RECIPE = 5
# Of the loops so many have every drum from another kit, and so many every drum changed in colour.
MIXED_SHARE, COLOURED_SHARE = 0.5, 0.5
# Loops from this seed on are of one drum, or of few.
SPARSE_FROM = 50_000
# Loops kept in one file: what is lost by an interruption.
TOGETHER = 100
BATCH, FRAMES = 16, 640
# From the beginning, and where a trained network goes on: it would forget at the full rate.
PEAK_RATE, PEAK_RATE_AGAIN = 3e-3, 1.5e-3
# A network that goes on from the shipped one ends so much of the way from it: all of it forgets whole kits.
SHARE_OF_NEW = 0.5
# Batches on which the norms of a shipped network are opened again.
OPENED_WITH = 12
POSITIVE_WEIGHT, VELOCITY_WEIGHT = 3.0, 1.0
BYTE_UNIT = 60.0


def heard(clip: HitClip) -> tuple[np.ndarray, np.ndarray]:
    """Levels as bytes (2, frames, bands), and hits."""
    return np.clip(np.round(measure_levels(clip.sound) * BYTE_UNIT), 0, 255).astype(np.uint8), clip.hits


def _make(cache: Path, first: int, tuning: bool) -> Path:
    path = cache / f"hits-{RECIPE}-{'tuning' if tuning else 'train'}-{first:05d}.npz"
    if path.exists():
        return path
    kits = tuning_kits() if tuning else trained_kits()
    made = []
    for seed in range(first, first + TOGETHER):
        random = np.random.default_rng([19, seed])
        mixed, coloured = (not tuning and random.random() < share for share in (MIXED_SHARE, COLOURED_SHARE))
        clip = make_clip(seed, kits, tuning=tuning, mixed=mixed, coloured=coloured, sparse=seed >= SPARSE_FROM)
        made.append(heard(clip))
    part = path.with_suffix(".part.npz")
    np.savez_compressed(part, *[array for clip in made for array in clip])
    part.rename(path)
    print(path.name, flush=True)
    return path


def material(
    cache: Path, count: int, workers: int, *, first: int = 0, tuning: bool = False
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Clips from seed ``first`` on, made where they are not there yet."""
    starts = range(first, first + count, TOGETHER)
    with ProcessPoolExecutor(workers) as pool:
        paths = list(pool.map(_make, [cache] * len(starts), starts, [tuning] * len(starts)))
    clips = []
    for path in paths:
        with np.load(path) as kept:
            clips += [(kept[f"arr_{2 * i}"], kept[f"arr_{2 * i + 1}"]) for i in range(TOGETHER)]
    return clips


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


def begun() -> HitNetwork:
    """A network that knows nothing."""
    torch.manual_seed(3)
    return HitNetwork()


def shipped(kept: Path, clips: list[tuple[np.ndarray, np.ndarray]]) -> dict[str, torch.Tensor]:
    """Weights in the package as they were when this training began, kept so that it ends alike when done again."""
    if not kept.exists():
        network = begun()

        def hear() -> None:
            for step in range(OPENED_WITH):
                network(batch_of(clips, step)[0])

        take_over(network, part_of(weights_of(TARGET), "network"), network.norms(), hear)
        torch.save(network.state_dict(), kept)
    weights: dict[str, torch.Tensor] = torch.load(kept)
    return weights


def train(network: HitNetwork, clips: list[tuple[np.ndarray, np.ndarray]], learner: Learner) -> HitNetwork:
    """The network with averaged weights."""
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
    parser.add_argument("--clips", type=int, default=2400)
    parser.add_argument("--sparse-clips", type=int, default=800, help="of one drum, or of few")
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--threads", type=int, default=1)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--from-shipped", action="store_true", help="go on from the network in the package")
    parser.add_argument("--material-only", action="store_true")
    options = parser.parse_args()
    clips = material(options.cache, options.clips, options.workers)
    clips += material(options.cache, options.sparse_clips, options.workers, first=SPARSE_FROM)
    if options.material_only:
        return
    torch.set_num_threads(options.threads)
    network = begun()
    before = shipped(options.cache / "hits-before.pt", clips) if options.from_shipped else {}
    if before:
        network.load_state_dict(before)
    peak_rate = PEAK_RATE_AGAIN if before else PEAK_RATE
    learner = Learner(network, options.minutes, peak_rate=peak_rate, path=options.cache / "hits.pt")
    learnt = train(network, clips, learner)
    if before:
        part_way(before, learnt, SHARE_OF_NEW)
    export(learnt)


if __name__ == "__main__":
    main()
