"""Hits before drums are decided."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Found:
    """Hits before drums are decided, in order of time, (hits,) or (hits, drums).

    Args:
        time_s: attack.
        within_s: so far to either side four of five such attacks are off.
        any: how sure the network is that something is struck.
        heard: how far it hears each drum.
        velocity: of each drum, 0 to 1.
        level_db: level after the attack.
        rise: power that the hit adds in groups of bands, in units of the levels, (hits, groups).
        around: levels before, in and after the hit, (hits, stretches, bands), in half precision.
    """

    time_s: NDArray[np.float64]
    within_s: NDArray[np.float64]
    any: NDArray[np.float64]
    heard: NDArray[np.float64]
    velocity: NDArray[np.float64]
    level_db: NDArray[np.float64]
    rise: NDArray[np.float64]
    around: NDArray[np.float16]
