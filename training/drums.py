"""Drum patterns and noises without pitch: what the network for notes must not take for notes."""

import numpy as np
from numpy.typing import NDArray

from training import sampled
from training.clips import CHANCE, LENGTH_S, Clip
from training.dress import dress
from training.performance import Performance, Struck

# General MIDI drum notes by role.
KICKS, SNARES, HATS = (35, 36), (37, 38, 39, 40), (42, 42, 44, 46)
OTHERS = (41, 43, 45, 47, 48, 49, 51, 53, 54, 56, 60, 61, 62, 63, 64, 69, 70, 75, 76)
DRUM_BANK, DRUM_CHANNEL = 128, 9
# Seeds from here on are drums and noises.
FIRST_SEED = 90_000
NOISE_SHARE = 0.25


def pattern(random: np.random.Generator, length_s: float) -> tuple[Struck, ...]:
    """A pattern of sixteenths that repeats with changes."""
    step_s = 60 / float(random.uniform(70, 175)) / 4
    swing = float(random.choice([0.0, 0.0, 0.2, 0.33]))
    chances = {
        int(random.choice(KICKS)): np.where(np.arange(16) % 8 == 0, 0.95, 0.18),
        int(random.choice(SNARES)): np.where(np.arange(16) % 8 == 4, 0.95, 0.08),
        int(random.choice(HATS)): np.where(np.arange(16) % 2 == 0, 0.85, float(random.choice([0.1, 0.8]))),
        int(random.choice(OTHERS)): np.full(16, float(random.choice([0.0, 0.1, 0.3]))),
    }
    hits = []
    for step in range(int(length_s / step_s)):
        time_s = 0.05 + step_s * (step + swing * (step % 2)) + float(random.normal(0, 0.004))
        for pitch, chance in chances.items():
            if random.random() < chance[step % 16]:
                loudness = int(np.clip(random.normal(100 if step % 4 == 0 else 75, 14), 15, 127))
                hits.append(Struck(max(0.0, time_s), time_s + 0.1, pitch, loudness))
    return tuple(hits)


def render(font: str, hits: tuple[Struck, ...], kit: int) -> NDArray[np.float32]:
    """Mono sound of hits on a kit of a soundfont."""
    return sampled.render(font, (kit,), Performance(hits), bank=DRUM_BANK)


def make_unpitched(seed: int, *, tuning: bool) -> Clip:
    """A clip of drums, or of noise and breath alone; its truth holds no note."""
    random = np.random.default_rng([CHANCE, int(tuning), seed])
    font = sampled.TUNING_FONT if tuning else str(random.choice(sampled.TRAINED_FONTS))
    if random.random() < NOISE_SHARE:
        from scipy import signal as dsp

        kind, length = "noise", round(LENGTH_S * sampled.RATE)
        slope = float(random.uniform(0.0, 0.99))
        sound = dsp.lfilter([1 - slope], [1, -slope], random.normal(size=length)).astype(np.float32)
        breath = np.interp(np.arange(length), np.linspace(0, length, 40), random.uniform(0, 1, 40) ** 2)
        sound = sound * breath.astype(np.float32) if random.random() < 0.5 else sound
    else:
        kind = "drums"
        sound = render(font, pattern(random, LENGTH_S), int(random.choice([0, 8, 16, 24, 25, 32, 40])))
    nothing = np.zeros(0)
    return Clip(
        dress(sound, sampled.RATE, random), nothing, nothing, nothing, nothing.astype(int), nothing.astype(int),
        kind, f"{font} {kind}",
    )  # fmt: skip
