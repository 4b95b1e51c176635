"""Trains the network that chooses where notes end, on what the others hear, and exports it.

    python -m training.train_ends CACHE --minutes 15 [--from-shipped]

Every second tuning clip takes part, at more weight; ``fit_notes`` tells how good the ends of the
others are.
"""

import argparse
from pathlib import Path

import torch
from torch import Tensor, nn
from torch.nn import functional

from honest_stave.core import networks
from honest_stave.core.pitch.note_ends import OFFSET_PEAKS, SHARES, SOUNDING_LIMITS
from training import shipped_strikes
from training.ends_heard import EndsHeard, all_ends_heard
from training.part_way import part_way
from training.passage_windows import PEAK_RATE, Rows, split, trained_on, whole
from training.shipped import Weights
from training.strike_network import StrikeNetwork, export

TARGET = Path(networks.__file__).parent / "ends.onnx"
UNFAMILIAR_WEIGHT = 2.0
ENDS = len(SOUNDING_LIMITS) + len(OFFSET_PEAKS) + 1 + len(SHARES)
# Measures of each possible end, of which the inputs hold one after the other; what is known of the note follows.
MEASURES = 20
WIDTH = 64
# Where a trained network goes on, and so much of the way it goes.
PEAK_RATE_AGAIN, SHARE_OF_NEW = 1e-3, 0.75


class EndNetwork(StrikeNetwork):
    """As ``StrikeNetwork``, but every possible end is judged alike, by its measures and what its note is like."""

    def __init__(self, mean: Tensor, spread: Tensor) -> None:
        super().__init__(mean, spread, outputs=WIDTH, width=WIDTH)
        self.judged = nn.Sequential(
            nn.Linear(MEASURES + WIDTH + ENDS, WIDTH), nn.ReLU(), nn.Dropout(0.1), nn.Linear(WIDTH, 1)
        )
        self.which: Tensor
        self.register_buffer("which", torch.eye(ENDS), persistent=False)

    def told(self, strikes: Tensor, scaled: Tensor) -> Tensor:
        """Log-odds of each possible end, (batch, strikes, ends)."""
        own = self.last(strikes)[:, :, None].expand(-1, -1, ENDS, -1)
        measures = scaled[:, :, : ENDS * MEASURES].unflatten(2, (ENDS, MEASURES))
        which = self.which[None, None].expand(strikes.shape[0], strikes.shape[1], -1, -1)
        out: Tensor = self.judged(torch.cat([measures, own, which], dim=3))[..., 0]
        return out


def loss_of(said: Tensor, rows: Rows) -> Tensor:
    """Entropy of every possible end, and of the choice among those of a note."""
    telling = rows["telling"] & rows["there"]
    good, judged = rows["good"][telling].float(), said[telling]
    each = functional.binary_cross_entropy_with_logits(judged, good)
    some = good.sum(dim=1) > 0
    # The likelihood that one of the right ends is chosen.
    chosen = torch.logsumexp(judged[some] + torch.log(good[some]), dim=1) - torch.logsumexp(judged[some], dim=1)
    loss: Tensor = each - chosen.mean()
    return loss


def right_of(network: EndNetwork, clips: list[EndsHeard], *, one_voice: bool) -> float:
    """Share of the notes whose chosen end is right."""
    right = count = 0
    for clip in clips:
        with torch.no_grad():
            chosen = network(whole(clip, one_voice=one_voice))[0].argmax(dim=1).numpy()
        right += int(clip.good[range(len(chosen)), chosen][clip.telling].sum())
        count += int(clip.telling.sum())
    return right / max(count, 1)


def shipped(kept: Path) -> EndNetwork:
    """The network in the package as it was when this training began, kept so that it ends alike when done again."""
    if not kept.exists():
        torch.save(shipped_strikes.restored(TARGET, _shaped).state_dict(), kept)
    state = torch.load(kept)
    network = _shaped(state)
    network.load_state_dict(state)
    return network


def _shaped(weights: Weights) -> EndNetwork:
    return EndNetwork(weights["mean"], weights["spread"])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--minutes", type=float, default=15.0)
    parser.add_argument("--workers", type=int, default=1)
    parser.add_argument("--from-shipped", action="store_true", help="go on from the network in the package")
    options = parser.parse_args()
    torch.set_num_threads(1)
    trained, tuning = (all_ends_heard(options.cache, tuning=t, workers=options.workers) for t in (False, True))
    learnt, held_out = split(tuning)
    unfamiliar = [tuning[i] for i in learnt]
    weights = [1.0] * len(trained) + [UNFAMILIAR_WEIGHT] * len(unfamiliar)
    begun = shipped(options.cache / "ends-before.pt") if options.from_shipped else None
    before = {name: value.clone() for name, value in begun.state_dict().items()} if begun else {}
    network = trained_on(
        [*trained, *unfamiliar], weights, lambda mean, spread: begun or EndNetwork(mean, spread), loss_of,
        options.minutes, options.cache / "ends.pt", peak_rate=PEAK_RATE_AGAIN if begun else PEAK_RATE,
    )  # fmt: skip
    if begun:
        part_way(before, network, SHARE_OF_NEW)
    for one in (False, True):
        told = [tuning[i] for i in held_out if bool(tuning[i].one_voice) == one]
        print("one " if one else "many", f"ends right {right_of(network, told, one_voice=one):.3f}", flush=True)
    export(TARGET, network)


if __name__ == "__main__":
    main()
