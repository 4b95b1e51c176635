"""Writes loops of kits that only the registries hold as files with their truth, to be scored like recordings.

    python -m training.write_loops FOLDER SAMPLES --loops 132

Strokes that belong to no class (claps, sticks, hand drums) are left out: their class is not asked.
"""

import argparse
import json
from pathlib import Path

import numpy as np
import soundfile

from training.hit_clips import make_clip
from training.loops_made import LOOP_S
from training.one_shots import CLASS_OF_ROLE, DRUMS, RATE
from training.registry_kits import registry_kits

# Patterns that no training has met.
FIRST_SEED = 5000


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("samples", type=Path, help="the packages of registry_kits.py")
    parser.add_argument("--loops", type=int, default=132)
    options = parser.parse_args()
    named = registry_kits(options.samples)
    names = list(named)
    kits = [{role: strokes for role, strokes in kit.items() if CLASS_OF_ROLE[role]} for kit in named.values()]
    folder = options.folder / "hits"
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(options.loops):
        which, length_s = number % len(kits), float(np.random.default_rng([17, number]).uniform(*LOOP_S))
        clip = make_clip(FIRST_SEED + number, [kits[which]], tuning=True, length_s=length_s)
        path = folder / f"{names[which]}-{number:03d}"
        loudest = max(1.0, float(np.abs(clip.sound).max()))
        soundfile.write(path.with_suffix(".flac"), clip.sound / loudest, RATE, subtype="PCM_16")
        hits = [
            {"time_s": round(t, 5), "drum": DRUMS[int(drum)], "velocity": round(127 * v)} for t, drum, v in clip.hits
        ]
        path.with_suffix(".json").write_text(json.dumps({"hits": hits, "duration_s": len(clip.sound) / RATE}))


if __name__ == "__main__":
    main()
