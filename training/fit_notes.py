"""Fits what is weighed after the networks: where notes end, kinds of takes.

    python -m training.fit_notes CACHE

Takes the tuning clips, whose soundfont no training met: every second one is fitted on, the
others say how good the fit is. Writes the constants beside the shipped network.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch import kind as kinds
from honest_stave.core.pitch.activity import Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.evidence import confidence
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.hearing import hear
from honest_stave.core.pitch.note_ends import choose_ends, end_measures, passage_means, possible_ends
from honest_stave.core.pitch.notes_engine import LEAST_LOG_ODDS
from honest_stave.core.pitch.passages import passage_of
from honest_stave.core.pitch.strikes import Strikes, find_strikes
from honest_stave.core.pitch.weighing import strike_inputs, weigh
from training import clips as recipes
from training.export_notes import TARGET
from training.fitting import fit_score, fit_softmax
from training.material import LOWEST_DB, STEP_DB, Heard, load
from training.measure_notes import score as f1_of
from training.strikes_heard import bands_of, note_of

VERSION = "notes 4"
# Trained clips that lend the evidence their variety; one voice varies less.
TRAINED_CLIPS = {"many": 400, "one": 260}
# Of those of one voice, so many are sung.
SUNG_CLIPS = 60
UNFAMILIAR_WEIGHT = 2.0
WORKERS = 2
# An end is right within this share of what the measure allows: the longer of 50 ms and a fifth of the note.
END_TOLERANCE_S, END_TOLERANCE_SHARE, STRICTNESS = 0.05, 0.2, 0.9
# Clips with fewer notes say nothing of loudness.
LEAST_STRUCK = 8
MIX_GAINS_DB = (-9.0, -3.0, 0.0, 3.0)

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Example:
    """A clip with what was heard in it; ``note`` is the true note of each strike, -1 for none."""

    clip: Heard
    bands: Bands
    activity: Activity
    strikes: Strikes
    score: Values
    note: NDArray[np.int64]
    passage: NDArray[np.int64]

    @property
    def right(self) -> NDArray[np.bool_]:
        """Which strikes are notes."""
        return self.note >= 0


def example(clip: Heard) -> Example:
    """What the shipped networks hear in a clip, and which strikes are right."""
    bands = bands_of(clip)
    activity = hear(bands)
    found = find_strikes(activity)
    passage = passage_of(found.cell, activity)
    one_voice = clip.kind not in recipes.MANY_KINDS
    weighed = weigh(found, passage, strike_inputs(found, activity, bands), one_voice=one_voice)
    strikes = weighed.told(found)
    kept = np.argsort(strikes.onset_s, kind="stable")
    kept = kept[weighed.score[kept] > LEAST_LOG_ODDS]
    strikes, score = strikes.chosen(kept), weighed.score[kept]
    return Example(clip, bands, activity, strikes, score, note_of(strikes, clip.notes, score), passage[kept])


def fit_ends(unfamiliar: list[Example], trained: list[Example], voices: str) -> dict[str, Any]:
    """The choice of ends; tuning clips count more than trained ones."""
    examples = [e for e in [*unfamiliar, *trained] if len(e.strikes)]
    weight = [UNFAMILIAR_WEIGHT if i < len(unfamiliar) else 1.0 for i in range(len(examples))]
    rows = [ends_to_learn(e, voices) for e in examples]
    return {"ends": fit_score([x for x, _ in rows], [good for _, good in rows], weight)}


def ends_to_learn(e: Example, voices: str) -> tuple[Values, NDArray[np.bool_]]:
    """Measures of the possible ends of the notes that are right, and which of those ends are."""
    score = e.score
    ends = possible_ends(e.strikes, score >= 0, e.activity, voices)
    means = passage_means(e.strikes, ends, score, e.passage, e.activity, e.bands)
    block = np.flatnonzero((score >= 0) & e.right)
    measured = end_measures(e.strikes, score, ends, means, block, e.activity, e.bands)
    truth = e.clip.notes[e.note[block]]
    tolerance_s = np.maximum(END_TOLERANCE_S, END_TOLERANCE_SHARE * (truth[:, 2] - truth[:, 0]))
    good = np.abs(ends[block] - truth[:, [2]]) <= STRICTNESS * tolerance_s[:, None]
    return measured.reshape(-1, measured.shape[2]), good.reshape(-1)


def figures(examples: list[Example], voices: str, constants: dict[str, dict[str, Any]]) -> dict[str, float]:
    """Mean F1 of onsets and with ends, and expected calibration error."""
    rows, sure_all, right_all = [], [], []
    for e in examples:
        score = e.score
        counted = score >= 0
        if len(e.clip.notes):
            end_s = choose_ends(e.strikes, score, e.passage, e.activity, e.bands, voices, constants[voices]["ends"])
            end_s = ends_of(replace(e.strikes, end_s=end_s), voices, counted)
            kept = e.strikes.chosen(counted)
            rows.append(f1_of(e.clip.notes, kept.onset_s, end_s[counted], kept.pitch))
        sure_all.append(confidence(score))
        right_all.append(e.right)
    sure, right = np.concatenate(sure_all), np.concatenate(right_all)
    place = np.minimum((sure * 10).astype(int), 9)
    error = sum(abs(sure[place == k].sum() - right[place == k].sum()) for k in range(10)) / len(sure)
    f_on, f_off, late = np.nanmean(rows, axis=0)
    return {"f_on": f_on, "f_off": f_off, "late_ms": late, "calibration": float(error)}


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


def trained_clips(cache: Path, voices: str) -> list[Heard]:
    """The first trained clips of one voice, or of many."""
    found: list[Heard] = []
    paths = sorted(p for p in cache.glob(f"notes-{recipes.RECIPE}-train-*.npz") if ".part" not in p.name)
    sung = [p for p in paths if "-train-8" in p.name][:SUNG_CLIPS]
    for path in [*sung, *(p for p in paths if p not in sung)]:
        clip = load(path)
        if (clip.kind == "one") == (voices == "one"):
            found.append(clip)
        if len(found) == TRAINED_CLIPS[voices]:
            break
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--kinds", action="store_true", help="fit the kinds of takes as well")
    options = parser.parse_args()
    loaded = [
        load(p) for p in sorted(options.cache.glob(f"notes-{recipes.RECIPE}-tuning-*.npz")) if ".part" not in p.name
    ]
    with ProcessPoolExecutor(WORKERS) as pool:
        examples = list(pool.map(example, loaded, chunksize=4))
        trained = {
            voices: list(pool.map(example, trained_clips(options.cache, voices), chunksize=4))
            for voices in ("one", "many")
        }
    kept = dict(constants_of("notes"))
    constants: dict[str, dict[str, Any]] = {}
    groups = {
        "many": [e for e in examples if e.clip.kind != "one"],
        "one": [e for e in examples if e.clip.kind in ("one", "drums", "noise")],
    }
    for voices, group in groups.items():
        held_out = group[1::2]
        constants[voices] = fit_ends(group[::2], trained[voices], voices)
        kinds_of_clip = sorted({e.clip.kind for e in group if len(e.clip.notes)})
        for name, own in [(n, [e for e in held_out if e.clip.kind == n]) for n in kinds_of_clip] + [
            ("all", held_out)
        ]:
            found = figures(own, voices, constants)
            print(f"{voices:5} {name:10} {len(own):3}", *(f"{k} {v:.3f}" for k, v in found.items()), flush=True)
        # The shipped weights use every tuning clip; the figures above do not.
        constants[voices] = fit_ends(group, trained[voices], voices)
    if options.kinds or "kind" not in kept:
        inputs, label = kind_inputs(loaded)
        weights, intercepts = fit_softmax(inputs[::2], label[::2], len(kinds.KINDS))
        guessed = (inputs[1::2] @ weights.T + intercepts).argmax(axis=1)
        print(f"kinds right in {np.mean(guessed == label[1::2]):.3f} of {len(guessed)}")
        weights, intercepts = fit_softmax(inputs, label, len(kinds.KINDS))
        kept["kind"] = {"weights": np.round(weights, 4).tolist(), "intercepts": np.round(intercepts, 4).tolist()}
    for kind in recipes.KINDS:
        rank = velocity_rank([e for e in examples[1::2] if e.clip.kind == kind])
        print(f"velocity rank, {kind:10} {rank:.3f}", flush=True)
    kept |= {"version": VERSION, **constants}
    kept.pop("velocity", None)
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
