"""Notes that play a kit whose keys change: each goes on playing the slice that it played."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from honest_stave.core.hits.cut_anew import SAME_S, paired
from honest_stave.core.hits.kit import HIGHEST_KEY, Kit, Slice, SliceSettings
from honest_stave.core.part.notes import Note

# What the key of the whole loop plays.
WHOLE_LOOP = "loop"


@dataclass(frozen=True)
class Playable:
    """What the keys of a kit play.

    Args:
        slices: in order of time.
        keys: key of each by its id; of the whole loop too, where it has one.
    """

    slices: Sequence[Slice]
    keys: dict[str, int]


def same_keys(before: Kit, now: Kit) -> bool:
    """Whether nothing that decides on keys has changed: gains, fades and the like do not."""

    def deciding(kit: Kit) -> Kit:
        own = {i: SliceSettings(key=s.key, drums=s.drums) for i, s in kit.slices.items()}
        named = {i: s for i, s in own.items() if s != SliceSettings()}
        return replace(kit, name="", slices=named, choke_hats=True, tails="cut", tempo=0, bpm=None)

    return deciding(before) == deciding(now)


def played_on(notes: Sequence[Note], before: Playable, now: Playable, rate: int) -> list[Note]:
    """The notes that have another key now, so that they play what they played.

    A note whose slice is gone waits on a key that plays nothing and knows its cut: it is back on a key as soon as
    the slice is.

    Args:
        notes: of a part that the kit plays.
        before, now: the kit before and after a change.
        rate: of the take, Hz.
    """
    again = _again(before.slices, now.slices, rate) | {WHOLE_LOOP: WHOLE_LOOP}
    at_key = {key: again.get(id, id) for id, key in before.keys.items()}
    taken = {*now.keys.values(), *before.keys.values()}
    lowest = min(now.keys.values(), default=0)
    waits = next((k for k in (*range(lowest - 1, -1, -1), *range(lowest, HIGHEST_KEY + 1)) if k not in taken), None)
    moved = []
    for note in notes:
        cut = at_key.get(note.pitch, again.get(note.cut, note.cut))
        pitch = now.keys.get(cut, waits if cut and waits is not None else note.pitch)
        fresh = replace(note, pitch=pitch, cut="" if cut in now.keys else cut)
        if fresh != note:
            moved.append(fresh)
    return moved


def _again(before: Sequence[Slice], now: Sequence[Slice], rate: int) -> dict[str, str]:
    """By its id the one that each slice has now, where it is there under another: that which begins where it did."""
    old, new = {s.id for s in before}, {s.id for s in now}
    gone = {s.id: s.first for s in before if s.id not in new}
    fresh = [s for s in now if s.id not in old]
    return {id: fresh[i].id for id, i in paired(gone, [s.first for s in fresh], SAME_S * rate).items()}
