"""Which notes have nothing above them, or below them, while they begin."""

import numpy as np
from numpy.typing import NDArray

# A note must sound on this far into another to be heard above it; one that begins this much later counts too.
HEARD_WITH_S = 0.05


def outermost(
    onset_s: NDArray[np.float64],
    end_s: NDArray[np.float64],
    height: NDArray[np.int64],
    counted: NDArray[np.bool_],
) -> NDArray[np.bool_]:
    """Which notes nothing that counts lies beyond while they begin, (notes,).

    Args:
        onset_s: onsets in order, (notes,).
        end_s: where each is no longer heard, (notes,).
        height: how far out each lies: its pitch, or minus its pitch for the lowest line, (notes,).
        counted: which count against others, (notes,).
    """
    onset, end, out = (column[counted].tolist() for column in (onset_s, end_s, height))
    outer = np.ones(len(onset_s), bool)
    begun, sounding = 0, list[int]()
    for i, (moment, own) in enumerate(zip(onset_s.tolist(), height.tolist(), strict=True)):
        while begun < len(onset) and onset[begun] <= moment + HEARD_WITH_S:
            sounding.append(begun)
            begun += 1
        sounding = [k for k in sounding if end[k] > moment + HEARD_WITH_S or onset[k] >= moment - HEARD_WITH_S]
        outer[i] = all(out[k] <= own for k in sounding)
    return outer
