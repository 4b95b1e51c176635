"""What lasts of a hit: a stroke leaves more sound than there was, in some band at least.

The cut end of a sample, an edit and a crackle are as sharp as a stroke and gone at once; under
the tail of another drum they are told by that alone.
"""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.stretches import BLOCK_HITS, cut_out

Values = NDArray[np.float64]

# Edges between the bands, in Hz, and how steeply they part (a filter of second order, without delay).
EDGES_HZ, STEEPNESS = (400.0, 2000.0, 7000.0), 4
# Sound before a hit and after it that is compared, in seconds from the attack: the attack itself is left out.
BEFORE_S, AFTER_S = (-0.012, -0.003), (0.004, 0.014)
# What is cut out around a hit, so that the ends of the cut are not heard.
AROUND_S = (-0.04, 0.03)
# Less than this is silence.
FLOOR_DB = -75.0


def lasting_rise_db(mono: NDArray[np.float32], rate: int, time_s: Values) -> Values:
    """By how much the level after each hit is above that before it, in four bands, (hits, 4).

    Args:
        mono: full scale 1.
        rate: Hz.
        time_s: attacks, (hits,).
    """
    first, last = (round(s * rate) for s in AROUND_S)
    places = np.round(time_s * rate).astype(int)
    blocks = [np.zeros((0, len(EDGES_HZ) + 1))]
    for k in range(0, len(places), BLOCK_HITS):
        around = cut_out(mono, places[k : k + BLOCK_HITS] + first, last - first)
        blocks.append(_rises_db(around, rate, -first))
    return np.concatenate(blocks)


def _rises_db(around: NDArray[np.float32], rate: int, attack: int) -> Values:
    spectrum = np.fft.rfft(around, axis=1)
    hz = np.fft.rfftfreq(around.shape[1], 1 / rate)
    under = [1 / (1 + (hz / edge) ** STEEPNESS) for edge in EDGES_HZ]
    shares = [under[0], *((1 - low) * high for low, high in pairwise(under)), 1 - under[-1]]

    def level_db(band: Values, span_s: tuple[float, float]) -> Values:
        first, last = (attack + round(s * rate) for s in span_s)
        return np.asarray(10 * np.log10(np.square(band[:, first:last]).mean(axis=1) + 1e-10))

    rises = []
    for share in shares:
        band = np.fft.irfft(spectrum * share, around.shape[1])
        rises.append(level_db(band, AFTER_S) - np.maximum(level_db(band, BEFORE_S), FLOOR_DB))
    return np.stack(rises, axis=1)
