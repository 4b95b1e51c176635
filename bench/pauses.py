"""Scores laid on recordings with pauses that they do not write: seconds of silence between repeats of a piece.

    python -m bench.pauses [--pause 4] [--times 4] [FOLDER]

The folder holds scores (.mid), recordings (.flac) and their moments (.json), as the practice set's
``align`` does, which is used without one. Prints how many onsets lie within 50 ms of their truth, of
how many, and 95 % of the deviations.
"""

import argparse
import json
from pathlib import Path

import numpy as np
import soundfile

from honest_stave.core.beat.align import Written, align, written_notes

PRACTICE = Path(__file__).parents[2] / "shared" / "practice" / "align"
NEAR_S = 0.05
# Repeats begin on a bar of four quarters.
BAR_QUARTERS = 4


def deviations_s(path: Path, pause_s: float, times: int) -> np.ndarray:
    """By how much each onset of a piece, played so many times with pauses, is off."""
    samples, rate = soundfile.read(path.with_suffix(".flac"), dtype="float32", always_2d=True)
    truth = json.loads(path.with_suffix(".json").read_text())["map"]
    once = written_notes(path.with_suffix(".mid").read_bytes())
    last = max(n.onset_beats + n.duration_beats for n in once)
    quarters = BAR_QUARTERS * np.ceil(last / BAR_QUARTERS)
    silence = np.zeros((round(pause_s * rate), samples.shape[1]), np.float32)
    played = np.concatenate([samples, silence] * times)
    score = [Written(n.onset_beats + k * quarters, n.duration_beats, n.pitch) for k in range(times) for n in once]
    length_s = (len(samples) + len(silence)) / rate
    true_s = {round(m["beat"] + k * quarters, 4): m["time_s"] + k * length_s for k in range(times) for m in truth}
    found = align(score, played, rate)
    rows = zip(found.beat.tolist(), found.time_s.tolist(), strict=True)
    return np.array([t - true_s[round(b, 4)] for b, t in rows if round(b, 4) in true_s])


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path, nargs="?", default=PRACTICE)
    parser.add_argument("--pause", type=float, default=4.0)
    parser.add_argument("--times", type=int, default=4)
    options = parser.parse_args()
    shares = []
    for path in sorted(options.folder.glob("*.mid")):
        off_s = np.abs(deviations_s(path, options.pause, options.times))
        shares.append(float(np.mean(off_s <= NEAR_S)))
        print(
            f"{path.stem:12} {np.sum(off_s <= NEAR_S)} of {len(off_s)}, 95 %: {1e3 * np.quantile(off_s, 0.95):.0f} ms"
        )
    print(f"mean {np.mean(shares):.3f}")


if __name__ == "__main__":
    main()
