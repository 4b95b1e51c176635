"""How far a recording is from A 440, from the peaks of its spectrum."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.convert import hz_to_pitch
from honest_stave.core.signal.frames import magnitudes, windows
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

# Below this share of agreement the pitches point nowhere and nothing is corrected.
LEAST_AGREEMENT = 0.25
# 372 ms: parts of a semitone can be told from 100 Hz up.
WINDOW = 8192
MOST_FRAMES = 400
BLOCK_FRAMES = 16
LOWEST_HZ, HIGHEST_HZ = 100.0, 2000.0
# Peaks this far under the loudest of their frame do not count.
RANGE_DB = 30.0
# Two turns of a usual vibrato, and how far its ends may lie apart within one note.
VIBRATO_S, STEADY_SEMITONES = 0.37, 1.6


def measure_tuning(signal: Mono) -> tuple[float, float]:
    """The recording's tuning in cents from A 440 (-50 to 50), and the agreement (0 to 1).

    The circular mean of the peaks' distances to their semitones, loud ones counting most.

    Args:
        signal: mono at ``ANALYSIS_RATE``.
    """
    if len(signal) < WINDOW:
        return 0.0, 0.0
    hop = max(WINDOW // 4, len(signal) // MOST_FRAMES)
    count = len(signal) // hop
    bin_hz = ANALYSIS_RATE / WINDOW
    used = slice(int(LOWEST_HZ / bin_hz), int(HIGHEST_HZ / bin_hz))
    taper = np.hanning(WINDOW).astype(np.float32)
    total, weight = 0j, 0.0
    for first in range(0, count, BLOCK_FRAMES):
        frames = windows(signal, first, min(BLOCK_FRAMES, count - first), hop=hop, length=WINDOW)
        spectrum = np.log(magnitudes(frames * taper)[:, used] + 1e-9)
        before, centre, after = spectrum[:, :-2], spectrum[:, 1:-1], spectrum[:, 2:]
        loudest = centre.max(axis=1, keepdims=True)
        row, place = np.nonzero(
            (centre > before) & (centre >= after) & (centre > loudest - RANGE_DB / 8.686) & (loudest > -6.0)
        )
        if not len(row):
            continue
        low, top, high = before[row, place], centre[row, place], after[row, place]
        shift = 0.5 * (low - high) / np.minimum(low - 2 * top + high, -1e-6)
        pitch = hz_to_pitch((used.start + 1 + place + shift) * bin_hz)
        amplitude = np.exp(top)
        total += complex(np.sum(amplitude * np.exp(2j * np.pi * pitch)))
        weight += float(np.sum(amplitude))
    if weight == 0.0:
        return 0.0, 0.0
    agreement = abs(total) / weight
    cents = float(np.angle(total) / (2 * np.pi) * 100)
    return (cents if agreement >= LEAST_AGREEMENT else 0.0), float(agreement)


def tuning_of_line(pitch: NDArray[np.floating], hop_s: float) -> tuple[float, float]:
    """The tuning of a followed pitch in cents (-50 to 50), and the agreement (0 to 1).

    Averaged over two turns of a vibrato, which peaks of a spectrum are spread by.

    Args:
        pitch: MIDI pitch of each frame, NaN where none is followed.
        hop_s: from frame to frame.
    """
    count = max(1, round(VIBRATO_S / hop_s))
    known = np.nan_to_num(pitch.astype(np.float64))
    sums = np.convolve(known, np.ones(count), mode="valid")
    whole = np.convolve(~np.isnan(pitch), np.ones(count), mode="valid") > count - 0.5
    steady = np.abs(np.convolve(known, np.r_[1, np.zeros(count - 2), -1], mode="valid")) < STEADY_SEMITONES
    means = sums[whole & steady] / count
    if not len(means):
        return 0.0, 0.0
    turned = np.exp(2j * np.pi * means).mean()
    return float(np.angle(turned) / (2 * np.pi) * 100), float(np.abs(turned))
