"""When a note that sounds alone is heard to begin."""

import numpy as np
from numpy.typing import NDArray

# The share of the early peak at which a note is there, and how long that peak is looked for.
BEGUN_AT, EARLY_S = 0.4, 0.2
SILENT = 1e-5


def attack_delay_s(note: NDArray[np.floating], rate: int) -> float:
    """Seconds until a note reaches 40 % of the peak of its first 200 ms; 0 for silence."""
    envelope = np.maximum.accumulate(np.abs(note[: round(EARLY_S * rate)]))
    if not len(envelope) or envelope[-1] < SILENT:
        return 0.0
    return float(np.argmax(envelope >= BEGUN_AT * envelope[-1]) / rate)
