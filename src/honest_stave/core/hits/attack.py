"""The attack of a hit, to the sample: where its sound begins to rise."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.hearing import RATE

Floats = NDArray[np.float32]

# The attack is looked for this far to either side of where the network puts it.
REACH_S = 0.012
# Energy after a moment is compared with that before it.
AFTER_S, BEFORE_S = 0.0015, 0.004
# Moments this far away need so much more of a rise.
AWAY_S = 0.005
# The rise begins where the level first reaches this share of the peak of the stretch that follows.
PEAK_S, RISE_SHARE, OVER_BEFORE = 0.03, 0.1, 1.3
# High-passes above which the rise is looked for, by the coefficient of a single pole.
PASSES_HZ = (40.0, 300.0, 3000.0)


def _passed(mono: Floats, hz: float) -> Floats:
    """The signal above ``hz``, causal: nothing rises before it does."""
    from scipy import signal as dsp

    sos = dsp.butter(2, hz, "highpass", fs=RATE, output="sos")
    return np.asarray(dsp.sosfilt(sos, mono), np.float32)


def refine_attacks(mono: Floats, time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Moments (s) of attacks near ``time_s``, to the sample.

    Args:
        mono: at ``RATE``.
        time_s: rough moments, in order.
    """
    reach, after, before = (round(s * RATE) for s in (REACH_S, AFTER_S, BEFORE_S))
    places = np.round(time_s * RATE).astype(int)
    best = np.full(len(places), -np.inf)
    found = places.copy()
    offsets = np.arange(-reach, reach + 1)
    price = (offsets / (AWAY_S * RATE)) ** 2
    chosen = np.zeros(len(places), int)
    passed = [_passed(mono, hz) for hz in PASSES_HZ]
    for number, view in enumerate(passed):
        energy = np.concatenate([[0.0], np.cumsum(np.square(view, dtype=np.float64))])

        def between(first: NDArray[np.int64], last: NDArray[np.int64], energy: NDArray[np.float64] = energy):  # type: ignore[no-untyped-def]
            low, high = np.clip(first, 0, len(energy) - 1), np.clip(last, 0, len(energy) - 1)
            return energy[high] - energy[low]

        at = places[:, None] + offsets
        floor = 1e-9 + 1e-6 * energy[-1] / max(len(view), 1)
        rise = np.log((between(at, at + after) / after + floor) / (between(at - before, at) / before + floor))
        score = rise - price
        place = score.argmax(axis=1)
        value = score[np.arange(len(places)), place]
        better = value > best
        best = np.where(better, value, best)
        found = np.where(better, places + offsets[place], found)
        chosen = np.where(better, number, chosen)
    starts = [_rise_begins(passed[c], int(f)) for c, f in zip(chosen.tolist(), found.tolist(), strict=True)]
    return np.array(starts, float) / RATE


def _rise_begins(view: Floats, place: int) -> int:
    """First sample near ``place`` at which the level reaches a share of the peak that follows."""
    before, peak = round(BEFORE_S * RATE), round(PEAK_S * RATE)
    first = max(place - before // 2, 0)
    level = np.abs(view[first : place + peak])
    if not len(level):
        return place
    earlier = np.abs(view[max(first - before, 0) : first]).max(initial=0.0)
    wanted = max(RISE_SHARE * float(level.max()), min(OVER_BEFORE * float(earlier), 0.9 * float(level.max())))
    return first + int(np.argmax(level >= wanted))
