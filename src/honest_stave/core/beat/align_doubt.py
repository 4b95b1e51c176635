"""How sure an aligned onset is: calibrated on scores and performances of our own (see training/README.md)."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.signal.layer import score_of

Values = NDArray[np.float64]

# Changes of tempo beyond this many octaves say no more.
MOST_BEND = 2.0
SHORTEST_S = 0.02


def measures(beat: Values, time_s: Values, heard: Values, likeness: Values) -> Values:
    """What is weighed for each onset: how clearly it and its neighbours are heard, and how its tempo bends.

    Args:
        beat, time_s: written position and moment of each onset, rising.
        heard, likeness: as in ``align.Alignment``.
    """
    before, after = np.append(heard[:1], heard[:-1]), np.append(heard[1:], heard[-1:])
    pace = np.maximum(np.diff(time_s), SHORTEST_S) / np.maximum(np.diff(beat), 1e-3)
    usual = np.log2(np.median(pace)) if len(pace) else 0.0
    bend = np.clip(np.log2(pace) - usual, -MOST_BEND, MOST_BEND)
    coming, going = np.append(0.0, bend), np.append(bend, 0.0)
    return np.column_stack(
        [
            heard,
            heard**2,
            likeness,
            np.minimum(before, after),
            np.abs(coming),
            np.abs(going),
            np.abs(coming - going),
            np.log2(np.maximum(np.append(np.diff(beat, prepend=beat[0] - 1.0)[1:], 1.0), 1e-2)),
        ]
    )


def confidence(beat: Values, time_s: Values, heard: Values, likeness: Values) -> Values:
    """Share of onsets like each that lie within 50 ms of where they are played, (onsets,).

    Args:
        beat, time_s, heard, likeness: as for ``measures``.

    Raises:
        BadInput: the constants are missing or damaged.
    """
    score = score_of(measures(beat, time_s, heard, likeness), constants_of("align"))
    return np.asarray(1 / (1 + np.exp(-score)))
