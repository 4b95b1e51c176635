"""Clips of tones that are held for seconds and never still, of few notes cut out alone, of harsh electronics.

Made-up music hardly holds a note for two seconds, and sampled notes are held as still as a loop: whatever sways was
a note struck again. Every clip begins a while before its first note; a sample that is cut out does not.
"""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import soxr
from numpy.typing import NDArray

from training import oscillators, sampled, sung_words, wide_voices
from training.clips import CHANCE, FAMILIES, LENGTH_S, SINGLE, Clip
from training.dress import dress
from training.oscillators import make_patch
from training.performance import Performance, Struck, without_overlaps
from training.played import played
from training.unsteady import among_walls, breathed, electronic
from training.varied_clips import HELD, clip_of, make_player, play

# Seeds of these clips, all kept from the first network, which hears such tones as they are.
UNHEARD_SEEDS = range(20_000, 25_000)
# The same, all of them words that are sung.
SUNG_SEEDS = range(85_000, 90_000)
# Lowest and highest pitches of who sings.
SINGERS = ((43, 64), (48, 69), (55, 76), (59, 81))
SHARES = {"held": 0.45, "few": 0.3, "electronic": 0.25}
# How long notes of a held line last, how often one is struck again, and what lies between two.
HELD_S, AGAIN_SHARE = (0.4, 7.0), 0.35
INTERVALS = (-12, -7, -5, -4, -3, -2, -1, 1, 2, 3, 4, 5, 7, 12)
GAPS_S, GAP_SHARES = ((0.0, 0.01), (0.01, 0.08), (0.1, 1.2)), (0.45, 0.4, 0.15)
# Of the held ones so many are many voices, and so many are instruments of our own.
MANY_SHARE, OWN_SHARE = 0.3, 0.45
# Of many voices so many are held lines.
CHORAL_SHARE = 0.5
# Few notes: how many, and how much before and after them is left in the clip.
FEW, BEFORE_S, AFTER_S = (1, 5), (0.0, 0.05), (0.0, 0.8)
Values = NDArray[np.float64]


def is_lively(seed: int) -> bool:
    """Whether the clip of a seed is made here."""
    return seed in UNHEARD_SEEDS or seed in SUNG_SEEDS


def held_line(random: np.random.Generator, low: int, high: int) -> list[Struck]:
    """One voice that holds its notes, some of them struck again."""
    time_s, pitch, notes = float(random.uniform(0.05, 0.5)), int(random.integers(low, high + 1)), []
    longest_s, loudness = float(random.uniform(1.0, HELD_S[1])), float(random.uniform(50, 105))
    while time_s < LENGTH_S - 0.3:
        lasts_s = float(np.exp(random.uniform(np.log(HELD_S[0]), np.log(longest_s))))
        velocity = int(np.clip(random.normal(loudness, 8), 25, 125))
        notes.append(Struck(time_s, min(time_s + lasts_s, LENGTH_S), pitch, velocity))
        time_s += lasts_s + float(random.uniform(*GAPS_S[int(random.choice(3, p=GAP_SHARES))]))
        if random.random() > AGAIN_SHARE:
            pitch = int(
                np.clip(pitch + random.choice([-12, -7, -5, -4, -3, -2, -1, 1, 2, 3, 4, 5, 7, 12]), low, high)
            )
    return notes


def _line(
    random: np.random.Generator, low: int, high: int, held_share: float, pieces: list[list[list[float]]]
) -> list[Struck]:
    """One voice, which holds its notes in ``held_share`` of lines."""
    return (
        held_line(random, low, high)
        if random.random() < held_share
        else played(random, "one", low, high, pieces, 0.0)[0]
    )


def _held_lines(random: np.random.Generator, low: int, high: int) -> list[Struck]:
    """Two to four voices that hold their notes, each in its own range."""
    edges = np.linspace(low, high, int(random.integers(2, 5)) + 1).astype(int).tolist()
    notes = [note for below, above in pairwise(edges) for note in held_line(random, below, above)]
    return without_overlaps(notes, GAPS_S[0], random)


def _made(random: np.random.Generator, notes: list[Struck], *, one: bool) -> tuple[NDArray[np.float32], Values, str]:
    """Notes by an instrument of our own."""
    voice = replace(wide_voices.make_voice(random, ranked=False), unsteady_db=float(random.uniform(0, 6)))
    if one and random.random() < 0.6:
        voice = replace(voice, vibrato=(float(random.uniform(0.1, 0.7)), float(random.uniform(4, 7))))
    sound, onset_s = wide_voices.render(voice, Performance(tuple(notes)), random)
    return soxr.resample(sound, wide_voices.RATE, sampled.RATE).astype(np.float32), onset_s, "own"


