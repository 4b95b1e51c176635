"""Our own sounds for training: organ stops, plucked strings, ensembles, bells, all additive.

They aim at what sampled sounds show too seldom: strong or missing octaves, layers that beat,
slow attacks, notes that die early.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from training.performance import Performance

RATE = 44100
Sound = NDArray[np.float32]
KINDS = ("organ", "plucked", "ensemble", "bell", "reed")


@dataclass(frozen=True)
class Voice:
    """A made-up instrument.

    Args:
        ratios, levels: partials against the fundamental.
        decay_s: seconds in which the fundamental falls by 60 dB; 0 holds.
        decay_tilt: how much sooner high partials die.
        attack_s, release_s: rise and fall.
        layers_cents: detuned layers.
        inharmonic: stiffness of the string.
        tremble: depth of slow level changes.
    """

    ratios: NDArray[np.float64]
    levels: NDArray[np.float64]
    decay_s: float
    decay_tilt: float
    attack_s: float
    release_s: float
    layers_cents: tuple[float, ...]
    inharmonic: float
    tremble: float


def make_voice(random: np.random.Generator, kind: str) -> Voice:
    """A random instrument of a kind."""
    partials = np.arange(1.0, 17.0)
    tilt = float(random.uniform(0.5, 2.0))
    levels = partials**-tilt * random.uniform(0.4, 1.6, len(partials))
    layers: tuple[float, ...] = (0.0,)
    decay_s, decay_tilt, attack_s, release_s = 0.0, 0.0, 0.01, 0.06
    inharmonic, tremble = 0.0, 0.0
    if kind == "organ":
        stops = np.array([0.5, 1, 1.5, 2, 3, 4, 5, 6, 8])
        draws = random.uniform(0, 1, len(stops)) * (random.uniform(size=len(stops)) < 0.5)
        draws[1] = max(float(random.uniform(0.35, 1)), draws[0])
        partials, levels = stops, draws
        attack_s, release_s = float(random.uniform(0.004, 0.05)), float(random.uniform(0.02, 0.15))
        layers = (0.0, float(random.uniform(2, 8))) if random.random() < 0.4 else layers
    elif kind == "plucked":
        levels *= np.abs(np.sin(np.pi * partials * random.uniform(0.05, 0.45))) + 0.05
        levels[1] = levels[0] * 10 ** (float(random.uniform(-5, 8)) / 20)
        decay_s, decay_tilt = float(random.choice([0.35, 0.8, 2.0, 5.0])), float(random.uniform(0.1, 0.6))
        attack_s, release_s = float(random.uniform(0.001, 0.006)), float(random.uniform(0.03, 0.2))
        inharmonic = float(random.choice([0.0, 1e-5, 1e-4, 4e-4]))
    elif kind == "ensemble":
        count = int(random.integers(2, 5))
        layers = tuple(random.uniform(-14, 14, count).tolist())
        attack_s, release_s = float(random.uniform(0.04, 0.25)), float(random.uniform(0.05, 0.4))
        tremble = float(random.uniform(0, 0.25))
    elif kind == "bell":
        partials = np.array([1.0, 2.0, float(random.uniform(2.6, 3.2)), 4.0, float(random.uniform(5.1, 5.6)), 8.0])
        levels = random.uniform(0.05, 1, 6) * partials**-0.6
        levels[0] = 1.0
        decay_s, decay_tilt = float(random.uniform(0.6, 4)), float(random.uniform(0.2, 0.7))
        attack_s = 0.002
    else:
        levels[1::2] *= float(random.uniform(0.02, 1))
        attack_s, release_s = float(random.uniform(0.01, 0.08)), float(random.uniform(0.02, 0.12))
        tremble = float(random.uniform(0, 0.1))
    return Voice(
        partials, levels / np.abs(levels).max(), decay_s, decay_tilt, attack_s, release_s, layers, inharmonic, tremble
    )


def envelope(voice: Voice, played_s: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rise and fall of a note held for ``played_s``."""
    rise = np.minimum(time / voice.attack_s, 1.0)
    fall = np.exp(-np.maximum(time - played_s, 0.0) / (voice.release_s / 3))
    return rise * fall


def render(voice: Voice, performance: Performance, random: np.random.Generator, *, tail_s: float = 1.5) -> Sound:
    """Mono sound at ``RATE`` of all notes of the performance."""
    last_s = max((n.offset_s for n in performance.notes), default=0.0) + tail_s
    out = np.zeros(round(last_s * RATE) + 1, np.float32)
    for note in performance.notes:
        until_s = performance.damped_s(note)
        length_s = until_s - note.onset_s + voice.release_s * 2
        if voice.decay_s:
            length_s = min(length_s, voice.decay_s)
        time = np.arange(round(length_s * RATE)) / RATE
        if not len(time):
            continue
        hz = 440.0 * 2 ** ((note.pitch - 69) / 12)
        sound = np.zeros(len(time))
        for cents in voice.layers_cents:
            base = hz * 2 ** (cents / 1200)
            frequencies = base * voice.ratios * np.sqrt(1 + voice.inharmonic * voice.ratios**2)
            for ratio, level, frequency in zip(voice.ratios, voice.levels, frequencies, strict=True):
                if level < 3e-3 or frequency > 10000:
                    continue
                wave = np.sin(2 * np.pi * frequency * time + float(random.uniform(0, 6.28)))
                if voice.decay_s:
                    wave *= np.exp(-6.9 * time * (1 + voice.decay_tilt * (ratio - 1)) / voice.decay_s)
                sound += level * wave
        if voice.tremble:
            slow = np.sin(2 * np.pi * float(random.uniform(2, 6)) * time + float(random.uniform(0, 6.28)))
            sound *= 1 + voice.tremble * slow
        sound *= envelope(voice, until_s - note.onset_s, time) * (note.velocity / 127) ** 1.6
        first = round(note.onset_s * RATE)
        stop = min(first + len(sound), len(out))
        out[first:stop] += (sound[: stop - first] * (0.12 / len(voice.layers_cents))).astype(np.float32)
    return out


def attack_delay_s(voice: Voice) -> float:
    """Seconds from key to 40 % of the early peak."""
    return 0.4 * min(voice.attack_s, 0.2)
