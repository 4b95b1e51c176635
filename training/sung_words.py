"""A voice of ours that sings words: harmonics of a line through vowels that glide, consonants between them.

Sampled choirs and flutes hold one colour while a note lasts. A word changes it within the note, where nothing is
struck, and its consonants, which do strike it again, may leave the tone nearly as it is.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import signal as dsp

from training.performance import Struck
from training.unsteady import wandering

RATE, HOP = 22050, 110
STEP_S = HOP / RATE
HIGHEST_HZ, MOST_PARTIALS = 9000.0, 60
# First three formants of men's vowels in Hz (Peterson and Barney 1952), and a fourth.
VOWELS_HZ = np.array(
    [
        (270, 2290, 3010, 3600), (390, 1990, 2550, 3600), (530, 1840, 2480, 3500), (660, 1720, 2410, 3500),
        (730, 1090, 2440, 3400), (570, 840, 2410, 3400), (440, 1020, 2240, 3300), (300, 870, 2240, 3300),
        (640, 1190, 2390, 3400), (490, 1350, 1690, 3300),
    ],
    float,
)  # fmt: skip
# Where sounding consonants put the formants: m and n, l, r.
SONORANTS_HZ = np.array([(250, 1100, 2200, 3300), (360, 1200, 2700, 3500), (310, 1060, 1380, 3200)], float)
WIDTHS_HZ = np.array([80.0, 100.0, 140.0, 200.0])
# How often syllables begin, and end, with what.
CONSONANTS = ("none", "sonorant", "stop", "voiced stop", "hiss", "voiced hiss")
BEGIN_SHARES, END_SHARES = (0.2, 0.25, 0.17, 0.15, 0.13, 0.1), (0.55, 0.2, 0.1, 0.05, 0.07, 0.03)
# How long each lasts, and how loud the voice is in it, in dB.
LASTS_S = {
    "none": (0.0, 0.001), "sonorant": (0.04, 0.12), "stop": (0.03, 0.1), "voiced stop": (0.03, 0.08),
    "hiss": (0.06, 0.18), "voiced hiss": (0.04, 0.12),
}  # fmt: skip
VOICE_DB = {"sonorant": (-14.0, -3.0), "voiced stop": (-30.0, -12.0), "voiced hiss": (-14.0, -5.0)}
HISS_DB, BURST_DB, BURST_S, SILENT_DB = (-24.0, -6.0), (-20.0, -4.0), 0.015, -90.0
# Vowels that follow one another in a note, how soon one becomes the next, and how much their levels differ.
VOWELS_A_NOTE, VOWEL_SHARES, BECOMES_S, APART_DB = (1, 2, 3, 4), (0.4, 0.35, 0.15, 0.1), (0.008, 0.4), 2.5
# What tongue and lips need at least, by singer.
MOVES_S = (0.008, 0.06)
Values = NDArray[np.float64]


@dataclass
class _Tracks:
    """What the voice does at every step: semitones, level of voice and of noise in dB, formants in Hz."""

    pitch: Values
    voice_db: Values
    noise_db: Values
    formant_hz: Values


def sing(
    notes: list[Struck], random: np.random.Generator
) -> tuple[NDArray[np.float32], NDArray[np.float64], NDArray[np.float64]]:
    """Sound at ``RATE`` of a line, a syllable a note, when each vowel begins and when each note ends (s).

    Args:
        notes: one at a time, in order.
        random: source of chance.
    """
    steps = round((notes[-1].offset_s + 0.5) / STEP_S)
    tracks = _Tracks(
        np.full(steps, float(notes[0].pitch)),
        np.full(steps, SILENT_DB),
        np.full(steps, SILENT_DB),
        np.zeros((steps, 4)),
    )
    size = float(random.uniform(0.9, 1.25))
    ends_s, slurs = [], float(random.choice([0.0, 0.15, 0.4]))
    begins = [_begins(random, slurs if i else 0.0) for i in range(len(notes))]
    for i, note in enumerate(notes):
        latest_s = notes[i + 1].onset_s - begins[i + 1][1] if i + 1 < len(notes) else note.offset_s
        end_s = max(min(note.offset_s, latest_s), note.onset_s + 0.05)
        ends_s.append(end_s)
        _syllable(tracks, note, end_s, begins[i], size, random)
    tracks.formant_hz = _smooth(_filled(tracks.formant_hz), float(random.uniform(*MOVES_S)))
    tracks.voice_db, tracks.noise_db = _smooth(tracks.voice_db, 0.015), _smooth(tracks.noise_db, 0.01)
    tracks.pitch = _swayed(_smooth(tracks.pitch, float(random.uniform(0.02, 0.09))), notes, random)
    return _sound(tracks, random), np.array([n.onset_s for n in notes]), np.array(ends_s)


def _begins(random: np.random.Generator, slurs: float) -> tuple[str, float]:
    """The consonant that a syllable begins with, and how long it lasts; none where the vowel goes on."""
    what = "none" if random.random() < slurs else str(random.choice(CONSONANTS, p=BEGIN_SHARES))
    return what, float(random.uniform(*LASTS_S[what]))


def _syllable(
    tracks: _Tracks, note: Struck, end_s: float, begins: tuple[str, float], size: float, random: np.random.Generator
) -> None:
    first, last = round(note.onset_s / STEP_S), round(end_s / STEP_S)
    what, lasts_s = begins
    before = max(first - round(lasts_s / STEP_S), 0)
    level_db = 12 * np.log2(max(note.velocity, 20) / 127)
    tracks.pitch[before:last] = note.pitch
    count = int(random.choice(VOWELS_A_NOTE, p=VOWEL_SHARES))
    vowels = size * VOWELS_HZ[random.integers(len(VOWELS_HZ), size=count)]
    formant_hz, voice_db = np.tile(vowels[0], (last - first, 1)), np.full(last - first, level_db)
    for before_hz, vowel_hz in pairwise(vowels):
        # One becomes the other anywhere in the note.
        middle = (last - first) * float(random.uniform(0.1, 0.9))
        becomes_s = float(np.exp(random.uniform(*np.log(BECOMES_S))))
        share = 1 / (1 + np.exp(-np.clip((np.arange(last - first) - middle) * STEP_S * 8 / becomes_s, -50, 50)))
        formant_hz += share[:, None] * (vowel_hz - before_hz)
        voice_db += share * float(random.normal(0, APART_DB))
    tracks.formant_hz[first:last], tracks.voice_db[first:last] = np.maximum(formant_hz, 150.0), voice_db
    _consonant(tracks, what, before, first, level_db, random)
    ending = str(random.choice(CONSONANTS, p=END_SHARES))
    closes = max(last - round(float(random.uniform(*LASTS_S[ending])) / STEP_S), first + (last - first) // 2)
    if ending != "none":
        _consonant(tracks, ending, closes, last, level_db, random)


def _consonant(
    tracks: _Tracks, what: str, first: int, last: int, level_db: float, random: np.random.Generator
) -> None:
    """A consonant from one step to another."""
    if what == "none" or last <= first:
        return
    tracks.voice_db[first:last] = level_db + float(random.uniform(*VOICE_DB[what])) if what in VOICE_DB else SILENT_DB
    if what == "sonorant":
        tracks.formant_hz[first:last] = SONORANTS_HZ[int(random.integers(len(SONORANTS_HZ)))]
    elif "hiss" in what:
        tracks.noise_db[first:last] = level_db + float(random.uniform(*HISS_DB))
    else:
        burst = max(last - round(BURST_S / STEP_S), first)
        tracks.noise_db[burst:last] = level_db + float(random.uniform(*BURST_DB))


def _filled(formant_hz: Values) -> Values:
    """Formants where nothing sounds as they are beside it."""
    told = np.flatnonzero(formant_hz[:, 0] > 0)
    return formant_hz[told[np.clip(np.searchsorted(told, np.arange(len(formant_hz))), 0, len(told) - 1)]]


def _smooth(values: Values, over_s: float) -> Values:
    taper = np.hanning(2 * max(round(over_s / STEP_S / 2), 1) + 3)[1:-1]
    taper = (taper / taper.sum()).reshape(-1, *[1] * (values.ndim - 1))
    padded = np.pad(values, [(len(taper) // 2,) * 2] + [(0, 0)] * (values.ndim - 1), mode="edge")
    return np.asarray(dsp.fftconvolve(padded, taper, mode="valid", axes=0))


def _swayed(pitch: Values, notes: list[Struck], random: np.random.Generator) -> Values:
    """A line with the vibrato of held notes and what no voice holds still, in semitones."""
    time_s = np.arange(len(pitch)) * STEP_S
    onset_s = np.array([n.onset_s for n in notes])
    since_s = time_s - onset_s[np.maximum(np.searchsorted(onset_s, time_s, side="right") - 1, 0)]
    depth = float(random.choice([0.0, 0.0, random.uniform(0.1, 0.6)]))
    turns = np.cumsum(random.uniform(4.5, 6.5) * (1 + 0.05 * wandering(random, len(pitch), round(1 / STEP_S), 1.0)))
    vibrato = depth * np.sin(2 * np.pi * turns * STEP_S) * np.clip((since_s - 0.2) / 0.3, 0, 1)
    return pitch + vibrato + random.uniform(0.02, 0.12) * wandering(random, len(pitch), round(1 / STEP_S), 3.0)


def _sound(tracks: _Tracks, random: np.random.Generator) -> NDArray[np.float32]:
    length = len(tracks.pitch) * HOP
    at = np.arange(len(tracks.pitch)) * HOP
    hz = 440.0 * 2 ** ((tracks.pitch - 69) / 12)
    turns = np.cumsum(np.interp(np.arange(length), at, hz)) / RATE
    level = 10 ** ((tracks.voice_db + 1.5 * wandering(random, len(at), round(1 / STEP_S), 4.0)) / 20)
    tilt = float(random.uniform(0.7, 1.6))
    sound = np.zeros(length)
    for partial in range(1, min(MOST_PARTIALS, int(HIGHEST_HZ / hz.min())) + 1):
        through = _through(tracks.formant_hz, partial * hz) * (partial * hz < HIGHEST_HZ)
        sound += np.interp(np.arange(length), at, level * through / partial**tilt) * np.sin(
            2 * np.pi * partial * turns
        )
    sound /= max(float(np.abs(sound).max()), 1e-9)
    sos = dsp.butter(2, (float(random.uniform(1500, 4000)), 8500.0), "bandpass", fs=RATE, output="sos")
    noise = dsp.sosfilt(sos, random.normal(size=length))
    hiss = np.interp(np.arange(length), at, 10 ** (tracks.noise_db / 20)) * noise / np.abs(noise).max()
    breath = np.interp(np.arange(length), at, level) * noise * 10 ** (random.uniform(-50, -30) / 20)
    return np.asarray(sound + hiss + breath, np.float32)


def _through(formant_hz: Values, hz: Values) -> Values:
    """How much of each frequency the formants let through, (steps,)."""
    over = (hz[:, None] - formant_hz) / WIDTHS_HZ
    softer = np.array([1.0, 0.6, 0.35, 0.2])
    return np.asarray((softer / np.sqrt(1 + over**2)).sum(axis=1) + 0.01)
