"""After how many beats music comes again: a bar is a length after which it does.

The network that finds bars compares a beat with others near by, and was taught by music that is played. What a
machine plays comes again more exactly than that, and was heard in fives and sevens although it came again after eight
beats and sixteen.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import METERS

Values = NDArray[np.float64]

# After so many bars phrases come again, and what that is worth: most after the bar itself, or two beats that come
# again only after four would be a bar.
BARS_LATER = {1: 0.6, 2: 0.2, 4: 0.2}
# What is beside them is the mean of so many lags.
LAGS_BESIDE = 16
# Fewer pairs of beats say nothing of a lag.
FEWEST_PAIRS = 16


def repeated(patterns: NDArray[np.floating]) -> Values:
    """How much more a row of beats is like itself some bars later than at other lags, for each meter, (meters,).

    Args:
        patterns: what begins within each beat, (beats, values).
    """
    apart = patterns - patterns.mean(axis=0)
    unit = apart / np.maximum(np.linalg.norm(apart, axis=1, keepdims=True), 1e-6)
    beats = len(unit)
    longest = max(BARS_LATER) * max(length for length, _ in METERS)
    known = range(1, min(longest, beats - FEWEST_PAIRS) + 1)
    likeness = np.array([float((unit[lag:] * unit[:-lag]).sum(axis=1).mean()) for lag in known])
    more = np.zeros(longest + 1)
    if len(likeness):
        # A lag is worth the share of the beats that it compares.
        more[1 : len(likeness) + 1] = (likeness - likeness[:LAGS_BESIDE].mean()) * (1 - np.array(known) / beats)
    worth = BARS_LATER.items()
    return np.array([sum(share * more[bars * length] for bars, share in worth) for length, _ in METERS])
