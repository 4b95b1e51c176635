"""The map that a take begins with, against its true beats: as it is offered, and smoothed by a fifth.

python -m bench.maps [FOLDER]

The folder holds recordings beside their true beats; without one, those of the practice set.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import json
import sys
from pathlib import Path

import numpy as np
import soundfile

from honest_stave.core.beat.beat_map import BeatMap, times_of
from honest_stave.core.beat.beats_engine import read
from honest_stave.core.beat.map_of import map_of_reading
from honest_stave.core.beat.smoothing import smooth
from honest_stave.core.signal.listen import ListenSettings

PRACTICE = Path(__file__).parents[2] / "shared/practice/beats"
A_FIFTH, NEAR_MS = 0.2, 50.0


def errors(found: BeatMap, truth_s: np.ndarray) -> tuple[float, float, float]:
    """Median and 90 % of the beats' distances from the nearest true one (ms), and the share within 50 ms."""
    off_ms = 1000 * np.abs(times_of(found)[:, None] - truth_s).min(axis=1)
    return float(np.median(off_ms)), float(np.quantile(off_ms, 0.9)), float((off_ms < NEAR_MS).mean())


def main() -> None:
    rows = []
    for path in sorted((Path(sys.argv[1]) if len(sys.argv) > 1 else PRACTICE).glob("*.json")):
        truth_s = np.array([b["time_s"] for b in json.loads(path.read_text())["beats"]])
        samples, rate = soundfile.read(path.with_suffix(".flac"), dtype="float32", always_2d=True)
        offered = map_of_reading(read(samples, rate, ListenSettings()), path.stem, "", "")
        rows.append((*errors(offered, truth_s), *errors(smooth(offered, A_FIFTH), truth_s)))
        print(f"{path.stem:26} {offered.smoothing:4.0%}", " ".join(f"{x:6.2f}" for x in rows[-1]), flush=True)
    print(f"{'mean':31}", " ".join(f"{x:6.2f}" for x in np.mean(rows, axis=0)))


if __name__ == "__main__":
    main()
