"""The loops of the demo, played on what lies in the toy cupboard, with their truth."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.demo import sounds
from honest_stave.demo.sounds import RATE, Sound
from honest_stave.demo.takes import as_wav


@dataclass(frozen=True)
class DemoLoop:
    """A loop of the demo: file name, tempo, bars, hits (s, drum, loudness 0 to 1), samples (frames, 2)."""

    file_name: str
    bpm: float
    bars: int
    hits: tuple[tuple[float, str, float], ...]
    samples: NDArray[np.float32]

    def wav(self) -> bytes:
        """The recording as a 24-bit WAV file."""
        return as_wav(self.samples)


def _fading(seconds: float, fall_s: float) -> tuple[Sound, Sound]:
    time = np.arange(round(seconds * RATE)) / RATE
    return time, np.exp(-time / fall_s)


def _box(seed: int) -> Sound:
    """A wooden box struck with the fist."""
    time, fall = _fading(0.4, 0.09)
    hz = 58 + 90 * np.exp(-time / 0.018)
    thump = np.sin(2 * np.pi * np.cumsum(hz) / RATE) * fall
    return np.asarray(thump + 0.25 * sounds.noise(len(time), 300, 2500, seed) * np.exp(-time / 0.006))


def _tin(seed: int) -> Sound:
    """A biscuit tin struck with a spoon: a rattle of its lid over a short ring."""
    time, fall = _fading(0.35, 0.07)
    ring = sum(np.sin(2 * np.pi * hz * time) for hz in (212.0, 371.0, 655.0)) / 3
    return np.asarray(0.5 * ring * np.exp(-time / 0.045) + 0.45 * sounds.noise(len(time), 1500, 9000, seed) * fall)


def _rattle(seed: int) -> Sound:
    """A rattle of rice, flicked."""
    time, fall = _fading(0.12, 0.022)
    return np.asarray(0.5 * sounds.noise(len(time), 7000, 15000, seed) * fall)


def _bucket(seed: int) -> Sound:
    """A bucket upside down, tuned like a tom."""
    time, fall = _fading(0.6, 0.16)
    hz = 118 + 60 * np.exp(-time / 0.03)
    return np.asarray(
        np.sin(2 * np.pi * np.cumsum(hz) / RATE) * fall + 0.08 * sounds.noise(len(time), 200, 3000, seed)
    )


STRUCK: dict[str, tuple[Callable[[int], Sound], float]] = {
    "kick": (_box, 0.0),
    "snare": (_tin, -0.1),
    "hat": (_rattle, 0.35),
    "tom": (_bucket, -0.4),
}


def _played(
    file_name: str, bpm: float, bars: int, swing: float, lanes: dict[str, str], seed: int, room: float
) -> DemoLoop:
    """Plays lanes of sixteenths: ``X`` hard, ``x`` plain, ``.`` a ghost, ``-`` nothing."""
    random = np.random.default_rng(seed)
    sixteenth_s = 15 / bpm
    length = round(bars * 16 * sixteenth_s * RATE)
    out = np.zeros((length, 2))
    hits = []
    for drum, pattern in lanes.items():
        make, pan = STRUCK[drum]
        for place, mark in enumerate(pattern * (bars * 16 // len(pattern))):
            if mark == "-":
                continue
            late = (2 * swing - 1) * sixteenth_s if place % 2 else 0.0
            moment_s = max(place * sixteenth_s + late + random.normal(0, 0.003), 0.0) if place else 0.0
            loud = {"X": 1.0, "x": 0.66, ".": 0.22}[mark] * random.uniform(0.9, 1.05)
            sound = make(int(random.integers(1 << 30)))
            first = round(moment_s * RATE)
            piece = sound[: length - first, None] * loud * np.sqrt([1 - pan, 1 + pan])
            out[first : first + len(piece)] += piece
            hits.append((first / RATE, drum, float(loud)))
    if room:
        out += np.column_stack([sounds.in_a_room(out[:, c], 0.5, room, seed + c) - out[:, c] for c in (0, 1)])
    peak = np.abs(out).max()
    return DemoLoop(file_name, bpm, bars, tuple(sorted(hits)), np.asarray(0.7 * out / peak, np.float32))


def toy_cupboard() -> DemoLoop:
    """Boxes, tins and a rattle, swung, with ghost notes."""
    lanes = {
        "kick": "X-----x---x-----X------x--x-----",
        "snare": "----X--.-.--X------.X--.----X-.-",
        "hat": "x-x-x-x-x-x-x-x-x-x-x-x-x-xxx-x-",
    }
    return _played("toy cupboard loop 96bpm.wav", 96, 2, 0.57, lanes, 31, 0.0)


def boathouse_buckets() -> DemoLoop:
    """Buckets and boxes in the boathouse, with its room."""
    lanes = {
        "kick": "X-------x-x-----",
        "snare": "----X-------X---",
        "hat": "x-x-x-x-x-x-x-x-",
        "tom": "--------------xx",
    }
    return _played("boathouse buckets 118bpm.wav", 118, 4, 0.5, lanes, 32, 0.25)


LOOPS = (toy_cupboard, boathouse_buckets)
