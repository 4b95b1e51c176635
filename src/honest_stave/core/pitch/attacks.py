"""Attacks: moments at which the sound begins anew.

Method: spectral flux against the maximum of neighbouring bands in an earlier frame,
which vibrato does not excite (Böck and Widmer 2013), on logarithmic bands.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from honest_stave.core.signal.frames import BLOCK_FRAMES, magnitudes, windows
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
# A dip is looked for among its neighbours within this time on either side.
DIP_REACH_S = 0.13
SHALLOWEST_DIP_DB = 2.0
# Below this range under the loudest moment there are rests, not dips.
DIP_RANGE_DB = 42.0
# Dips within this time are compared; two of the others as deep make a tremolo.
DIP_NEIGHBOURHOOD_S = 0.7
DIP_ABOVE_USUAL = 1.5
DEEPEST_DIP_DB = 15.0
# Six dB down and up again say as much as a stroke of 3.6 dB.
DIP_WORTH = 0.6
# A level that falls by this much over this time on either side is an end, not a beginning.
RELEASE_SPAN_S = 0.035
RELEASE_FALL_DB = 4.0
RELEASE_SHARE = 0.3
# Strokes that count, and the strength from which a line is one of clear strokes.
CLEAR_STROKE_DB = 1.5
CLEAR_LINE_DB = 3.5
# A dip this near to a stroke is the silence before it.
DIP_OF_STROKE_S = 0.08


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
    window = np.hanning(WINDOW_FRAMES).astype(np.float32)
    total = len(signal) // HOP_FRAMES + 1
    loudest = 1e-12
    powers: list[NDArray[np.float32]] = []
    for first in range(0, total, BLOCK_FRAMES):
        frames = windows(signal, first, min(BLOCK_FRAMES, total - first), hop=HOP_FRAMES, length=WINDOW_FRAMES)
        power = np.square(magnitudes(frames * window)) @ weight
        loudest = max(loudest, float(power.max(initial=0.0)))
        powers.append(power.astype(np.float32))
    floor = np.float32(loudest * 10.0 ** (-RANGE_DB / 10))
    rise = np.zeros(total, np.float32)
    held = np.zeros((0, weight.shape[1]), np.float32)
    first = 0
    for power in powers:
        levels = np.concatenate([held, 10.0 * np.log10(power + floor)])
        before = ndimage.maximum_filter1d(levels[:-LAG_FRAMES], 3, axis=1)
        risen = np.maximum(levels[LAG_FRAMES:] - before, 0.0).mean(axis=1)
        start = first + LAG_FRAMES - len(held)
        rise[start : start + len(risen)] = risen
        first += len(power)
        held = levels[-LAG_FRAMES:]
    return rise


def find_dips(level_db: NDArray[np.float32], hop_s: float) -> Attacks:
    """Moments at which the level has dipped and rises again: a note begun anew softly.

    Vibrato and tremolo dip too, but every cycle alike: each dip is measured against the
    others around it, and only what it is deeper than they are counts.

    Args:
        level_db: (steps,) level of the signal.
        hop_s: seconds between steps.

    Returns:
        The lowest moment of each dip; the strength is the attack that the dip is worth.
    """
    reach = round(DIP_REACH_S / hop_s) // 2 * 2 + 1
    smooth = ndimage.uniform_filter1d(level_db.astype(np.float64), 3, mode="nearest")
    smooth = np.maximum(smooth, smooth.max(initial=-120.0) - DIP_RANGE_DB)
    lowest = smooth == ndimage.minimum_filter1d(smooth, reach, mode="nearest")
    lowest &= smooth > smooth.max(initial=-120.0) - DIP_RANGE_DB
    before = ndimage.maximum_filter1d(smooth, reach, origin=reach // 2, mode="nearest")
    after = ndimage.maximum_filter1d(smooth, reach, origin=-(reach // 2), mode="nearest")
    depth = np.minimum(before, after) - smooth
    found = np.flatnonzero(lowest & (depth >= SHALLOWEST_DIP_DB))
    time_s, depth_db = found * hop_s, depth[found]
    usual = np.zeros(len(found))
    for i in range(len(found)):
        around = np.abs(time_s - time_s[i]) < DIP_NEIGHBOURHOOD_S
        others = np.sort(np.delete(depth_db[around], int(np.sum(around[:i]))))
        usual[i] = others[-2] if len(others) >= 2 else 0.0
    worth = DIP_WORTH * np.minimum(depth_db - DIP_ABOVE_USUAL * usual, DEEPEST_DIP_DB)
    kept = worth > 0
    return Attacks(time_s[kept], worth[kept].astype(np.float32))


def without_releases(strokes: Attacks, level_db: NDArray[np.float32], hop_s: float) -> Attacks:
    """Strokes weakened where the level falls across them.

    A sound that is stopped at once spreads its spectrum for a moment, which looks like a rise
    in the bands between its partials.
    """
    if len(strokes.time_s) == 0:
        return strokes
    place = np.round(strokes.time_s / hop_s).astype(int)
    away = round(RELEASE_SPAN_S / hop_s)
    last = len(level_db) - 1
    # The lowest level just before: between two quick notes there is a gap, before an end there is none.
    before = np.min([level_db[np.clip(place - k, 0, last)] for k in range(away + 1)], axis=0)
    fall = before - level_db[np.clip(place + away, 0, last)]
    kept = np.where(fall > RELEASE_FALL_DB, RELEASE_SHARE, 1.0)
    return Attacks(strokes.time_s, (strokes.strength * kept).astype(np.float32))


def join_attacks(strokes: Attacks, dips: Attacks) -> Attacks:
    """Both kinds in order of time; a dip near a stroke only lends it its strength.

    In a line whose notes begin with clear strokes, a dip without one is a beating of the
    sound and counts for less.
    """
    clear = strokes.strength[strokes.strength >= CLEAR_STROKE_DB]
    usual = float(np.percentile(clear, 75)) if len(clear) else 0.0
    worth = np.clip(CLEAR_LINE_DB / usual, 0.4, 1.0) if usual > 0 else 1.0
    strength = strokes.strength.copy()
    alone = np.ones(len(dips.time_s), bool)
    for i, time_s in enumerate(dips.time_s):
        near = np.flatnonzero(np.abs(strokes.time_s - time_s) < DIP_OF_STROKE_S)
        if len(near):
            best = near[np.argmax(strength[near])]
            strength[best] = max(strength[best], dips.strength[i])
            alone[i] = False
    time = np.concatenate([strokes.time_s, dips.time_s[alone]])
    strength = np.concatenate([strength, np.float32(worth) * dips.strength[alone]])
    order = np.argsort(time, kind="stable")
    return Attacks(time[order], strength[order])


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
    return Attacks((found.astype(np.float64) - LAG_FRAMES / 2) * HOP_S, height[found].astype(np.float32))
