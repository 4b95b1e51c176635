"""Attacks: moments at which the sound begins anew.

Method: spectral flux against the maximum of neighbouring bands in an earlier frame,
which vibrato does not excite (Böck and Widmer 2013), on logarithmic bands.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

HOP_FRAMES = 128
HOP_S = HOP_FRAMES / ANALYSIS_RATE
WINDOW_FRAMES = 1024
LAG_FRAMES = 3
BANDS_AN_OCTAVE = 8
LOWEST_HZ = 60.0
# Levels are compared above a floor this far below the loudest band, in dB.
RANGE_DB = 66.0
# Attacks closer than this are one.
CLOSEST_S = 0.045


@dataclass(frozen=True)
class Attacks:
    """Attacks found, in order.

    Args:
        time_s: (attacks,) moments.
        strength: (attacks,) mean rise over the bands in dB, 0 and up; a clear stroke has 6 or more.
    """

    time_s: NDArray[np.float64]
    strength: NDArray[np.float32]


@lru_cache(maxsize=1)
def _bands() -> NDArray[np.float32]:
    bins_hz = np.fft.rfftfreq(WINDOW_FRAMES, 1 / ANALYSIS_RATE)
    count = int(np.log2(10500.0 / LOWEST_HZ) * BANDS_AN_OCTAVE)
    centres = LOWEST_HZ * 2.0 ** (np.arange(count + 2) / BANDS_AN_OCTAVE)
    weight = np.zeros((len(bins_hz), count), np.float32)
    for i in range(count):
        low, mid, high = centres[i : i + 3]
        rise = (bins_hz - low) / (mid - low)
        fall = (high - bins_hz) / (high - mid)
        weight[:, i] = np.clip(np.minimum(rise, fall), 0.0, None)
    filled = weight[:, weight.sum(axis=0) > 0]
    return np.asarray(filled / filled.sum(axis=0), np.float32)


def rise_curve(signal: Mono) -> NDArray[np.float32]:
    """Mean rise in dB over the bands, (frames,), one value every ``HOP_S``."""
    weight = _bands()
    padded = np.pad(signal, (WINDOW_FRAMES // 2, WINDOW_FRAMES // 2))
    frames = np.lib.stride_tricks.sliding_window_view(padded, WINDOW_FRAMES)[::HOP_FRAMES]
    window = np.hanning(WINDOW_FRAMES).astype(np.float32)
    levels = np.empty((len(frames), weight.shape[1]), np.float32)
    block = 4096
    for first in range(0, len(frames), block):
        power = np.square(np.abs(np.fft.rfft(frames[first : first + block] * window)))
        levels[first : first + block] = power @ weight
    floor = float(levels.max(initial=1e-12)) * 10.0 ** (-RANGE_DB / 10)
    levels = 10.0 * np.log10(levels + np.float32(floor))
    before = ndimage.maximum_filter1d(levels, 3, axis=1)
    rise = np.zeros(len(levels), np.float32)
    rise[LAG_FRAMES:] = np.maximum(levels[LAG_FRAMES:] - before[:-LAG_FRAMES], 0.0).mean(axis=1)
    return rise


def find_attacks(signal: Mono, *, weakest: float = 0.6) -> Attacks:
    """Attacks in ``signal`` (mono at the analysis rate), weak ones included.

    Args:
        signal: mono at the analysis rate.
        weakest: smallest strength kept.
    """
    rise = rise_curve(signal)
    reach = round(CLOSEST_S / HOP_S)
    local = ndimage.median_filter(rise, 2 * reach + 1, mode="nearest")
    height = rise - local
    peak = (rise == ndimage.maximum_filter1d(rise, 2 * reach + 1)) & (height >= weakest)
    found = np.flatnonzero(peak)
    # The rise over the lag is steepest half a lag before the frame that shows it.
    return Attacks(found * HOP_S - LAG_FRAMES * HOP_S / 2, height[found].astype(np.float32))
