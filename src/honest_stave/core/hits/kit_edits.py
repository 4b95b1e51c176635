"""Edits of a kit by hand: cuts set, moved and taken away, slices changed."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

from honest_stave.core.errors import BadInput
from honest_stave.core.hits.kit import LEAD, Kit, Slice, SliceSettings, check_kit
from honest_stave.core.hits.reading import DRUMS

SETTINGS = ("gain_db", "fade_s", "reversed", "muted", "end", "key")


def cut(kit: Kit, frame: int, new_id: str, slices: Sequence[Slice]) -> Kit:
    """A cut by hand at a frame.

    Raises:
        BadInput: something is cut there already.
    """
    if any(s.first == frame for s in slices):
        raise BadInput("There is a cut already.", "Move the pointer, or move that cut.")
    return replace(kit, hand=(*kit.hand, (new_id, frame)))


def remove(kit: Kit, ids: Sequence[str]) -> Kit:
    """Cuts taken away: the slice before each goes on over it."""
    gone = set(ids)
    read = [i for i in ids if i.startswith("r")]
    return replace(
        kit,
        hand=tuple(h for h in kit.hand if h[0] not in gone),
        moved=tuple(m for m in kit.moved if m[0] not in gone),
        away=tuple(dict.fromkeys((*kit.away, *read))),
        slices={i: s for i, s in kit.slices.items() if i not in gone},
    )


def move(kit: Kit, slices: Sequence[Slice], ids: Sequence[str], to: Callable[[Slice], int], frames: int) -> Kit:
    """Cuts moved to where ``to`` says; they are by hand from then on.

    Raises:
        BadInput: a cut would leave the loop, or pass the one beside it.
    """
    chosen = set(ids)
    places = {s.id: to(s) for s in slices if s.id in chosen and s.id != LEAD}
    after = [places.get(s.id, s.first) for s in slices if s.id != LEAD]
    if any(not 0 <= p < frames for p in places.values()) or any(b <= a for a, b in pairwise(after)):
        raise BadInput("A cut cannot pass the one beside it.", "Move it less far, or take the other away.")
    hand = tuple((i, places.get(i, frame)) for i, frame in kit.hand)
    moved = dict(kit.moved) | {i: p for i, p in places.items() if i.startswith("r")}
    return replace(kit, hand=hand, moved=tuple(moved.items()))


def set_slices(kit: Kit, ids: Sequence[str], values: dict[str, Any]) -> Kit:
    """Gain, fade, direction, muting, end or key of slices; another slice that was given the key gives it up.

    Raises:
        BadInput: a value is out of range, or one key is meant for several slices.
    """
    wanted = {name: values[name] for name in SETTINGS if name in values}
    key = wanted.get("key")
    if key is not None:
        if len(ids) > 1:
            raise BadInput("One key cannot play several slices.", "Select one slice.")
        freed = {i: replace(s, key=None) for i, s in kit.slices.items() if s.key == key}
        kit = replace(kit, slices={**kit.slices, **freed})
    fresh = {i: replace(kit.slices.get(i, SliceSettings()), **wanted) for i in ids}
    return check_kit(replace(kit, slices=_kept({**kit.slices, **fresh})))


def set_drums(kit: Kit, slices: Sequence[Slice], ids: Sequence[str], drums: Sequence[str]) -> Kit:
    """The drums in slices, by hand.

    Raises:
        BadInput: there is no such drum.
    """
    unknown = [d for d in drums if d not in DRUMS]
    if unknown:
        raise BadInput(f"There is no drum {unknown[0]!r}.", f"Choose of {', '.join(DRUMS)}.")
    fresh = {i: replace(kit.slices.get(i, SliceSettings()), drums=tuple(dict.fromkeys(drums))) for i in ids}
    return replace(kit, slices=_kept({**kit.slices, **fresh}))


def rename_drum(kit: Kit, slices: Sequence[Slice], ids: Sequence[str], was: str, drum: str) -> Kit:
    """One drum of slices called another; what else sounds in them stays.

    Raises:
        BadInput: there is no such drum, or none of the slices holds the one that is renamed.
    """
    chosen = set(ids)
    holding = [s for s in slices if s.id in chosen and any(strike.drum == was for strike in s.strikes)]
    if not holding:
        raise BadInput(f"No {was} sounds in the selected slices.", "Select the lane that is called wrongly.")
    for piece in holding:
        drums = [drum if strike.drum == was else strike.drum for strike in piece.strikes]
        kit = set_drums(kit, slices, [piece.id], drums)
    return kit


def split_in_two(kit: Kit, slices: Sequence[Slice], ids: Sequence[str]) -> Kit:
    """A second drum in slices that hold one: the runner-up of what was read."""
    for piece in slices:
        if piece.id in ids and len(piece.strikes) == 1:
            own = piece.strikes[0]
            second = own.runner_up or next(d for d in DRUMS if d != own.drum)
            kit = set_drums(kit, slices, [piece.id], [own.drum, second])
    return kit


def as_read(kit: Kit, ids: Sequence[str]) -> Kit:
    """Slices back to what was read; cuts by hand stay where they are."""
    gone = set(ids)
    return replace(
        kit,
        moved=tuple(m for m in kit.moved if m[0] not in gone),
        slices={i: s for i, s in kit.slices.items() if i not in gone},
    )


def put_in_order(kit: Kit, slices: Sequence[Slice], ids: Sequence[str], by: int) -> Kit:
    """Slices moved by so many keys among the others; what comes before the first cut has no key."""
    place = {i: k for k, i in enumerate(kit.order)}
    order = sorted((s.id for s in slices if s.id != LEAD), key=lambda i: place.get(i, len(place)))
    chosen = [i for i in ids if i != LEAD]
    for id in chosen if by < 0 else chosen[::-1]:
        at = order.index(id)
        order.insert(max(0, min(len(order) - 1, at + by)), order.pop(at))
    return replace(kit, order=tuple(order))


def _kept(settings: dict[str, SliceSettings]) -> dict[str, SliceSettings]:
    return {i: s for i, s in settings.items() if s != SliceSettings()}


def by_takes(kit: Kit, there: Collection[str]) -> Kit:
    """The kit as it sounds: a slice whose other take is not there plays its own sound."""
    own = {
        i: replace(s, take="", first_frame=0, last_frame=0)
        for i, s in kit.slices.items()
        if s.take and s.take not in there
    }
    return replace(kit, slices={**kit.slices, **own}) if own else kit
