"""Notes struck together."""

import numpy as np
from numpy.typing import NDArray

# Hands strike a chord within this time; a strum takes longer and is heard as one note after another.
TOGETHER_S = 0.045


def struck_together(onset_s: NDArray[np.float64]) -> NDArray[np.int64]:
    """Number of the stroke each note belongs to, (notes,).

    A stroke begins with a note that lies further than ``TOGETHER_S`` after the first of the
    stroke before.

    Args:
        onset_s: onsets in order.
    """
    stroke = np.zeros(len(onset_s), np.int64)
    begins, number = -np.inf, -1
    for i, onset in enumerate(onset_s.tolist()):
        if onset - begins > TOGETHER_S:
            begins, number = onset, number + 1
        stroke[i] = number
    return stroke
