"""The pitch of each voiced frame, from the partials themselves.

The engine says which note it is; here the spectral peaks of the first harmonics are measured
between bins and averaged by amplitude, so that the loudest partial decides.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import HOP_SAMPLES
from honest_stave.core.signal.convert import hz_to_pitch, pitch_to_hz
from honest_stave.core.signal.frames import magnitudes, slice_padded, slice_thinned
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

HARMONICS = (1, 2, 3, 4)
# A partial further than this from its place belongs to something else, in semitones.
REACH_SEMITONES = 1.2
# Window by pitch, long enough to part a semitone's partials and short enough for quick notes, and of how many samples
# one is kept: four harmonics and what is within their reach are still there.
WINDOW_BY_PITCH = ((47.0, 4096, 8), (64.0, 2048, 4), (200.0, 1024, 1))
BLOCK_FRAMES = 2048
SPAN_FRAMES = 4096


def _peak_hz(
    log_spectrum: NDArray[np.float32], expected_hz: NDArray[np.float64], bin_hz: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Frequency and amplitude of the highest bin near ``expected_hz`` in each row."""
    reach_hz = np.maximum(expected_hz * (2 ** (REACH_SEMITONES / 12) - 1), 1.5 * bin_hz)
    low = np.maximum(np.ceil((expected_hz - reach_hz) / bin_hz).astype(int), 1)
    high = np.minimum(np.floor((expected_hz + reach_hz) / bin_hz).astype(int), log_spectrum.shape[1] - 2)
    width = int((high - low).max(initial=0)) + 1
    column = np.clip(low[:, None] + np.arange(width), 1, log_spectrum.shape[1] - 2)
    rows = np.arange(len(low))
    value = np.where(column <= high[:, None], log_spectrum[rows[:, None], column], -1e9)
    best = column[rows, value.argmax(axis=1)]
    before, centre, after = (log_spectrum[rows, best + k] for k in (-1, 0, 1))
    is_peak = (centre >= before) & (centre >= after) & (high >= low)
    bend = np.minimum(before - 2 * centre + after, -1e-6)
    shift = np.clip(0.5 * (before - after) / bend, -0.5, 0.5)
    amplitude = np.where(is_peak, np.exp(np.maximum(centre, -60.0)), 0.0)
    return (best + shift) * bin_hz, amplitude


def _blocks(frames: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Frames in blocks that are bounded in number and in time, so that no block copies a long signal."""
    spans = np.split(frames, np.flatnonzero(np.diff(frames // SPAN_FRAMES)) + 1)
    return [span[first : first + BLOCK_FRAMES] for span in spans for first in range(0, len(span), BLOCK_FRAMES)]


def refine_pitch(signal: Mono, pitch: NDArray[np.float32]) -> NDArray[np.float32]:
    """Pitch (frames,) measured anew at each voiced frame; NaN stays NaN."""
    refined = pitch.copy()
    lowest = -1.0
    for highest, window, thinned in WINDOW_BY_PITCH:
        frames = np.flatnonzero((pitch > lowest) & (pitch <= highest))
        lowest = highest
        length, hop, rate = window // thinned, HOP_SAMPLES // thinned, ANALYSIS_RATE / thinned
        taper = np.hanning(length).astype(np.float32)
        for block in _blocks(frames):
            begin, end = int(block[0]) * HOP_SAMPLES - window // 2, int(block[-1]) * HOP_SAMPLES + window // 2
            piece = slice_padded(signal, begin, end) if thinned == 1 else slice_thinned(signal, begin, end, thinned)
            view = np.lib.stride_tricks.sliding_window_view(piece, length)
            # Twice the window: the parabola through three bins is then within a cent.
            spectrum = magnitudes(view[(block - block[0]) * hop] * taper, 2 * length)
            spectrum = np.log(spectrum + 1e-12)
            bin_hz = rate / (2 * length)
            f0 = pitch_to_hz(pitch[block].astype(np.float64))
            total = np.zeros(len(block))
            weight = np.zeros(len(block))
            for harmonic in HARMONICS:
                inside = f0 * harmonic < 0.45 * rate
                found, amplitude = _peak_hz(spectrum, np.where(inside, f0 * harmonic, 100.0), bin_hz)
                amplitude = np.where(inside, amplitude, 0.0)
                total += amplitude * hz_to_pitch(np.maximum(found, 1.0) / harmonic)
                weight += amplitude
            measured = total / np.maximum(weight, 1e-12)
            near = (weight > 0) & (np.abs(measured - pitch[block]) < REACH_SEMITONES)
            refined[block] = np.where(near, measured, pitch[block])
    return refined
