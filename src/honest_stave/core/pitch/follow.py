"""One line out of many voices: the lowest, the highest, or the one nearest to a given line."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.harmony.outermost import outermost
from honest_stave.core.pitch.strikes import Strikes

Moments = NDArray[np.float64]
# A note this many semitones from the drawn line is on it; the line may be hummed in another octave.
NEAR_SEMITONES = 1.5
OCTAVES = (0, -1, 1, -2, 2)
# Somebody who hums along comes in this much late.
EARLIER_S = 0.13


def outer_line(strikes: Strikes, end_s: Moments, counted: NDArray[np.bool_], *, highest: bool) -> NDArray[np.bool_]:
    """Which strikes have nothing that counts beyond them while they begin, (strikes,).

    Args:
        strikes: in order of time.
        end_s: ends of all, (strikes,).
        counted: which count against others, (strikes,).
        highest: the highest line; else the lowest.
    """
    return outermost(strikes.onset_s, end_s, strikes.pitch if highest else -strikes.pitch, counted)


def near_line(strikes: Strikes, line: tuple[tuple[float, float, float], ...]) -> NDArray[np.bool_]:
    """Which strikes lie on a line that was drawn or hummed, (strikes,).

    Args:
        strikes: in order of time.
        line: (from_s, to_s, pitch) pieces of the line; the octave in which most is heard counts.
    """
    shifted = [_within(strikes, line, 12.0 * octave) for octave in OCTAVES]
    heard = [float(strikes.onset[near].sum()) for near in shifted]
    return shifted[int(np.argmax(heard))]


def _within(strikes: Strikes, line: tuple[tuple[float, float, float], ...], semitones: float) -> NDArray[np.bool_]:
    near = np.zeros(len(strikes), bool)
    for from_s, to_s, pitch in line:
        inside = (strikes.onset_s >= from_s - EARLIER_S) & (strikes.onset_s <= to_s)
        near |= inside & (np.abs(strikes.pitch - pitch - semitones) <= NEAR_SEMITONES)
    return near
