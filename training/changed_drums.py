"""Drums that are like none of the kits: changed in colour, or with a second event in every stroke."""

import numpy as np

from training.one_shots import RATE, OneShot

# Strokes that are changed in colour are cut to this length.
COLOUR_SAMPLES = 1 << 16
# A second event: a knock, a slap of the room, a rattle that belongs to the sound and is no stroke.
LATER_S, LATER_DB = (0.022, 0.11), (-16.0, 3.0)


def recoloured(strokes: list[OneShot], random: np.random.Generator) -> list[OneShot]:
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


def of_two_events(strokes: list[OneShot], random: np.random.Generator) -> list[OneShot]:
    """The strokes of one drum, each with the same second event after it: of its own sound, or of a sound of noise."""
    later = round(float(random.uniform(*LATER_S)) * RATE)
    gain = np.float32(10 ** (float(random.uniform(*LATER_DB)) / 20))
    noise, dies_s = random.normal(0, 1, RATE // 4), float(random.uniform(0.01, 0.06))
    noise *= np.exp(-np.arange(RATE // 4) / (dies_s * RATE))
    of_noise, edge = random.random() < 0.5, round(float(random.choice([0.0, 0.001, 0.006])) * RATE) + 1
    found = []
    for stroke in strokes:
        event = noise.astype(np.float32) if of_noise else stroke.sound
        event = np.convolve(event, np.hanning(edge + 2)[1:-1]).astype(np.float32)
        sound = np.zeros(max(len(stroke.sound), later + len(event)), np.float32)
        sound[: len(stroke.sound)] = stroke.sound
        sound[later : later + len(event)] += event * (gain * np.abs(stroke.sound).max() / np.abs(event).max())
        found.append(OneShot(sound, stroke.role, stroke.strength))
    return found
