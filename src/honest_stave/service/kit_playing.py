"""Parts that a kit plays: when its keys change, their notes go on playing the slices that they played."""

from dataclasses import dataclass

from honest_stave.core.hits.played_keys import WHOLE_LOOP, Playable, played_on
from honest_stave.service.codec import note_to_body
from honest_stave.service.following import Rows
from honest_stave.service.studio import Studio
from honest_stave.store import history

# What the part of a kit is played by; its pace may follow.
KIT_INSTRUMENT = "kit:"


def parts_of(studio: Studio, folio_id: str, kit_id: str) -> dict[str, str]:
    """Names of the parts that a kit plays, by id."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "part")
    return {i: b["name"] for i, b in bodies.items() if f"{b['instrument']}:".startswith(f"{KIT_INSTRUMENT}{kit_id}:")}


def silent_without(studio: Studio, folio_id: str, take_ids: list[str]) -> list[str]:
    """Names of the parts that nothing plays once these takes are removed: their kits are cut of them."""
    with studio.database.session() as session:
        kits = history.entities(session, folio_id, "kit")
    cut = [i for i, body in kits.items() if body["take"] in take_ids]
    return [name for i in cut for name in parts_of(studio, folio_id, i).values()]


@dataclass(frozen=True)
class Played:
    """What a part makes of a kit.

    Args:
        part, name: its id, and how it is called.
        slices: how many of the kit's slices on keys it plays.
        silent: how many of its notes play nothing: no slice is on their key.
    """

    part: str
    name: str
    slices: int
    silent: int


def played(studio: Studio, folio_id: str, kit_id: str, playable: Playable) -> list[Played]:
    """What each part that a kit plays makes of it."""
    sounding = set(playable.keys.values())
    own = {key for id, key in playable.keys.items() if id != WHOLE_LOOP}
    found = []
    for part_id, name in parts_of(studio, folio_id, kit_id).items():
        pitches = [n.pitch for n in studio.part_notes.of(folio_id, part_id)]
        silent = sum(pitch not in sounding for pitch in pitches)
        found.append(Played(part_id, name, len(own.intersection(pitches)), silent))
    return found


def rows_moved_with_keys(
    studio: Studio, folio_id: str, kit_id: str, before: Playable, now: Playable, rate: int
) -> Rows:
    """Notes of these parts, on the keys that play their slices now."""
    rows: Rows = []
    for part_id in parts_of(studio, folio_id, kit_id):
        moved = played_on(studio.part_notes.of(folio_id, part_id), before, now, rate)
        rows += [("note", part_id, n.id, note_to_body(n)) for n in moved]
    return rows
