"""Where a note begins: between frames, on the note's own sound.

A note begins when it alone reaches 40 % of its early peak. After silence that is read
from the level; under a note that still sounds it is read from the new note's harmonics,
leaving out those that the old note shares; where the pitch slides without a new attack,
the note begins where the line leaves the old pitch.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.salience import HOP_S
from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.signal.frames import slice_padded
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

STEP_FRAMES = 64
STEP_S = STEP_FRAMES / ANALYSIS_RATE
BEFORE_S = 0.09
AFTER_S = 0.20
SHARE_OF_PEAK = 0.4
# Six periods tell the partials of neighbouring semitones' upper harmonics apart.
WINDOW_PERIODS = 6.0
SHORTEST_WINDOW_S = 0.012
LONGEST_WINDOW_S = 0.046
# An attack's steepest rise comes this long before 40 % of the peak is reached.
ATTACK_TO_ONSET_S = 0.014


def _crossing(envelope: NDArray[np.float64], lowest_index: int, peak_index: int) -> float | None:
    """Index (between steps) at which the envelope last rose through 40 % of its peak."""
    target = SHARE_OF_PEAK * envelope[peak_index]
    below = np.flatnonzero(envelope[lowest_index : peak_index + 1] < target)
    if len(below) == 0:
        return None
    i = lowest_index + int(below[-1])
    rise = envelope[i + 1] - envelope[i]
    return i + float((target - envelope[i]) / rise) if rise > 0 else float(i)


def _frames(signal: Mono, centre_s: float, window: int, until_s: float) -> tuple[Mono, float]:
    """Windows (steps, window) around ``centre_s`` and the moment of the first."""
    first = round((centre_s - BEFORE_S) * ANALYSIS_RATE)
    count = max(8, int((min(until_s, centre_s + AFTER_S) - centre_s + BEFORE_S) / STEP_S))
    begin = first - window // 2
    end = begin + count * STEP_FRAMES + window
    piece = slice_padded(signal, begin, end)
    view = np.lib.stride_tricks.sliding_window_view(piece, window)[::STEP_FRAMES][:count]
    return view, first / ANALYSIS_RATE


def onset_after_silence(signal: Mono, near_s: float, until_s: float) -> float:
    """Onset (s) of a note that begins near ``near_s`` with nothing before it."""
    window = round(0.008 * ANALYSIS_RATE)
    view, start_s = _frames(signal, near_s, window, until_s)
    envelope = np.sqrt(np.mean(np.square(view, dtype=np.float64), axis=1))
    envelope = np.maximum.accumulate(envelope)
    found = _crossing(envelope, 0, len(envelope) - 1)
    return near_s if found is None else start_s + found * STEP_S


def harmonic_onset(signal: Mono, near_s: float, until_s: float, pitch: float, before: float | None) -> float | None:
    """Onset (s) read from the harmonics of ``pitch``, or None where they tell nothing.

    Args:
        signal: mono at the analysis rate.
        near_s: about where the note begins.
        until_s: where the next one begins.
        pitch: the new note's pitch.
        before: pitch that sounded before, None for silence.
    """
    f0 = float(pitch_to_hz(pitch))
    seconds = min(max(WINDOW_PERIODS / f0, SHORTEST_WINDOW_S), LONGEST_WINDOW_S)
    window = round(seconds * ANALYSIS_RATE)
    harmonics = np.arange(1, 9) * f0
    harmonics = harmonics[harmonics < 0.42 * ANALYSIS_RATE]
    if before is not None and abs(before - pitch) > 0.5:
        old = np.arange(1, 24) * float(pitch_to_hz(before))
        apart = np.abs(harmonics[:, None] - old[None, :]).min(axis=1)
        harmonics = harmonics[apart > 1.3 / seconds]
    if len(harmonics) == 0:
        return None
    view, start_s = _frames(signal, near_s, window, until_s)
    time = np.arange(window) / ANALYSIS_RATE
    probe = np.exp(-2j * np.pi * np.outer(time, harmonics)) * np.hanning(window)[:, None]
    parts = view @ np.concatenate([probe.real, probe.imag], axis=1).astype(np.float32)
    power = np.square(parts[:, : len(harmonics)]) + np.square(parts[:, len(harmonics) :])
    envelope = np.sqrt(power.sum(axis=1)).astype(np.float64)
    near = int((near_s - start_s) / STEP_S)
    peak = near + int(np.argmax(envelope[near:])) if near < len(envelope) else len(envelope) - 1
    found = _crossing(envelope, 0, peak)
    return None if found is None else start_s + found * STEP_S


def leaving_moment(line: NDArray[np.float64], cut: int, before: float, after: float) -> float:
    """Moment (s) at which the line leaves ``before`` on its way to ``after``.

    Args:
        line: (frames,) pitch, smooth.
        cut: frame at which the semitone changed.
        before: median pitch of the old note.
        after: median pitch of the new note.
    """
    farthest = max(cut - round(0.15 / HOP_S), 0)
    # A third of the way (at most half a semitone) is no longer vibrato.
    away = min(0.5, abs(after - before) / 3)
    frame = cut
    while frame > farthest and abs(line[frame - 1] - before) > away:
        frame -= 1
    return frame * HOP_S
