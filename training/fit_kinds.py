"""Fits what a take seems to hold: one voice, many voices, drums, or a mix of drums and pitches.

    python -m training.fit_kinds CACHE

Learnt from clips that the networks never met, from drum loops of the trained kits, from both together, from bands
and from voices with consonants. Writes the constants beside the shipped networks.
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch import kind as kinds
from honest_stave.core.pitch.hearing import hear
from training.clips import Clip
from training.export_notes import TARGET
from training.fitting import fit_softmax
from training.heard_kept import clip_paths
from training.hit_clips import make_clip
from training.kind_clips import measured_clips
from training.material import LOWEST_DB, STEP_DB, Heard, load
from training.material import hear as bands_heard
from training.one_shots import Kit, trained_kits
from training.strikes_heard import bands_of

WORKERS = 2
# Of the clips kept from the first network so many, spread over all, beside those of the tuning set.
OTHER_CLIPS = 200
# Loops from this seed on, which no training of hits has met, and their length.
FIRST_LOOP, LOOPS, LOOP_S = 60_000, 300, 8.0
# Level of the drums in a mix, beside what the clips themselves have.
MIX_GAINS_DB = (-9.0, -3.0, 0.0, 3.0, 9.0)
# Clips of bands, and of voices with consonants.
TOGETHER, VOICES = 160, 40

Values = NDArray[np.float64]


def mixed(first: Heard, second: Heard, gain_db: float) -> Heard:
    """A clip with another added in power, as long as the shorter one."""
    frames = min(len(first.long), len(second.long))

    def added(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> NDArray[np.uint8]:
        one, other = (LOWEST_DB + STEP_DB * v[:frames].astype(np.float64) for v in (a, b))
        both = 10 * np.log10(10 ** (one / 10) + 10 ** ((other + gain_db) / 10))
        return np.clip(np.round((both - LOWEST_DB) / STEP_DB), 0, 255).astype(np.uint8)

    return replace(first, long=added(first.long, second.long), short=added(first.short, second.short))


@lru_cache
def kits() -> list[Kit]:
    """Kits that are trained on."""
    return trained_kits()


def drum_loop(seed: int) -> Heard:
    """Drums alone, as a clip without any note."""
    loop = make_clip(seed, kits(), mixed=seed % 2 == 0, coloured=seed % 3 == 0, length_s=LOOP_S)
    none, no_pitch = np.zeros(0), np.zeros(0, np.int64)
    return bands_heard(Clip(loop.sound, none, none, none, no_pitch, no_pitch, "drums", "loop"))


def measured(clip: Heard) -> Values:
    """Measures of a clip."""
    bands = bands_of(clip)
    return kinds.measures(bands, hear(bands))


def together(pitched: list[Heard], drums: list[Heard], loops: list[Heard]) -> list[Heard]:
    """Every pitched clip with drums beside it: those of the material and the loops in turn."""
    found = []
    for place, clip in enumerate(pitched):
        beside = loops if place % 2 else drums
        found.append(mixed(clip, beside[place % len(beside)], MIX_GAINS_DB[place % len(MIX_GAINS_DB)]))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    options = parser.parse_args()
    others = clip_paths(options.cache, tuning=False)
    spread = np.linspace(0, len(others) - 1, min(OTHER_CLIPS, len(others))).astype(int)
    loaded = [load(path) for path in clip_paths(options.cache, tuning=True) + [others[i] for i in spread]]
    pitched = [c for c in loaded if c.kind not in ("drums", "noise")]
    drums = [c for c in loaded if c.kind == "drums"]
    with ProcessPoolExecutor(WORKERS) as pool:
        loops = list(pool.map(drum_loop, range(FIRST_LOOP, FIRST_LOOP + LOOPS), chunksize=4))
        chosen = [(c, "one" if c.kind == "one" else "many") for c in pitched]
        chosen += [(c, "drums") for c in [*drums, *loops]]
        chosen += [(c, "mix") for c in together(pitched, drums, loops)]
        inputs = np.array(list(pool.map(measured, [clip for clip, _ in chosen], chunksize=4)))
    label = np.array([kinds.KINDS.index(name) for _, name in chosen])
    more, held = measured_clips(TOGETHER, VOICES, WORKERS)
    inputs, label = kinds.weighed(np.concatenate([inputs, more])), np.concatenate([label, held])
    weights, intercepts = fit_softmax(inputs[::2], label[::2], len(kinds.KINDS))
    right = (inputs[1::2] @ weights.T + intercepts).argmax(axis=1) == label[1::2]
    for place, name in enumerate(kinds.KINDS):
        own = right[label[1::2] == place]
        print(f"{name:6} {np.mean(own):.3f} of {len(own)}")
    weights, intercepts = fit_softmax(inputs, label, len(kinds.KINDS))
    kept = {"weights": np.round(weights, 4).tolist(), "intercepts": np.round(intercepts, 4).tolist()}
    TARGET.with_suffix(".json").write_text(json.dumps(constants_of("notes") | {"kind": kept}) + "\n")


if __name__ == "__main__":
    main()
