"""Folios: made, listed, opened whole, changed, undone."""

import time
import uuid
from typing import Any

from sqlalchemy import ScalarSelect, delete, func, select
from sqlalchemy.orm import aliased

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.limits import SURE, WORTH_WALKING
from honest_stave.core.words import free_name
from honest_stave.service.codec import part_from_body, part_to_body, tempo_to_body
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.folio_copy import copy_folio
from honest_stave.store.tables import Change, Entity, Folio, HandOn, Job, ReadingRow

LONGEST_TITLE = 120
BEAT_MAP = "beat map"
# What the title of a copy ends with.
COPIED = ", copy"


def clean_title(title: str, what: str = "title") -> str:
    """A title without control characters, trimmed.

    Raises:
        BadInput: nothing is left, or it is too long.
    """
    clean = "".join(c if c.isprintable() else " " for c in title).strip()
    if not clean:
        raise BadInput(f"The {what} is empty.", "Give at least one letter.")
    if len(clean) > LONGEST_TITLE:
        raise BadInput(f"The {what} has {len(clean)} characters.", f"At most {LONGEST_TITLE} fit.")
    return clean


def create(studio: Studio, title: str, *, demo: bool = False) -> str:
    """Makes a folio, its title numbered where another has it; returns its id."""
    folio_id, now = uuid.uuid4().hex, time.time()
    wanted = free_name(clean_title(title), (folio["title"] for folio in list_folios(studio)))
    settings = {"title": wanted, "tempo": tempo_to_body(TempoMap()), "tempo_set": False}
    with studio.database.session() as session:
        session.add(Folio(id=folio_id, revision=1, created_at=now, changed_at=now, demo=demo))
        session.flush()
        session.add(Entity(folio_id=folio_id, kind="settings", parent="", id="settings", body=settings))
    return folio_id


def copy(studio: Studio, folio_id: str) -> str:
    """Copies a folio with its takes, parts and history; returns the copy's id."""
    titles = [folio["title"] for folio in list_folios(studio)]
    with studio.database.session() as session:
        copy_id = copy_folio(session, folio_id)
        settings = history.entity(session, copy_id, "settings", "settings")
        wanted = f"{settings['title'][: LONGEST_TITLE - len(COPIED)]}{COPIED}"
        called = {**settings, "title": free_name(wanted, titles)}
        edit = history.Edit(f"Copied from “{settings['title']}”", put=[("settings", "", "settings", called)])
        history.apply(session, copy_id, edit)
    return copy_id


def list_folios(studio: Studio) -> list[dict[str, Any]]:
    """All folios, the last changed first."""
    with studio.database.session() as session:
        rows = session.execute(
            select(Folio, Entity.body, _count_of("take"), _count_of("part"))
            .join(Entity, (Entity.folio_id == Folio.id) & (Entity.kind == "settings"))
            .order_by(Folio.changed_at.desc())
        ).all()
    return [
        {
            "id": f.id,
            "title": body["title"],
            "changed_at": f.changed_at,
            "demo": f.demo,
            "takes": takes,
            "parts": parts,
        }
        for f, body, takes, parts in rows
    ]


def _count_of(kind: str) -> ScalarSelect[int]:
    """How many of a kind a folio holds; asked folio by folio, the notes of all parts are not walked."""
    of = aliased(Entity)
    query = select(func.count()).where(of.folio_id == Folio.id, of.kind == kind)
    return query.correlate(Folio).scalar_subquery()


def state(studio: Studio, folio_id: str) -> dict[str, Any]:
    """A folio whole, but for the notes of its parts."""
    with studio.database.session() as session:
        row = history.folio_row(session, folio_id)
        settings = history.entity(session, folio_id, "settings", "settings")
        changes = history.history(session, folio_id)
        takes = _by_age(history.entities(session, folio_id, "take"))
        parts = parts_in_order(history.entities(session, folio_id, "part"), takes)
        # A change that is being made now counts once it is seen.
        changed, unchanged = studio.database.changed_notes, -studio.database.opened_at
        return {
            "id": folio_id,
            "revision": row.revision,
            "changed_at": row.changed_at,
            "demo": row.demo,
            "settings": settings,
            "takes": takes,
            "parts": {
                i: {
                    **part_to_body(part_from_body(body)),
                    "notes_changed": min(changed.last(folio_id, i) or unchanged, row.revision),
                }
                for i, body in parts.items()
            },
            "kits": _by_age(history.entities(session, folio_id, "kit")),
            "beat_maps": {
                i: _summary(body) for i, body in _by_age(history.entities(session, folio_id, BEAT_MAP)).items()
            },
            "note_doubts": {"sure": SURE, "worth_walking": WORTH_WALKING},
            "undo": next((label for _, label, _, undone in changes if not undone), None),
            "redo": next((label for _, label, _, undone in reversed(changes) if undone), None),
        }


