"""How far hits lie from where their drums truly begin: loops with truth.

python -m bench.attacks [FOLDER ...]
"""

import json
import sys
from pathlib import Path

import numpy as np
import soundfile

from bench.hits import PRACTICE
from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.reading import HitSettings

# Strokes so close are one hit, begun by the first; a hit further away is another.
TOGETHER_S, NEAR_S = 0.02, 0.025
SHARES_WITHIN_MS = (1.0, 5.0, 12.0)


def distances_ms(path: Path) -> list[float]:
    """By how much the counted hit nearest to each true one lies off it, where there is one."""
    truth = sorted(hit["time_s"] for hit in json.loads(path.read_text())["hits"])
    samples, rate = soundfile.read(path.with_suffix(".flac"), dtype="float32", always_2d=True)
    reading = read(samples, rate, HitSettings())
    said = np.unique(reading.time_s[reading.confidence >= 0.5])
    begun: list[float] = []
    for time_s in truth:
        if not begun or time_s - begun[-1] >= TOGETHER_S:
            begun.append(time_s)
    nearest = [float(np.abs(said - time_s).min(initial=np.inf)) for time_s in begun]
    return [1000 * away_s for away_s in nearest if away_s <= NEAR_S]


def main() -> None:
    print(
        "| loops | hits | median, ms | mean | 90 % |", "| ".join(f"within {ms:g} ms " for ms in SHARES_WITHIN_MS), "|"
    )
    for folder in [Path(name) for name in sys.argv[1:]] or [PRACTICE]:
        away = np.array([ms for path in sorted(folder.glob("*.json")) for ms in distances_ms(path)])
        within = " | ".join(f"{float(np.mean(away <= ms)):.3f}" for ms in SHARES_WITHIN_MS)
        print(
            f"| {folder} | {len(away)} | {np.median(away):.2f} | {away.mean():.2f} | "
            f"{np.quantile(away, 0.9):.1f} | {within} |"
        )


if __name__ == "__main__":
    main()
