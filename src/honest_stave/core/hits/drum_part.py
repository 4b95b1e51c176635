"""A part of drums brought in step with the kit that it was made of: only what no hand has touched comes and goes."""

from collections.abc import Collection, Sequence

import numpy as np

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
    kept = [n for n in now if n.touched]
    own = np.sort([n.origin.onset_s if n.origin else n.onset_s for n in kept])
    if not len(own):
        return [n for n in fresh if n.id not in dropped]
    onset_s = np.array([n.onset_s for n in fresh])
    after = np.clip(np.searchsorted(own, onset_s), 0, len(own) - 1)
    away_s = np.minimum(np.abs(own[after] - onset_s), np.abs(own[np.maximum(after - 1, 0)] - onset_s))
    near = {n.id for n, s in zip(fresh, away_s.tolist(), strict=True) if s < SAME_MOMENT_S}
    kept += [n for n in now if not n.touched and n.id in near]
    return kept + [n for n in fresh if n.id not in near and n.id not in dropped]
