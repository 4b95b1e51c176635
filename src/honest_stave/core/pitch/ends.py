"""Where a note really ends: the knee in its level after which it dies faster."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, LONG_BANDS, LOWEST_PITCH, measure_long_db
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

LEVEL_HOP_FRAMES = 128
LEVEL_HOP_S = LEVEL_HOP_FRAMES / ANALYSIS_RATE
# A release falls at least this fast (dB a second), and this many times faster than before.
RELEASE_DB_S = 45.0
RELEASE_RATIO = 1.8
# Without a knee the note ends when it has lost this much, or sinks into the noise.
LOST_DB = 26.0
# The rise to the next note, and the longest stretch in which a release is looked for.
NEXT_RISE_S = 0.07
LONGEST_RELEASE_S = 0.7
# The knee lies this far below the level the note had, heard as its end.
BELOW_KNEE_DB = 3.0


# A fundamental this much softer than its octave is no guide.
WEAK_DB = 15.0


def pitch_levels_db(signal: Mono, pitch: int) -> NDArray[np.float32]:
    """Level of one pitch every ``LEVEL_HOP_S``, whatever else sounds, (steps,).

    The fundamental tells, for higher partials are shared with other notes of a chord; where it
    is weak, the octave does.

    Args:
        signal: mono at ``ANALYSIS_RATE``.
        pitch: MIDI number.
    """
    levels = measure_long_db(signal, 0, max(1, len(signal) // LEVEL_HOP_FRAMES), LEVEL_HOP_FRAMES)
    fundamental = int(np.clip(BANDS_PER_SEMITONE * (pitch - LOWEST_PITCH) + 1, 0, LONG_BANDS - 1))
    octave = min(fundamental + 12 * BANDS_PER_SEMITONE, LONG_BANDS - 1)
    is_weak = levels[:, fundamental].max() < levels[:, octave].max() - WEAK_DB
    return levels[:, octave if is_weak else fundamental]


def note_end(level_db: NDArray[np.float32], start_s: float, limit_s: float, floor_db: float) -> float:
    """End (s) of a note that starts at ``start_s`` and must end by ``limit_s``.

    Args:
        level_db: (steps,) level every ``LEVEL_HOP_S`` of the whole signal.
        start_s: the note's onset.
        limit_s: next onset, or where the pitch is lost.
        floor_db: level of the recording's silence.
    """
    first = round(start_s / LEVEL_HOP_S)
    last = min(round(limit_s / LEVEL_HOP_S), len(level_db))
    curve = level_db[first:last].astype(np.float64)
    if len(curve) < 8:
        return limit_s
    # The next note's rise begins before its onset: the tail ends at the last low point.
    rise = min(round(NEXT_RISE_S / LEVEL_HOP_S), len(curve) // 3)
    curve = curve[: len(curve) - rise + int(np.argmin(curve[len(curve) - rise :]))] if rise else curve
    peak = int(np.argmax(curve))
    tail = curve[peak:]
    lost = np.flatnonzero(tail < max(tail[0] - LOST_DB, floor_db + 3.0))
    if len(lost):
        tail = tail[: max(int(lost[0]), 4)]
        limit_s = min(limit_s, (first + peak + len(tail)) * LEVEL_HOP_S)
    skipped = max(0, len(tail) - round(LONGEST_RELEASE_S / LEVEL_HOP_S))
    tail, peak = tail[skipped:], peak + skipped
    if len(tail) < 8:
        return limit_s
    knee, slope_before, slope_after = _knee(tail)
    if slope_after < -RELEASE_DB_S and slope_after < RELEASE_RATIO * min(slope_before, 0.0):
        return float((first + peak + knee) * LEVEL_HOP_S + min(BELOW_KNEE_DB / -slope_after, 0.03))
    return limit_s


def _knee(tail: NDArray[np.float64]) -> tuple[int, float, float]:
    """Best place to bend a line through ``tail``, and the slopes (dB/s) on both sides."""
    n = len(tail)
    x = np.arange(n, dtype=np.float64)
    sums = [np.concatenate([[0.0], np.cumsum(v)]) for v in (np.ones(n), x, tail, x * x, x * tail, tail * tail)]
    places = np.arange(3, n - 2)

    def fit(low: NDArray[np.int64], high: NDArray[np.int64]) -> tuple[NDArray[np.float64], ...]:
        s0, sx, sy, sxx, sxy, syy = (s[high] - s[low] for s in sums)
        spread = np.maximum(s0 * sxx - sx * sx, 1e-9)
        slope = (s0 * sxy - sx * sy) / spread
        offset = (sy - slope * sx) / s0
        error = syy - slope * sxy - offset * sy
        return error, slope

    error_before, slope_before = fit(np.zeros_like(places), places)
    error_after, slope_after = fit(places, np.full_like(places, n))
    best = int(np.argmin(error_before + error_after))
    return int(places[best]), slope_before[best] / LEVEL_HOP_S, slope_after[best] / LEVEL_HOP_S
