"""Accuracy, calibration and speed of the engine for notes on clips with truth.

    python -m bench.accuracy [--voices one|many] [--worst] [FOLDER ...]

Prints F1 of onsets (50 ms, 50 cents), F1 with offsets (20 % of the length, at least
50 ms, of the keys or of the sound), the median error of onsets, the rank correlation of velocities, and
seconds of reading per second of audio on one core; then a table of how many of the
candidates of each confidence are right. Folders hold FLAC files with a JSON file of the same
name; without any, the practice set beside the project is used. ``--worst`` counts the
errors of the ten worst clips by kind.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import argparse
import json
import time
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import mir_eval
import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy import stats

from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, Candidate, FormSettings, ReadSettings

PRACTICE = Path(__file__).parents[2] / "shared" / "practice"
RELATED = (12, 19, 24, 7, -12, -19, -24, 1, -1)


@dataclass(frozen=True)
class Measured:
    """Figures of one clip, and which of its candidates were right."""

    figures: dict[str, float]
    confidence: NDArray[np.float64]
    right: NDArray[np.bool_]
    errors: Counter[str]


def _right_ends(truth: list[dict[str, float]], found: list[Candidate], pairs: list[tuple[int, int]]) -> int:
    """How many ends agree: with the keys, or with the sound, whichever the clip as a whole agrees with more."""
    best = 0
    for name in ("offset_s", "sounding_off_s"):
        ends = [t.get(name, t["offset_s"]) for t in truth]
        agree = [
            abs(found[j].offset_s - ends[i]) <= max(0.05, 0.2 * (ends[i] - truth[i]["onset_s"])) for i, j in pairs
        ]
        best = max(best, sum(agree))
    return best


def measure(path: Path, voices: str) -> Measured:
    """Figures of one clip."""
    samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
    started = time.perf_counter()
    reading = read(samples, rate, ReadSettings(voices=voices))
    found = form_candidates(reading, FormSettings())
    seconds = (time.perf_counter() - started) / (len(samples) / rate)
    truth = json.loads(path.with_suffix(".json").read_text())["notes"]
    real = np.array([(n["onset_s"], n["offset_s"]) for n in truth])
    real_hz = mir_eval.util.midi_to_hz(np.array([n["pitch"] for n in truth], float))

    def pairs_of(chosen: list[int]) -> list[tuple[int, int]]:
        if not chosen:
            return []
        heard = np.array([(found[j].onset_s, found[j].onset_s + 0.1) for j in chosen])
        hz = mir_eval.util.midi_to_hz(np.array([found[j].pitch for j in chosen], float))
        pairs = mir_eval.transcription.match_notes(real, real_hz, heard, hz, offset_ratio=None)
        return [(i, chosen[j]) for i, j in pairs]

    counted = [j for j, c in enumerate(found) if c.confidence >= DEFAULT_LEAST_CONFIDENCE]
    pairs = pairs_of(counted)
    both = len(truth) + len(counted)
    ends = _right_ends(truth, list(found), pairs)
    late_ms = [1000 * abs(truth[i]["onset_s"] - found[j].onset_s) for i, j in pairs]
    velocities = [(truth[i]["velocity"], found[j].velocity) for i, j in pairs]
    rank = stats.spearmanr(*zip(*velocities, strict=True)).statistic if len(velocities) > 9 else np.nan
    right = np.zeros(len(found), bool)
    right[[j for _, j in pairs_of(list(range(len(found))))]] = True
    return Measured(
        {
            "f_on": 2 * len(pairs) / both,
            "f_off": 2 * ends / both,
            "onset_ms": float(np.median(late_ms)) if late_ms else float("nan"),
            "velocity": float(rank),
            "s/s": seconds,
        },
        np.array([c.confidence for c in found]),
        right,
        _errors(truth, found, pairs, len(pairs) - ends, counted),
    )


def _errors(truth, found, pairs, ends, counted) -> Counter[str]:
    errors = Counter({"end": ends})
    heard, matched = {i for i, _ in pairs}, {j for _, j in pairs}
    for j in counted:
        if j in matched:
            continue
        steps = {
            round(found[j].pitch - n["pitch"])
            for n in truth
            if n["onset_s"] - 0.06 <= found[j].onset_s <= max(n["offset_s"], n.get("sounding_off_s", 0))
        }
        if 0 in steps:
            errors["split or wrong moment"] += 1
        elif steps & {12, -12, 24, -24}:
            errors["octave"] += 1
        else:
            errors["ghost at a harmonic" if steps & {19, 7, 28, 16} else "ghost"] += 1
    for i, note in enumerate(truth):
        if i in heard:
            continue
        again = any(
            n["pitch"] == note["pitch"]
            and note["onset_s"] - n["onset_s"] > 0
            and note["onset_s"] - n["offset_s"] < 0.1
            for n in truth
        )
        errors["missed re-strike" if again else "missed"] += 1
    return errors


def reliability(confidence: NDArray[np.float64], right: NDArray[np.bool_]) -> float:
    """Prints how many candidates of each confidence are right; returns the expected calibration error."""
    place = np.minimum((confidence * 10).astype(int), 9)
    error = 0.0
    print(f"{'confidence':>12}{'candidates':>12}{'said':>8}{'right':>8}")
    for step in range(10):
        inside = place == step
        if not inside.any():
            continue
        said, true = confidence[inside].mean(), right[inside].mean()
        error += inside.mean() * abs(said - true)
        print(f"{step / 10:9.1f} to{inside.sum():12}{said:8.2f}{true:8.2f}")
    print(f"expected calibration error {error:.3f}")
    return float(error)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="*", type=Path)
    parser.add_argument("--voices", choices=("one", "many"))
    parser.add_argument("--worst", action="store_true")
    options = parser.parse_args()
    for folder in options.folders or [PRACTICE / "single", PRACTICE / "many"]:
        voices = options.voices or ("many" if folder.name == "many" else "one")
        clips = sorted(folder.glob("*.flac"))
        rows = [measure(path, voices) for path in clips]
        keys = list(rows[0].figures)
        print(f"\n{folder.name + ', ' + voices:32}" + "".join(f"{key:>10}" for key in keys))
        for path, row in zip(clips, rows, strict=True):
            print(f"{path.stem:32}" + "".join(f"{value:10.3f}" for value in row.figures.values()))
        means = [np.nanmean([r.figures[k] for r in rows] or [np.nan]) for k in keys]
        print(f"{'mean of ' + str(len(rows)):32}" + "".join(f"{mean:10.3f}" for mean in means))
        reliability(np.concatenate([r.confidence for r in rows]), np.concatenate([r.right for r in rows]))
        if options.worst:
            for path, row in sorted(zip(clips, rows, strict=True), key=lambda r: r[1].figures["f_on"])[:10]:
                print(f"{path.stem:32}{row.figures['f_on']:8.3f}  {dict(row.errors.most_common())}")


if __name__ == "__main__":
    main()
