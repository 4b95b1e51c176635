"""Trains the second network for notes, which says what is a note and when it begins, on what the first hears.

    python -m training.train_strikes CACHE --minutes 80 [--from-shipped]

Every second tuning clip takes part, at more weight, and the others say how good it is. ``train_force`` goes on from
it and exports both.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional

from honest_stave.core import networks
from honest_stave.core.pitch.weighing import SHIFT_UNIT_S
from training import shipped_strikes
from training.heard_kept import clip_paths
from training.lively_clips import is_lively
from training.look import scale_of
from training.material import seed_of
from training.part_way import part_way
from training.passage_windows import LEVEL_STEPS, Rows, split, trained_on, whole
from training.strike_network import StrikeNetwork, network_of
from training.strikes_heard import StrikesHeard, all_strikes_heard

TARGET = Path(networks.__file__).parent / "strikes.onnx"
# Clips changed by so many seeds take part beside the clips as they are.
VARIANTS = 2
UNFAMILIAR_WEIGHT = 2.0
# Clips of held and of few tones hold few strikes, so that a window of them is drawn rarely.
LIVELY_WEIGHT = 3.0
# So far from the shipped network goes the next one: all the way it forgets some of what it knew, as glides.
SHARE_OF_NEW = 0.9
OUTPUTS = 3
# Of what the network says, the force is said here.
VELOCITY = 1
# What this training ends with.
TRAINED = "strikes-trained.pt"
# What the training of the force keeps, which goes on from that.
FORCE = "force.pt"
# The shipped force as it was when its training went on.
FORCE_BEFORE = "force-before.pt"
# Levels are scaled by those of about so many clips.
SCALED_ON = 200
# A clip of one voice is read as many this often.
READ_AS_MANY = 0.3
VELOCITY_WEIGHT, MIDDLE_WEIGHT, SHIFT_WEIGHT = 3.0, 0.1, 0.05
# Shifts in units; longer ones are errors of the pairing.
LONGEST_SHIFT = 6.0


def force_error(said: torch.Tensor, rows: Rows) -> torch.Tensor:
    """Squared error of velocities (batch, strikes) within windows, and a little of their mean."""
    struck = (rows["right"] & rows["there"] & ~rows["velocity"].isnan()).float()
    count = struck.sum(dim=1, keepdim=True).clamp(min=1)
    error = (said - rows["velocity"].nan_to_num()) * struck
    middle = error.sum(dim=1, keepdim=True) / count
    within: torch.Tensor = ((error - middle * struck) ** 2).sum() / struck.sum().clamp(min=1)
    return within + MIDDLE_WEIGHT * (middle**2).mean()


def loss_of(said: torch.Tensor, rows: Rows) -> torch.Tensor:
    """Entropy of being a note, squared error of velocities within windows, error of moments."""
    there, right = rows["there"], rows["right"] & rows["there"]
    entropy = functional.binary_cross_entropy_with_logits(said[..., 0], right.float(), reduction="none")[there].mean()
    telling = (there & ~rows["shift_s"].isnan()).float()
    wanted = (rows["shift_s"].nan_to_num() / SHIFT_UNIT_S).clamp(-LONGEST_SHIFT, LONGEST_SHIFT)
    late = functional.smooth_l1_loss(said[..., 2], wanted, reduction="none") * telling
    velocity = force_error(said[..., VELOCITY], rows)
    loss: torch.Tensor = entropy + VELOCITY_WEIGHT * velocity + SHIFT_WEIGHT * late.sum() / telling.sum().clamp(min=1)
    return loss


def figures(network: StrikeNetwork, clips: list[StrikesHeard], *, one_voice: bool) -> str:
    """F1 of all strikes together, their entropy and calibration error."""
    with torch.no_grad():
        said = [network(whole(clip, one_voice=one_voice))[0, :, 0] for clip in clips]
    sure = torch.sigmoid(torch.cat(said)).numpy()
    right = np.concatenate([c.right for c in clips])
    f1 = 2 * (right & (sure >= 0.5)).sum() / (right.sum() + (sure >= 0.5).sum())
    entropy = -np.log(np.where(right, sure, 1 - sure).clip(1e-6)).mean()
    place = np.minimum((sure * 10).astype(int), 9)
    off = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / len(sure)
    return f"F1 {f1:.3f} of {int(right.sum())}, entropy {entropy:.4f}, calibration {off:.3f}"


def trained(cache: Path) -> StrikeNetwork:
    """The network that this training ended with."""
    state = torch.load(cache / TRAINED)["network"]
    return network_of(state, OUTPUTS).eval()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--minutes", type=float, default=40.0)
    parser.add_argument("--workers", type=int, default=1)
    parser.add_argument("--variants", type=int, default=VARIANTS)
    parser.add_argument("--from-shipped", action="store_true", help="go on from the network in the package")
    options = parser.parse_args()
    torch.set_num_threads(1)
    heard = {
        (tuning, variant): all_strikes_heard(options.cache, tuning=tuning, variant=variant, workers=options.workers)
        for tuning in (False, True)
        for variant in range(2 if tuning else options.variants + 1)
    }
    learnt, held_out = split(heard[True, 0])
    familiar = [c for variant in range(options.variants + 1) for c in heard[False, variant]]
    unfamiliar = [heard[True, variant][i] for variant in range(2) for i in learnt]
    lively = [is_lively(seed_of(path)) for path in clip_paths(options.cache, tuning=False)]
    weights = [LIVELY_WEIGHT if it else 1.0 for it in lively] * (options.variants + 1)
    weights += [UNFAMILIAR_WEIGHT] * len(unfamiliar)
    seen = np.concatenate([c.levels for c in familiar[:: max(1, len(familiar) // SCALED_ON)]])
    levels = scale_of(torch.from_numpy(seen).float() / LEVEL_STEPS, 0.05)
    shipped = (
        shipped_strikes.begin(TARGET, OUTPUTS, options.cache / "strikes-before.pt") if options.from_shipped else None
    )
    if not (options.cache / "strikes.pt").exists():
        # A force that went on from another network is nothing to this one.
        for name in (FORCE, FORCE_BEFORE):
            (options.cache / name).unlink(missing_ok=True)
    before = {name: value.clone() for name, value in shipped.state_dict().items()} if shipped else {}

    def make(mean: torch.Tensor, spread: torch.Tensor) -> StrikeNetwork:
        return shipped or StrikeNetwork(mean, spread, outputs=OUTPUTS, levels=levels)

    network = trained_on(
        [*familiar, *unfamiliar], weights, make, loss_of, options.minutes, options.cache / "strikes.pt",
        as_many=READ_AS_MANY,
    )  # fmt: skip
    if shipped:
        part_way(before, network, SHARE_OF_NEW)
    told = [heard[True, 0][i] for i in held_out]
    for one in (False, True):
        print(
            "one " if one else "many", figures(network, [c for c in told if bool(c.one_voice) == one], one_voice=one)
        )
    torch.save({"network": network.state_dict()}, options.cache / TRAINED)


if __name__ == "__main__":
    main()
