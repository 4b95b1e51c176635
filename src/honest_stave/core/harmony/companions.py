"""Intervals that sound with most keys: stops, strings tuned in pairs, partials of bells, hands in octaves.

Note by note each is heard as a note of its own. Over a whole part they show: a bell sounds the same interval over
every key, music keeps to a scale.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.harmony.together import TOGETHER_S

# What sounds with a key is let go with it or has died by then: apart by what the ears are off.
LET_GO_TOGETHER_S = 0.08
WIDEST_SEMITONES = 36
# Thirds of a scale are now small, now large; half of the keys is more than either has.
LEAST_SHARE, FEWEST_KEYS = 0.5, 8
MOST_TOLD = 3


@dataclass(frozen=True)
class Companion:
    """An interval over keys.

    Args:
        semitones: how far over the key.
        count: keys with which it sounds.
        of: keys with which it could sound.
    """

    semitones: int
    count: int
    of: int


def companions(
    onset_s: NDArray[np.float64], offset_s: NDArray[np.float64], pitch: NDArray[np.int64]
) -> list[Companion]:
    """Intervals at which something begins, and ends no later, with most of the keys; the commonest first.

    Args:
        onset_s: in order, (notes,).
        offset_s, pitch: of each note, (notes,).
    """
    lower, upper = pairs_together(onset_s, offset_s, pitch)
    steps = pitch[upper] - pitch[lower]
    left = np.unique(steps[steps <= WIDEST_SEMITONES]).tolist()
    found: list[Companion] = []
    # What sounds with a key is no key itself: of three octaves two sound with the lowest.
    sounded = np.zeros(0, np.int64)
    while left and len(found) < MOST_TOLD:
        each = [_companion(s, lower[steps == s], np.union1d(sounded, upper[steps == s]), len(pitch)) for s in left]
        best = max(each, key=lambda c: c.count / max(c.of, 1))
        if best.count < FEWEST_KEYS or best.count < LEAST_SHARE * best.of:
            break
        found.append(best)
        sounded = np.union1d(sounded, upper[steps == best.semitones])
        left.remove(best.semitones)
    return found


def _companion(semitones: int, keys: NDArray[np.int64], sounded: NDArray[np.int64], notes: int) -> Companion:
    return Companion(semitones, len(np.setdiff1d(keys, sounded)), notes - len(sounded))


def pairs_together(
    onset_s: NDArray[np.float64], offset_s: NDArray[np.float64], pitch: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Places of the lower and the upper note of each two that begin together, the upper ending no later.

    Args:
        onset_s: in order, (notes,).
        offset_s, pitch: of each note, (notes,).
    """
    first = np.arange(len(onset_s))
    begun = np.searchsorted(onset_s, onset_s + TOGETHER_S, side="right")
    lower, upper = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    for after in range(1, int((begun - first).max(initial=1))):
        one = first[first + after < begun]
        other = one + after
        rising = pitch[other] > pitch[one]
        below, above = np.where(rising, one, other), np.where(rising, other, one)
        kept = (pitch[above] > pitch[below]) & (offset_s[above] <= offset_s[below] + LET_GO_TOGETHER_S)
        lower.append(below[kept])
        upper.append(above[kept])
    return np.concatenate(lower), np.concatenate(upper)
