"""Changes of a folio: one transaction and one history entry each; undo and redo."""

import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from honest_stave.core.errors import Conflict, NotFound
from honest_stave.store.database import CHANGED_NOTES
from honest_stave.store.patch import difference, patched
from honest_stave.store.tables import Change, Entity, Folio

Body = dict[str, Any]
# A row of a change with its kind, parent, id and what differs; up to 0.34 all have both bodies.
PATCHED = 4
# Rows of one statement; SQLite bounds the number of its parameters.
ROWS_A_STATEMENT = 1000


@dataclass
class Delta:
    """One entity before and after; None where it was not, or is no longer."""

    kind: str
    parent: str
    id: str
    before: Body | None
    after: Body | None


@dataclass
class Edit:
    """What a change puts and removes, collected before it is made."""

    label: str
    put: list[tuple[str, str, str, Body]] = field(default_factory=list)
    removed: list[tuple[str, str, str]] = field(default_factory=list)


def entities(session: Session, folio_id: str, kind: str, parent: str = "") -> dict[str, Body]:
    """Bodies of all entities of a kind, by id."""
    query = select(Entity.id, Entity.body).where(
        Entity.folio_id == folio_id, Entity.kind == kind, Entity.parent == parent
    )
    return {row.id: row.body for row in session.execute(query)}


def entity(session: Session, folio_id: str, kind: str, id: str, parent: str = "") -> Body:
    """Body of one entity.

    Raises:
        NotFound: it is not in the folio.
    """
    found = session.get(Entity, (folio_id, kind, parent, id))
    if found is None:
        raise NotFound(f"This {kind} is no longer in the folio.", "It may have been removed in another window.")
    return found.body


def revision_of(session: Session, folio_id: str) -> int:
    """Revision of a folio, 0 where there is none."""
    return session.scalar(select(Folio.revision).where(Folio.id == folio_id)) or 0


def folio_row(session: Session, folio_id: str) -> Folio:
    """The folio.

    Raises:
        NotFound: there is none of that id.
    """
    row = session.get(Folio, folio_id)
    if row is None:
        raise NotFound("There is no such folio.", "Open one from the list.")
    return row


def apply(session: Session, folio_id: str, edit: Edit, base_revision: int | None = None) -> int:
    """Makes a change and writes it into the history; what had been undone is forgotten.

    Args:
        session: an open transaction.
        folio_id: the folio.
        edit: what to put and remove.
        base_revision: revision that the change was made on; None to take the newest.

    Returns:
        The folio's new revision.

    Raises:
        Conflict: the folio has moved on since ``base_revision``.
    """
    folio = folio_row(session, folio_id)
    if base_revision is not None and base_revision != folio.revision:
        raise Conflict(
            "This folio was changed in another window.",
            "The newer state is shown now; make the change again if it is still wanted.",
        )
    keys = [(k, p, i) for k, p, i, _ in edit.put] + edit.removed
    before = bodies_of(session, folio_id, keys)
    after: dict[tuple[str, str, str], Body | None] = {(k, p, i): body for k, p, i, body in edit.put}
    after |= {key: None for key in edit.removed if key in before}
    deltas = [Delta(*key, before.get(key), body) for key, body in after.items()]
    deltas = [d for d in deltas if d.before != d.after]
    if not deltas:
        return folio.revision
    _write(session, folio, ((d.kind, d.parent, d.id, d.after) for d in deltas))
    session.execute(delete(Change).where(Change.folio_id == folio_id, Change.undone))
    rows = [_row_of(d) for d in deltas]
    session.add(Change(folio_id=folio_id, label=edit.label[:200], at=time.time(), deltas=rows, undone=False))
    return _moved_on(folio)


def undo(session: Session, folio_id: str) -> str | None:
    """Takes the last change back; returns its label, None where there is nothing to undo."""
    return _step(session, folio_id, undone=False)


def redo(session: Session, folio_id: str) -> str | None:
    """Makes the last undone change again; returns its label, None where there is none."""
    return _step(session, folio_id, undone=True)


def go_to(session: Session, folio_id: str, number: int) -> int:
    """Undoes or redoes until a change is the last one made, 0 for the beginning; returns how many steps it took."""
    steps = 0
    for undone in (False, True):
        beyond = Change.id <= number if undone else Change.id > number
        query = select(func.count()).where(Change.folio_id == folio_id, Change.undone == undone, beyond)
        for _ in range(session.scalar(query) or 0):
            _step(session, folio_id, undone=undone)
            steps += 1
    return steps


