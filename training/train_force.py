"""Trains the network that says how hard strikes were struck, and exports it with the one that says which are notes.

    python -m training.train_force CACHE --minutes 20 [--from-shipped]

It is that of the strikes, gone on with for the force alone: both at once, neither learns it well.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from scipy.stats import spearmanr

from training import shipped_strikes
from training.passage_windows import PEAK_RATE, Rows, split, trained_on, whole
from training.strike_network import StrikeNetwork, export, network_of
from training.strikes_heard import StrikesHeard, all_strikes_heard
from training.train_strikes import (
    FORCE,
    FORCE_BEFORE,
    READ_AS_MANY,
    TARGET,
    VARIANTS,
    VELOCITY,
    force_error,
    trained,
)

# Squared errors of velocities are near .004: so many times as large they are read like the losses of other trainings.
WEIGHT = 10.0
# Fewer strokes than this tell nothing of a clip's dynamics.
LEAST_STROKES = 8
# A melody is some 2 dB louder: colours as strong as those of other trainings, 3 dB, hide which hand is.
COLOUR = 0.5
# Where a trained network goes on: it would forget at the full rate.
PEAK_RATE_AGAIN = 1e-3
# Of the networks in the shipped file the second says how hard.
FORCE_PLACE = 1


def loss_of(said: torch.Tensor, rows: Rows) -> torch.Tensor:
    """Errors of velocities alone."""
    return WEIGHT * force_error(said[..., 0], rows)


def begun(strikes: StrikeNetwork) -> StrikeNetwork:
    """A network that says of each strike what ``strikes`` says of its force."""
    state = dict(strikes.state_dict())
    for name in ("last.1.weight", "last.1.bias"):
        state[name] = state[name][VELOCITY : VELOCITY + 1]
    return network_of(state, outputs=1)


def told_by(clip: StrikesHeard) -> np.ndarray:
    """Strikes of a clip whose force is known."""
    return clip.right & ~np.isnan(clip.velocity)


def rank_of(network: StrikeNetwork, clips: list[StrikesHeard], *, one_voice: bool) -> float:
    """Mean rank correlation of the force of the notes of a clip with their velocities."""
    ranks = []
    for clip in clips:
        struck = told_by(clip)
        if struck.sum() > LEAST_STROKES and np.ptp(clip.velocity[struck]) > 0:
            with torch.no_grad():
                said = network(whole(clip, one_voice=one_voice))[0, :, 0].numpy()
            ranks.append(float(spearmanr(said[struck], clip.velocity[struck]).statistic))
    return float(np.mean(ranks))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--variants", type=int, default=VARIANTS)
    parser.add_argument("--workers", type=int, default=1)
    parser.add_argument("--from-shipped", action="store_true", help="go on from the network in the package")
    options = parser.parse_args()
    torch.set_num_threads(1)
    tuning = all_strikes_heard(options.cache, tuning=True, variant=0, workers=options.workers)
    learnt, held_out = split(tuning)
    familiar = [
        clip
        for variant in range(options.variants + 1)
        for clip in all_strikes_heard(options.cache, tuning=False, variant=variant, workers=options.workers)
        if told_by(clip).sum() > LEAST_STROKES
    ]
    unfamiliar = [tuning[i] for i in learnt]
    strikes = None if options.from_shipped else trained(options.cache)
    first = begun(strikes) if strikes else shipped_strikes.begin(TARGET, 1, options.cache / FORCE_BEFORE, FORCE_PLACE)
    clips = [*familiar, *unfamiliar]
    force = trained_on(
        clips, [1.0] * len(clips), lambda _mean, _spread: first, loss_of, options.minutes, options.cache / FORCE,
        as_many=READ_AS_MANY, colour=COLOUR,
        peak_rate=PEAK_RATE_AGAIN if options.from_shipped else PEAK_RATE,
    )  # fmt: skip
    for one in (False, True):
        told = [tuning[i] for i in held_out if bool(tuning[i].one_voice) == one]
        print("one " if one else "many", f"rank of velocities {rank_of(force, told, one_voice=one):.3f}", flush=True)
    if strikes:
        export(TARGET, strikes, force)
    else:
        shipped_strikes.write_over(TARGET, force, FORCE_PLACE)


if __name__ == "__main__":
    main()
