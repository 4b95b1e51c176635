"""The measured pitch of a recording, frame by frame, where a single note can be followed."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import HOP_SAMPLES
from honest_stave.core.pitch.reading import PitchLine
from honest_stave.core.pitch.refine import refine_pitch
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.frames import levels_of_frames
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

HOP_S = HOP_SAMPLES / ANALYSIS_RATE
# The attack of a note says little of its pitch, its end is drowned by the next.
CENTRE_FROM_S = 0.03
CENTRE_SHARE = 0.8


def follow_notes(
    signal: Mono, notes: Strikes, end_s: NDArray[np.float64], sure: NDArray[np.float64], tuning_cents: float
) -> PitchLine:
    """The line through notes that sound alone.

    Args:
        signal: mono at ``ANALYSIS_RATE``.
        notes: those that count, in order of time.
        end_s: their ends.
        sure: confidence of each.
        tuning_cents: where semitones lie in the recording.
    """
    frames = len(signal) // HOP_SAMPLES + 1
    first = np.clip(np.ceil(notes.onset_s / HOP_S).astype(int), 0, frames)
    last = np.clip(np.ceil(end_s / HOP_S).astype(int), first, frames)
    change = np.zeros(frames + 1, np.int64)
    np.add.at(change, first, 1)
    np.add.at(change, last, -1)
    sounding = np.cumsum(change)[:frames]
    pitch = np.full(frames, np.nan, np.float32)
    strength = np.zeros(frames, np.float32)
    for i in range(len(notes)):
        pitch[first[i] : last[i]] = notes.pitch[i] + tuning_cents / 100
        strength[first[i] : last[i]] = sure[i]
    alone = sounding == 1
    pitch[~alone] = np.nan
    level = levels_of_frames(signal, hop=HOP_SAMPLES, length=2 * HOP_SAMPLES)[:frames]
    return PitchLine(refine_pitch(signal, pitch), np.where(alone, strength, 0).astype(np.float32), level)


def centres(line: PitchLine, notes: Strikes, end_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Median pitch of each note's middle, NaN where it could not be followed, (notes,)."""
    found = np.full(len(notes), np.nan)
    first = np.ceil((notes.onset_s + CENTRE_FROM_S) / HOP_S).astype(int)
    last = np.floor((notes.onset_s + CENTRE_SHARE * (end_s - notes.onset_s)) / HOP_S).astype(int) + 1
    for i in range(len(notes)):
        piece = line.pitch[max(first[i], 0) : last[i]]
        piece = piece[~np.isnan(piece)]
        if len(piece):
            found[i] = np.median(piece)
    return found