def _step(session: Session, folio_id: str, *, undone: bool) -> str | None:
    pick = func.min(Change.id) if undone else func.max(Change.id)
    number = session.scalar(select(pick).where(Change.folio_id == folio_id, Change.undone == undone))
    change = session.get(Change, number) if number is not None else None
    if change is None:
        return None
    folio = folio_row(session, folio_id)
    now = bodies_of(session, folio_id, [(d[0], d[1], d[2]) for d in change.deltas if len(d) == PATCHED])
    _write(session, folio, (_stepped(d, now, back=not undone) for d in change.deltas))
    change.undone = not undone
    _moved_on(folio)
    return change.label


def _row_of(delta: Delta) -> list[Any]:
    """A delta as it is kept: what differs, or both bodies where one of them is none."""
    key = [delta.kind, delta.parent, delta.id]
    if delta.before is None or delta.after is None:
        return [*key, delta.before, delta.after]
    return [*key, difference(delta.before, delta.after)]


def _stepped(
    row: list[Any], now: dict[tuple[str, str, str], Body], *, back: bool
) -> tuple[str, str, str, Body | None]:
    kind, parent, id, *said = row
    if len(row) == PATCHED:
        return kind, parent, id, patched(now[kind, parent, id], said[0], back=back)
    return kind, parent, id, said[0] if back else said[1]


def history(session: Session, folio_id: str, most: int = 200) -> list[tuple[int, str, float, bool]]:
    """Newest first: id, label, when, undone."""
    query = (
        select(Change.id, Change.label, Change.at, Change.undone)
        .where(Change.folio_id == folio_id)
        .order_by(Change.id.desc())
        .limit(most)
    )
    return [(row.id, row.label, row.at, row.undone) for row in session.execute(query)]


def _moved_on(folio: Folio) -> int:
    folio.revision += 1
    folio.changed_at = time.time()
    return folio.revision


def bodies_of(session: Session, folio_id: str, keys: list[tuple[str, str, str]]) -> dict[tuple[str, str, str], Body]:
    found: dict[tuple[str, str, str], Body] = {}
    groups: dict[tuple[str, str], list[str]] = {}
    for kind, parent, id in keys:
        groups.setdefault((kind, parent), []).append(id)
    for (kind, parent), ids in groups.items():
        for first in range(0, len(ids), ROWS_A_STATEMENT):
            query = select(Entity.id, Entity.body).where(
                Entity.folio_id == folio_id,
                Entity.kind == kind,
                Entity.parent == parent,
                Entity.id.in_(ids[first : first + ROWS_A_STATEMENT]),
            )
            found |= {(kind, parent, row.id): row.body for row in session.execute(query)}
    return found


def _write(session: Session, folio: Folio, rows: Iterable[tuple[str, str, str, Body | None]]) -> None:
    folio_id, changed_at = folio.id, folio.revision + 1
    put: list[dict[str, Any]] = []
    gone: dict[tuple[str, str], list[str]] = {}
    for kind, parent, id, body in rows:
        if body is None:
            gone.setdefault((kind, parent), []).append(id)
        else:
            put.append({"folio_id": folio_id, "kind": kind, "parent": parent, "id": id, "body": body})
    changed: dict[str, list[str]] = {parent: list(ids) for (kind, parent), ids in gone.items() if kind == "note"}
    for row in put:
        if row["kind"] == "note":
            changed.setdefault(row["parent"], []).append(row["id"])
    for part, ids in changed.items():
        session.info[CHANGED_NOTES].tell(folio_id, part, changed_at, ids)
    for (kind, parent), ids in gone.items():
        for first in range(0, len(ids), ROWS_A_STATEMENT):
            session.execute(
                delete(Entity).where(
                    Entity.folio_id == folio_id,
                    Entity.kind == kind,
                    Entity.parent == parent,
                    Entity.id.in_(ids[first : first + ROWS_A_STATEMENT]),
                )
            )
    if put:
        statement = insert(Entity)
        session.execute(
            statement.on_conflict_do_update(
                index_elements=["folio_id", "kind", "parent", "id"], set_={"body": statement.excluded.body}
            ),
            put,
        )
    session.expire_all()
