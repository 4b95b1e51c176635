"""Drums recorded one by one: is each heard as what it is, alone and struck over and over?

    apt-get download sonic-pi-samples, then dpkg -x PACKAGE SAMPLES
    python -m bench.one_drum SAMPLES

Names of the files say what they are. Alone: the sample as it is. Struck over and over: twice a second, harder and
softer, as a drum has a track of its own in a recording.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
from pathlib import Path

import numpy as np
import soundfile

from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.reading import DRUMS, HitSettings

FOLDER = Path("usr/share/sonic-pi/samples")
# Beginnings of names, the first that fits says which drum it is.
NAMED = {
    "bd_": "kick", "drum_bass": "kick", "drum_heavy_kick": "kick", "elec_soft_kick": "kick",
    "elec_hollow_kick": "kick", "sn_": "snare", "drum_snare": "snare", "elec_snare": "snare",
    "elec_hi_snare": "snare", "elec_lo_snare": "snare", "elec_mid_snare": "snare", "hat_": "hat",
    "drum_cymbal_closed": "hat", "drum_cymbal_open": "hat", "drum_cymbal_pedal": "hat", "drum_tom": "tom",
    "elec_fuzz_tom": "tom", "drum_cymbal": "cymbal", "drum_splash": "cymbal", "elec_cymbal": "cymbal",
}  # fmt: skip
STROKES, EVERY_S, FIRST_S, SOFTEST, LONGEST_S = 12, 0.5, 0.05, 0.5, 1.2
COUNTED = 0.5


def drums_of(sound: np.ndarray, rate: int) -> list[str]:
    """Which drums are heard, hit by hit."""
    reading = read(sound[:, None], rate, HitSettings())
    return [DRUMS[drum] for drum in reading.drum[reading.confidence >= COUNTED]]


def struck(stroke: np.ndarray, rate: int) -> np.ndarray:
    """The stroke over and over."""
    random = np.random.default_rng(0)
    sound = np.zeros(round((FIRST_S + STROKES * EVERY_S + LONGEST_S) * rate), np.float32)
    for number in range(STROKES):
        first = round((FIRST_S + number * EVERY_S) * rate)
        sound[first : first + len(stroke)] += np.float32(random.uniform(SOFTEST, 1)) * stroke
    return sound


def main() -> None:
    # Of each drum: files, right alone, strokes, right ones among them, hits that were said.
    counts = {drum: np.zeros(5, int) for drum in DRUMS}
    for path in sorted((Path(sys.argv[1]) / FOLDER).glob("*.flac")):
        drum = next((drum for begins, drum in NAMED.items() if path.stem.startswith(begins)), None)
        if drum is None:
            continue
        samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
        mono = samples.mean(axis=1)
        alone, over = drums_of(mono, rate), drums_of(struck(mono[: round(LONGEST_S * rate)], rate), rate)
        counts[drum] += np.array([1, set(alone) == {drum}, STROKES, min(over.count(drum), STROKES), len(over)])
    for name, (files, alone, strokes, right, said) in {**counts, "all": sum(counts.values())}.items():
        if files:
            over_again = f"struck over and over F1 {2 * right / (strokes + said):.3f} of {strokes}"
            print(f"{name:8}{files:4} samples, {alone:3} right alone; {over_again}")


if __name__ == "__main__":
    main()
