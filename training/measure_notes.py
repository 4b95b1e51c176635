"""How well a trained network reads the tuning clips, by kind.

python -m training.measure_notes CACHE [--channels 48] [--clips 60]
"""

import argparse
from pathlib import Path

import mir_eval
import numpy as np
import torch
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import Activity
from honest_stave.core.pitch.scaling import scaled
from honest_stave.core.pitch.strikes import Strikes, find_strikes, next_same
from training import clips as recipes
from training.material import LOWEST_DB, STEP_DB, Heard, load
from training.note_batches import reference_of
from training.note_network import FRAMES_PER_CELL, NoteNetwork
from training.part_way import part_way

# The shipped network as it was when its training went on, and how far from it the next one goes: all the
# way it forgets some of what it knew.
BEFORE, SHARE_OF_NEW = "notes-before.pt", 0.6


def activity_of(network: NoteNetwork, clip: Heard) -> Activity:
    """What the network says of a whole clip."""
    reference = reference_of(clip)
    frames = len(clip.long) // (4 * FRAMES_PER_CELL) * 4 * FRAMES_PER_CELL
    views = [
        torch.from_numpy(scaled(LOWEST_DB + STEP_DB * v[:frames].astype(np.float32) - reference))[None]
        for v in (clip.long, clip.short)
    ]
    with torch.no_grad():
        shares = torch.sigmoid(network(*views))[0].numpy()
    return Activity(*shares)


def simple_notes(strikes: Strikes, *, new: float = 0.5, again: float = 0.7) -> tuple[Strikes, NDArray[np.float64]]:
    """Strikes over two plain limits, and their ends: a yardstick without calibration."""
    sounded = strikes.before > 0.5
    kept = (strikes.onset >= np.where(sounded, again, new)) & (strikes.sounding > 0.25)
    chosen = strikes.chosen(kept)
    return chosen, np.minimum(chosen.end_s - 0.03, next_same(chosen, np.ones(len(chosen), bool)))


def score(
    truth: NDArray[np.float64], onset_s: NDArray[np.float64], end_s: NDArray[np.float64], pitch: NDArray[np.int64]
) -> tuple[float, float, float]:
    """F1 of onsets, F1 with offsets (either end counts), median onset error in ms."""
    if not len(truth) or not len(onset_s):
        return 0.0, 0.0, float("nan")
    hz = mir_eval.util.midi_to_hz
    heard = np.stack([onset_s, np.maximum(end_s, onset_s + 0.01)], axis=1)
    real_hz, heard_hz = hz(truth[:, 3]), hz(pitch.astype(float))
    pairs = mir_eval.transcription.match_notes(truth[:, :2], real_hz, heard, heard_hz, offset_ratio=None)
    f_on = 2 * len(pairs) / (len(truth) + len(onset_s))
    right = 0
    for i, j in pairs:
        for end in (truth[i, 1], truth[i, 2]):
            if abs(end - heard[j, 1]) <= max(0.05, 0.2 * (end - truth[i, 0])):
                right += 1
                break
    errors = [1000 * (heard[j, 0] - truth[i, 0]) for i, j in pairs]
    return f_on, 2 * right / (len(truth) + len(onset_s)), float(np.median(errors)) if errors else float("nan")


def open_network(cache: Path, channels: int) -> NoteNetwork:
    """The network with its averaged weights; one that went on from the shipped one, part of the way from it."""
    network = NoteNetwork(channels)
    network.load_state_dict(torch.load(cache / f"notes-{channels}.pt", weights_only=False)["average"])
    before = cache / BEFORE
    if before.exists():
        part_way(torch.load(before), network, SHARE_OF_NEW)
    return network.eval()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--channels", type=int, default=48)
    parser.add_argument("--clips", type=int, default=60)
    parser.add_argument("--each", action="store_true")
    options = parser.parse_args()
    torch.set_num_threads(1)
    network = open_network(options.cache, options.channels)
    found = sorted(options.cache.glob(f"notes-{recipes.RECIPE}-tuning-*.npz"))[: options.clips]
    rows: dict[str, list[tuple[float, float, float]]] = {}
    for path in found:
        clip = load(path)
        chosen, end_s = simple_notes(find_strikes(activity_of(network, clip)))
        figures = score(clip.notes, chosen.onset_s, end_s, chosen.pitch)
        rows.setdefault(clip.kind, []).append(figures)
        if options.each:
            print(f"{path.stem} {clip.kind:10} {clip.instrument:30}", *(f"{f:7.3f}" for f in figures))
    for kind, figures in sorted(rows.items()):
        print(f"{kind:10} {len(figures):3}", *(f"{f:7.3f}" for f in np.nanmean(figures, axis=0)))


if __name__ == "__main__":
    main()
