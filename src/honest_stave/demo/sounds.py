"""The instruments of the Tidewater Puppet Theatre, synthesised: whistle, washtub bass, humming."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import signal as dsp

from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.demo.score import Played

RATE = 44100
Sound = NDArray[np.float64]


def _pitch_curve(notes: Sequence[Played], frames: int, *, vibrato_cents: float, tuning_cents: float) -> Sound:
    """Pitch of a wind or a voice, frame by frame: scoops, slides and vibrato."""
    curve = np.zeros(frames)
    time = np.arange(frames) / RATE
    before = notes[0].pitch
    starts = [round(note.onset_s * RATE) for note in notes]
    for note, first, last in zip(notes, starts, [*starts[1:], frames], strict=True):
        into = time[first:last] - note.onset_s
        depth = vibrato_cents * np.clip((into - 0.18) / 0.25, 0.0, 1.0)
        bend = depth * np.sin(2 * np.pi * 5.4 * into) - note.scoop_cents * np.exp(-into / 0.05)
        if note.slide:
            bend += 100.0 * (before - note.pitch) * np.exp(-into / 0.03)
        curve[first:last] = note.pitch + (bend + tuning_cents) / 100.0
        before = note.pitch
    curve[: starts[0]] = curve[starts[0]]
    return curve


def _loudness(notes: Sequence[Played], frames: int, *, attack_s: float, release_s: float) -> Sound:
    level = np.zeros(frames)
    for note in notes:
        first, last = round(note.onset_s * RATE), round(note.offset_s * RATE)
        length = min(frames - first, last - first + round(6 * release_s * RATE))
        into = np.arange(length) / RATE
        shape = 1.0 - np.exp(-into / attack_s)
        fall = np.exp(-np.maximum(0.0, into - (last - first) / RATE) / release_s)
        piece = level[first : first + length]
        np.maximum(piece, note.loudness * shape * fall, out=piece)
    return level


def _harmonics(curve: Sound, level: Sound, weights: Sequence[float]) -> Sound:
    phase = 2 * np.pi * np.cumsum(pitch_to_hz(curve)) / RATE
    sound = np.zeros(len(curve))
    for h, weight in enumerate(weights, start=1):
        if weight:
            sound += weight * np.sin(h * phase) * level ** (1 + 0.2 * (h - 1))
    return sound


def noise(frames: int, low_hz: float, high_hz: float, seed: int) -> Sound:
    """Noise between two frequencies."""
    sos = dsp.butter(2, [low_hz, high_hz], "bandpass", fs=RATE, output="sos")
    noise: Sound = dsp.sosfilt(sos, np.random.default_rng(seed).normal(size=frames))
    return noise


def in_a_room(sound: Sound, tail_s: float, amount: float, seed: int) -> Sound:
    time = np.arange(round(tail_s * RATE)) / RATE
    room = np.random.default_rng(seed).normal(size=len(time)) * np.exp(-6.9 * time / tail_s)
    wet = dsp.fftconvolve(sound, room)[: len(sound)]
    return np.asarray(sound + amount * wet / max(float(np.abs(wet).max()), 1e-9) * float(np.abs(sound).max()))


def whistle(notes: Sequence[Played], seconds: float) -> Sound:
    """A tin whistle in a boathouse: breath before the tone, a little room."""
    frames = round(seconds * RATE)
    curve = _pitch_curve(notes, frames, vibrato_cents=14, tuning_cents=8)
    level = _loudness(notes, frames, attack_s=0.012, release_s=0.018)
    breath = noise(frames, 1800, 9000, 1) * _loudness(notes, frames, attack_s=0.004, release_s=0.05)
    sound = _harmonics(curve, level, (1.0, 0.32, 0.09, 0.03)) + 0.06 * breath
    return in_a_room(sound, 0.7, 0.12, 2) + 0.0008 * noise(frames, 60, 6000, 3)


def washtub(notes: Sequence[Played], seconds: float) -> Sound:
    """A washtub bass: one string, plucked, sliding a little, over a thump."""
    frames = round(seconds * RATE)
    sound = np.zeros(frames)
    random = np.random.default_rng(5)
    for note in notes:
        first, held = round(note.onset_s * RATE), note.offset_s - note.onset_s
        length = min(frames - first, round((held + 0.12) * RATE))
        into = np.arange(length) / RATE
        bend = 35.0 * np.exp(-into / 0.03)
        phase = 2 * np.pi * np.cumsum(pitch_to_hz(note.pitch - 0.14 + bend / 100.0)) / RATE
        tone = sum(w * np.exp(-into * (1.4 + 1.1 * h)) * np.sin(h * phase) for h, w in
                   ((1, 1.0), (2, 0.7), (3, 0.34), (4, 0.2), (5, 0.12), (6, 0.06)))  # fmt: skip
        damped = np.exp(-np.maximum(0.0, into - held) / 0.018)
        attack = 1.0 - np.exp(-into / 0.002)
        thump = random.normal(size=length) * np.exp(-into / 0.012) * 0.25
        sound[first : first + length] += note.loudness * attack * damped * (np.asarray(tone) + thump)
    low = dsp.sosfilt(dsp.butter(2, 2600, "lowpass", fs=RATE, output="sos"), sound)
    return np.asarray(low) + 0.0012 * noise(frames, 50, 4000, 6)


def humming(notes: Sequence[Played], seconds: float) -> Sound:
    """The puppeteer humming: scoops, vibrato, breath between phrases, 23 cents under pitch."""
    frames = round(seconds * RATE)
    curve = _pitch_curve(notes, frames, vibrato_cents=28, tuning_cents=-23)
    drift = dsp.sosfilt(dsp.butter(1, 1.2, fs=RATE, output="sos"), np.random.default_rng(8).normal(size=frames))
    curve = curve + 0.06 * np.asarray(drift) / float(np.abs(drift).max())
    level = _loudness(notes, frames, attack_s=0.035, release_s=0.05)
    sound = _harmonics(curve, level, (1.0, 0.55, 0.22, 0.12, 0.05, 0.02))
    breath = 0.02 * noise(frames, 400, 3500, 9) * (0.25 + (level < 0.02))
    return in_a_room(sound + breath + _creaks(frames), 0.4, 0.06, 10)


def harmonium(notes: Sequence[Played], seconds: float) -> Sound:
    """A harmonium: two reeds a note, a little apart, over the breath of its bellows."""
    frames = round(seconds * RATE)
    sound = np.zeros(frames)
    for note in notes:
        first, held = round(note.onset_s * RATE), note.offset_s - note.onset_s
        length = min(frames - first, round((held + 0.16) * RATE))
        into = np.arange(length) / RATE
        level = (1 - np.exp(-into / 0.022)) * np.exp(-np.maximum(0.0, into - held) / 0.03)
        for cents in (-2.5, 3.0):
            hz = pitch_to_hz(note.pitch + cents / 100)
            partials = [h for h in range(1, 15) if h * hz < 9000]
            tone = sum(h**-0.9 * np.sin(2 * np.pi * h * hz * into + 0.7 * h) for h in partials)
            sound[first : first + length] += 0.5 * note.loudness * level * np.asarray(tone)
    bellows = 1 + 0.05 * np.sin(2 * np.pi * 0.42 * np.arange(frames) / RATE)
    return in_a_room(sound * bellows + 0.01 * noise(frames, 200, 2500, 14), 0.6, 0.08, 15)


def toy_piano(notes: Sequence[Played], seconds: float) -> Sound:
    """A toy piano: struck rods that ring out of tune with themselves, and the knock of their hammers."""
    frames = round(seconds * RATE)
    sound = np.zeros(frames)
    random = np.random.default_rng(16)
    for note in notes:
        first, held = round(note.onset_s * RATE), note.offset_s - note.onset_s
        length = min(frames - first, round((held + 0.3) * RATE))
        into = np.arange(length) / RATE
        hz = pitch_to_hz(note.pitch + 0.05)
        tone = sum(
            weight * np.exp(-into * dies) * np.sin(2 * np.pi * ratio * hz * into)
            for ratio, weight, dies in ((1.0, 1.0, 2.2), (2.01, 0.4, 4.0), (3.04, 0.2, 6.0), (5.43, 0.12, 14.0))
            if ratio * hz < 12000
        )
        damped = np.exp(-np.maximum(0.0, into - held) / 0.05)
        knock = random.normal(size=length) * np.exp(-into / 0.006) * 0.2
        sound[first : first + length] += (
            note.loudness * (1 - np.exp(-into / 0.001)) * damped * (np.asarray(tone) + knock)
        )
    return in_a_room(sound, 0.5, 0.1, 17) + 0.0006 * noise(frames, 60, 5000, 18)


def _creaks(frames: int) -> Sound:
    """The boathouse creaks: faint, short, sliding tones that are not part of the song."""
    random = np.random.default_rng(21)
    sound = np.zeros(frames)
    for at_s in (0.18, 6.62, 13.45, 19.55, 24.0, 28.2):
        first, into = round(at_s * RATE), np.arange(round(0.16 * RATE)) / RATE
        pitch = float(random.uniform(44, 76)) + 3.0 * into
        tone = np.sin(2 * np.pi * np.cumsum(pitch_to_hz(pitch)) / RATE) * np.sin(np.pi * into / 0.16)
        length = max(0, min(len(tone), frames - first))
        sound[first : first + length] += float(random.uniform(0.02, 0.07)) * tone[:length]
    return sound


def as_take(sound: Sound, peak_db: float) -> NDArray[np.float32]:
    """Mono at 24 bits' grain with its loudest sample at ``peak_db``."""
    scaled = sound / np.abs(sound).max() * 10 ** (peak_db / 20)
    return np.asarray(np.round(scaled * (1 << 23)) / (1 << 23), np.float32)
