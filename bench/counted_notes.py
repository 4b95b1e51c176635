"""What counts in a reading, at the limit that each take begins with."""

from pathlib import Path

import numpy as np
import soundfile

from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.limits import limit_of
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import Candidate, FormSettings, ReadSettings


def counted_notes(samples: np.ndarray, rate: int, voices: str) -> list[Candidate]:
    """Notes of samples (frames, channels), in order of time and pitch; ``voices`` as in ``ReadSettings``."""
    reading = read(samples, rate, ReadSettings(voices=voices))
    least = limit_of(reading, FormSettings())
    found = form_candidates(reading, FormSettings(), least)
    return sorted((c for c in found if c.confidence >= least), key=lambda c: (c.onset_s, c.pitch))


def notes_in(path: Path, voices: str) -> list[Candidate]:
    """Notes of a recording."""
    samples, rate = soundfile.read(path, dtype="float32", always_2d=True)
    return counted_notes(samples, rate, voices)
