"""Trains the network for notes; goes on where it was interrupted.

    python -m training.train_notes CACHE --minutes 80 [--channels 48] [--from-shipped]

Writes ``CACHE/notes-CHANNELS.pt`` every few minutes. Clips that are made meanwhile are taken in.
"""

import argparse
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch.nn import functional

from honest_stave.core import networks
from training import clips as recipes
from training.material import Heard, load
from training.note_batches import Batch, make_batch, reference_of
from training.note_network import NoteNetwork
from training.shipped import take_over

BATCH = 8
# From the beginning, and where a trained network goes on: it would forget at the full rate.
PEAK_RATE, PEAK_RATE_AGAIN = 2.5e-3, 1.2e-3
WARM_STEPS = 100
POSITIVE_WEIGHT = 2.0
# Squared errors of velocities are some hundredths: this makes them matter beside the entropies.
VELOCITY_WEIGHT = 5.0
# The averaged weights forget with this factor a step.
AVERAGING = 0.998
SAVED_EVERY_S = 180.0
LONGEST_STEP_S = 6.0
SHIPPED = Path(networks.__file__).parent / "notes.onnx"
# Batches on which the norms of a shipped network are opened again.
OPENED_WITH = 12


def load_new(cache: Path, known: dict[Path, Heard]) -> None:
    """Takes in the clips that have been made since."""
    for path in sorted(cache.glob(f"notes-{recipes.RECIPE}-train-*.npz")):
        if path not in known and ".part" not in path.name:
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


def rate_at(done: float, step: int, peak: float) -> float:
    """Learning rate after a share ``done`` of the time: a warm start to ``peak``, then a cosine to nothing."""
    return float(peak * min(1.0, step / WARM_STEPS) * 0.5 * (1 + np.cos(np.pi * min(done, 1.0))))


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
    peak = PEAK_RATE_AGAIN if options.from_shipped else PEAK_RATE
    torch.manual_seed(1)
    torch.set_num_threads(options.threads)
    network = NoteNetwork(options.channels).to(memory_format=torch.channels_last)
    path = options.cache / f"notes-{options.channels}.pt"
    if options.from_shipped and not path.exists():
        made = batches(options.cache, 0)
        take_over(network, SHIPPED, [next(made) for _ in range(OPENED_WITH)])
    average = {name: value.detach().clone() for name, value in network.state_dict().items()}
    optimiser = torch.optim.AdamW(network.parameters(), lr=PEAK_RATE, weight_decay=1e-3)
    step, spent_s = 0, 0.0
    if path.exists():
        kept = torch.load(path, weights_only=False)
        network.load_state_dict(kept["network"])
        optimiser.load_state_dict(kept["optimiser"])
        average, step, spent_s = kept["average"], kept["step"], kept["spent_s"]
    # Compiled, a step takes a fifth less time.
    learning = torch.compile(network)
    print(f"{sum(p.numel() for p in network.parameters())} parameters, from step {step}", flush=True)
    saved = last = time.perf_counter()
    recent: list[float] = []
    for batch in batches(options.cache, step):
        done = spent_s / (60 * options.minutes)
        if done >= 1:
            break
        for group in optimiser.param_groups:
            group["lr"] = rate_at(done, step, peak)
        logits = learning(torch.from_numpy(batch.long), torch.from_numpy(batch.short))
        loss = loss_of(logits, torch.from_numpy(batch.targets))
        optimiser.zero_grad(set_to_none=True)
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimiser.step()
        step += 1
        keep = min(AVERAGING, step / (step + 10))
        with torch.no_grad():
            for name, value in network.state_dict().items():
                if value.dtype.is_floating_point:
                    average[name].mul_(keep).add_(value, alpha=1 - keep)
                else:
                    average[name].copy_(value)
        recent.append(loss.item())
        now = time.perf_counter()
        # A step that a pause of the machine made long counts as a usual one.
        spent_s, last = spent_s + min(now - last, LONGEST_STEP_S), now
        if step % 50 == 0:
            print(f"step {step}  {spent_s / 60:.1f} min  loss {np.mean(recent[-50:]):.4f}", flush=True)
        if now - saved > SAVED_EVERY_S:
            saved = now
            _save(path, network, average, optimiser, step, spent_s)
    _save(path, network, average, optimiser, step, spent_s)


def _save(
    path: Path,
    network: NoteNetwork,
    average: dict[str, torch.Tensor],
    optimiser: torch.optim.Optimizer,
    step: int,
    spent_s: float,
) -> None:
    part = path.with_suffix(".part")
    kept = {"network": network.state_dict(), "average": average, "optimiser": optimiser.state_dict()}
    torch.save({**kept, "step": step, "spent_s": spent_s}, part)
    part.rename(path)


if __name__ == "__main__":
    main()
