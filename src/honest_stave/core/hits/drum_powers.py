"""How much of what each hit adds comes from each drum: the hits of a loop told apart by what repeats.

A hat under a snare is heard by its own share of the bands only. Every drum of a loop has a
spectrum of its own, the same at each stroke; which spectra, and how much of each, explain the
rises of all hits together is found by turns (Lee and Seung 2001, divergence of Kullback and
Leibler).
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.hearing import UNIT_DB

Values = NDArray[np.float64]

# Turns after which ranks of strokes change no more.
TURNS = 60
# Powers are at least this share of a loop's mean, which is no stroke any more.
LEAST_POWER = 1e-4


def drum_powers(rise: Values, heard: Values) -> Values:
    """Level of each drum in each hit, in tens of decibels over the loop's mean hit, (hits, drums).

    Args:
        rise: power that each hit adds to groups of bands, in units of the levels, (hits, groups).
        heard: how far each drum is heard in each hit, 0 to 1, (hits, drums); nothing stays nothing.
    """
    if not len(rise):
        return np.zeros(heard.shape)
    power = 10 ** (UNIT_DB / 10 * rise)
    # Every group counts alike, else the lowest would decide for all drums.
    power = power / np.maximum(power.mean(axis=0), 1e-12)
    share = heard * power.mean(axis=1, keepdims=True) + 1e-9
    spectrum = (share.T @ power) / share.sum(axis=0)[:, None]
    spectrum /= spectrum.mean(axis=1, keepdims=True)
    for _ in range(TURNS):
        unexplained = power / (share @ spectrum + 1e-9)
        # The spectrum of a drum that is heard nowhere shrinks to nothing.
        share *= (unexplained @ spectrum.T) / np.maximum(spectrum.sum(axis=1), 1e-9)
        unexplained = power / (share @ spectrum + 1e-9)
        spectrum *= (share.T @ unexplained) / np.maximum(share.sum(axis=0), 1e-9)[:, None]
        size = spectrum.mean(axis=1) + 1e-12
        spectrum /= size[:, None]
        share *= size
    return np.asarray(np.log10(np.maximum(share, LEAST_POWER)))
