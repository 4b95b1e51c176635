"""Conversions between the units of the trade."""

import re
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating[Any]]

NOTE_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
A4_HZ = 440.0
SILENCE_DB = -120.0


def hz_to_pitch(frequency_hz: Floats | float) -> Any:
    """MIDI pitch (float, A4 = 69) of a frequency in Hz (> 0)."""
    return 69.0 + 12.0 * np.log2(np.asarray(frequency_hz) / A4_HZ)


def pitch_to_hz(pitch: Floats | float) -> Any:
    """Frequency in Hz of a MIDI pitch (float)."""
    return A4_HZ * 2.0 ** ((np.asarray(pitch) - 69.0) / 12.0)


def amplitude_to_db(amplitude: Floats | float) -> Any:
    """Level in dB re full scale of an amplitude >= 0, floored at -120 dB."""
    return 20.0 * np.log10(np.maximum(np.asarray(amplitude), 10.0 ** (SILENCE_DB / 20.0)))


def db_to_amplitude(level_db: Floats | float) -> Any:
    """Amplitude of a level in dB re full scale."""
    return 10.0 ** (np.asarray(level_db) / 20.0)


def pitch_name(pitch: int, middle_c_octave: int = 4, names: Sequence[str] = NOTE_NAMES) -> str:
    """Name of a MIDI pitch, ``C4`` for 60 unless middle C is called C3.

    Args:
        pitch: 0 to 127.
        middle_c_octave: 3 or 4.
        names: of the twelve pitches, C first.
    """
    return f"{names[pitch % 12]}{pitch // 12 - 5 + middle_c_octave}"


def pitch_from_name(name: str) -> int:
    """MIDI pitch of a name like ``F#3``, ``Bb-1`` or ``60``.

    Raises:
        ValueError: the name is none of these, or the pitch is not 0 to 127.
    """
    text = name.strip()
    if text.isdigit():
        pitch = int(text)
    else:
        match = re.fullmatch(r"([A-Ga-g])([#♯b♭]?)(-?\d)", text)
        if match is None:
            raise ValueError(f"{name!r} is no pitch; try C4, F#3 or a number from 0 to 127")
        step = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}[match[1].upper()]
        pitch = 12 * (int(match[3]) + 1) + step + {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[match[2]]
    if not 0 <= pitch <= 127:
        raise ValueError(f"{name!r} is pitch {pitch}; MIDI goes from 0 to 127")
    return pitch