def _summary(body: history.Body) -> dict[str, Any]:
    """What is said of a beat map: its thousands of beats are asked for by themselves."""
    said = {key: body[key] for key in ("name", "take", "reading", "at")}
    columns = body["columns"]
    return {**said, "beats": len(columns["time_s"]), "pins": len(columns["pins"])}


def _by_age(bodies: dict[str, history.Body]) -> dict[str, history.Body]:
    return dict(sorted(bodies.items(), key=lambda item: item[1].get("at", 0.0)))


def parts_in_order(parts: dict[str, history.Body], takes: dict[str, history.Body]) -> dict[str, history.Body]:
    """Parts in the order of their takes, those of one take the oldest first.

    Of several takes that are read at once, whichever is ready first is accepted first: that order says nothing.
    """

    def rank(item: tuple[str, history.Body]) -> tuple[float, float]:
        at: float = item[1].get("at", 0.0)
        take = takes.get(item[1].get("take", ""))
        return (take.get("at", at) if take else at), at

    return dict(sorted(parts.items(), key=rank))


def change(studio: Studio, folio_id: str, edit: history.Edit, base_revision: int | None) -> int:
    """Makes a change and tells everybody; returns the new revision.

    Raises:
        Conflict: the folio has moved on since ``base_revision``.
    """
    with studio.database.session() as session:
        revision = history.apply(session, folio_id, edit, base_revision)
    studio.bus.tell({"type": "folio", "folio": folio_id, "revision": revision})
    return revision


def step(studio: Studio, folio_id: str, *, back: bool) -> str | None:
    """Undo or redo; returns the label of what was undone or redone."""
    with studio.database.session() as session:
        label = history.undo(session, folio_id) if back else history.redo(session, folio_id)
        revision = history.folio_row(session, folio_id).revision
    if label is not None:
        studio.bus.tell({"type": "folio", "folio": folio_id, "revision": revision})
    return label


def go_to(studio: Studio, folio_id: str, change_id: int) -> int:
    """Undo or redo until a change is the last one made, 0 for none; returns how many steps it took."""
    with studio.database.session() as session:
        steps = history.go_to(session, folio_id, change_id)
        revision = history.folio_row(session, folio_id).revision
    if steps:
        studio.bus.tell({"type": "folio", "folio": folio_id, "revision": revision})
    return steps


def list_history(studio: Studio, folio_id: str) -> list[dict[str, Any]]:
    """The folio's history, newest first."""
    with studio.database.session() as session:
        rows = history.history(session, folio_id)
    return [{"id": i, "label": label, "at": at, "undone": undone} for i, label, at, undone in rows]


def set_settings(studio: Studio, folio_id: str, label: str, values: dict[str, Any], base: int | None) -> int:
    """Changes the folio's settings (title, tempo); returns the new revision."""
    with studio.database.session() as session:
        settings = history.entity(session, folio_id, "settings", "settings")
    edit = history.Edit(label, put=[("settings", "", "settings", {**settings, **values})])
    return change(studio, folio_id, edit, base)


def rename(studio: Studio, folio_id: str, title: str, base: int | None) -> int:
    """Gives the folio another title."""
    title = clean_title(title)
    return set_settings(studio, folio_id, f"Folio called “{title}”", {"title": title}, base)


def remove(studio: Studio, folio_id: str) -> None:
    """Removes a folio with all that is in it; this cannot be undone."""
    with studio.database.session() as session:
        history.folio_row(session, folio_id)
        for table in (Change, Entity, HandOn, ReadingRow, Job):
            session.execute(delete(table).where(table.folio_id == folio_id))
        session.execute(delete(Folio).where(Folio.id == folio_id))
