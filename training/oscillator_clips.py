"""Clips of oscillators by seed: low tones alone and under others, lines, chords that a filter opens, pads."""

import numpy as np
import soxr
from numpy.typing import NDArray

from training import oscillators, sampled
from training.clips import CHANCE, FAMILIES, Clip
from training.dress import dress
from training.oscillators import make_patch
from training.performance import Performance, Struck
from training.played import played
from training.varied_clips import make_player, play

# Seeds of these clips: the first network learns from the second range, what weighs its words from the first.
UNHEARD_SEEDS, HEARD_SEEDS = range(25_000, 30_000), range(75_000, 80_000)
SHARES = {"bass": 0.28, "line": 0.14, "under others": 0.34, "many": 0.24}
# Where basses lie, and what is over them: lowest pitches, and how many semitones up.
LOWEST_BASS, BASS_RANGE = (24, 36), (12, 22)
OVER = 50
# How loud the low tones are beside what is over them, in dB.
BESIDE_DB = (-6.0, 10.0)
# Others are sampled instruments in so many clips.
SAMPLED_SHARE = 0.6
BORROWED_SHARE = 0.25
Sound = NDArray[np.float32]
Values = NDArray[np.float64]
# Notes, their sound at 44.1 kHz, when each is heard to begin, until when it sounds, and who plays.
Part = tuple[list[Struck], Sound, Values, Values, str]


def is_oscillated(seed: int) -> bool:
    """Whether the clip of a seed is made here."""
    return seed in UNHEARD_SEEDS or seed in HEARD_SEEDS


def _own(random: np.random.Generator, role: str, kind: str, low: int, high: int, pieces: list) -> Part:
    notes, _ = played(random, kind, low, high, pieces, BORROWED_SHARE)
    patch = make_patch(random, role)
    sound, onset_s, until_s = oscillators.render(patch, Performance(tuple(notes)), random)
    sound = soxr.resample(sound, oscillators.RATE, sampled.RATE).astype(np.float32)
    return notes, sound, onset_s, until_s, f"oscillators {role}"


def _sampled(random: np.random.Generator, kind: str, pieces: list) -> Part:
    groups = FAMILIES[kind]
    programs, low, high = groups[int(random.integers(len(groups)))]
    low = max(low, OVER)
    notes, _ = played(random, kind, low, max(high, low + 20), pieces, BORROWED_SHARE)
    player = make_player(random, programs, kind == "sustained", (low + high) // 2, True)
    sound, onset_s = play([player], notes, random, sung=False, wide=False)
    return notes, sound, onset_s, np.array([n.offset_s for n in notes]), f"{player.font} {player.program}"


def _bass(random: np.random.Generator, pieces: list) -> Part:
    low = int(random.integers(*LOWEST_BASS))
    return _own(random, "bass", "one", low, low + int(random.integers(*BASS_RANGE)), pieces)


def _loud(sound: Sound) -> Sound:
    """The sound at one level, told by its louder moments."""
    blocks = np.square(sound[: len(sound) // 2205 * 2205].reshape(-1, 2205)).mean(axis=1)
    return sound / max(float(np.sqrt(np.quantile(blocks, 0.8))), 1e-6)


def make_oscillated(seed: int, pieces: list[list[list[float]]]) -> Clip:
    """The clip of a seed."""
    random = np.random.default_rng([CHANCE, 53, seed])
    what = str(random.choice(list(SHARES), p=list(SHARES.values())))
    many = str(random.choice(["keys", "plucked", "sustained"], p=[0.35, 0.3, 0.35]))
    role = {"keys": "chords", "plucked": "pluck", "sustained": "pad"}[many]
    parts: list[Part]
    if what == "bass":
        parts = [_bass(random, pieces)]
    elif what == "line":
        low = int(random.integers(36, 66))
        parts = [_own(random, str(random.choice(["line", "pluck"])), "one", low, low + 26, pieces)]
    elif what == "many":
        low = int(random.integers(36, 52))
        parts = [_own(random, role, many, low, low + int(random.integers(26, 40)), pieces)]
    else:
        over = (
            _sampled(random, many, pieces)
            if random.random() < SAMPLED_SHARE
            else _own(random, role, many, OVER, OVER + int(random.integers(22, 38)), pieces)
        )
        parts = [_bass(random, pieces), over]
    gain = float(10 ** (random.uniform(*BESIDE_DB) / 20))
    length = max(len(p[1]) for p in parts)
    sound = sum(
        weight * np.pad(_loud(p[1]), (0, length - len(p[1]))) for p, weight in zip(parts, (gain, 1.0), strict=False)
    )
    onset_s, until_s = (np.concatenate([p[k] for p in parts]) for k in (2, 3))
    notes = [n for p in parts for n in p[0]]
    offset_s = np.maximum([n.offset_s for n in notes], onset_s + 0.02)
    return Clip(
        sound=dress(np.asarray(sound, np.float32), sampled.RATE, random),
        onset_s=onset_s,
        offset_s=offset_s,
        sounding_off_s=np.maximum(until_s, onset_s + 0.02),
        pitch=np.array([n.pitch for n in notes], np.int64),
        velocity=np.array([n.velocity for n in notes], np.int64),
        kind=many if what in ("under others", "many") else "one",
        instrument=" under ".join(p[4] for p in parts),
    )
