"""The recordings of the demo, with their truth."""

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import soundfile
from numpy.typing import NDArray

from honest_stave.demo import score, sounds
from honest_stave.demo.score import Played


@dataclass(frozen=True)
class DemoTake:
    """A recording of the demo: file name, tempo, moment of bar 1, notes as played, samples."""

    file_name: str
    bpm: float
    bar_one_s: float
    notes: tuple[Played, ...]
    samples: NDArray[np.float32]

    def wav(self) -> bytes:
        """The recording as a 24-bit WAV file."""
        return as_wav(self.samples)


def as_wav(samples: NDArray[np.float32]) -> bytes:
    """Samples as a 24-bit WAV file."""
    out = io.BytesIO()
    soundfile.write(out, samples, sounds.RATE, format="WAV", subtype="PCM_24")
    return out.getvalue()


def _take(
    file_name: str,
    bpm: float,
    notes: list[Played],
    play: Callable[[Sequence[Played], float], sounds.Sound],
    start_s: float,
    peak_db: float,
) -> DemoTake:
    seconds = max(n.offset_s for n in notes) + 1.2
    return DemoTake(file_name, bpm, start_s, tuple(notes), sounds.as_take(play(notes, seconds), peak_db))


def whistle_theme() -> DemoTake:
    """Theme of the Lighthouse Goat on a tin whistle."""
    notes = score.perform(score.WHISTLE_THEME, bpm=112, start_s=0.52, held=0.93, seed=11, slides=0.08)
    return _take("whistle theme 112bpm D major.wav", 112, notes, sounds.whistle, 0.52, -4.0)


def washtub_line() -> DemoTake:
    """The washtub bass line under it."""
    notes = score.perform(score.BASS_LINE, bpm=112, start_s=0.31, held=0.9, seed=12, loose_s=0.01)
    return _take("washtub bass 112bpm.wav", 112, notes, sounds.washtub, 0.31, -3.0)


def goat_song() -> DemoTake:
    """The goat's song, hummed without a click."""
    notes = score.perform(
        score.GOAT_SONG, bpm=84, start_s=0.74, held=0.95, seed=13, scoop=0.4, slides=0.3, loose_s=0.015
    )
    return _take("goat's song, hummed.wav", 84, notes, sounds.humming, 0.74, -6.0)


def harmonium_verse() -> DemoTake:
    """A verse on the harmonium, in four voices."""
    voices = [
        score.perform(voice, bpm=80, start_s=0.4, held=0.94, seed=14 + i)
        for i, voice in enumerate(score.HARMONIUM_VERSE)
    ]
    notes = sorted((n for voice in voices for n in voice), key=lambda n: (n.onset_s, n.pitch))
    return _take("harmonium verse 80bpm.wav", 80, notes, sounds.harmonium, 0.4, -5.0)


def toy_piano_free() -> DemoTake:
    """A free improvisation on the toy piano."""
    notes = score.perform_strokes(score.TOY_PIANO, bpm=104, start_s=0.35, seed=20, loose_s=0.02)
    return _take("toy piano, free.wav", 104, notes, sounds.toy_piano, 0.35, -6.0)


ONE_VOICE = (goat_song, whistle_theme, washtub_line)
MANY_VOICES = (harmonium_verse, toy_piano_free)
ALL = (*ONE_VOICE, *MANY_VOICES)
