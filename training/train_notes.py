"""Trains the network for notes; goes on where it was interrupted.

    python -m training.train_notes CACHE --minutes 80 [--channels 48] [--from-shipped]

Writes ``CACHE/notes-CHANNELS.pt`` every few minutes. Clips that are made meanwhile are taken in.
"""

import argparse
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch.nn import functional

from honest_stave.core import networks
from training import clips as recipes
from training.learner import Learner
from training.material import Heard, is_unheard, load
from training.measure_notes import BEFORE
from training.note_batches import Batch, make_batch, reference_of
from training.note_network import NoteNetwork
from training.shipped import part_of, take_over, weights_of

BATCH = 8
# From the beginning, and where a trained network goes on: it would forget at the full rate.
PEAK_RATE, PEAK_RATE_AGAIN = 2.5e-3, 1.2e-3
WARM_STEPS = 100
POSITIVE_WEIGHT = 2.0
# Squared errors of velocities are some hundredths: this makes them matter beside the entropies.
VELOCITY_WEIGHT = 5.0
# The averaged weights forget with this factor a step.
AVERAGING = 0.998
SHIPPED = Path(networks.__file__).parent / "notes.onnx"
# Batches on which the norms of a shipped network are opened again.
OPENED_WITH = 12


def load_new(cache: Path, known: dict[Path, Heard]) -> None:
    """Takes in the clips that have been made since."""
    for path in sorted(cache.glob(f"notes-{recipes.RECIPE}-train-*.npz")):
        if path not in known and ".part" not in path.name and not is_unheard(path):
            known[path] = load(path)


def loss_of(logits: torch.Tensor, targets: torch.Tensor) -> torch.Tensor:
    """Cross entropy of onset, sounding and offset, and squared error of velocity at onsets."""
    weight = torch.tensor([POSITIVE_WEIGHT, 1.0, POSITIVE_WEIGHT]).view(1, 3, 1, 1)
    entropy = functional.binary_cross_entropy_with_logits(
        logits[:, :3], targets[:, :3], pos_weight=weight, reduction="none"
    )
    at_onset = (targets[:, 3] > 0).float()
    velocity = (torch.sigmoid(logits[:, 3]) - targets[:, 3]) ** 2 * at_onset
    shares = entropy.mean(dim=(0, 2, 3))
    # Onsets are rare beside sounding cells: they count as much as these.
    loss: torch.Tensor = (
        2 * shares[0] + shares[1] + shares[2] + VELOCITY_WEIGHT * velocity.sum() / (at_onset.sum() + 1)
    )
    return loss


def batches(cache: Path, first_step: int) -> Iterator[Batch]:
    """Batches without end, the next one made while the last is learnt."""
    known: dict[Path, Heard] = {}
    heard: list[Heard] = []
    references: list[float] = []

    def make(step: int) -> Batch:
        random = np.random.default_rng([7, step])
        chosen: NDArray[np.int64] = random.integers(len(heard), size=BATCH)
        return make_batch(heard, references, chosen, step)

    with ThreadPoolExecutor(1) as pool:
        step = first_step
        while True:
            if (step - first_step) % 200 == 0:
                load_new(cache, known)
                heard = list(known.values())
                references += [reference_of(clip) for clip in heard[len(references) :]]
                print(f"step {step}: {len(heard)} clips", flush=True)
                waiting = pool.submit(make, step)
            batch = waiting.result()
            step += 1
            waiting = pool.submit(make, step)
            yield batch


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--minutes", type=float, default=80.0)
    parser.add_argument("--channels", type=int, default=48)
    parser.add_argument("--threads", type=int, default=1)
    parser.add_argument(
        "--from-shipped", action="store_true", help="without a checkpoint, begin with the shipped one"
    )
    options = parser.parse_args()
    torch.manual_seed(1)
    torch.set_num_threads(options.threads)
    network = NoteNetwork(options.channels).to(memory_format=torch.channels_last)
    path = options.cache / f"notes-{options.channels}.pt"
    if not path.exists():
        # What another training went on from is nothing to this one.
        (options.cache / BEFORE).unlink(missing_ok=True)
    if options.from_shipped and not path.exists():
        made = batches(options.cache, 0)
        names = {name for name, _ in network.named_modules()}
        norms = {name: f"{name}_norm" for name in names if f"{name}_norm" in names}

        def hear() -> None:
            for _, batch in zip(range(OPENED_WITH), made, strict=False):
                network(torch.from_numpy(batch.long), torch.from_numpy(batch.short))

        take_over(network, part_of(weights_of(SHIPPED), "network"), norms, hear)
        torch.save(network.state_dict(), options.cache / BEFORE)
    peak_rate = PEAK_RATE_AGAIN if options.from_shipped else PEAK_RATE
    learner = Learner(
        network, options.minutes, peak_rate=peak_rate, warm_steps=WARM_STEPS, averaging=AVERAGING, path=path
    )
    # Compiled, a step takes a fifth less time.
    learning = torch.compile(network)
    for batch in batches(options.cache, learner.step):
        if learner.done:
            break
        logits = learning(torch.from_numpy(batch.long), torch.from_numpy(batch.short))
        learner.learn(loss_of(logits, torch.from_numpy(batch.targets)))


if __name__ == "__main__":
    main()
