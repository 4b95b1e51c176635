"""Clips of sampled instruments set otherwise than their fonts say: slow attacks, sections of unlike players."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from training import attack, sampled
from training.clips import CHANCE, FAMILIES, SINGLE, Clip, sung_bends
from training.doubled import doubled
from training.dress import dress
from training.performance import Performance, Struck
from training.played import played
from training.sampled import Setting

# Seeds of these clips: the first network learns from the second range, what weighs its words from the first.
UNHEARD_SEEDS, HEARD_SEEDS = range(30_000, 35_000), range(60_000, 65_000)
# The same, with notes doubled on their overtones.
DOUBLED_UNHEARD, DOUBLED_HEARD = range(35_000, 40_000), range(65_000, 70_000)
KINDS = {"one": 0.35, "sustained": 0.45, "keys": 0.1, "plucked": 0.1}
DOUBLED_KINDS = {"one": 0.0, "sustained": 0.3, "keys": 0.45, "plucked": 0.25}
BORROWED_SHARE = 0.35
# Instruments of one voice whose notes last as long as they are held.
HELD = {*range(16, 24), *range(40, 45), *range(48, 80), *range(80, 96), 110}
# How often held notes begin slower, and by how many timecents: 1 ms becomes 40 to 220.
SLOW_SHARE, SLOWER = 0.6, (6400.0, 9300.0)
# A note set slower still reaches this share of its level so soon.
REACHED, SOON_S = 0.5, 0.3
LONGER, CUTOFF_CENTS = (-1200.0, 1500.0), (-1800.0, 600.0)
# Players of a section: how often so many, how far apart in tune, in time and in level.
PLAYERS, PLAYERS_P = (1, 2, 3, 4), (0.45, 0.2, 0.2, 0.15)
CENTS_APART, LATE_S, NOTE_LATE_S, SOFTER_DB = 10.0, 0.012, 0.007, 7.0


@dataclass(frozen=True)
class Player:
    """One of those who play the same notes."""

    font: str
    program: int
    setting: Setting
    gain: float


def is_varied(seed: int) -> bool:
    """Whether the clip of a seed is made here."""
    return seed in UNHEARD_SEEDS or seed in HEARD_SEEDS or is_doubled(seed)


def is_doubled(seed: int) -> bool:
    """Whether notes of the clip of a seed are doubled."""
    return seed in DOUBLED_UNHEARD or seed in DOUBLED_HEARD


def slowest(font: str, program: int, pitch: int, attack: float) -> float:
    """An attack that much longer, or less where the note would hardly be heard."""
    note = Performance((Struck(0.0, SOON_S, pitch, 90),))
    as_it_is = np.abs(sampled.render(font, (program,), note, tail_s=0.0)).max()
    while attack > 0:
        slow = sampled.render(font, (program,), note, tail_s=0.0, setting=Setting(attack=attack))
        if np.abs(slow).max() >= REACHED * as_it_is:
            return attack
        attack -= 900.0
    return 0.0


def make_player(
    random: np.random.Generator,
    group: tuple[int, ...],
    held: bool,
    pitch: int,
    alone: bool,
    fonts: tuple[str, ...] = sampled.TRAINED_FONTS,
) -> Player:
    """Someone with an instrument of a group, set by chance."""
    font, program = str(random.choice(fonts)), int(random.choice(group))
    attack = float(random.uniform(*SLOWER)) if held and random.random() < SLOW_SHARE else 0.0
    setting = Setting(
        attack=slowest(font, program, pitch, attack),
        release=float(random.uniform(*LONGER)) if random.random() < 0.6 else 0.0,
        cutoff_cents=float(random.uniform(*CUTOFF_CENTS)) if random.random() < 0.5 else 0.0,
        cents=0.0 if alone else float(random.normal(0, CENTS_APART)),
    )
    return Player(font, program, setting, float(10 ** (-random.uniform(0, SOFTER_DB) / 20)))


def play(
    players: list[Player], notes: list[Struck], random: np.random.Generator, *, sung: bool, wide: bool
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Sound of all players, equally loud but for their gains, and when each note is heard to begin."""
    together, scales, played = np.zeros(0, np.float32), [], []
    for player in players:
        late_s = np.zeros(len(notes))
        if len(players) > 1:
            late_s = random.normal(0, LATE_S) + random.normal(0, NOTE_LATE_S, len(notes))
        own = [
            replace(n, onset_s=max(n.onset_s + float(d), 0.0), offset_s=n.offset_s + max(float(d), 0.0))
            for n, d in zip(notes, late_s, strict=True)
        ]
        bends = sung_bends(own, random, wide=wide) if sung else None
        sound = sampled.render(
            player.font, (player.program,), Performance(tuple(own)), bends=bends, setting=player.setting
        )
        scales.append(player.gain / max(float(np.sqrt(np.mean(sound**2))), 1e-6))
        played.append(own)
        longer = max(len(sound), len(together))
        sound = scales[-1] * np.pad(sound, (0, longer - len(sound)))
        together = np.pad(together, (0, longer - len(together))) + sound
    onset_s = [heard_together_s(players, scales, same, sung=sung) for same in zip(*played, strict=True)]
    return 0.1 * together.astype(np.float32), np.array(onset_s)


