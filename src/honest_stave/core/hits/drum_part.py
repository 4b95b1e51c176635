"""A part of drums brought in step with the kit that it was made of: only what no hand has touched comes and goes."""

from collections.abc import Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.part.notes import Note

# What a hand has touched stands for all strokes of its moment.
SAME_MOMENT_S = 0.01


def in_step(now: Sequence[Note], fresh: Sequence[Note], dropped: Collection[str]) -> list[Note]:
    """The part's notes as its kit has the drums now.

    Notes that were edited or added by hand stay, and the strokes of the moments at which they were read are left as
    they are; what was taken away by hand stays away.

    Args:
        now: notes of the part.
        fresh: notes of the kit's drums as they are now.
        dropped: ids of notes that were taken away by hand.
    """
    touched_s = np.sort([n.origin.onset_s if n.origin else n.onset_s for n in now if n.touched])
    left = _near(now, touched_s)
    kept = [n for n in now if n.touched or n.id in left]
    beside = _near(fresh, touched_s)
    return kept + [n for n in fresh if n.id not in beside and n.id not in dropped]


def _near(notes: Sequence[Note], moments_s: NDArray[np.float64]) -> set[str]:
    """Ids of the notes that begin at one of the moments, which rise."""
    if not len(moments_s):
        return set()
    onset_s = np.array([n.onset_s for n in notes])
    after = np.clip(np.searchsorted(moments_s, onset_s), 0, len(moments_s) - 1)
    away_s = np.minimum(np.abs(moments_s[after] - onset_s), np.abs(moments_s[np.maximum(after - 1, 0)] - onset_s))
    return {n.id for n, s in zip(notes, away_s.tolist(), strict=True) if s < SAME_MOMENT_S}
