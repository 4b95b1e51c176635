"""Takes that are quieter than takes usually are: engines hear them louder, for their floors are absolute."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.convert import amplitude_to_db

# The loudest sample of what engines learnt from lies over this. Next to silence is not made loud: it is hiss.
USUAL_DB, MOST_RAISED_DB = -12.0, 60.0


def loud_enough(signal: NDArray[np.float32]) -> tuple[NDArray[np.float32], float]:
    """The signal, raised where its loudest sample is quieter than usual, and by how much (dB).

    Args:
        signal: mono, full scale 1.
    """
    loudest = max(float(signal.max(initial=0.0)), -float(signal.min(initial=0.0)))
    raised_db = raised_by_db(float(amplitude_to_db(loudest)))
    return (signal * np.float32(10 ** (raised_db / 20)) if raised_db else signal), raised_db


def raised_by_db(loudest_db: float) -> float:
    """By how much a signal is raised whose loudest sample has this level (dB re full scale)."""
    return min(max(USUAL_DB - loudest_db, 0.0), MOST_RAISED_DB)
