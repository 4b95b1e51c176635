"""Fits the weights of ``core/pitch/confidence.py`` on clips with truth, and prints them.

    python bench/fit_confidence.py FOLDER [FOLDER ...]

Also prints a reliability table and the F1 at each limit, so that the weights and the
default limit can be judged.
"""

import json
import sys
from pathlib import Path

import mir_eval
import numpy as np
import soundfile
from scipy.optimize import minimize

from honest_stave.core.pitch import confidence, forming
from honest_stave.core.pitch.one_voice import read
from honest_stave.core.pitch.reading import FormSettings, OneVoiceSettings


def right_candidates(candidates: list, truth: list[dict]) -> np.ndarray:
    """Whether each candidate matches a true note (50 ms, the same semitone)."""
    if not candidates:
        return np.zeros(0, bool)
    found = np.array([(c.onset_s, max(c.offset_s, c.onset_s + 0.01)) for c in candidates])
    real = np.array([(n["onset_s"], max(n["offset_s"], n["onset_s"] + 0.01)) for n in truth])
    pairs = mir_eval.transcription.match_notes(
        real,
        mir_eval.util.midi_to_hz(np.array([n["pitch"] for n in truth], float)),
        found,
        mir_eval.util.midi_to_hz(np.array([c.pitch for c in candidates], float)),
        offset_ratio=None,
    )
    right = np.zeros(len(candidates), bool)
    right[[j for _, j in pairs]] = True
    return right


def collect(folders: list[Path]) -> tuple[np.ndarray, np.ndarray, int]:
    """Features and rightness of all candidates in the clips, and how many notes there are."""
    features: list[np.ndarray] = []
    labels: list[np.ndarray] = []
    notes = 0
    for path in sorted(p for folder in folders for p in folder.glob("*.flac")):
        samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
        reading = read(samples, rate, OneVoiceSettings())
        truth = json.loads(path.with_suffix(".json").read_text())["notes"]
        seen: dict[str, np.ndarray] = {}

        def watch(seen=seen, **measured: np.ndarray) -> np.ndarray:
            seen["features"] = confidence.confidence_features(**measured)
            return confidence.confidence(**measured)

        forming.confidence = watch
        candidates = list(forming.form_candidates(reading, FormSettings(shortest_s=0.0)))
        right = right_candidates(candidates, truth)
        if len(candidates) and right.mean() > 0.2:
            features.append(seen["features"])
            labels.append(right)
            notes += len(truth)
    return np.concatenate(features), np.concatenate(labels), notes


def main() -> None:
    features, right, notes = collect([Path(name) for name in sys.argv[1:]])
    mean, spread = features.mean(axis=0), features.std(axis=0) + 1e-6
    scaled = (features - mean) / spread

    def loss(weights: np.ndarray) -> float:
        score = weights[0] + scaled @ weights[1:]
        return float(np.mean(np.logaddexp(0, np.where(right, -score, score))) + 0.002 * np.sum(weights[1:] ** 2))

    best = minimize(loss, np.zeros(features.shape[1] + 1)).x
    weights = best[1:] / spread
    intercept = best[0] - float(weights @ mean)
    print("INTERCEPT =", round(float(intercept), 3))
    print("WEIGHTS =", tuple(round(float(w), 3) for w in weights))
    sure = 1 / (1 + np.exp(-(intercept + features @ weights)))
    print("confidence  share right  candidates")
    for low in np.arange(0, 1, 0.1):
        inside = (sure >= low) & (sure < low + 0.1)
        if inside.any():
            print(f"{low:.1f}-{low + 0.1:.1f}      {right[inside].mean():.2f}        {inside.sum()}")
    for limit in np.arange(0.1, 0.9, 0.1):
        counted = sure >= limit
        f1 = 2 * (right & counted).sum() / (counted.sum() + notes)
        print(f"limit {limit:.1f}: F1 {f1:.3f}")


if __name__ == "__main__":
    main()
