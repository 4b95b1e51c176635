"""Accuracy and speed of the one-voice engine on clips with truth.

    python bench/accuracy.py [FOLDER ...]

Prints F1 of onsets (50 ms, 50 cents), F1 with offsets (20 % of the length, at least
50 ms), the median error of onsets, and seconds of reading per second of audio on one core.
Folders hold FLAC files with a JSON file of the same name; without any, the practice set
beside the project is used.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import json
import sys
import time
from pathlib import Path

import mir_eval
import numpy as np
import soundfile

from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.one_voice import read
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, FormSettings, OneVoiceSettings

PRACTICE = Path(__file__).parents[2] / "shared" / "practice" / "single"


def measure(path: Path) -> dict[str, float]:
    """Figures of one clip."""
    samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
    started = time.perf_counter()
    reading = read(samples, rate, OneVoiceSettings())
    found = [c for c in form_candidates(reading, FormSettings()) if c.confidence >= DEFAULT_LEAST_CONFIDENCE]
    seconds = (time.perf_counter() - started) / (len(samples) / rate)
    truth = json.loads(path.with_suffix(".json").read_text())["notes"]
    real = np.array([(n["onset_s"], n["offset_s"]) for n in truth])
    heard = np.array([(c.onset_s, max(c.offset_s, c.onset_s + 0.01)) for c in found]).reshape(-1, 2)
    hz = mir_eval.util.midi_to_hz
    pitches = hz(np.array([n["pitch"] for n in truth], float)), hz(np.array([c.pitch for c in found], float))
    score = mir_eval.transcription.precision_recall_f1_overlap
    if not found:
        return {"f_on": 0.0, "f_off": 0.0, "onset_ms": float("nan"), "s/s": seconds}
    pairs = mir_eval.transcription.match_notes(real, pitches[0], heard, pitches[1], offset_ratio=None)
    errors = [abs(real[i, 0] - heard[j, 0]) for i, j in pairs]
    return {
        "f_on": score(real, pitches[0], heard, pitches[1], offset_ratio=None)[2],
        "f_off": score(real, pitches[0], heard, pitches[1], offset_ratio=0.2)[2],
        "onset_ms": 1000 * float(np.median(errors)) if errors else float("nan"),
        "s/s": seconds,
    }


def main() -> None:
    for folder in [Path(a) for a in sys.argv[1:]] or [PRACTICE]:
        clips = sorted(folder.glob("*.flac"))
        rows = [measure(path) for path in clips]
        print(f"{folder.name:30}" + "".join(f"{key:>10}" for key in rows[0]))
        for path, row in zip(clips, rows, strict=True):
            print(f"{path.stem:30}" + "".join(f"{value:10.3f}" for value in row.values()))
        print(
            f"{'mean of ' + str(len(rows)):30}"
            + "".join(f"{np.nanmean([r[k] for r in rows]):10.3f}" for k in rows[0])
        )


if __name__ == "__main__":
    main()
