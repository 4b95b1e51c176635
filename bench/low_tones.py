"""Low tones without overtones, alone and under chords: how many are read, within 50 ms of their beginnings.

python -m bench.low_tones
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import numpy as np
from numpy.typing import NDArray

from bench.counted_notes import counted_notes
from honest_stave.core.signal.convert import pitch_to_hz

RATE, FIRST_S, STEP_S, NEAR_S = 44100, 0.5, 0.6, 0.05
STEPS = (0, 3, 5, 7, 0, -2, 3, 5)
LOWEST = {"E1": 28, "A1": 33, "C2": 36}
# How long each note lasts, how fast it dies away, how far above its pitch it begins, and how hard all is driven.
SOUNDS = {"sine": (0.45, 0.0, 0.0, 0.0), "drum machine": (0.55, 2.5, 1.5, 1.0), "driven": (0.55, 2.5, 1.5, 4.0)}


def line(lowest: int, lasts_s: float, falls: float, drop: float, driven: float) -> NDArray[np.float32]:
    """Eight notes, one after the other."""
    time_s = np.arange(round((FIRST_S + STEP_S * len(STEPS) + 1) * RATE)) / RATE
    sound = np.zeros_like(time_s)
    for number, step in enumerate(STEPS):
        since = time_s - FIRST_S - STEP_S * number
        level = (
            np.clip(since / 0.005, 0, 1) * np.clip((lasts_s - since) / 0.02, 0, 1) * np.exp(-falls * since.clip(0))
        )
        hz = pitch_to_hz(lowest + step) * (1 + drop * np.exp(-since.clip(0) / 0.02))
        sound += 0.5 * level * np.sin(2 * np.pi * np.cumsum(np.where(since > 0, hz, 0.0)) / RATE)
    return np.asarray(np.tanh(driven * sound) if driven else sound, np.float32)


def chords() -> NDArray[np.float64]:
    """Four chords of saws over a line, each as long as two of its notes."""
    time_s = np.arange(round((FIRST_S + STEP_S * len(STEPS) + 1) * RATE)) / RATE
    sound = np.zeros_like(time_s)
    for number, root in enumerate((60, 57, 53, 55)):
        since = time_s - FIRST_S - 2 * STEP_S * number
        level = np.clip(since / 0.01, 0, 1) * np.clip((1.15 - since) / 0.05, 0, 1)
        for pitch in (root - 12, root, root + 4, root + 7):
            phase = 2 * np.pi * pitch_to_hz(pitch) * time_s
            sound += level * sum(np.sin(k * phase) / k for k in range(1, 30))
    return np.asarray(0.5 * sound / np.abs(sound).max())


def main() -> None:
    for name, settings in SOUNDS.items():
        for place, lowest in LOWEST.items():
            alone = line(lowest, *settings)
            for voices, sound in (("one", alone), ("many", np.asarray(alone + chords(), np.float32))):
                found = counted_notes(sound[:, None], RATE, voices)
                right = sum(
                    any(c.pitch == lowest + step and abs(c.onset_s - FIRST_S - STEP_S * i) < NEAR_S for c in found)
                    for i, step in enumerate(STEPS)
                )
                where = "alone" if voices == "one" else "under chords"
                print(f"{name:12} from {place} {where:12} {right} of {len(STEPS)} right")


if __name__ == "__main__":
    main()
