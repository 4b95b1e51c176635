"""Clips of instruments of ours that vary as widely as real ones do: one voice or many, by seed."""

import numpy as np
import soxr

from training import sampled, wide_voices
from training.clips import CHANCE, Clip
from training.dress import dress
from training.performance import Performance
from training.played import played

# Seeds of these clips: the first network learns from the second range, what weighs its words from the first.
UNHEARD_SEEDS, HEARD_SEEDS = range(50_000, 55_000), range(55_000, 60_000)
ONE_SHARE, RANKED_SHARE, BORROWED_SHARE = 0.45, 0.6, 0.4


def is_wide(seed: int) -> bool:
    """Whether the clip of a seed is made here."""
    return seed in UNHEARD_SEEDS or seed in HEARD_SEEDS


def make_wide(seed: int, pieces: list[list[list[float]]]) -> Clip:
    """The clip of a seed."""
    random = np.random.default_rng([CHANCE, 41, seed])
    one = random.random() < ONE_SHARE
    low = int(random.integers(28, 62)) if one else int(random.integers(33, 48))
    high = min(low + int(random.integers(20, 36)), 96) if one else int(random.integers(76, 96))
    notes, loudness = played(random, "one" if one else "sustained", low, high, pieces, BORROWED_SHARE)
    voice = wide_voices.make_voice(random, ranked=not one and random.random() < RANKED_SHARE)
    sound, onset_s = wide_voices.render(voice, Performance(tuple(notes)), random)
    offset_s = np.maximum([n.offset_s for n in notes], onset_s + 0.02)
    velocity = np.array([n.velocity for n in notes], np.int64)
    if not voice.loudness:
        # What knows no force has one for all its notes: chance would be learnt as if it were heard.
        velocity[:] = round(loudness)
    return Clip(
        sound=dress(soxr.resample(sound, wide_voices.RATE, sampled.RATE), sampled.RATE, random),
        onset_s=onset_s,
        offset_s=offset_s,
        sounding_off_s=offset_s,
        pitch=np.array([n.pitch for n in notes], np.int64),
        velocity=velocity,
        kind="one" if one else "sustained",
        instrument="own " + "+".join(str(r.semitones) for r in voice.ranks),
    )
