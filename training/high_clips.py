"""Clips up to the highest key: bells, pipes, strings and keys in their top octaves, alone or over others."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from training import sampled
from training.clips import CHANCE, FAMILIES, Clip
from training.dress import dress
from training.performance import Struck
from training.played import played
from training.varied_clips import Player, clip_of, make_player, play

# Seeds of these clips: the first network learns from the second range, what weighs its words from the first.
UNHEARD_SEEDS, HEARD_SEEDS = range(45_000, 50_000), range(70_000, 75_000)
HIGHEST = 108
# What plays so high, by kind: General MIDI programs, the lowest and the highest pitch.
HIGH = {
    "one": (
        ((8, 9, 10, 11, 12, 13, 14), 76, 108), ((72, 73, 74, 75, 78), 74, 106), ((0, 1, 2, 3, 4, 5), 76, 108),
        ((40, 48, 49), 74, 103), ((80, 81, 82, 84), 72, 105), ((6, 7, 15, 24, 45, 46), 72, 103),
    ),
    "keys": (((0, 1, 2, 3), 64, 108), ((0, 1), 48, 108), ((4, 5), 60, 103)),
    "plucked": (((8, 9, 10, 11), 67, 108), ((12, 13, 14), 65, 103), ((46, 15, 107), 60, 103), ((45, 24), 60, 98)),
    "sustained": (((48, 49, 50, 51), 62, 103), ((16, 17, 18, 19, 21), 60, 101), ((72, 73, 75), 67, 105),
                  ((88, 89, 90, 91), 60, 100)),
}  # fmt: skip
SHARES = {"one": 0.45, "keys": 0.25, "plucked": 0.2, "sustained": 0.1}
# Others play below in so many clips, softer or louder by so many dB.
ACCOMPANIED_SHARE, BESIDE_DB = 0.6, (-8.0, 5.0)
BORROWED_SHARE = 0.2
# Music keeps to the middle of a range: so often it is moved up by chance, where the range goes so high or higher.
LIFTED_SHARE, LIFTED_FROM = 0.6, 98
# The loudest moment of a key that is not dumb, full scale 1.
SILENCE = 1e-3
HELD_KINDS = ("one", "sustained")


def is_high(seed: int) -> bool:
    """Whether the clip of a seed is made here."""
    return seed in UNHEARD_SEEDS or seed in HEARD_SEEDS


def _speaks(player: Player, note: Struck) -> bool:
    """Whether the font has a sound for a note: of some instruments the highest keys are dumb."""
    return bool(
        sampled.early_levels(player.font, player.program, *sampled.near(note), player.setting).max() > SILENCE
    )


def _group(random: np.random.Generator, groups: tuple[tuple[tuple[int, ...], int, int], ...]):
    return groups[int(random.integers(len(groups)))]


def _part(
    random: np.random.Generator,
    kind: str,
    group: tuple[tuple[int, ...], int, int],
    pieces: list[list[list[float]]],
    fonts: tuple[str, ...],
) -> tuple[list[Struck], NDArray[np.float32], NDArray[np.float64], str]:
    """Notes of one player, their sound, when each is heard to begin, and who plays."""
    programs, low, high = group
    notes, _ = played(random, kind, low, high, pieces, BORROWED_SHARE)
    if notes and high >= LIFTED_FROM and random.random() < LIFTED_SHARE:
        up = int(random.integers(max(high + 1 - max(n.pitch for n in notes), 1)))
        notes = [replace(n, pitch=n.pitch + up) for n in notes]
    player = make_player(random, programs, kind in HELD_KINDS and low >= 40, (low + high) // 2, True, fonts)
    notes = [n for n in notes if _speaks(player, n)]
    sound, onset_s = play([player], notes, random, sung=False, wide=False)
    return notes, sound, onset_s, f"{player.font} {player.program}"


def make_high(seed: int, pieces: list[list[list[float]]], fonts: tuple[str, ...] = sampled.TRAINED_FONTS) -> Clip:
    """The clip of a seed, played by some of the fonts."""
    random = np.random.default_rng([CHANCE, 47, seed])
    kind = str(random.choice(list(SHARES), p=list(SHARES.values())))
    notes, sound, onset_s, instrument = _part(random, kind, _group(random, HIGH[kind]), pieces, fonts)
    if random.random() < ACCOMPANIED_SHARE:
        below = str(random.choice(list(FAMILIES)))
        programs, low, _ = _group(random, FAMILIES[below])
        lowest = min((n.pitch for n in notes), default=HIGHEST)
        others, beside, beside_s, name = _part(random, below, (programs, low, max(lowest, low + 20)), pieces, fonts)
        # A pitch that both strike within a moment is one note to the ear.
        if {n.pitch for n in notes}.isdisjoint(n.pitch for n in others):
            gain = float(10 ** (random.uniform(*BESIDE_DB) / 20))
            longer = max(len(sound), len(beside))
            sound = np.pad(sound, (0, longer - len(sound))) + gain * np.pad(beside, (0, longer - len(beside)))
            notes, onset_s, kind = [*notes, *others], np.append(onset_s, beside_s), below
            instrument = f"{instrument} over {name}"
    return clip_of(dress(sound, sampled.RATE, random), notes, onset_s, kind, instrument)
