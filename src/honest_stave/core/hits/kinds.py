"""Finer kinds of a drum where the sound tells them apart: open and closed hats, high and low toms.

Measured on the sound itself, by plain limits: how long it rings, how high it is tuned.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.reading import DRUMS

# A hat that still sounds this much (dB under its loudest) after that long is open.
OPEN_AFTER_S, OPEN_WITHIN_DB = 0.12, 16.0
# Where the ride keeps time this many times as often as a hat sounds, the hands are busy: the foot closes the hat.
BUSY_HANDS = 2
# Toms by their strongest partial, Hz.
LOW_TOM_HZ, HIGH_TOM_HZ = 105.0, 165.0
TOM_RANGE_HZ = (50.0, 400.0)
# A crash rings on after a second's quarter; a ride has a stroke that stands out of it.
CRASH_WITHIN_DB, CRASH_AFTER_S = 12.0, 0.25
# A rim is short and has no low body.
RIM_AFTER_S, RIM_FALL_DB, RIM_HIGH_SHARE = 0.05, 26.0, 0.85
WINDOW_S = 0.01


def kinds_of(
    mono: NDArray[np.float32],
    rate: int,
    time_s: NDArray[np.float64],
    drum: NDArray[np.int64],
    sure: NDArray[np.bool_],
) -> list[str]:
    """Kind of each hit in words (``hat open``), the drum's own name where nothing tells.

    Args:
        mono: the take.
        rate: Hz.
        time_s: attacks in ``mono``, in order; drums of one hit share theirs.
        drum: index into ``DRUMS``, (hits,).
        sure: which hits count, (hits,).
    """
    moments = np.unique(time_s)
    following = np.append(moments, len(mono) / rate)[np.searchsorted(moments, time_s, side="right")]
    kinds = [
        _kind(mono, rate, float(t), float(n), DRUMS[d])
        for t, n, d in zip(time_s.tolist(), following.tolist(), drum.tolist(), strict=True)
    ]
    hats, rides = sure & (drum == DRUMS.index("hat")), sure & np.array([k == "cymbal ride" for k in kinds], bool)
    # Under a ride it cannot be heard whether a hat rings, but the hand is on the ride.
    under_ride = np.isin(time_s, time_s[rides])
    busy = bool(rides.sum() >= BUSY_HANDS * max(int(hats.sum()), 1))
    return [
        "hat pedal" if kind.startswith("hat") and (under or (busy and kind == "hat closed")) else kind
        for kind, under in zip(kinds, under_ride.tolist(), strict=True)
    ]


def _kind(mono: NDArray[np.float32], rate: int, onset_s: float, next_s: float, drum: str) -> str:
    if drum == "tom":
        return f"tom {_tom(mono, rate, onset_s)}"
    if drum not in ("hat", "cymbal", "snare"):
        return drum
    fall = _Fall(mono, rate, onset_s)
    if drum == "hat":
        # What is cut short by the next stroke cannot show how long it rings.
        after_s = min(OPEN_AFTER_S, max(next_s - onset_s - 2 * WINDOW_S, 0.05))
        return "hat open" if fall.after_db(after_s) > -OPEN_WITHIN_DB * after_s / OPEN_AFTER_S else "hat closed"
    if drum == "cymbal":
        return "cymbal crash" if fall.after_db(CRASH_AFTER_S) > -CRASH_WITHIN_DB else "cymbal ride"
    if drum == "snare" and fall.after_db(RIM_AFTER_S) < -RIM_FALL_DB:
        return "snare rim"
    return drum


class _Fall:
    """Level of a hit against its loudest, in windows of ``WINDOW_S`` after its attack."""

    def __init__(self, mono: NDArray[np.float32], rate: int, onset_s: float) -> None:
        window = round(WINDOW_S * rate)
        first = round(onset_s * rate)
        stretch = mono[first : first + round(0.5 * rate)].astype(np.float64)
        blocks = max(len(stretch) // window, 1)
        padded = np.resize(stretch, blocks * window) if len(stretch) else np.zeros(window)
        self._power = np.square(np.diff(padded, prepend=padded[0])).reshape(blocks, window).mean(axis=1) + 1e-14

    def after_db(self, seconds: float) -> float:
        """Level (dB) that long after the attack."""
        place = min(round(seconds / WINDOW_S), len(self._power) - 1)
        return float(10 * np.log10(self._power[place] / self._power.max()))


def _tom(mono: NDArray[np.float32], rate: int, onset_s: float) -> str:
    first = round((onset_s + 0.01) * rate)
    stretch = mono[first : first + round(0.15 * rate)].astype(np.float64)
    spectrum = np.abs(np.fft.rfft(stretch * np.hanning(len(stretch)), 1 << 15)) if len(stretch) > 64 else np.zeros(1)
    hz = np.arange(len(spectrum)) * rate / (1 << 15)
    inside = (hz >= TOM_RANGE_HZ[0]) & (hz <= TOM_RANGE_HZ[1])
    if not inside.any() or spectrum[inside].max() == 0:
        return "mid"
    strongest = hz[inside][spectrum[inside].argmax()]
    return "low" if strongest < LOW_TOM_HZ else "high" if strongest > HIGH_TOM_HZ else "mid"
