"""A kit cut by another reading of its take: what the producer did to cuts stays with what is struck there."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from honest_stave.core.hits.kit import Kit, SliceSettings
from honest_stave.core.hits.slicing import Moment, cut_id

# Two readings place a stroke within half of what two hits are apart at least.
SAME_S = 0.01
READ = "r"


def cut_anew(kit: Kit, before: Sequence[Moment], now: Sequence[Moment], rate: int) -> Kit:
    """The kit with everything that was done by hand laid on another reading.

    What was set, moved, taken away or put in order belongs to the stroke that the new reading has there. Where it has
    none, a cut that was moved or whose slice was changed stays as one by hand, with the drums that were read in it.

    Args:
        kit: thresholds, cuts by hand, settings.
        before: what its reading heard.
        now: what the new one heard, in order of time.
        rate: of the take, Hz.
    """
    moved = dict(kit.moved)
    named = {*moved, *kit.away, *kit.slices, *kit.order}
    frames = {id: int(id.removeprefix(READ)) for id in sorted(named) if id.startswith(READ)}
    ids = {i: cut_id(now[n].frame) for i, n in paired(frames, [m.frame for m in now], SAME_S * rate).items()}
    lost = [i for i in frames if i not in ids and i not in kit.away and (i in moved or i in kit.slices)]
    ids |= {i: f"h{i}" for i in lost}
    heard = {cut_id(m.frame): _drums(m, kit) for m in before}
    settings = {ids.get(i, i): s for i, s in kit.slices.items() if i not in frames or i in ids}
    for i in lost:
        own = settings.get(ids[i], SliceSettings())
        settings[ids[i]] = replace(own, drums=heard.get(i, ()) if own.drums is None else own.drums)
    return replace(
        kit,
        hand=(*kit.hand, *((ids[i], moved.get(i, frames[i])) for i in lost)),
        moved=tuple((ids[i], frame) for i, frame in kit.moved if i in ids and i not in lost),
        away=tuple(ids[i] for i in kit.away if i in ids),
        slices=settings,
        order=tuple(ids.get(i, i) for i in kit.order if i not in frames or i in ids),
    )


def paired(frames: dict[str, int], now: Sequence[int], reach: float) -> dict[str, int]:
    """Which of the moments is that of each name: the nearest within reach, each at most once.

    Args:
        frames: moment of each name.
        now: moments, rising.
        reach: so far from its own at most.
    """
    if not frames or not len(now):
        return {}
    names, places, there = list(frames), np.array(list(frames.values())), np.asarray(now)
    after = np.clip(np.searchsorted(there, places), 0, len(there) - 1)
    before = np.maximum(after - 1, 0)
    nearest = np.where(np.abs(there[before] - places) <= np.abs(there[after] - places), before, after)
    far = np.abs(there[nearest] - places)
    found: dict[str, int] = {}
    taken: set[int] = set()
    for i in np.argsort(far, kind="stable").tolist():
        if far[i] <= reach and int(nearest[i]) not in taken:
            taken.add(int(nearest[i]))
            found[names[i]] = int(nearest[i])
    return found


def _drums(moment: Moment, kit: Kit) -> tuple[str, ...]:
    return tuple(s.drum for s in moment.strikes if s.confidence >= kit.least_confidence)