def heard_together_s(players: list[Player], scales: list[float], same: tuple[Struck, ...], *, sung: bool) -> float:
    """When a note that all players play is heard to begin: where all together reach 40 % of their early peak."""
    first_s = min(n.onset_s for n in same)
    power = np.zeros(sampled.EARLY_MS)
    for player, scale, note in zip(players, scales, same, strict=True):
        late = min(round(1000 * (note.onset_s - first_s)), sampled.EARLY_MS)
        levels = sampled.early_levels(player.font, player.program, *sampled.near(note), player.setting)
        power[late:] += (scale * levels[: sampled.EARLY_MS - late]) ** 2
    delay_s = attack.attack_delay_s(np.sqrt(power), 1000)
    # A note that is slid into is heard from the middle of its attack on.
    return first_s + (0.5 if sung else 1.0) * delay_s


def clip_of(
    sound: NDArray[np.float32], notes: list[Struck], onset_s: NDArray[np.float64], kind: str, instrument: str
) -> Clip:
    """The clip of notes that are heard to begin at ``onset_s`` and end where they are let go."""
    offset_s = np.maximum([n.offset_s for n in notes], onset_s + 0.02)
    return Clip(
        sound=sound,
        onset_s=onset_s,
        offset_s=offset_s,
        sounding_off_s=offset_s,
        pitch=np.array([n.pitch for n in notes], np.int64),
        velocity=np.array([n.velocity for n in notes], np.int64),
        kind=kind,
        instrument=instrument,
    )


def make_varied(seed: int, pieces: list[list[list[float]]]) -> Clip:
    """The clip of a seed."""
    random = np.random.default_rng([CHANCE, 43, seed])
    shares = DOUBLED_KINDS if is_doubled(seed) else KINDS
    kind = str(random.choice(list(shares), p=list(shares.values())))
    groups = SINGLE if kind == "one" else FAMILIES[kind]
    if kind == "one":
        groups = tuple(g for g in groups if set(g[0]) & HELD)
    group, low, high = groups[int(random.integers(len(groups)))]
    held = kind in ("one", "sustained")
    notes, _ = played(random, kind, low, high, pieces, BORROWED_SHARE)
    if is_doubled(seed):
        notes = doubled(notes, high, random)
    count = int(random.choice(PLAYERS, p=PLAYERS_P)) if held else 1
    middle = (low + high) // 2
    players = [make_player(random, group, held, middle, count == 1) for _ in range(count)]
    sung, wide = kind == "one" and random.random() < 0.5, random.random() < 0.4
    sound, onset_s = play(players, notes, random, sung=sung, wide=wide)
    instrument = " and ".join(f"{p.font} {p.program}" for p in players)
    return clip_of(dress(sound, sampled.RATE, random), notes, onset_s, kind, instrument)
