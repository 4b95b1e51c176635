"""Trains the two networks for beats and exports them; goes on where it was interrupted.

python -m training.train_beats CACHE --minutes 30
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from honest_stave.core.beat.bar_features import bar_features
from honest_stave.core.beat.beats_hearing import METERS, SHORTEST_LOG2, SLOWEST_LOG2, TEMPO_CLASSES, BeatActivity
from honest_stave.core.beat.heard import ZONES, Heard
from honest_stave.core.beat.track import track_beats
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from training.beat_material import Made, material
from training.beat_network import BarNetwork, BeatNetwork
from training.learner import Learner
from training.onnx_file import write_onnx

NETWORKS = Path(__file__).parents[1] / "src" / "honest_stave" / "core" / "networks"
BATCH, CELLS = 8, 1400
PEAK_RATE = 3e-3
BAR_BATCH, BAR_BEATS, BAR_STEPS = 24, 64, 2200
FEATURE_NOISE = 0.05
REACH_CELLS = 1.5


def warped(clip: Made, random: np.random.Generator) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Columns, chroma, moments of beats and their places, played quicker or slower and with registers masked."""
    factor = float(np.exp(random.uniform(-0.18, 0.18)))
    cells = int(len(clip.columns) / factor)
    at = np.minimum(np.arange(cells) * factor, len(clip.columns) - 1.001)
    low, share = at.astype(int), (at % 1)[:, None].astype(np.float32)
    columns = clip.columns.astype(np.float32)
    columns = columns[low] * (1 - share) + columns[low + 1] * share
    if random.random() < 0.15:
        columns[:, 2 * ZONES : 2 * ZONES + 7] *= float(random.uniform(0, 0.4))
    if random.random() < 0.3:
        zone = int(random.integers(ZONES))
        columns[:, zone] *= 0.2
        columns[:, ZONES + zone] *= 0.4
    columns = columns * random.uniform(0.75, 1.2, columns.shape[1]).astype(np.float32)
    beat_cell = (clip.time_s - FIRST_CELL_S) / CELL_S / factor
    return columns, clip.chroma.astype(np.float32)[low], beat_cell, clip.place


