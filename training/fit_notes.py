"""Fits what is weighed after the network: evidence of strikes, ends, kinds of takes.

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
from honest_stave.core.pitch.activity import FRAMES_PER_CELL, Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.evidence import confidence, measures, rises, second_measures, weigh
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.hearing import STEP_CELLS, hear
from honest_stave.core.pitch.loudness import loudness_inputs
from honest_stave.core.pitch.note_ends import choose_ends, end_measures, passage_means, possible_ends
from honest_stave.core.pitch.notes_engine import on_best_line
from honest_stave.core.pitch.passages import passage_of
from honest_stave.core.pitch.strikes import Strikes, find_strikes
from honest_stave.core.signal.layer import score_of
from training import clips as recipes
from training.export_notes import TARGET
from training.fitting import fit_score, fit_softmax, fit_within
from training.material import LOWEST_DB, STEP_DB, Heard, load
from training.measure_notes import score as f1_of

VERSION = "notes 3"
NEAR_S = 0.05
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
    note: NDArray[np.int64]
    passage: NDArray[np.int64]
    risen: list[Values]

    @property
    def right(self) -> NDArray[np.bool_]:
        """Which strikes are notes."""
        return self.note >= 0


def bands_of(clip: Heard) -> Bands:
    """The clip's bands, whole steps of the network."""
    frames = len(clip.long) // (STEP_CELLS * FRAMES_PER_CELL) * STEP_CELLS * FRAMES_PER_CELL
    long, short = (
        (LOWEST_DB + STEP_DB * view[:frames].astype(np.float32)).astype(np.float16)
        for view in (clip.long, clip.short)
    )
    return Bands(long, short)


def example(clip: Heard) -> Example:
    """What the shipped network hears in a clip, and which strikes are right."""
    bands = bands_of(clip)
    activity = hear(bands)
    strikes = find_strikes(activity)
    note = note_of(strikes, clip.notes)
    return Example(clip, bands, activity, strikes, note, passage_of(strikes.cell, activity), rises(strikes, bands))


def note_of(strikes: Strikes, notes: Values) -> NDArray[np.int64]:
    """True note of the likeliest strike near it, -1 for strikes that are none, (strikes,)."""
    found = np.full(len(strikes), -1)
    for index, (onset_s, _, _, pitch, _) in enumerate(notes):
        near = np.flatnonzero((strikes.pitch == pitch) & (np.abs(strikes.onset_s - onset_s) <= NEAR_S) & (found < 0))
        if len(near):
            found[near[strikes.onset[near].argmax()]] = index
    return found


def line_of(e: Example, many: dict[str, Any] | None) -> Values:
    """1 for strikes on the best line of one voice; all 0 where the weighing of many voices is not given."""
    nowhere = np.zeros(len(e.strikes))
    if many is None:
        return nowhere
    score = weigh(e.strikes, e.passage, e.activity, e.risen, nowhere, many)
    return on_best_line(e.strikes, score).astype(np.float64)


def fit_voices(
    unfamiliar: list[Example], trained: list[Example], voices: str, many: dict[str, Any] | None
) -> dict[str, Any]:
    """Both weighings and the choice of ends; tuning clips count more than trained ones."""
    examples = [e for e in [*unfamiliar, *trained] if len(e.strikes)]
    right = [e.right for e in examples]
    weight = [UNFAMILIAR_WEIGHT if i < len(unfamiliar) else 1.0 for i in range(len(examples))]
    inputs = [measures(e.strikes, e.activity, e.risen, line_of(e, many)) for e in examples]
    first = fit_score(inputs, right, weight)
    inputs = [
        second_measures(e.strikes, e.passage, e.risen, x, score_of(x, first))
        for e, x in zip(examples, inputs, strict=True)
    ]
    second = fit_score(inputs, right, weight)
    rows = [ends_to_learn(e, score_of(x, second), voices) for e, x in zip(examples, inputs, strict=True)]
    ends = fit_score([x for x, _ in rows], [good for _, good in rows], weight)
    return {"first": first, "second": second, "ends": ends}


def ends_to_learn(e: Example, score: Values, voices: str) -> tuple[Values, NDArray[np.bool_]]:
    """Measures of the possible ends of the notes that are right, and which of those ends are."""
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
        line = line_of(e, constants["many"] if voices == "one" else None)
        score = weigh(e.strikes, e.passage, e.activity, e.risen, line, constants[voices])
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


def fit_velocity(examples: list[Example]) -> dict[str, object]:
    """The layer over levels and the network's velocity, fitted within clips."""
    inputs, wanted = [], []
    for e in examples:
        if np.count_nonzero(e.right) >= LEAST_STRUCK:
            right = e.strikes.chosen(e.right)
            inputs.append(loudness_inputs(right, e.bands, e.activity))
            wanted.append(e.clip.notes[e.note[e.right], 4])
    return fit_within(inputs, wanted)


def velocity_rank(examples: list[Example], constants: dict[str, Any]) -> float:
    """Mean rank correlation of velocities with the truth within clips."""
    ranks = []
    for e in examples:
        if np.count_nonzero(e.right) >= LEAST_STRUCK:
            said = score_of(loudness_inputs(e.strikes.chosen(e.right), e.bands, e.activity), constants)
            ranks.append(stats.spearmanr(said, e.clip.notes[e.note[e.right], 4])[0])
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
    sung = sorted(cache.glob(f"notes-{recipes.RECIPE}-train-8*.npz"))[:SUNG_CLIPS]
    for path in [*sung, *sorted(cache.glob(f"notes-{recipes.RECIPE}-train-0*.npz"))]:
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
        many = constants["many"] if voices == "one" else None
        constants[voices] = fit_voices(group[::2], trained[voices], voices, many)
        kinds_of_clip = sorted({e.clip.kind for e in group if len(e.clip.notes)})
        for name, own in [(n, [e for e in held_out if e.clip.kind == n]) for n in kinds_of_clip] + [
            ("all", held_out)
        ]:
            found = figures(own, voices, constants)
            print(f"{voices:5} {name:10} {len(own):3}", *(f"{k} {v:.3f}" for k, v in found.items()), flush=True)
        # The shipped weights use every tuning clip; the figures above do not.
        constants[voices] = fit_voices(group, trained[voices], voices, many)
    if options.kinds or "kind" not in kept:
        inputs, label = kind_inputs(loaded)
        weights, intercepts = fit_softmax(inputs[::2], label[::2], len(kinds.KINDS))
        guessed = (inputs[1::2] @ weights.T + intercepts).argmax(axis=1)
        print(f"kinds right in {np.mean(guessed == label[1::2]):.3f} of {len(guessed)}")
        weights, intercepts = fit_softmax(inputs, label, len(kinds.KINDS))
        kept["kind"] = {"weights": np.round(weights, 4).tolist(), "intercepts": np.round(intercepts, 4).tolist()}
    known = [*trained["many"], *trained["one"]]
    held_out, velocity = examples[1::2], fit_velocity([*examples[::2], *known])
    for kind in recipes.KINDS:
        rank = velocity_rank([e for e in held_out if e.clip.kind == kind], velocity)
        print(f"velocity rank, {kind:10} {rank:.3f}", flush=True)
    kept |= {"version": VERSION, **constants, "velocity": fit_velocity([*examples, *known])}
    TARGET.with_suffix(".json").write_text(json.dumps(kept) + "\n")


if __name__ == "__main__":
    main()
