"""Writes loops of kits that only the registries hold as files with their truth, to be scored like recordings.

    python -m training.write_loops FOLDER SAMPLES --loops 132 [--sparse | --patterns FOLDER]

Strokes that belong to no class (claps, sticks, hand drums) are left out: their class is not asked.
Chance strikes one drum twice at a moment, hats open and closed: that is one hit of it, the harder one.
"""

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from training.hit_clips import make_clip
from training.loops_made import LOOP_S
from training.one_shots import CLASS_OF_ROLE, DRUMS, RATE
from training.patterns_played import play_pattern
from training.registry_kits import registry_kits

# Patterns that no training has met.
FIRST_SEED = 5000
# Flams are farther apart.
ONE_HIT_S = 0.02


def as_hits(strokes: NDArray[np.float64]) -> list[dict[str, Any]]:
    """Strokes (time_s, drum, velocity) in order of time as hits, each drum at most once at a moment."""
    hits: list[dict[str, Any]] = []
    last: dict[str, dict[str, Any]] = {}
    for time_s, number, velocity in strokes.tolist():
        drum = DRUMS[int(number)]
        before = last.get(drum)
        if before and time_s - before["time_s"] <= ONE_HIT_S:
            before["velocity"] = max(before["velocity"], round(127 * velocity))
            continue
        last[drum] = {"time_s": round(time_s, 5), "drum": drum, "velocity": round(127 * velocity)}
        hits.append(last[drum])
    return hits


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("samples", type=Path, help="the packages of registry_kits.py")
    parser.add_argument("--loops", type=int, default=132)
    parser.add_argument("--sparse", action="store_true", help="of one drum, or of few, some of them a few strokes")
    parser.add_argument("--patterns", type=Path, help="loops with their truth, whose strokes each kit plays")
    options = parser.parse_args()
    named = registry_kits(options.samples)
    names = list(named)
    kits = [{role: strokes for role, strokes in kit.items() if CLASS_OF_ROLE[role]} for kit in named.values()]
    folder = options.folder / "hits"
    folder.mkdir(parents=True, exist_ok=True)
    files = sorted(options.patterns.glob("*.json")) if options.patterns else []
    patterns = [json.loads(path.read_text()) for path in files]
    for number in range(len(names) * len(patterns) or options.loops):
        which, length_s = number % len(kits), float(np.random.default_rng([17, number]).uniform(*LOOP_S))
        seed, kit = FIRST_SEED + number, [kits[which]]
        if patterns:
            pattern = patterns[number // len(kits)]
            clip = play_pattern(number, *kit, pattern["hits"], pattern["duration_s"])
        else:
            clip = make_clip(seed, kit, tuning=True, sparse=options.sparse, length_s=length_s)
        path = folder / f"{names[which]}-{number:03d}"
        loudest = max(1.0, float(np.abs(clip.sound).max()))
        soundfile.write(path.with_suffix(".flac"), clip.sound / loudest, RATE, subtype="PCM_16")
        path.with_suffix(".json").write_text(
            json.dumps({"hits": as_hits(clip.hits), "duration_s": len(clip.sound) / RATE})
        )


if __name__ == "__main__":
    main()
