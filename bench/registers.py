"""F1 of onsets by register: of bass notes, of the middle, of the top octaves.

python -m bench.registers FOLDER

The folder holds recordings beside their truth, in ``single`` and ``many``, as ``training.write_clips`` writes them.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import json
import sys
from pathlib import Path

import mir_eval
import numpy as np

from bench.counted_notes import notes_in

VOICES = {"single": "one", "many": "many"}
# The lowest pitch of each register, and one past the highest.
REGISTERS = {"under C3": (21, 48), "C3 to B5": (48, 84), "C6 to B6": (84, 96), "from C7 on": (96, 109)}


def moments(onset_s: np.ndarray, pitch: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Intervals and frequencies as the matching wants them."""
    return np.stack([onset_s, onset_s + 0.1], axis=1), mir_eval.util.midi_to_hz(pitch.astype(float))


def main() -> None:
    for folder, voices in VOICES.items():
        counts = {name: np.zeros(3, int) for name in REGISTERS}
        for path in sorted((Path(sys.argv[1]) / folder).glob("*.json")):
            truth = json.loads(path.read_text())["notes"]
            found = notes_in(path.with_suffix(".flac"), voices)
            real = np.array([(n["onset_s"], n["pitch"]) for n in truth]).reshape(-1, 2)
            heard = np.array([(c.onset_s, c.pitch) for c in found]).reshape(-1, 2)
            for name, (low, high) in REGISTERS.items():
                own = [rows[(rows[:, 1] >= low) & (rows[:, 1] < high)] for rows in (real, heard)]
                pairs = []
                if all(len(rows) for rows in own):
                    given = (part for rows in own for part in moments(rows[:, 0], rows[:, 1]))
                    pairs = mir_eval.transcription.match_notes(*given, offset_ratio=None)
                counts[name] += (len(pairs), *(len(rows) for rows in own))
        for name, (right, real_count, heard_count) in counts.items():
            if real_count:
                both = 2 * right / (real_count + heard_count)
                print(f"{folder:7} {name:11} F1 {both:.3f}, found {right / real_count:.3f} of {real_count}")


if __name__ == "__main__":
    main()
