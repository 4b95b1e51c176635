"""Truth of a clip as the files beside it hold it."""

import numpy as np
from numpy.typing import ArrayLike

SHORTEST_S = 0.02


def notes_of(
    onset_s: ArrayLike, offset_s: ArrayLike, sounding_off_s: ArrayLike, pitch: ArrayLike, velocity: ArrayLike
) -> list[dict[str, float]]:
    """Notes as ``score.py`` reads them; none is shorter than it can be heard."""
    onset = np.asarray(onset_s, np.float64)
    ends = (np.maximum(np.asarray(end, np.float64), onset + SHORTEST_S) for end in (offset_s, sounding_off_s))
    names = ("onset_s", "offset_s", "sounding_off_s", "pitch", "velocity")
    columns = (onset, *ends, np.asarray(pitch), np.asarray(velocity))
    return [
        {name: round(float(v), 5) if name.endswith("_s") else int(v) for name, v in zip(names, row, strict=True)}
        for row in zip(*columns, strict=True)
    ]
