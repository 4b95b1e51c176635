"""Room, noise, hum, equaliser, compression, clipping: what recordings have and renderings lack."""

import numpy as np
from numpy.typing import NDArray
from scipy import signal as dsp

Sound = NDArray[np.float32]


def _room(sound: Sound, rate: int, random: np.random.Generator) -> Sound:
    tail_s = float(random.uniform(0.2, 1.8))
    time = np.arange(round(tail_s * rate)) / rate
    response = random.normal(size=len(time)) * np.exp(-6.9 * time / tail_s)
    response[: round(float(random.uniform(0.002, 0.02)) * rate)] = 0
    sos = dsp.butter(1, float(random.uniform(1500, 8000)), "lowpass", fs=rate, output="sos")
    wet = dsp.fftconvolve(sound, dsp.sosfilt(sos, response))[: len(sound)]
    loudness = np.sqrt(np.mean(sound**2) / max(float(np.mean(wet**2)), 1e-12))
    return sound + float(10 ** (random.uniform(-22, -4) / 20)) * loudness * wet


def _equaliser(sound: Sound, rate: int, random: np.random.Generator) -> Sound:
    for _ in range(int(random.integers(1, 4))):
        hz, q = float(np.exp(random.uniform(np.log(80), np.log(7000)))), float(random.uniform(0.5, 2))
        b, a = dsp.iirpeak(hz, q, fs=rate)
        gain = float(10 ** (random.uniform(-12, 12) / 20)) - 1
        sound = sound + max(gain, -0.8) * dsp.lfilter(b, a, sound)
    return sound


def _compressed(sound: Sound, rate: int, random: np.random.Generator) -> Sound:
    level = np.sqrt(dsp.lfilter([0.002], [1, -0.998], sound**2) + 1e-10)
    threshold = float(np.percentile(level, random.uniform(40, 80))) + 1e-6
    ratio = float(random.uniform(1.5, 5))
    return sound * np.minimum(1.0, (level / threshold) ** (1 / ratio - 1))


def dress(sound: Sound, rate: int, random: np.random.Generator) -> Sound:
    """The sound as it might have been recorded; peak between -1 and -12 dB; moments kept."""
    sound = sound / max(float(np.abs(sound).max()), 1e-6)
    if random.random() < 0.45:
        sound = _equaliser(sound, rate, random)
    if random.random() < 0.25:
        sound = _compressed(sound, rate, random)
    if random.random() < 0.5:
        sound = _room(sound, rate, random)
    sound = sound / max(float(np.abs(sound).max()), 1e-6)
    if random.random() < 0.4:
        level = float(10 ** (random.uniform(-70, -36) / 20))
        noise = random.normal(size=len(sound))
        if random.random() < 0.5:
            noise = dsp.lfilter([0.1], [1, -0.9], noise) * 3
        sound = sound + level * noise
        if random.random() < 0.3:
            mains = float(random.choice([50.0, 60.0]))
            time = np.arange(len(sound)) / rate
            sound = sound + level * sum(np.sin(2 * np.pi * mains * k * time + k) / k for k in (1, 2, 3))
    if random.random() < 0.06:
        sound = np.clip(sound * float(random.uniform(1.2, 2.5)), -1, 1)
    if random.random() < 0.12:
        # The band limit of a low-rate codec.
        sos = dsp.butter(6, float(random.uniform(3500, 9000)), "lowpass", fs=rate, output="sos")
        sound = dsp.sosfilt(sos, sound)
    peak = float(10 ** (random.uniform(-12, -1) / 20))
    return np.asarray(peak * sound / max(float(np.abs(sound).max()), 1e-6), np.float32)
