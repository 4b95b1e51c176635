"""Tells how well the shipped networks read the tuning clips held out, and fits how sure they are.

    python -m training.fit_notes CACHE

Every second tuning clip, whose soundfont no training met otherwise, was held out of every
training. How sure notes are is fitted on half of these and told on the other half, both ways;
what is shipped is fitted on all.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from itertools import cycle
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch.evidence import confidence, curved
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.loudness import leaning_on_levels
from honest_stave.core.pitch.note_ends import choose_ends
from training import clips as recipes
from training.export_notes import TARGET
from training.fitting import fit_logistic
from training.heard_kept import clip_paths
from training.material import load
from training.measure_notes import score as f1_of
from training.read_again import Example, example

VERSION = "notes 18"
WORKERS = 2
# Fitted for many voices only: of one voice so few strikes are in doubt that the half not fitted on is told worse.
FITTED, AS_HEARD = ("many",), (1.0, 1.0, 0.0)
# Log-odds are fitted within this: what lies beyond is sure either way, and would turn the slopes.
FITTED_ODDS = 7.0
# Clips with fewer notes say nothing of loudness.
LEAST_STRUCK = 8

Values = NDArray[np.float64]


def fit_sure(examples: list[Example]) -> tuple[float, ...]:
    """Slopes of log-odds under and over 0, and their offset."""
    odds = np.clip(np.concatenate([e.score for e in examples]), -FITTED_ODDS, FITTED_ODDS)
    right = np.concatenate([e.right for e in examples])
    design = np.column_stack([np.minimum(odds, 0), np.maximum(odds, 0), np.ones(len(odds))])
    return tuple(round(float(w), 4) for w in fit_logistic(design, right, np.array(AS_HEARD)))


def told_by_halves(examples: list[Example], voices: str) -> list[Values]:
    """How sure each strike of each clip is, by what was fitted on the half that the clip is not in."""
    halves = examples[::2], examples[1::2]
    curves = [fit_sure(half) if voices in FITTED else AS_HEARD for half in halves]
    return [confidence(curved(e.score, curve)) for e, curve in zip(examples, cycle(curves[::-1]))]


def figures(examples: list[Example], sure_of: list[Values]) -> dict[str, float]:
    """Mean F1 of onsets and with ends, and expected calibration error."""
    rows = []
    for e in examples:
        counted = e.score >= 0
        if len(e.clip.notes):
            end_s = choose_ends(e.strikes, e.score, e.passage, e.activity, e.bands, e.voices)
            end_s = ends_of(replace(e.strikes, end_s=end_s), e.voices, counted)
            kept = e.strikes.chosen(counted)
            rows.append(f1_of(e.clip.notes, kept.onset_s, end_s[counted], kept.pitch))
    sure, right = np.concatenate(sure_of), np.concatenate([e.right for e in examples])
    place = np.minimum((sure * 10).astype(int), 9)
    error = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / len(sure)
    f_on, f_off, late = np.nanmean(rows, axis=0)
    rank = velocity_rank(examples)
    return {"f_on": f_on, "f_off": f_off, "late_ms": late, "calibration": float(error), "velocity": rank}


def reliability(examples: list[Example], sure_of: list[Values]) -> list[str]:
    """Of the strikes said to be so sure, how many there are, what was said, and how many are right."""
    sure = np.concatenate(sure_of)
    right = np.concatenate([e.right for e in examples])
    place = np.minimum((sure * 10).astype(int), 9)
    rows = [(k / 10, int((place == k).sum()), sure[place == k].mean(), right[place == k].mean()) for k in range(10)]
    return [f"| {low:.1f} | {count} | {said:.2f} | {true:.2f} |" for low, count, said, true in rows]


def velocity_rank(examples: list[Example]) -> float:
    """Mean rank correlation of velocities with the truth within clips."""
    ranks = []
    for e in examples:
        if np.count_nonzero(e.right) >= LEAST_STRUCK:
            velocity = leaning_on_levels(e.strikes, e.score, e.passage, e.bands)
            ranks.append(stats.spearmanr(velocity[e.right], e.clip.notes[e.note[e.right], 4])[0])
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
    shipped = {}
    for voices in ("many", "one"):
        held_out = [e for e in examples if e.voices == voices][1::2]
        sure_of = told_by_halves(held_out, voices)
        for name in (*recipes.KINDS, "all"):
            own = [i for i, e in enumerate(held_out) if name in (e.clip.kind, "all")]
            if own:
                found = figures([held_out[i] for i in own], [sure_of[i] for i in own])
                print(f"{voices:5} {name:10} {len(own):3}", *(f"{k} {v:.3f}" for k, v in found.items()), flush=True)
        print("\n".join(reliability(held_out, sure_of)), flush=True)
        shipped[voices] = fit_sure(held_out) if voices in FITTED else AS_HEARD
    kept = constants_of("notes") | {"version": VERSION, "sure": shipped}
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