def targets_of(beat_cell: np.ndarray, place: np.ndarray, cells: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Targets of beat and downbeat (cells, 2), of beat lengths (cells, classes), and where lengths are known."""
    target = np.zeros((cells, 2), np.float32)
    for column, chosen in enumerate((beat_cell, beat_cell[place == 0])):
        for at in chosen:
            near = np.arange(max(int(at) - 1, 0), min(int(at) + 3, cells))
            target[near, column] = np.maximum(
                target[near, column], np.clip(1 - np.abs(near - at) / REACH_CELLS, 0, 1)
            )
    length = np.zeros((cells, TEMPO_CLASSES), np.float32)
    now = np.clip(np.searchsorted(beat_cell, np.arange(cells), side="right") - 1, 0, len(beat_cell) - 2)
    log = np.log2(np.diff(beat_cell)[now] * CELL_S)
    spot = np.clip(
        (log - SHORTEST_LOG2) / (SLOWEST_LOG2 - SHORTEST_LOG2) * (TEMPO_CLASSES - 1), 0, TEMPO_CLASSES - 1.001
    )
    rows = np.arange(cells)
    length[rows, spot.astype(int)] = 1 - spot % 1
    length[rows, spot.astype(int) + 1] = spot % 1
    known = (rows >= beat_cell[0]) & (rows <= beat_cell[-1])
    return target, length, known.astype(np.float32)


def batch_of(clips: list[Made], step: int) -> tuple[torch.Tensor, ...]:
    random = np.random.default_rng([31, step])
    parts: list[list[np.ndarray]] = [[], [], [], [], []]
    for i in random.integers(len(clips), size=BATCH):
        columns, _, beat_cell, place = warped(clips[int(i)], random)
        target, length, known = targets_of(beat_cell, place, len(columns))
        inside = np.ones(len(columns), np.float32)
        # After the last beat nothing is known: the clip ends inside the music.
        inside[int(beat_cell[-1]) + 3 :] = 0
        first = int(random.integers(max(1, len(columns) - CELLS)))
        for kept, part in zip(parts, (columns, target, length, known, inside), strict=True):
            cut = part[first : first + CELLS]
            kept.append(np.pad(cut, [(0, CELLS - len(cut))] + [(0, 0)] * (cut.ndim - 1)))
    return tuple(torch.from_numpy(np.stack(p)) for p in parts)


def loss_of(
    out: torch.Tensor, target: torch.Tensor, length: torch.Tensor, known: torch.Tensor, inside: torch.Tensor
) -> torch.Tensor:
    weight = torch.tensor([2.0, 3.0])
    struck = functional.binary_cross_entropy_with_logits(out[:, :, :2], target, pos_weight=weight, reduction="none")
    struck = (struck * torch.tensor([1.0, 0.7]) * inside[:, :, None]).sum() / inside.sum()
    tempo = -(torch.log_softmax(out[:, :, 2:], dim=2) * length).sum(dim=2)
    total: torch.Tensor = struck + 0.05 * (tempo * known).sum() / known.sum()
    return total


def train_beats(cache: Path, clips: list[Made], minutes: float) -> BeatNetwork:
    torch.manual_seed(4)
    torch.set_num_threads(1)
    network = BeatNetwork()
    learner = Learner(network, minutes, peak_rate=PEAK_RATE, path=cache / "beats.pt")
    while not learner.done:
        columns, *truth = batch_of(clips, learner.step)
        learner.learn(loss_of(network(columns), *truth))
    learner.averaged()
    return network


def heard_by(network: BeatNetwork, columns: np.ndarray) -> BeatActivity:
    """What a network in training says of columns, as the application hears it."""
    with torch.no_grad():
        out = network(torch.from_numpy(columns[None]))[0]
        return BeatActivity(out[:, 0].numpy(), out[:, 1].numpy(), torch.log_softmax(out[:, 2:], dim=1).numpy())


Row = tuple[np.ndarray, np.ndarray, np.ndarray]


def is_right(beat_s: np.ndarray, true_s: np.ndarray) -> bool:
    """Whether a row of beats counts the music as it is written."""
    inside = beat_s[(beat_s > true_s[0] - 0.1) & (beat_s < true_s[-1] + 0.1)]
    if len(inside) < 4:
        return False
    near = np.abs(inside[:, None] - true_s).min(axis=1) < 0.08
    return 2 * near.sum() / (len(inside) + len(true_s)) > 0.85


def bar_rows(network: BeatNetwork, clips: list[Made], rounds: int) -> list[Row]:
    """Rows of beats: features, downbeats and meters, -1 where unknown.

    Of each clip there are true beats with a jitter, and beats as the first network has them where
    those are counted as the music is written.
    """
    rows = []
    for number, clip in enumerate(clips):
        one_meter = len(set(clip.length.tolist())) == 1
        meter = METERS.index((int(np.median(clip.length)), clip.compound)) if one_meter else -1
        for turn in range(rounds):
            random = np.random.default_rng([32, number, turn])
            columns, chroma, beat_cell, place = warped(clip, random)
            heard, activity = Heard(columns, chroma), heard_by(network, columns)
            true_s = beat_cell * CELL_S + FIRST_CELL_S
            beat_s = np.sort(true_s + random.normal(0, 0.012, len(true_s)))
            if turn % 2:
                beat_s, _ = track_beats(activity, columns[:, -1])
                if not is_right(beat_s, true_s):
                    continue
            if len(beat_s) < 8:
                continue
            apart = np.abs(beat_s[:, None] - true_s)
            near = apart.min(axis=1) < 0.2 * float(np.median(np.diff(true_s)))
            downbeat = np.where(near, place[apart.argmin(axis=1)] == 0, -1).astype(np.float32)
            rows.append((bar_features(heard, activity, beat_s), downbeat, np.full(len(beat_s), meter)))
    return rows


def train_bars(rows: list[Row], steps: int) -> BarNetwork:
    torch.manual_seed(5)
    network = BarNetwork(rows[0][0].shape[1])
    print(f"{sum(p.numel() for p in network.parameters())} parameters, {len(rows)} rows", flush=True)
    optimiser = torch.optim.AdamW(network.parameters(), lr=3e-3, weight_decay=3e-2)
    recent = []
    for step in range(steps):
        random = np.random.default_rng([33, step])
        parts: list[list[np.ndarray]] = [[], [], []]
        for i in random.integers(len(rows), size=BAR_BATCH):
            features, downbeat, meters = rows[int(i)]
            features = features + random.normal(0, FEATURE_NOISE, features.shape).astype(np.float32)
            first = int(random.integers(max(1, len(features) - BAR_BEATS)))
            cut = slice(first, first + BAR_BEATS)
            short = BAR_BEATS - len(features[cut])
            parts[0].append(np.pad(features[cut], ((0, short), (0, 0))))
            parts[1].append(np.pad(downbeat[cut], (0, short), constant_values=-1))
            parts[2].append(np.pad(meters[cut], (0, short), constant_values=-1))
        features, downbeat, meters = (torch.from_numpy(np.stack(p)) for p in parts)
        for group in optimiser.param_groups:
            group["lr"] = 3e-3 * min(1.0, (step + 1) / 60) * 0.5 * (1 + np.cos(np.pi * step / steps))
        out = network(features)
        known = downbeat >= 0
        loss = functional.binary_cross_entropy_with_logits(out[:, :, 0][known], downbeat[known])
        loss = loss + 0.4 * functional.cross_entropy(
            out[:, :, 1:].reshape(-1, len(METERS)), meters.reshape(-1), ignore_index=-1
        )
        optimiser.zero_grad(set_to_none=True)
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimiser.step()
        recent.append(loss.item())
        if step % 250 == 249:
            print(f"bars step {step + 1}  loss {np.mean(recent[-250:]):.4f}", flush=True)
    return network.eval()


def export(network: torch.nn.Module, name: str, given: torch.Tensor, entry: str, axis: str) -> None:
    """Writes a network as the application ships it."""
    axes = {entry: {1: axis}, "out": {1: axis}}
    write_onnx(network, (given,), NETWORKS / f"{name}.onnx", (entry, "out"), axes)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=600)
    parser.add_argument("--minutes", type=float, default=30.0)
    options = parser.parse_args()
    clips = material(options.cache, options.clips)
    network = train_beats(options.cache, clips, options.minutes)
    export(network, "beats", torch.zeros(1, 256, clips[0].columns.shape[1]), "columns", "cells")
    rows = bar_rows(network, clips, 5)
    bars = train_bars(rows, BAR_STEPS)
    export(bars, "bars", torch.zeros(1, 32, rows[0][0].shape[1]), "features", "beats")


if __name__ == "__main__":
    main()
