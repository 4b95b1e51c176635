"""What keeps a held tone from ever being still: breath and bow, a room's standing waves, electronics."""

import numpy as np
from numpy.typing import NDArray
from scipy import signal as dsp

Sound = NDArray[np.float32]
Random = np.random.Generator

# Breath and bow: spread of the level in dB, and how quickly it wanders; a swaying of the level beside it.
WANDERS_DB, WANDERS_HZ = (0.5, 6.0), (0.7, 9.0)
SWAYS_DB, SWAYS_HZ = (1.0, 9.0), (3.5, 7.5)
# Walls: how many are heard one by one, how late, and all of them against the instrument.
WALLS, LATE_S, WALLS_DB = (2, 11), (0.004, 0.15), (-8.0, 4.0)
TAIL_S = (0.3, 2.0)
# Resonances of a voice or a vowel, and how high they stand.
FORMANTS, FORMANT_HZ, FORMANT_DB = (1, 4), (200.0, 3000.0), (8.0, 22.0)
WOBBLE_HZ, WOBBLE_CUTOFF_HZ = (0.5, 9.0), (80.0, 900.0)
DRIVE = (1.0, 25.0)
DETUNED_S, DETUNED_HZ = (0.002, 0.009), (0.1, 1.5)


def wandering(random: Random, length: int, rate: int, hz: float) -> NDArray[np.float64]:
    """Slow chance of spread 1, (length,)."""
    points = random.normal(size=int(length / rate * 2 * hz) + 4)
    return np.asarray(np.interp(np.arange(length) * 2 * hz / rate, np.arange(len(points)), points))


def _even(random: Random, between: tuple[float, float]) -> float:
    """A chance that is even over octaves."""
    return float(np.exp(random.uniform(*np.log(between))))


def breathed(sound: Sound, rate: int, random: Random) -> Sound:
    """A tone as breath or bow hold it: its level wanders, and sways in some."""
    level_db = np.zeros(len(sound))
    if random.random() < 0.7:
        level_db += random.uniform(*WANDERS_DB) * wandering(random, len(sound), rate, _even(random, WANDERS_HZ))
    if random.random() < 0.5:
        turns = np.cumsum(random.uniform(*SWAYS_HZ) * (1 + 0.1 * wandering(random, len(sound), rate, 1.0))) / rate
        level_db += random.uniform(*SWAYS_DB) * 0.5 * np.sin(2 * np.pi * turns)
    return np.asarray(sound * 10 ** (level_db / 20), np.float32)


def among_walls(sound: Sound, rate: int, random: Random) -> Sound:
    """A room in which single reflections cancel what is held, the more so where its pitch sways."""
    response = np.zeros(round(TAIL_S[1] * rate))
    for _ in range(int(random.integers(*WALLS))):
        response[round(_even(random, LATE_S) * rate)] += float(random.choice([-1, 1]) * random.uniform(0.3, 1.0))
    time = np.arange(len(response)) / rate
    tail = random.normal(size=len(response)) * np.exp(-6.9 * time / random.uniform(*TAIL_S))
    response += 0.6 * tail * np.sqrt(np.sum(response**2) / np.sum(tail**2))
    wet = dsp.fftconvolve(sound, response)[: len(sound)]
    loudness = np.sqrt(np.mean(sound**2) / max(float(np.mean(wet**2)), 1e-12))
    return np.asarray(sound + 10 ** (random.uniform(*WALLS_DB) / 20) * loudness * wet, np.float32)


def electronic(sound: Sound, rate: int, random: Random) -> Sound:
    """Driven, given a vowel, opened and closed by a slow wave, doubled out of tune: each in some."""
    sound = sound / max(float(np.abs(sound).max()), 1e-6)
    if random.random() < 0.4:
        delay_s = (
            DETUNED_S[0] + random.uniform(0, DETUNED_S[1]) * (1 + _sine(random, len(sound), rate, DETUNED_HZ)) / 2
        )
        place = np.arange(len(sound)) - delay_s * rate
        sound = sound + np.interp(place, np.arange(len(sound)), sound, left=0.0)
    if random.random() < 0.6:
        sound = np.tanh(_even(random, DRIVE) * sound / max(float(np.abs(sound).max()), 1e-6))
    if random.random() < 0.5:
        for _ in range(int(random.integers(*FORMANTS))):
            b, a = dsp.iirpeak(_even(random, FORMANT_HZ), float(random.uniform(2, 8)), fs=rate)
            sound = sound + (10 ** (random.uniform(*FORMANT_DB) / 20) - 1) * dsp.lfilter(b, a, sound)
    if random.random() < 0.5:
        sos = dsp.butter(2, _even(random, WOBBLE_CUTOFF_HZ), "lowpass", fs=rate, output="sos")
        opened = (1 + _sine(random, len(sound), rate, WOBBLE_HZ)) / 2
        sound = dsp.sosfilt(sos, sound) * (1 - opened) + sound * opened
    return np.asarray(sound, np.float32)


def _sine(random: Random, length: int, rate: int, between_hz: tuple[float, float]) -> NDArray[np.float64]:
    return np.sin(2 * np.pi * (_even(random, between_hz) * np.arange(length) / rate + random.random()))