def _held(random: np.random.Generator, pieces: list[list[list[float]]]) -> Clip:
    one = random.random() >= MANY_SHARE
    groups = tuple(g for g in SINGLE if set(g[0]) & HELD) if one else FAMILIES["sustained"]
    group, low, high = groups[int(random.integers(len(groups)))]
    if one:
        notes = held_line(random, low, high)
    elif random.random() < CHORAL_SHARE:
        notes = _held_lines(random, low, high)
    else:
        notes = played(random, "sustained", low, high, pieces, 0.3)[0]
    if random.random() < OWN_SHARE:
        sound, onset_s, instrument = _made(random, notes, one=one)
    else:
        player = make_player(random, group, True, (low + high) // 2, True)
        sound, onset_s = play([player], notes, random, sung=one and random.random() < 0.7, wide=random.random() < 0.3)
        instrument = f"{player.font} {player.program}"
    if random.random() < 0.7:
        sound = breathed(sound, sampled.RATE, random)
    if random.random() < 0.6:
        sound = among_walls(sound, sampled.RATE, random)
    return clip_of(
        dress(sound, sampled.RATE, random), notes, onset_s, "one" if one else "sustained", f"lively {instrument}"
    )


def _few(random: np.random.Generator, pieces: list[list[list[float]]]) -> Clip:
    kind = str(random.choice(["one", "keys", "plucked", "sustained"], p=[0.55, 0.15, 0.15, 0.15]))
    groups = SINGLE if kind == "one" else FAMILIES[kind]
    group, low, high = groups[int(random.integers(len(groups)))]
    if kind == "one" and random.random() < 0.4:
        low, high = 24, 50
        notes = (
            held_line(random, low, high) if random.random() < 0.5 else played(random, kind, low, high, pieces, 0)[0]
        )
        notes = notes[: int(random.integers(*FEW))]
        sound, onset_s, instrument = _oscillated(random, notes, "bass")
    else:
        notes = played(random, kind, low, high, pieces, 0.3)[0]
        first = int(random.integers(max(len(notes) - FEW[1], 1)))
        notes = notes[first : first + int(random.integers(*FEW))]
        player = make_player(random, group, kind in ("one", "sustained"), (low + high) // 2, True)
        sound, onset_s = play([player], notes, random, sung=False, wide=False)
        instrument = f"{player.font} {player.program}"
    cut_s = max(float(onset_s.min()) - float(random.uniform(*BEFORE_S)), 0.0)
    until_s = max(n.offset_s for n in notes) + float(random.uniform(*AFTER_S))
    sound = sound[round(cut_s * sampled.RATE) : round(until_s * sampled.RATE)]
    moved = [replace(n, onset_s=n.onset_s - cut_s, offset_s=n.offset_s - cut_s) for n in notes]
    return clip_of(dress(sound, sampled.RATE, random), moved, onset_s - cut_s, kind, f"few {instrument}")


def _oscillated(
    random: np.random.Generator, notes: list[Struck], role: str
) -> tuple[NDArray[np.float32], Values, str]:
    """Notes by oscillators whose sum is driven, filtered and doubled as producers do."""
    sound, onset_s, _ = oscillators.render(make_patch(random, role), Performance(tuple(notes)), random)
    sound = soxr.resample(sound, oscillators.RATE, sampled.RATE).astype(np.float32)
    return electronic(sound, sampled.RATE, random), onset_s, f"electronic {role}"


def _electronic(random: np.random.Generator, pieces: list[list[list[float]]]) -> Clip:
    role = str(random.choice(["bass", "line", "pluck"], p=[0.6, 0.25, 0.15]))
    low = int(random.integers(24, 36)) if role == "bass" else int(random.integers(36, 66))
    high = low + int(random.integers(12, 24))
    notes = _line(random, low, high, 0.35, pieces)
    sound, onset_s, instrument = _oscillated(random, notes, role)
    return clip_of(dress(sound, sampled.RATE, random), notes, onset_s, "one", instrument)


def _sung(random: np.random.Generator, pieces: list[list[list[float]]]) -> Clip:
    low, high = SINGERS[int(random.integers(len(SINGERS)))]
    notes = _line(random, low, high, 0.5, pieces)
    sound, onset_s, offset_s = sung_words.sing(notes, random)
    sound = soxr.resample(sound, sung_words.RATE, sampled.RATE).astype(np.float32)
    if random.random() < 0.35:
        sound = among_walls(sound, sampled.RATE, random)
    sung = [replace(n, offset_s=float(end_s)) for n, end_s in zip(notes, offset_s, strict=True)]
    return clip_of(dress(sound, sampled.RATE, random), sung, onset_s, "one", "words")


def make_lively(seed: int, pieces: list[list[list[float]]]) -> Clip:
    """The clip of a seed."""
    random = np.random.default_rng([CHANCE, 59, seed])
    if seed in SUNG_SEEDS:
        return _sung(random, pieces)
    what = str(random.choice(list(SHARES), p=list(SHARES.values())))
    return {"held": _held, "few": _few, "electronic": _electronic}[what](random, pieces)
