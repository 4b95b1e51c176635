"""The built-in instruments: eight made from partials, and a drum kit.

Samples of sustained sounds loop without a seam by construction:

every partial makes a whole number of cycles in the loop, and the sample says at which
frequency it sounds exactly.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import NotFound
from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.sound.click_sounds import CLICK_SOUNDS
from honest_stave.core.sound.drum_kit import drum_sounds

RATE = 44100
LOOP_FRAMES = 11025
HEAD_FRAMES = 13230
# A sample every five semitones: shifted by at most two and a half, it keeps its colour.
ROOT_PITCHES = tuple(range(24, 109, 5))
PEAK = 0.5
LOWEST_SHIMMER_HZ = 150.0


@dataclass(frozen=True)
class Sample:
    """One sample: data (frames,), the frequency (Hz) it sounds at, loop bounds (0, 0 for none)."""

    data: NDArray[np.float32]
    root_hz: float
    loop_start: int
    loop_end: int


@dataclass(frozen=True)
class Instrument:
    """A built-in instrument.

    Args:
        id, name: how it is called.
        program: General MIDI program written for it.
        attack_s, release_s: straight ramps at the note's beginning and after its end.
        samples: from low to high.
    """

    id: str
    name: str
    program: int
    attack_s: float
    release_s: float
    samples: tuple[Sample, ...]

    def sample_for(self, pitch: float) -> int:
        """Index of the sample nearest to a MIDI pitch."""
        roots = np.log2([s.root_hz for s in self.samples])
        return int(np.argmin(np.abs(roots - np.log2(pitch_to_hz(pitch)))))


Colour = Callable[[NDArray[np.float64], float], NDArray[np.float64]]


def _looped(
    colour: Colour,
    f0: float,
    head_shape: NDArray[np.float64],
    spread: tuple[int, ...] = (0,),
    loop_frames: int = LOOP_FRAMES,
) -> Sample:
    """A sustained sound: partials at whole cycles of the loop, brightening over its head.

    ``spread`` lays voices that many cycles a loop apart from each other.
    """
    cycles = max(1, round(f0 * loop_frames / RATE))
    exact_hz = cycles * RATE / loop_frames
    frames = HEAD_FRAMES + loop_frames
    time = np.arange(frames) / RATE
    count = max(1, min(40, int(0.45 * RATE / exact_hz)))
    harmonics = np.arange(1, count + 1, dtype=float)
    weight = colour(harmonics, exact_hz)
    phases = np.mod(harmonics * harmonics * 0.37, 1.0) * 2 * np.pi
    sound = np.zeros(frames)
    shape = np.concatenate([head_shape, np.ones(loop_frames)])
    for h, w, phase in zip(harmonics, weight, phases, strict=True):
        bright = shape ** (1 + 0.15 * (h - 1))
        for i, offset in enumerate(spread):
            step = (cycles * h + offset) * RATE / loop_frames
            if step < 0.48 * RATE:
                sound += w / len(spread) * bright * np.sin(2 * np.pi * step * time + phase + 1.3 * i)
    return Sample(_normalised(sound), exact_hz, HEAD_FRAMES, frames)


def _dying(partials: list[tuple[float, float, float]], f0: float, seconds: float, strike: float = 0.0) -> Sample:
    """A struck or plucked sound: partials (ratio, level, decay s), with a short noise of the stroke."""
    frames = int(seconds * RATE)
    time = np.arange(frames) / RATE
    sound = np.zeros(frames)
    for ratio, level, decay_s in partials:
        if f0 * ratio < 0.45 * RATE:
            sound += level * np.exp(-time / decay_s) * np.sin(2 * np.pi * f0 * ratio * time)
    noise = np.random.default_rng(7).normal(size=frames) * np.exp(-time / 0.006)
    sound += strike * noise
    sound *= np.minimum(1.0, (frames - np.arange(frames)) / (0.05 * RATE))
    return Sample(_normalised(sound), f0, 0, 0)


def _normalised(sound: NDArray[np.float64]) -> NDArray[np.float32]:
    return np.asarray(PEAK * sound / np.max(np.abs(sound)), np.float32)


def _bars(f0: float) -> Sample:
    slow = 0.9 * (261.6 / f0) ** 0.5
    return _dying([(1, 1.0, slow), (3.93, 0.35, slow / 5), (9.2, 0.12, slow / 14)], f0, 2.2, 0.12)


def _string(f0: float) -> Sample:
    slow = 1.3 * (220.0 / f0) ** 0.35
    stiff = 0.00012
    partials = [
        (n * float(np.sqrt(1 + stiff * n * n)), abs(float(np.sin(np.pi * n / 5.3))) / n**1.1, slow / n**0.6)
        for n in range(1, 24)
    ]
    return _dying(partials, f0, 3.0, 0.05)


def _deep_string(f0: float) -> Sample:
    partials = [(float(n), 1 / n**1.5, 1.6 / n**0.8) for n in range(1, 14)]
    return _dying(partials, f0, 3.0, 0.03)


def _rise(seconds: float) -> NDArray[np.float64]:
    time = np.arange(HEAD_FRAMES) / RATE
    return np.clip(time / seconds, 0.02, 1.0)


def _reed(f0: float) -> Sample:
    return _looped(lambda h, f: np.where(h % 2 == 1, 1.0, 0.35) / h**1.5, f0, _rise(0.05))


def _bowed(f0: float) -> Sample:
    def colour(h: NDArray[np.float64], f: float) -> NDArray[np.float64]:
        body = 1 + 0.8 * np.exp(-(((h * f - 1100) / 500) ** 2))
        return np.asarray(body / h**1.15)

    return _looped(colour, f0, _rise(0.09))


def _voice(f0: float) -> Sample:
    def colour(h: NDArray[np.float64], f: float) -> NDArray[np.float64]:
        hz = h * f
        formants = sum(
            g * np.exp(-(((hz - c) / w) ** 2)) for c, w, g in ((650, 160, 1), (1080, 190, 0.6), (2650, 320, 0.2))
        )
        return np.asarray((0.06 + formants) / h**0.6)

    return _looped(colour, f0, _rise(0.07))


def _pad(f0: float) -> Sample:
    # Voices a hertz apart shimmer in the middle; in the bass they would be out of tune.
    spread = (-1, 0, 1) if f0 > LOWEST_SHIMMER_HZ else (0,)
    return _looped(lambda h, f: 1 / h**1.9, f0, _rise(0.28), spread, loop_frames=RATE)


def _click(f0: float) -> Sample:
    return _dying(list(CLICK_SOUNDS["wood"][1]), f0, 0.08, 0.2)


def _tick(f0: float) -> Sample:
    return _dying(list(CLICK_SOUNDS["tick"][1]), f0, 0.08)


def _bell(f0: float) -> Sample:
    return _dying(list(CLICK_SOUNDS["bell"][1]), f0, 0.5)


_KINDS: dict[str, tuple[str, int, float, float, Callable[[float], Sample]]] = {
    "bars": ("Bars, struck", 12, 0.001, 0.12, _bars),
    "string": ("String, plucked", 24, 0.001, 0.10, _string),
    "bass": ("Bass string", 33, 0.002, 0.08, _deep_string),
    "reed": ("Reed, soft", 71, 0.012, 0.06, _reed),
    "bowed": ("Bowed", 42, 0.030, 0.10, _bowed),
    "voice": ("Voice, ah", 52, 0.025, 0.12, _voice),
    "pad": ("Pad", 89, 0.080, 0.40, _pad),
    "click": ("Click", 115, 0.0005, 0.02, _click),
    "tick": ("Tick", 115, 0.0005, 0.02, _tick),
    "bell": ("Bell, small", 14, 0.0005, 0.3, _bell),
}
# The kit has a sound of its own on every drum note; a key between them plays the nearest.
DRUM_KIT = "drums"
DRUM_KIT_NAME = "Drum kit"

INSTRUMENT_IDS = (*_KINDS, DRUM_KIT)


@lru_cache(maxsize=len(INSTRUMENT_IDS))
def instrument(instrument_id: str) -> Instrument:
    """The built-in instrument of an id.

    Raises:
        NotFound: there is none of that id.
    """
    if instrument_id == DRUM_KIT:
        drums = tuple(Sample(data, float(pitch_to_hz(note)), 0, 0) for note, data in sorted(drum_sounds().items()))
        return Instrument(DRUM_KIT, DRUM_KIT_NAME, 0, 0.0005, 0.5, drums)
    if instrument_id not in _KINDS:
        raise NotFound(f"There is no instrument {instrument_id!r}.", f"Choose one of {', '.join(INSTRUMENT_IDS)}.")
    name, program, attack_s, release_s, make = _KINDS[instrument_id]
    samples = tuple(make(float(pitch_to_hz(p))) for p in ROOT_PITCHES)
    return Instrument(instrument_id, name, program, attack_s, release_s, samples)


def instrument_names() -> dict[str, tuple[str, int]]:
    """Name and General MIDI program of every instrument, by id, without making their samples."""
    return {**{key: (kind[0], kind[1]) for key, kind in _KINDS.items()}, DRUM_KIT: (DRUM_KIT_NAME, 0)}
