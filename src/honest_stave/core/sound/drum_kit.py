"""The built-in drum kit, made from swept tones and filtered noise; one sound a General MIDI drum note."""

import numpy as np
from numpy.typing import NDArray

Sound = NDArray[np.float64]
RATE = 44100
PEAK = 0.6


def _time(seconds: float) -> Sound:
    return np.arange(int(seconds * RATE)) / RATE


def _noise(time: Sound, low_hz: float, high_hz: float, seed: int) -> Sound:
    """Noise between two frequencies."""
    spectrum = np.fft.rfft(np.random.default_rng(seed).normal(size=len(time)))
    hz = np.fft.rfftfreq(len(time), 1 / RATE)
    spectrum *= 1 / (1 + (low_hz / np.maximum(hz, 1.0)) ** 6) / (1 + (hz / high_hz) ** 6)
    noise = np.fft.irfft(spectrum, len(time))
    return np.asarray(noise / np.abs(noise).max())


def _swept(time: Sound, from_hz: float, to_hz: float, sweep_s: float) -> Sound:
    """A tone that falls from one frequency to another."""
    hz = to_hz + (from_hz - to_hz) * np.exp(-time / sweep_s)
    return np.asarray(np.sin(2 * np.pi * np.cumsum(hz) / RATE))


def _kick() -> Sound:
    time = _time(0.45)
    return _swept(time, 180, 52, 0.03) * np.exp(-time / 0.12) + 0.15 * _noise(time, 800, 6000, 1) * np.exp(
        -time / 0.004
    )


def _snare() -> Sound:
    time = _time(0.35)
    body = _swept(time, 260, 185, 0.02) * np.exp(-time / 0.06)
    return 0.6 * body + 0.7 * _noise(time, 1200, 12000, 2) * np.exp(-time / 0.08)


def _rim() -> Sound:
    time = _time(0.12)
    return np.asarray(
        (np.sin(2 * np.pi * 1720 * time) + 0.6 * np.sin(2 * np.pi * 2630 * time)) * np.exp(-time / 0.012)
    )


def _plate(seconds: float, fall_s: float, low_hz: float, seed: int) -> Sound:
    """A metal plate: noise over a cluster of tones that fit no scale."""
    time = _time(seconds)
    random = np.random.default_rng(seed)
    tones = sum(np.sin(2 * np.pi * hz * time + random.uniform(0, 6)) for hz in low_hz * random.uniform(1.0, 4.5, 9))
    return np.asarray((_noise(time, low_hz, 16000, seed) + 0.08 * tones) * np.exp(-time / fall_s))


def _tom(hz: float) -> Sound:
    time = _time(0.6)
    return _swept(time, 1.6 * hz, hz, 0.04) * np.exp(-time / 0.18) + 0.1 * _noise(time, 300, 4000, 9) * np.exp(
        -time / 0.01
    )


def _shaken() -> Sound:
    time = _time(0.2)
    return _noise(time, 3500, 14000, 11) * np.minimum(time / 0.01, 1) * np.exp(-time / 0.05)


def drum_sounds() -> dict[int, NDArray[np.float32]]:
    """Sound of each drum note, (frames,) at ``RATE``."""
    made = {
        36: _kick(),
        37: _rim(),
        38: _snare(),
        42: _plate(0.15, 0.03, 6000, 3),
        44: _plate(0.12, 0.02, 5000, 4),
        46: _plate(0.7, 0.2, 6000, 3),
        45: _tom(85),
        47: _tom(125),
        50: _tom(180),
        49: _plate(1.8, 0.55, 3000, 5),
        51: _plate(1.2, 0.4, 4200, 6),
        54: _shaken(),
    }
    return {note: _finished(sound) for note, sound in made.items()}


def _finished(sound: Sound) -> NDArray[np.float32]:
    fade = np.minimum(1.0, (len(sound) - np.arange(len(sound))) / (0.01 * RATE))
    return np.asarray(PEAK * sound * fade / np.abs(sound).max(), np.float32)
