"""Instruments of real recorded notes, a file a note, played by nothing that was trained on.

Folders as the package registry of the web holds them: files named ``A3.mp3``, ``Fs4v8.ogg``
(``s`` is a sharp, ``v8`` the eighth of sixteen layers of force).
"""

import re
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from training.attack import attack_delay_s
from training.performance import Performance, Struck

Sound = NDArray[np.float32]
RATE = 44100
STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
NAME = re.compile(r"([A-G])(s?)(\d)(?:v(\d+))?$")
# Silence before the sound: what lies under this share of the peak, about -46 dB.
BEGINS_AT = 0.005
# With layers of force, this share of a note's gain follows the velocity beside the layer.
TRACKED = 0.73
# Players begin slow notes early: of an attack no more than this is kept, faded in.
LONGEST_ATTACK_S, FADED_IN_S = 0.06, 0.01


@dataclass(frozen=True)
class Recorded:
    """Recorded notes of one instrument.

    Args:
        name: in words.
        files: pitch and layer of each file.
        release_s: time constant in which a note dies once it is let go.
    """

    name: str
    files: dict[tuple[int, int], Path]
    release_s: float

    @cached_property
    def pitches(self) -> NDArray[np.int64]:
        return np.unique([pitch for pitch, _ in self.files])

    @cached_property
    def layers(self) -> NDArray[np.int64]:
        return np.unique([layer for _, layer in self.files])

    @property
    def lowest(self) -> int:
        return int(self.pitches[0]) - 1

    @property
    def highest(self) -> int:
        return int(self.pitches[-1]) + 1


def open_folders(name: str, folders: list[Path], release_s: float) -> Recorded:
    """The instrument whose notes lie in ``folders``; files of other names are passed over."""
    files = {}
    for folder in folders:
        for path in sorted([*folder.rglob("*.mp3"), *folder.rglob("*.ogg")]):
            found = NAME.match(path.stem)
            if found:
                letter, sharp, octave, layer = found.groups()
                files[12 * (int(octave) + 1) + STEPS[letter] + bool(sharp), int(layer or 0)] = path
    return Recorded(name, files, release_s)


@lru_cache(maxsize=512)
def _one_note(path: Path, semitones: int) -> Sound:
    """A recorded note from its beginning on, bent by whole semitones."""
    sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
    mono = sound.mean(axis=1)
    begins = int(np.argmax(np.abs(mono) > BEGINS_AT * np.abs(mono).max()))
    note = soxr.resample(mono[begins:], rate * 2 ** (semitones / 12), RATE).astype(np.float32)
    early = round(max(0.0, attack_delay_s(note, RATE) - LONGEST_ATTACK_S) * RATE)
    if early:
        note = note[early:]
        note[: round(FADED_IN_S * RATE)] *= np.linspace(0, 1, round(FADED_IN_S * RATE), dtype=np.float32)
    return note


def note_of(instrument: Recorded, pitch: int, velocity: int) -> Sound:
    """One note, struck with ``velocity``, for as long as it was recorded."""
    layer = int(instrument.layers[np.argmin(np.abs(instrument.layers - np.interp(velocity, [15, 127], [1, 16])))])
    near = instrument.pitches[np.argmin(np.abs(instrument.pitches - pitch))]
    sound = _one_note(instrument.files[int(near), layer], pitch - int(near))
    share = TRACKED if len(instrument.layers) > 1 else 1.0
    return sound * np.float32(1 - share + share * (velocity / 127) ** 2)


def playable(instrument: Recorded, notes: list[Struck]) -> list[Struck]:
    """Notes within the instrument's range."""
    return [n for n in notes if instrument.lowest <= n.pitch <= instrument.highest]


def render(instrument: Recorded, performance: Performance) -> tuple[Sound, NDArray[np.float64], NDArray[np.float64]]:
    """Mono sound, and for each note when it is heard to begin and until when it sounds (s)."""
    ends_s = [performance.damped_s(n) for n in performance.notes]
    sound = np.zeros(round((max(ends_s) + 2) * RATE), np.float32)
    onset_s, sounding_off_s = [], []
    for note, end_s in zip(performance.notes, ends_s, strict=True):
        alone = note_of(instrument, note.pitch, note.velocity)
        held = round((end_s - note.onset_s) * RATE)
        dying = np.exp(-np.maximum(0, np.arange(len(alone)) - held) / (instrument.release_s * RATE))
        first = round(note.onset_s * RATE)
        length = min(len(alone), held + round(7 * instrument.release_s * RATE), len(sound) - first)
        sound[first : first + length] += (alone * dying.astype(np.float32))[:length]
        onset_s.append(note.onset_s + attack_delay_s(alone, RATE))
        sounding_off_s.append(min(end_s, note.onset_s + len(alone) / RATE))
    return sound, np.array(onset_s), np.array(sounding_off_s)
