"""Fits what a take seems to hold: one voice, many voices, drums, or a mix of drums and pitches.

    python -m training.fit_kinds CACHE

Learnt from clips that the networks never met, from drum loops of the trained kits, from both together, from several
at once over drums, from bands, produced songs and voices with consonants. Writes the constants beside the shipped
networks.
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
from honest_stave.core.pitch import kind_measures
from honest_stave.core.pitch.hearing import hear
from training.clips import Clip
from training.export_notes import TARGET
from training.fitting import fit_softmax
from training.heard_kept import clip_paths
from training.hit_clips import make_clip
from training.kind_clips import measured_clips, measured_songs
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
# Clips of bands, of voices with consonants, and of produced songs.
TOGETHER, VOICES, SONGS = 160, 40, 100
# Clips of so many pitched ones at once, up to that far apart, under drums at such levels: as dense as songs are.
DENSE, PITCHED_AT_ONCE, APART_DB, DRUMS_DB = 200, (3, 4, 5), 6.0, (-3.0, 9.0)

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
    return kind_measures.measures(bands, hear(bands))


def together(pitched: list[Heard], drums: list[Heard], loops: list[Heard]) -> list[Heard]:
    """Every pitched clip with drums beside it: those of the material and the loops in turn."""
    found = []
    for place, clip in enumerate(pitched):
        beside = loops if place % 2 else drums
        found.append(mixed(clip, beside[place % len(beside)], MIX_GAINS_DB[place % len(MIX_GAINS_DB)]))
    return found


def dense(pitched: list[Heard], drums: list[Heard], loops: list[Heard]) -> list[Heard]:
    """Several pitched clips at once, whatever their keys, with drums."""
    found = []
    for seed in range(DENSE):
        random = np.random.default_rng([77, seed])
        count = int(random.choice(PITCHED_AT_ONCE))
        clip = pitched[int(random.integers(len(pitched)))]
        for _ in range(count - 1):
            other = pitched[int(random.integers(len(pitched)))]
            clip = mixed(clip, other, float(random.uniform(-APART_DB, APART_DB)))
        beside = loops if seed % 2 else drums
        found.append(mixed(clip, beside[int(random.integers(len(beside)))], float(random.uniform(*DRUMS_DB))))
    return found


def fitted(inputs: Values, label: NDArray[np.int64], denser: Values) -> dict[str, object]:
    """Weights of the kinds, and of a mix against drums alone.

    Args:
        inputs, label: measures of clips and what they hold.
        denser: measures of mixes as dense as songs; among the kinds they would call more chords a mix.
    """
    weights, intercepts = fit_softmax(kind_measures.weighed(inputs), label, len(kinds.KINDS))
    struck = label >= kinds.KINDS.index("drums")
    told = kind_measures.held_and_begun(np.concatenate([inputs[struck], denser]))
    is_mix = np.concatenate([label[struck] == kinds.KINDS.index("mix"), np.ones(len(denser), bool)])
    of_two, offsets = fit_softmax(told, is_mix.astype(np.int64), 2)
    kept = {"weights": weights, "intercepts": intercepts, "mix_weights": of_two[1] - of_two[0]}
    mix_intercept = round(float(offsets[1] - offsets[0]), 4)
    return {name: np.round(value, 4).tolist() for name, value in kept.items()} | {"mix_intercept": mix_intercept}


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
        denser = np.array(list(pool.map(measured, dense(pitched, drums, loops), chunksize=4)))
        inputs = np.array(list(pool.map(measured, [clip for clip, _ in chosen], chunksize=4)))
    label = np.array([kinds.KINDS.index(name) for _, name in chosen])
    more, held = measured_clips(TOGETHER, VOICES, WORKERS)
    denser = np.concatenate([denser, measured_songs(SONGS, WORKERS)])
    inputs, label = np.concatenate([inputs, more]), np.concatenate([label, held])
    half = fitted(inputs[::2], label[::2], denser[::2])
    right = np.array([kinds.kind_of(row, half).name for row in inputs[1::2]]) == np.array(kinds.KINDS)[label[1::2]]
    for place, name in enumerate(kinds.KINDS):
        own = right[label[1::2] == place]
        print(f"{name:6} {np.mean(own):.3f} of {len(own)}")
    kept = fitted(inputs, label, denser)
    TARGET.with_suffix(".json").write_text(json.dumps(constants_of("notes") | {"kind": kept}) + "\n")


if __name__ == "__main__":
    main()
