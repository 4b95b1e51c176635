"""Beats of drum loops whose beats are known, as they are and cut at their first beat.

    python -m bench.loop_beats [FOLDER]

The folder holds loops beside their truth (``beats``); without one, those of the practice set.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import json
import sys
from pathlib import Path

import mir_eval
import numpy as np
import soundfile

from bench.textures import PRACTICE
from honest_stave.core.beat.beats_engine import read
from honest_stave.core.signal.listen import ListenSettings

# A loop is cut so shortly before its first beat that the whole attack stays.
BEFORE_S = 0.002


def figures(samples: np.ndarray, rate: int, beats: list[dict[str, float]]) -> tuple[float, float, float]:
    """F1 of beats and of downbeats, and the share of the beats in bars of the true length."""
    found = read(samples, rate, ListenSettings())
    true_s = np.array([b["time_s"] for b in beats])
    down_s = np.array([b["time_s"] for b in beats if b["beat"] == 1])
    bar_beats = max(b["beat"] for b in beats)
    lengths = np.diff(np.append(np.flatnonzero(found.beat == 1), len(found.beat)))
    return (
        mir_eval.beat.f_measure(true_s, found.time_s),
        mir_eval.beat.f_measure(down_s, found.time_s[found.beat == 1]),
        float(lengths[lengths == bar_beats].sum() / max(len(found.beat), 1)),
    )


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else PRACTICE / "hits"
    rows = []
    for path in sorted(folder.glob("*.json")):
        beats = json.loads(path.read_text())["beats"]
        samples, rate = soundfile.read(path.with_suffix(".flac"), dtype="float32", always_2d=True)
        first_s = max(0.0, beats[0]["time_s"] - BEFORE_S)
        cut = [b | {"time_s": b["time_s"] - first_s} for b in beats]
        rows.append((*figures(samples, rate, beats), *figures(samples[round(first_s * rate) :], rate, cut)))
        print(f"{path.stem:24}", "  ".join(f"{value:.3f}" for value in rows[-1]))
    print(f"{'mean':24}", "  ".join(f"{value:.3f}" for value in np.mean(rows, axis=0)))


if __name__ == "__main__":
    main()
