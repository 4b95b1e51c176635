"""Fits how sure an aligned onset is, on the tuning clips: their own notes, written at a tempo that breathes.

    python -m training.fit_align CACHE

Every second clip is fitted on, the others say how good the fit is. Writes ``align.json``.
"""

import argparse
import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core import networks
from honest_stave.core.beat.align import Written, lay_out
from honest_stave.core.beat.align_doubt import measures
from honest_stave.core.pitch.hearing import hear
from honest_stave.core.signal.layer import score_of
from training import clips as recipes
from training.fitting import fit_score
from training.material import Heard, load
from training.strikes_heard import bands_of

TARGET = Path(networks.__file__).parent / "align.json"
# Notes closer than this are written as one chord; an aligned onset is right within this.
TOGETHER_S, RIGHT_S = 0.06, 0.05
FEWEST_ONSETS = 8

BPM = (60.0, 140.0)
# One note in so many is written at another pitch or not at all, as in an edition that the players did not use.
OTHER_EDITION = 0.06
Values = NDArray[np.float64]


def score_of_clip(clip: Heard, random: np.random.Generator) -> tuple[list[Written], Values]:
    """The clip's notes as they might be written, and the moment of each written onset."""
    notes = clip.notes[np.argsort(clip.notes[:, 0])]
    chord = np.concatenate([[0], np.cumsum(np.diff(notes[:, 0]) > TOGETHER_S)])
    moment_s = np.array([notes[chord == k, 0].mean() for k in range(chord[-1] + 1)])
    time_s = np.arange(0, moment_s[-1] + 4, 0.05)
    swell = 1 + 0.18 * np.sin(2 * np.pi * time_s / random.uniform(6, 25) + random.uniform(0, 6))
    drift = 0.06 * np.cumsum(random.normal(size=len(time_s))) / np.sqrt(len(time_s))
    beat = np.cumsum(np.maximum(swell + drift, 0.4)) * 0.05 * random.uniform(*BPM) / 60

    def beat_at(moment: float) -> float:
        return float(np.interp(moment, time_s, beat))

    score = []
    for place, (_, offset_s, _, pitch, _) in zip(chord.tolist(), notes.tolist(), strict=True):
        onset = beat_at(moment_s[place])
        other = int(random.integers(-2, 3)) if random.random() < OTHER_EDITION else 0
        score.append(Written(onset, max(beat_at(offset_s) - onset, 0.1), int(pitch) + other))
    return score, moment_s


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    options = parser.parse_args()
    inputs, right = [], []
    for number, path in enumerate(sorted(options.cache.glob(f"notes-{recipes.RECIPE}-tuning-*.npz"))):
        clip = load(path)
        if not len(clip.notes):
            continue
        score, moment_s = score_of_clip(clip, np.random.default_rng([17, number]))
        if len(moment_s) >= FEWEST_ONSETS:
            found = lay_out(score, hear(bands_of(clip)))
            inputs.append(measures(*found))
            right.append(np.abs(found[1] - moment_s) <= RIGHT_S)
    layer = fit_score(inputs[::2], right[::2], [1.0] * len(inputs[::2]))
    sure = np.concatenate([1 / (1 + np.exp(-score_of(x, layer))) for x in inputs[1::2]])
    held_out = np.concatenate(right[1::2])
    place = np.minimum((sure * 10).astype(int), 9)
    for k in np.unique(place).tolist():
        own = place == k
        print(f"{k / 10:.1f}  {own.sum():5}  said {sure[own].mean():.2f}  right {held_out[own].mean():.2f}")
    error = sum(abs(sure[place == k].sum() - held_out[place == k].sum()) for k in range(10)) / len(sure)
    print(f"calibration error {error:.3f} of {len(sure)} onsets, {held_out.mean():.3f} within {RIGHT_S} s")
    TARGET.write_text(json.dumps(fit_score(inputs, right, [1.0] * len(inputs))) + "\n")


if __name__ == "__main__":
    main()
