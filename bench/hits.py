"""The ears for hits on loops with truth: F1 by drum, velocities, calibration, tempo.

python -m bench.hits [FOLDER]
"""

import json
import sys
from pathlib import Path

import numpy as np
import soundfile
from scipy.stats import spearmanr

from honest_stave.core.beat.loop_tempo import propose_tempo
from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.reading import DRUMS, HitSettings, HitsReading

PRACTICE = Path(__file__).parents[2] / "shared" / "practice" / "hits"
NEAR_S, SAME_TEMPO = 0.03, 0.02
LEAST_STROKES = 5


def partners(reading: HitsReading, counted: np.ndarray, drum: int, times_s: list[float]) -> list[int]:
    """Index of the counted hit of a drum that each moment is matched with, each hit once; -1 for none."""
    free = np.flatnonzero(counted & (reading.drum == drum)).tolist()
    found = []
    for time_s in times_s:
        near = [i for i in free if abs(reading.time_s[i] - time_s) <= NEAR_S]
        found.append(near[0] if near else -1)
        free = [i for i in free if i != found[-1]]
    return found


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else PRACTICE
    ranks: dict[str, list[float]] = {}
    right_found: dict[str, list[int]] = {drum: [0, 0, 0] for drum in DRUMS}
    sure: list[float] = []
    right: list[bool] = []
    tempo, octave, loops = 0, 0, 0
    for path in sorted(folder.glob("*.json")):
        truth = json.loads(path.read_text())
        samples, rate = soundfile.read(path.with_suffix(".flac"), dtype="float32", always_2d=True)
        reading = read(samples, rate, HitSettings())
        counted = reading.confidence >= 0.5
        for drum, name in enumerate(DRUMS):
            struck = [(h["time_s"], h["velocity"]) for h in truth["hits"] if h["drum"] == name]
            matched = partners(reading, counted, drum, [t for t, _ in struck])
            found = [(v, reading.velocity[i]) for (_, v), i in zip(struck, matched, strict=True) if i >= 0]
            said = int((counted & (reading.drum == drum)).sum())
            for k, more in enumerate((len(found), len(struck), said)):
                right_found[name][k] += more
            if len(found) >= LEAST_STROKES and np.ptp([v for v, _ in found]) > 0:
                ranks.setdefault(name, []).append(float(spearmanr(*zip(*found, strict=True)).statistic))
        for i, share in enumerate(reading.confidence.tolist()):
            same = [h for h in truth["hits"] if h["drum"] == DRUMS[reading.drum[i]]]
            sure.append(share)
            right.append(any(abs(h["time_s"] - reading.time_s[i]) <= NEAR_S for h in same))
        proposed = propose_tempo(
            reading.time_s[counted], reading.drum[counted], reading.velocity[counted], len(samples) / rate
        )
        # Loops of our own making (training/write_loops.py) have no tempo in their truth.
        ratio = proposed[0].bpm / truth["tempo_bpm"] if proposed and "tempo_bpm" in truth else 0.0
        tempo += abs(ratio - 1) < SAME_TEMPO
        octave += any(abs(ratio * m - 1) < SAME_TEMPO for m in (0.5, 1.0, 2.0))
        loops += "tempo_bpm" in truth
    print("| drum | F1 over all loops | velocity rank in a loop |\n|---|---|---|")
    for name, (both, true, said) in right_found.items():
        rank = np.mean(ranks[name]) if name in ranks else float("nan")
        print(f"| {name} | {2 * both / max(true + said, 1):.3f} of {true} | {rank:.2f} |")
    share, hit = np.array(sure), np.array(right)
    place = np.minimum((share * 10).astype(int), 9)
    print("\n| sure | candidates | said | right |\n|---|---|---|---|")
    for k in range(10):
        own = place == k
        if own.any():
            print(f"| {k / 10:.1f} | {own.sum()} | {share[own].mean():.2f} | {hit[own].mean():.2f} |")
    error = sum(abs(share[place == k].sum() - hit[place == k].sum()) for k in range(10)) / len(share)
    print(f"\nexpected calibration error {error:.3f}")
    if loops:
        print(f"tempo right in {tempo} of {loops} as the first proposal, {octave} with half and double")


if __name__ == "__main__":
    main()
