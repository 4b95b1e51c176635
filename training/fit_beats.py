"""Measures the networks for beats on the tuning clips and fits how sure their beats are.

python -m training.fit_beats CACHE [--clips 60]

The figures come from a curve fitted on every second clip and are told on the others; what ships
is fitted on all of them, and is written where none was left out.
"""

import argparse
import json
from pathlib import Path

import numpy as np

from honest_stave.core.beat.beats_hearing import hear_beats
from honest_stave.core.beat.heard import Heard
from honest_stave.core.beat.level import choose_level
from honest_stave.core.beat.track import odds_near, track_beats
from training.beat_clips import FIRST_ALONE_SEED
from training.beat_material import Made, material
from training.train_beats import NETWORKS

NEAR_S = 0.07
# Clips held out, and those of tunes and lines alone.
CLIPS, ALONE = 180, 150
VERSION = "beats 15"


def f_measure(found: np.ndarray, truth: np.ndarray) -> float:
    """F1 of moments within 70 ms, each matched once in order."""
    hits, i, j = 0, 0, 0
    while i < len(found) and j < len(truth):
        apart = found[i] - truth[j]
        if abs(apart) <= NEAR_S:
            hits, i, j = hits + 1, i + 1, j + 1
        elif apart < 0:
            i += 1
        else:
            j += 1
    return 2 * hits / max(len(found) + len(truth), 1)


def measured(clip: Made) -> dict[str, object]:
    """What the application finds in a clip, against its truth."""
    heard = Heard(clip.columns.astype(np.float32), clip.chroma.astype(np.float32), clip.notes)
    activity = hear_beats(heard)
    chosen = choose_level(heard, activity, track_beats(activity, heard.columns[:, -1].astype(float))[0])
    beat_s, bars = chosen.beat_s, chosen.bars
    odds = odds_near(activity, beat_s)
    apart = np.abs(beat_s[:, None] - clip.time_s)
    near = apart.min(axis=1)
    length, compound = int(np.median(bars.length)), bool(np.median(bars.compound))
    return {
        "texture": clip.texture,
        "tempo": clip.tempo,
        "f": f_measure(beat_s, clip.time_s),
        "down": f_measure(beat_s[bars.beat == 1], clip.time_s[clip.place == 0]),
        "meter": float((length, compound) == (int(np.median(clip.length)), clip.compound)),
        "error_ms": 1000 * float(np.median(near[near <= NEAR_S])) if (near <= NEAR_S).any() else np.nan,
        "odds": odds,
        "right": near <= NEAR_S,
    }


def fitted(clips: list[dict[str, object]]) -> tuple[float, float]:
    """Slope and offset of the curve from log-odds to the share that is right, by logistic regression."""
    x = np.concatenate([c["odds"] for c in clips])
    y = np.concatenate([c["right"] for c in clips]).astype(float)
    slope, offset = 1.0, 0.0
    for _ in range(50):
        p = 1 / (1 + np.exp(-(slope * x + offset)))
        w = p * (1 - p) + 1e-6
        hessian = np.array([[(w * x * x).sum(), (w * x).sum()], [(w * x).sum(), w.sum()]]) + 1e-3 * np.eye(2)
        step = np.linalg.solve(hessian, np.array([((y - p) * x).sum(), (y - p).sum()]))
        slope, offset = slope + step[0], offset + step[1]
    return float(slope), float(offset)


def means_of(clips: list[dict[str, object]]) -> str:
    """How many clips there are, and the mean of each measure."""
    means = {m: np.nanmean([float(c[m]) for c in clips]) for m in ("f", "down", "meter", "error_ms")}
    return "  ".join([f"{len(clips):3}", *(f"{m} {v:.3f}" for m, v in means.items())])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=CLIPS)
    options = parser.parse_args()
    found = [measured(c) for c in material(options.cache, options.clips, tuning=True)]
    alone = [measured(c) for c in material(options.cache, ALONE, first=FIRST_ALONE_SEED, tuning=True)]
    for key in ("texture", "tempo"):
        for name in sorted({str(c[key]) for c in found}):
            print(f"{name:12}", means_of([c for c in found if c[key] == name]))
    print(f"{'all':12}", means_of(found))
    print(f"{'alone':12}", means_of(alone))
    found += alone
    slope, offset = fitted(found[::2])
    held = found[1::2]
    sure = np.concatenate([1 / (1 + np.exp(-(slope * c["odds"] + offset))) for c in held])
    right = np.concatenate([c["right"] for c in held])
    error = 0.0
    for low in np.arange(0, 1, 0.1):
        inside = (sure >= low) & (sure < low + 0.1 + 1e-9 * (low > 0.85))
        if inside.any():
            print(f"{low:.1f} to {low + 0.1:.1f}: {inside.sum():5} beats, {right[inside].mean():.2f} right")
            error += inside.mean() * abs(right[inside].mean() - sure[inside].mean())
    print(f"expected calibration error {error:.3f}")
    if options.clips == CLIPS:
        slope, offset = fitted(found)
        told = {"version": VERSION, "slope": round(slope, 4), "offset": round(offset, 4)}
        (NETWORKS / "beats.json").write_text(json.dumps(told) + "\n")


if __name__ == "__main__":
    main()
