"""Loops of drums by seed: patterns with feel, one kit, a room, truth of every stroke."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from training.dress import dress
from training.made_kits import made_kit
from training.one_shots import CLASS_OF_ROLE, DRUMS, RATE, Kit, OneShot

LENGTH_S = 5.0
MADE_SHARE = 0.3
# Strokes that are changed in colour are cut to this length, and few of them are enough for a loop.
COLOUR_SAMPLES = 1 << 16
STROKES_COLOURED = 3
# What keeps time, by how often it does: what is learnt from is like loops as they are made, what is measured on
# asks for everything.
TIMEKEEPERS = (*("hat",) * 12, *("open hat",) * 2, *("ride",) * 4, "other", "tom")
TIMEKEEPERS_MEASURED = ("hat", "hat", "hat", "hat", "ride", "ride", "other", "open hat", "tom")
# How often the foot keeps the second and fourth beat, or every one, while the hands are busy elsewhere: under a ride
# as a rule, under a tom or a bell rarely. Under a snare it is hardly heard: what is said of it there is this share.
FOOT_KEEPS = {"ride": 0.7, "tom": 0.2, "other": 0.2}

# Of sparse loops: how many lanes there are, how often a lane keeps its pattern or else beats every so many steps, and
# how often there are but some strokes, and how much is left after the last of them.
LANES_KEPT, PATTERN_KEPT, BEATS_EVERY = (1, 1, 1, 2, 3), 0.5, (1, 2, 4, 8)
FEW_SHARE, FEW_STROKES, LEFT_S = 0.3, (1, 5), (0.1, 1.5)


@dataclass(frozen=True)
class HitClip:
    """A loop: mono sound, and rows of time_s, class (-1 where unclear), velocity 0 to 1."""

    sound: NDArray[np.float32]
    hits: NDArray[np.float64]


def _steps(random: np.random.Generator, timekeepers: tuple[str, ...]) -> dict[str, NDArray[np.float64]]:
    """Chance of each role on each of 16 steps."""
    place = np.arange(16)
    kick = (
        np.where(place % 8 == 0, 0.95, np.where(place % 2 == 0, 0.25, 0.08))
        if random.random() < 0.7
        else np.where(place % 4 == 0, 0.97, 0.05)
    )
    snare = np.where(place % 8 == 4, 0.95, 0.05 + 0.3 * float(random.random() < 0.3) * (place % 2))
    density = float(random.choice([0.1, 0.4, 0.95]))
    hat = np.where(place % 4 == 0, 0.85, np.where(place % 2 == 0, 0.8, density))
    chances = {"kick": kick, "snare": snare}
    timekeeper = str(random.choice(timekeepers))
    chances[timekeeper] = hat
    if timekeeper == "hat":
        chances["open hat"] = np.where(place % 8 == 6, float(random.choice([0, 0.2, 0.6])), 0.01)
        chances["pedal hat"] = np.where(place % 8 == 4, float(random.choice([0, 0, 0.3])), 0.0)
    elif timekeeper in FOOT_KEEPS and random.random() < FOOT_KEEPS[timekeeper]:
        every = 4 if random.random() < 0.3 else 8
        chances["pedal hat"] = np.where(place % every == 4 % every, 0.95, 0.0)
    if timekeeper != "tom":
        chances["tom"] = np.where(
            place >= 12, float(random.choice([0, 0.1, 0.6])), float(random.choice([0, 0.03, 0.15]))
        )
    chances["crash"] = np.where(place == 0, float(random.choice([0, 0.2, 0.5])), 0.01)
    for role, most in (("rim", 0.25), ("clap", 0.3), ("other", 0.2), ("hand", 0.25), ("ride", 0.1)):
        if role not in chances and random.random() < 0.25:
            chances[role] = random.uniform(0, most, 16)
    return chances


def _sparse(
    chances: dict[str, NDArray[np.float64]], kit: Kit, random: np.random.Generator
) -> dict[str, NDArray[np.float64]]:
    """Chances of few lanes: a drum recorded by itself, or a loop without a hat or a kick."""
    lanes = sorted({name for role in kit if (name := CLASS_OF_ROLE[role])})
    count = min(int(random.choice(LANES_KEPT)), len(lanes))
    found = {}
    for lane in random.choice(lanes, count, replace=False).tolist():
        roles = sorted(role for role in kit if CLASS_OF_ROLE[role] == lane)
        kept = {role: chances[role] for role in roles if role in chances}
        if kept and random.random() < PATTERN_KEPT:
            found |= kept
        else:
            every = int(random.choice(BEATS_EVERY))
            beats = np.arange(16) % every == int(random.integers(every))
            found[str(random.choice(roles))] = np.where(beats, 0.95, float(random.uniform(0, 0.2)))
    return found


def _mixed(kits: list[Kit], random: np.random.Generator) -> Kit:
    """A kit of which every drum may come from another."""
    found, own = {}, made_kit(random)
    for role in sorted({role for kit in kits for role in kit}):
        holding = [own] if role in own and random.random() < MADE_SHARE else [kit for kit in kits if role in kit]
        found[role] = holding[int(random.integers(len(holding)))][role]
    return found


def _recoloured(strokes: list[OneShot], random: np.random.Generator) -> list[OneShot]:
    """The strokes of one drum as if it were another: tilted, with bumps and dips, sometimes dying sooner."""
    octaves = np.log2(np.maximum(np.fft.rfftfreq(COLOUR_SAMPLES, 1 / RATE), 20) / 1000)
    gain_db = float(random.normal(0, 2.0)) * octaves
    for _ in range(2):
        gain_db += float(random.normal(0, 5)) * np.exp(-(((octaves - float(random.uniform(-4, 4))) / 0.7) ** 2))
    gain = np.float32(10 ** (np.clip(gain_db, -18, 18) / 20))
    dies_s = float(random.uniform(0.05, 0.4)) if random.random() < 0.3 else 0.0
    found = []
    for stroke in strokes:
        sound = np.fft.irfft(np.fft.rfft(stroke.sound, COLOUR_SAMPLES) * gain).astype(np.float32)
        sound = sound[: len(stroke.sound)]
        if dies_s:
            sound *= np.exp(-np.arange(len(sound), dtype=np.float32) / (dies_s * RATE))
        loudness = np.abs(stroke.sound).max() / max(float(np.abs(sound).max()), 1e-6)
        found.append(OneShot(sound * np.float32(loudness), stroke.role, stroke.strength))
    return found


def make_clip(
    seed: int,
    kits: list[Kit],
    *,
    tuning: bool = False,
    mixed: bool = False,
    coloured: bool = False,
    sparse: bool = False,
    length_s: float = LENGTH_S,
) -> HitClip:
    """The loop of a seed.

    Args:
        seed: number of the loop.
        kits: to choose from.
        tuning: none of our own kits.
        mixed: every drum from a kit of its own.
        coloured: every drum changed in colour, so that it is like none of the kits.
        sparse: of one drum, or of few, some of them a few strokes.
        length_s: of the loop.
    """
    random = np.random.default_rng([11, int(tuning), seed])
    own = not tuning and random.random() < MADE_SHARE
    one_kit = made_kit(random) if own else kits[int(random.integers(len(kits)))]
    kit = _mixed(kits, random) if mixed else one_kit
    step_s = 60 / float(random.uniform(65, 180)) / 4
    swing = float(random.choice([0.0, 0.0, 0.15, 0.33])) * step_s
    timekeepers = TIMEKEEPERS_MEASURED if tuning else TIMEKEEPERS
    chances = {role: c for role, c in _steps(random, timekeepers).items() if role in kit}
    if sparse:
        chances = _sparse(chances, kit, random)
    strokes_left = int(random.integers(*FEW_STROKES)) if sparse and random.random() < FEW_SHARE else math.inf
    chosen = {role: [kit[role][i] for i in random.permutation(len(kit[role]))] for role in chances}
    if coloured:
        chosen = {role: _recoloured(strokes[:STROKES_COLOURED], random) for role, strokes in chosen.items()}
    speed = {role: float(2 ** random.normal(0, 0.12)) for role in chances}
    louder = {role: float(10 ** (random.normal(0, 4) / 20)) for role in chances}
    if "hat" in louder:
        louder["hat"] *= float(random.uniform(0.15, 0.9))
    shorter = float(random.choice([1.6, 1.6, 0.4, 0.15]))
    start_s = float(random.choice([0.004, 0.004, 0.05, 0.3]))
    jitter_s = float(random.uniform(0.0, 0.008))
    sound = np.zeros(round((length_s + 2) * RATE), np.float32)
    rows = []
    for step in range(int((length_s - start_s) / step_s)):
        for role, chance in chances.items():
            if random.random() >= chance[step % 16] or not strokes_left:
                continue
            strokes_left -= 1
            time_s = start_s + step * step_s + swing * (step % 2) + abs(float(random.normal(0, jitter_s)))
            accent = 0.85 if step % 4 == 0 else 0.65
            is_ghost = role == "snare" and step % 8 != 4
            velocity = float(np.clip(random.normal(0.3 if is_ghost else accent, 0.12), 0.08, 1.0))
            strokes = [(time_s, velocity)]
            if role in ("snare", "tom") and random.random() < 0.04:
                strokes.append((time_s + float(random.uniform(0.026, 0.05)), velocity * 0.8))
            for moment_s, loud in strokes:
                strike(sound, rows, chosen[role], role, moment_s, loud, speed[role], louder[role], shorter)
    if not strokes_left:
        length_s = min(length_s, max(row[0] for row in rows) + float(random.uniform(*LEFT_S)))
    mono = sound[: round(length_s * RATE)]
    if random.random() < 0.2:
        mono = mono + _beneath(random, len(mono)) * float(np.abs(mono).max(initial=1e-3))
    hits = np.array(sorted(rows)) if rows else np.zeros((0, 3))
    return HitClip(dress(mono, RATE, random), hits[hits[:, 0] < length_s - 0.02])


def strike(sound, rows, strokes, role, moment_s, loud, speed, louder, shorter) -> None:
    """Adds one stroke to the sound and to the truth."""
    nearest = min(strokes, key=lambda s: abs(s.strength - loud))
    stroke = nearest.sound
    if abs(speed - 1) > 0.01:
        places = np.arange(0, len(stroke) - 1, speed)
        stroke = np.interp(places, np.arange(len(stroke)), stroke).astype(np.float32)
    stroke = stroke[: round(shorter * RATE)].copy()
    stroke[-64:] *= np.linspace(1, 0, min(64, len(stroke)), dtype=np.float32)[-len(stroke[-64:]) :]
    # A layer that was struck softly is soft already; the rest of the way is gain.
    gain = louder * (loud / max(nearest.strength, 0.05)) ** 1.3
    if len(strokes) == 1:
        gain = louder * loud**1.5
    first = round(moment_s * RATE)
    piece = sound[first : first + len(stroke)]
    piece += np.float32(gain) * stroke[: len(piece)] / max(1.0, float(np.abs(stroke).max()))
    name = CLASS_OF_ROLE[role]
    # The attack was cut four samples after the stroke begins.
    rows.append((moment_s + 4 / speed / RATE, DRUMS.index(name) if name else -1, loud))


def _beneath(random: np.random.Generator, length: int) -> NDArray[np.float32]:
    """A bass or a chord under the loop: its beginnings are no hits."""
    time = np.arange(length) / RATE
    out = np.zeros(length)
    pitches = [36, 40, 43] if random.random() < 0.5 else [60, 64, 67]
    step_s = float(random.uniform(0.3, 1.2))
    for k in range(int(length / RATE / step_s)):
        inside = (time >= k * step_s) & (time < (k + 0.9) * step_s)
        since = time[inside] - k * step_s
        for pitch in pitches[: 1 if pitches[0] < 50 else 3]:
            hz = 440 * 2 ** ((pitch + int(random.integers(-5, 6)) - 69) / 12)
            tone = sum(np.sin(2 * np.pi * h * hz * since) / h**1.5 for h in range(1, 6))
            out[inside] += tone * (1 - np.exp(-since / 0.03)) * np.exp(-since / 0.5)
    return np.asarray(float(random.uniform(0.05, 0.3)) * out / max(float(np.abs(out).max()), 1e-6), np.float32)
