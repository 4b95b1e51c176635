"""Trains the first network for beats and exports it; goes on where it was interrupted.

python -m training.train_beats CACHE --minutes 30 [--songs 500] [--alone 500] [--from-shipped]
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from honest_stave.core.beat.beats_hearing import SHORTEST_LOG2, SLOWEST_LOG2, TEMPO_CLASSES
from honest_stave.core.beat.heard import ZONES, Heard
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from training.beat_clips import FIRST_ALONE_SEED, FIRST_SONGS_SEED
from training.beat_material import Made, material
from training.beat_network import BeatNetwork
from training.learner import Learner
from training.onnx_file import write_onnx
from training.shipped import take_over, weights_of

NETWORKS = Path(__file__).parents[1] / "src" / "honest_stave" / "core" / "networks"
BATCH, CELLS = 8, 1400
# A training that goes on takes smaller steps.
PEAK_RATE, PEAK_RATE_AGAIN = 3e-3, 1.5e-3
HEARD_STEPS = 20
REACH_CELLS = 1.5
# Songs are quick: where they are as much of what is learnt from as they are clips, slow music is counted twice as
# quick. Others are drawn so many times as often.
OTHERS_OFTEN = 2
# So many of the windows begin with a beat: hardly a made-up clip does.
AT_A_BEAT = 0.2


def warped(clip: Made, random: np.random.Generator) -> tuple[Heard, np.ndarray, np.ndarray]:
    """What is heard, cells of beats and their places, played quicker or slower and with registers masked."""
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
    notes = clip.notes * np.float32([1 / factor, 1, 1 / factor, 1, 1])
    return Heard(columns, clip.chroma.astype(np.float32)[low], notes), beat_cell, clip.place


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
        heard, beat_cell, place = warped(clips[int(i)], random)
        columns = heard.columns
        target, length, known = targets_of(beat_cell, place, len(columns))
        inside = np.ones(len(columns), np.float32)
        # After the last beat nothing is known: the clip ends inside the music.
        inside[int(beat_cell[-1]) + 3 :] = 0
        first = int(random.integers(max(1, len(columns) - CELLS)))
        if random.random() < AT_A_BEAT:
            # Loops begin with their first beat, and of that the ears say less than of others.
            first = int(random.choice(beat_cell[: max(1, len(beat_cell) // 2)]))
            columns[first : first + 2] *= float(random.uniform(0, 1))
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


def begun(clips: list[Made], *, from_shipped: bool) -> BeatNetwork:
    """A network to be trained: new, or as the shipped one."""
    network = BeatNetwork()

    def hear() -> None:
        for step in range(HEARD_STEPS):
            network(batch_of(clips, step)[0])

    if from_shipped:
        take_over(network, weights_of(NETWORKS / "beats.onnx"), network.norms(), hear)
    return network


def train_beats(clips: list[Made], network: BeatNetwork, learner: Learner) -> BeatNetwork:
    """A network of averaged weights; goes on where it was interrupted."""
    while not learner.done:
        columns, *truth = batch_of(clips, learner.step)
        learner.learn(loss_of(network(columns), *truth))
    learner.averaged()
    return network


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=600)
    parser.add_argument("--songs", type=int, default=0)
    parser.add_argument("--alone", type=int, default=0)
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--threads", type=int, default=1)
    parser.add_argument(
        "--from-shipped", action="store_true", help="without a checkpoint, begin with the shipped one"
    )
    options = parser.parse_args()
    torch.manual_seed(4)
    torch.set_num_threads(options.threads)
    clips = OTHERS_OFTEN * material(options.cache, options.clips)
    clips += material(options.cache, options.songs, first=FIRST_SONGS_SEED)
    clips += material(options.cache, options.alone, first=FIRST_ALONE_SEED)
    path = options.cache / "beats.pt"
    network = begun(clips, from_shipped=options.from_shipped and not path.exists())
    peak_rate = PEAK_RATE_AGAIN if options.from_shipped else PEAK_RATE
    train_beats(clips, network, Learner(network, options.minutes, peak_rate=peak_rate, path=path))
    axes = {"columns": {1: "cells"}, "out": {1: "cells"}}
    given = torch.zeros(1, 256, clips[0].columns.shape[1])
    write_onnx(network, (given,), NETWORKS / "beats.onnx", ("columns", "out"), axes)


if __name__ == "__main__":
    main()
