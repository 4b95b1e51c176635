"""Sounds with known truth, made for the tests."""

import io
from dataclasses import dataclass

import numpy as np
import soundfile
from numpy.typing import NDArray

RATE = 44100


@dataclass(frozen=True)
class Note:
    onset_s: float
    offset_s: float
    pitch: float
    loudness: float = 0.5


def hz(pitch: float) -> float:
    return 440.0 * 2 ** ((pitch - 69) / 12)


def tone(note: Note, rate: int, *, struck: bool = False, vibrato_cents: float = 0.0) -> NDArray[np.float64]:
    """One note from its onset: eight partials, 4 ms rise, 15 ms fall; dying away if struck."""
    frames = round((note.offset_s - note.onset_s + 0.09) * rate)
    time = np.arange(frames) / rate
    bend = vibrato_cents * np.sin(2 * np.pi * 5.5 * time)
    phase = 2 * np.pi * np.cumsum(hz(note.pitch) * 2 ** (bend / 1200)) / rate
    sound = np.zeros(frames)
    for h in range(1, 9):
        if hz(note.pitch) * h < 0.45 * rate:
            fade = np.exp(-time * (1.5 + h)) if struck else 1.0
            sound += fade * np.sin(h * phase) / h
    rise = 1 - np.exp(-time / 0.004)
    fall = np.exp(-np.maximum(0, time - (note.offset_s - note.onset_s)) / 0.015)
    return note.loudness * 0.6 * sound * rise * fall


def line(
    notes: list[Note], rate: int = RATE, *, struck: bool = False, vibrato_cents: float = 0.0, tail_s: float = 0.5
) -> NDArray[np.float32]:
    """A line of notes, (frames, 1)."""
    out = np.zeros(round((max(n.offset_s for n in notes) + tail_s) * rate))
    for note in notes:
        sound = tone(note, rate, struck=struck, vibrato_cents=vibrato_cents)
        first = round(note.onset_s * rate)
        out[first : first + len(sound)] += sound[: len(out) - first]
    return (out / max(1.0, float(np.abs(out).max()) * 1.25)).astype(np.float32)[:, None]


def tune(start_s: float = 0.4) -> list[Note]:
    """Twelve notes with steps, leaps and one pitch struck twice."""
    pitches = [62, 64, 66, 69, 69, 66, 67, 74, 71, 62, 64, 57]
    return [Note(start_s + 0.4 * i, start_s + 0.4 * i + 0.33, p, 0.4 + 0.02 * i) for i, p in enumerate(pitches)]


def wav(samples: NDArray[np.float32], rate: int = RATE, subtype: str = "PCM_16", kind: str = "WAV") -> bytes:
    """The samples as a file."""
    out = io.BytesIO()
    soundfile.write(out, samples, rate, format=kind, subtype=subtype)
    return out.getvalue()


def f1(found: list[tuple[float, int]], truth: list[tuple[float, float]], within_s: float = 0.05) -> float:
    """F1 of (onset, pitch) pairs, each matched once."""
    free = list(truth)
    hits = 0
    for onset, pitch in found:
        near = [t for t in free if abs(t[0] - onset) <= within_s and round(t[1]) == pitch]
        if near:
            free.remove(min(near, key=lambda t: abs(t[0] - onset)))
            hits += 1
    return 2 * hits / max(1, len(found) + len(truth))


CHORDS = [(60, 64, 67), (57, 60, 65), (55, 59, 62, 67), (60, 64, 67, 72)]


def chords() -> list[Note]:
    return [Note(0.3 + 0.8 * i, 0.3 + 0.8 * i + 0.7, p) for i, chord in enumerate(CHORDS) for p in chord]


def texture(notes: list[Note], *, struck: bool = True) -> NDArray[np.float32]:
    """Each note by itself, added up."""
    alone = [line([n], struck=struck) for n in notes]
    total = np.zeros((max(len(s) for s in alone), 1), np.float32)
    for s in alone:
        total[: len(s)] += s
    return np.asarray(0.8 * total / np.abs(total).max(), np.float32)


def drums(seed: int = 1) -> NDArray[np.float32]:
    """Noise bursts and thumps, two a second."""
    random = np.random.default_rng(seed)
    sound = np.zeros(4 * RATE)
    for k in range(8):
        into = np.arange(round(0.2 * RATE)) / RATE
        burst = random.normal(size=len(into)) * np.exp(-into / (0.03 if k % 2 else 0.012))
        thump = np.sin(2 * np.pi * 55 * into) * np.exp(-into / 0.05) if k % 2 == 0 else 0.0
        first = round((0.2 + 0.45 * k) * RATE)
        sound[first : first + len(into)] += 0.4 * burst + 0.5 * thump
    return np.asarray(sound, np.float32)[:, None]
