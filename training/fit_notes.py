"""Tells how well the shipped networks read the tuning clips held out, and gives them their version.

    python -m training.fit_notes CACHE

Every second tuning clip, whose soundfont no training met otherwise, was held out of every
training.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch.evidence import confidence
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.note_ends import choose_ends
from training import clips as recipes
from training.export_notes import TARGET
from training.heard_kept import clip_paths
from training.material import load
from training.measure_notes import score as f1_of
from training.read_again import Example, example

VERSION = "notes 13"
WORKERS = 2
# Clips with fewer notes say nothing of loudness.
LEAST_STRUCK = 8

Values = NDArray[np.float64]


def figures(examples: list[Example]) -> dict[str, float]:
    """Mean F1 of onsets and with ends, and expected calibration error."""
    rows, sure_all, right_all = [], [], []
    for e in examples:
        counted = e.score >= 0
        if len(e.clip.notes):
            end_s = choose_ends(e.strikes, e.score, e.passage, e.activity, e.bands, e.voices)
            end_s = ends_of(replace(e.strikes, end_s=end_s), e.voices, counted)
            kept = e.strikes.chosen(counted)
            rows.append(f1_of(e.clip.notes, kept.onset_s, end_s[counted], kept.pitch))
        sure_all.append(confidence(e.score))
        right_all.append(e.right)
    sure, right = np.concatenate(sure_all), np.concatenate(right_all)
    place = np.minimum((sure * 10).astype(int), 9)
    error = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / len(sure)
    f_on, f_off, late = np.nanmean(rows, axis=0)
    rank = velocity_rank(examples)
    return {"f_on": f_on, "f_off": f_off, "late_ms": late, "calibration": float(error), "velocity": rank}


def reliability(examples: list[Example]) -> list[str]:
    """Of the strikes said to be so sure, how many there are, what was said, and how many are right."""
    sure = np.concatenate([confidence(e.score) for e in examples])
    right = np.concatenate([e.right for e in examples])
    place = np.minimum((sure * 10).astype(int), 9)
    rows = [(k / 10, int((place == k).sum()), sure[place == k].mean(), right[place == k].mean()) for k in range(10)]
    return [f"| {low:.1f} | {count} | {said:.2f} | {true:.2f} |" for low, count, said, true in rows]


def velocity_rank(examples: list[Example]) -> float:
    """Mean rank correlation of velocities with the truth within clips."""
    ranks = []
    for e in examples:
        if np.count_nonzero(e.right) >= LEAST_STRUCK:
            ranks.append(stats.spearmanr(e.strikes.velocity[e.right], e.clip.notes[e.note[e.right], 4])[0])
    return float(np.nanmean(ranks))


def heard_again(path: Path) -> Example:
    """A kept clip, read by the shipped networks."""
    return example(load(path))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    options = parser.parse_args()
    paths = clip_paths(options.cache, tuning=True)
    with ProcessPoolExecutor(WORKERS) as pool:
        examples = list(pool.map(heard_again, paths, chunksize=4))
    for voices in ("many", "one"):
        held_out = [e for e in examples if e.voices == voices][1::2]
        groups = {kind: [e for e in held_out if e.clip.kind == kind] for kind in recipes.KINDS} | {"all": held_out}
        for name, own in groups.items():
            if own:
                print(
                    f"{voices:5} {name:10} {len(own):3}",
                    *(f"{k} {v:.3f}" for k, v in figures(own).items()),
                    flush=True,
                )
        print("\n".join(reliability(held_out)), flush=True)
    kept = constants_of("notes") | {"version": VERSION}
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
