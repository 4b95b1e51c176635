"""Notes of parts, kept from one question to the next: building tens of thousands of them takes a second."""

from collections import OrderedDict
from threading import Lock

from honest_stave.core.part.notes import Note, in_order
from honest_stave.service.codec import note_from_body
from honest_stave.store import history
from honest_stave.store.database import Database

# About 300 MB; what was asked for last stays.
MOST_KEPT_NOTES = 300_000


class PartNotes:
    """Notes as they are stored, by folio and part.

    Args:
        database: where they are stored.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._kept: OrderedDict[tuple[str, str], tuple[int, list[Note]]] = OrderedDict()
        self._lock = Lock()

    def of(self, folio_id: str, part_id: str) -> list[Note]:
        """Notes of a part in order; a list of the caller's own."""
        key = (folio_id, part_id)
        with self._database.session() as session:
            # Asked for before the notes: what is stored meanwhile makes them older than they are, never newer.
            revision = history.revision_of(session, folio_id)
            with self._lock:
                known = self._kept.get(key)
            changed = self._database.changed_notes.since(folio_id, part_id, known[0]) if known else None
            if known is None or changed is None:
                bodies = history.entities(session, folio_id, "note", part_id)
                notes = in_order([note_from_body(i, body) for i, body in bodies.items()])
            elif changed:
                rows = history.bodies_of(session, folio_id, [("note", part_id, i) for i in changed])
                fresh = [note_from_body(i, body) for (_, _, i), body in rows.items()]
                notes = in_order([*(n for n in known[1] if n.id not in changed), *fresh])
            else:
                return list(known[1])
        with self._lock:
            self._kept[key] = (revision, notes)
            self._kept.move_to_end(key)
            while len(self._kept) > 1 and sum(len(of) for _, of in self._kept.values()) > MOST_KEPT_NOTES:
                self._kept.popitem(last=False)
        return list(notes)
