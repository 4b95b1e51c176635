"""Instruments of oscillators, filters and envelopes: what is played where nothing was ever recorded.

Banks of sampled sounds hardly hold them: low tones without any overtone, basses of drum machines that
fall into their pitch, filters that close while a note lasts, many oscillators a little out of tune.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from training.attack import attack_delay_s
from training.performance import Performance, Struck

# Half the rate of the other sounds: the ears end at 10.9 kHz.
RATE = 22050
HIGHEST_HZ = 10_000.0
# Samples of one wave; filters are worked out at so many cutoffs, and sounds are between two of them.
WAVE_SAMPLES, CUTOFFS_HZ = 2048, np.geomspace(40.0, 12_000.0, 14)
PARTIALS = np.arange(WAVE_SAMPLES // 2 + 1)
ROLES = ("bass", "line", "chords", "pad", "pluck")
# A drum machine's tone that has fallen by this is over, in dB.
OVER_DB = 40.0
EDGE_S = 0.003
Sound = NDArray[np.float32]
Random = np.random.Generator


@dataclass(frozen=True)
class Patch:
    """A made-up instrument.

    Args:
        partials: amplitudes before the filter, (partials from 0,).
        cents: of the oscillators that sound together.
        cutoff_octaves: of the filter over the note, or over 60 Hz where it ``keeps`` to one place.
        opens_octaves, closes_s: how much more it is open when a note begins, and the time in which that goes.
        poles, resonance_db: of the filter.
        attack_s, falls_s, sustain, release_s: of the level; ``falls_s`` is a time constant, 0 for none.
        drop_semitones, drop_s: from how far above a note comes into its pitch, and how soon.
        driven: how hard the sum is driven into saturation, 0 for not at all.
        click: level of a noise of some milliseconds with each beginning.
        rings: whether it sounds on when the key is let go, until it has died away or the next one is struck.
        vibrato: its depth in semitones and its rate in Hz.
        loudness, brightness: how levels and cutoffs (in octaves) follow the force.
    """

    partials: NDArray[np.float64]
    cents: tuple[float, ...]
    cutoff_octaves: float
    keeps: bool
    opens_octaves: float
    closes_s: float
    poles: int
    resonance_db: float
    attack_s: float
    falls_s: float
    sustain: float
    release_s: float
    drop_semitones: float
    drop_s: float
    driven: float
    click: float
    rings: bool
    vibrato: tuple[float, float]
    loudness: float
    brightness: float


def _wave(random: Random, shape: str) -> NDArray[np.float64]:
    """Amplitudes of the partials of a shape of wave."""
    k = np.maximum(PARTIALS, 1).astype(float)
    odd = PARTIALS % 2 == 1
    if shape == "sine":
        waves = (PARTIALS == 1) * 1.0
        if random.random() < 0.4:
            waves[2:4] = 10 ** (random.uniform(-60, -25, 2) / 20)
    elif shape == "triangle":
        waves = odd / k**2
    elif shape == "square":
        waves = odd / k
    elif shape == "pulse":
        waves = np.abs(np.sin(np.pi * k * random.uniform(0.06, 0.4))) / k
    else:
        waves = 1 / k
    waves[0] = 0.0
    return np.asarray(waves)


def make_patch(random: Random, role: str) -> Patch:
    """A random instrument for one of ``ROLES``."""
    kinds = ["sine", "drum machine", "filtered"]
    kind = str(random.choice(kinds, p=[0.35, 0.3, 0.35])) if role == "bass" else "plain"
    shapes, shares = ["sine", "triangle", "square", "pulse", "saw"], [0.12, 0.16, 0.2, 0.16, 0.36]
    low = kind in ("sine", "drum machine")
    shape = "sine" if low else str(random.choice(shapes, p=shares))
    many = role in ("chords", "pad") or random.random() < 0.3
    count = 1 if low else int(random.choice([1, 2, 3, 5], p=[0.2, 0.3, 0.3, 0.2] if many else [0.7, 0.2, 0.1, 0.0]))
    spread = float(random.uniform(2, 18))
    struck = role == "pluck" or kind == "drum machine" or random.random() < 0.25
    slow = role == "pad"
    return Patch(
        partials=_wave(random, shape),
        cents=tuple(random.uniform(-spread, spread, count).tolist()) if count > 1 else (0.0,),
        cutoff_octaves=float(random.uniform(0.5, 2.5) if role in ("bass", "pluck") else random.uniform(1, 6)),
        keeps=random.random() < 0.4,
        opens_octaves=float(random.uniform(1, 5)) if role in ("pluck", "bass") or random.random() < 0.3 else 0.0,
        closes_s=float(np.exp(random.uniform(np.log(0.03), np.log(0.6)))),
        poles=int(random.choice([1, 2, 4])),
        resonance_db=float(random.choice([0.0, random.uniform(0, 15)])),
        attack_s=float(random.uniform(0.04, 0.3) if slow else np.exp(random.uniform(np.log(0.002), np.log(0.02)))),
        falls_s=float(np.exp(random.uniform(np.log(0.12), np.log(1.2)))) if struck else 0.0,
        sustain=0.0 if role == "pluck" or kind == "drum machine" else float(random.uniform(0.1, 0.9)),
        release_s=float(np.exp(random.uniform(np.log(0.008), np.log(0.5 if slow else 0.12)))),
        drop_semitones=float(random.uniform(3, 30)) if kind == "drum machine" else 0.0,
        drop_s=float(random.uniform(0.006, 0.03)),
        driven=float(random.choice([0.0, np.exp(random.uniform(np.log(0.5), np.log(6.0)))])) if low else 0.0,
        click=float(10 ** (random.uniform(-45, -18) / 20)) if low and random.random() < 0.4 else 0.0,
        rings=kind == "drum machine" and random.random() < 0.5,
        vibrato=(float(random.choice([0.0, 0.0, random.uniform(0.05, 0.3)])), float(random.uniform(3, 7))),
        loudness=float(random.uniform(0.3, 1.8)),
        brightness=float(random.choice([0.0, random.uniform(0, 2)])),
    )


def lasts_s(patch: Patch, note: Struck, next_s: float) -> float:
    """Until when a note sounds, before its release."""
    if not patch.rings:
        return note.offset_s
    return float(min(note.onset_s + patch.falls_s * OVER_DB / 8.686, next_s))


def note_of(patch: Patch, note: Struck, until_s: float, random: Random) -> Sound:
    """One note, from its beginning on."""
    time = np.arange(round((until_s - note.onset_s + 5 * patch.release_s + EDGE_S) * RATE)) / RATE
    hz = 440.0 * 2 ** ((note.pitch - 69) / 12)
    force = note.velocity / 127
    partial_hz = np.maximum(PARTIALS * hz, 1.0)
    over = partial_hz[:, None] / CUTOFFS_HZ
    passed = 1 / np.sqrt(1 + over ** (2 * patch.poles))
    passed *= 1 + (10 ** (patch.resonance_db / 20) - 1) * np.exp(-0.5 * (np.log2(over) / 0.25) ** 2)
    spectra = passed.T * np.where(partial_hz <= HIGHEST_HZ, patch.partials, 0.0)
    waves = np.fft.irfft(spectra * -0.5j * WAVE_SAMPLES, WAVE_SAMPLES, axis=1).astype(np.float32)
    cutoff = np.log2((60.0 if patch.keeps else hz) / CUTOFFS_HZ[0]) + patch.cutoff_octaves
    cutoff = cutoff + patch.opens_octaves * np.exp(-time / patch.closes_s) + patch.brightness * (force - 0.5)
    place = np.clip(cutoff / np.log2(CUTOFFS_HZ[1] / CUTOFFS_HZ[0]), 0, len(CUTOFFS_HZ) - 1.001)
    row = place.astype(int)
    share = (place - row).astype(np.float32)
    depth, rate_hz = patch.vibrato
    bend = depth * np.sin(6.283 * rate_hz * time) * np.clip((time - 0.15) / 0.3, 0, 1)
    bend = bend + patch.drop_semitones * np.exp(-time / patch.drop_s)
    turns = np.cumsum(hz * 2 ** (bend / 12)) / RATE
    sound = np.zeros(len(time), np.float32)
    for cents in patch.cents:
        begins = 0.0 if patch.drop_semitones else float(random.random())
        sample = ((turns * 2 ** (cents / 1200) + begins) % 1.0 * WAVE_SAMPLES).astype(int) % WAVE_SAMPLES
        sound += (1 - share) * waves[row, sample] + share * waves[row + 1, sample]
    level = np.clip(time / patch.attack_s, 0, 1)
    if patch.falls_s:
        level = level * (patch.sustain + (1 - patch.sustain) * np.exp(-time / patch.falls_s))
    level = level * np.exp(-np.maximum(time - (until_s - note.onset_s), 0) / patch.release_s)
    level = level * np.clip((len(time) / RATE - time) / EDGE_S, 0, 1)
    sound = sound * level / np.sqrt(len(patch.cents))
    sound = sound + patch.click * random.normal(size=len(time)) * np.exp(-time / 0.003)
    return np.asarray(sound * force**patch.loudness, np.float32)


def render(
    patch: Patch, performance: Performance, random: Random
) -> tuple[Sound, NDArray[np.float64], NDArray[np.float64]]:
    """Mono sound at ``RATE``, and for each note when it is heard to begin and until when it sounds (s)."""
    notes = performance.notes
    last_s = max(n.offset_s for n in notes) + 1.0
    sound = np.zeros(round(last_s * RATE), np.float32)
    begins = np.array([n.onset_s for n in notes])
    onset_s, until = [], []
    for note in notes:
        until_s = lasts_s(patch, note, min(begins[begins > note.onset_s], default=last_s))
        alone = note_of(patch, note, until_s, random)
        first = round(note.onset_s * RATE)
        stop = min(first + len(alone), len(sound))
        sound[first:stop] += alone[: stop - first]
        onset_s.append(note.onset_s + attack_delay_s(alone, RATE))
        until.append(until_s)
    if patch.driven:
        sound = np.tanh(patch.driven * sound / max(float(np.abs(sound).max()), 1e-6))
    return np.asarray(sound, np.float32), np.array(onset_s), np.array(until)
