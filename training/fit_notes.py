"""Tells how well the shipped networks read the tuning clips held out, and fits the kinds of takes.

    python -m training.fit_notes CACHE [--kinds]

Every second tuning clip, whose soundfont no training met otherwise, was held out of every
training. Writes the constants beside the shipped networks.
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
from honest_stave.core.pitch import kind as kinds
from honest_stave.core.pitch.evidence import confidence
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.hearing import hear
from honest_stave.core.pitch.note_ends import choose_ends
from training import clips as recipes
from training.export_notes import TARGET
from training.fitting import fit_softmax
from training.heard_kept import clip_paths
from training.kind_clips import measured_clips
from training.material import LOWEST_DB, STEP_DB, Heard, load
from training.measure_notes import score as f1_of
from training.read_again import Example, example
from training.strikes_heard import bands_of

VERSION = "notes 13"
WORKERS = 2
# Clips with fewer notes say nothing of loudness.
LEAST_STRUCK = 8
MIX_GAINS_DB = (-9.0, -3.0, 0.0, 3.0)
# Clips of bands, and of voices with consonants, that kinds are fitted on beside the tuning clips.
TOGETHER, VOICES = 160, 40

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


def _mixed(first: Heard, second: Heard, gain_db: float) -> Heard:
    frames = min(len(first.long), len(second.long))

    def added(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> NDArray[np.uint8]:
        one, other = (LOWEST_DB + STEP_DB * v[:frames].astype(np.float64) for v in (a, b))
        both = 10 * np.log10(10 ** (one / 10) + 10 ** ((other + gain_db) / 10))
        return np.clip(np.round((both - LOWEST_DB) / STEP_DB), 0, 255).astype(np.uint8)

    return replace(first, long=added(first.long, second.long), short=added(first.short, second.short))


def kind_inputs(loaded: list[Heard]) -> tuple[Values, NDArray[np.int64]]:
    """Measures of clips and of mixes of them with drums, and their kinds."""
    drums = [c for c in loaded if c.kind == "drums"]
    pitched = [c for c in loaded if c.kind not in ("drums", "noise")]
    chosen = [(c, "one" if c.kind == "one" else "many") for c in pitched] + [(c, "drums") for c in drums]
    for i, clip in enumerate(pitched):
        gain_db = MIX_GAINS_DB[i % len(MIX_GAINS_DB)]
        chosen.append((_mixed(clip, drums[i % len(drums)], gain_db), "mix"))
    inputs, label = [], []
    for clip, name in chosen:
        bands = bands_of(clip)
        inputs.append(kinds.measures(bands, hear(bands)))
        label.append(kinds.KINDS.index(name))
    return np.array(inputs), np.array(label)


def heard_again(path: Path) -> Example:
    """A kept clip, read by the shipped networks."""
    return example(load(path))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--kinds", action="store_true", help="fit the kinds of takes as well")
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
    kept = {"version": VERSION, "kind": constants_of("notes").get("kind")}
    if options.kinds or not kept["kind"]:
        inputs, label = kind_inputs([e.clip for e in examples])
        more, held = measured_clips(TOGETHER, VOICES, WORKERS)
        inputs, label = kinds.weighed(np.concatenate([inputs, more])), np.concatenate([label, held])
        weights, intercepts = fit_softmax(inputs[::2], label[::2], len(kinds.KINDS))
        guessed = (inputs[1::2] @ weights.T + intercepts).argmax(axis=1)
        right = guessed == label[1::2]
        print(f"kinds right in {np.mean(right):.3f} of {len(right)}")
        for place, name in enumerate(kinds.KINDS):
            print(f"{name:6} {np.mean(right[label[1::2] == place]):.3f} of {np.sum(label[1::2] == place)}")
        weights, intercepts = fit_softmax(inputs, label, len(kinds.KINDS))
        kept["kind"] = {"weights": np.round(weights, 4).tolist(), "intercepts": np.round(intercepts, 4).tolist()}
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
