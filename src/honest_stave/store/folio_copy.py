"""A copy of a folio beside it: everything in it with its history; the files of both are the same."""

import time
import uuid

from sqlalchemy import String, func, insert, literal, select, type_coerce, update
from sqlalchemy.orm import InstrumentedAttribute, Session

from honest_stave.store.history import folio_row
from honest_stave.store.tables import Change, Entity, Folio, ReadingRow


def copy_folio(session: Session, folio_id: str) -> str:
    """Copies a folio with its takes, readings, parts and history; returns the copy's id.

    What was handed on and what is being done stay with the first. The copy is nobody's demo.

    Args:
        session: an open transaction.
        folio_id: the folio.

    Raises:
        NotFound: there is none of that id.
    """
    original, copy_id = folio_row(session, folio_id), uuid.uuid4().hex
    now = time.time()
    session.add(Folio(id=copy_id, revision=original.revision, created_at=now, changed_at=now, demo=False))
    session.flush()
    for table in (Entity, Change):
        columns = [c for c in table.__table__.columns if c.name != "folio_id" and c.autoincrement is not True]
        rows = select(literal(copy_id), *columns).where(table.folio_id == folio_id)
        if table is Change:
            rows = rows.order_by(Change.id)
        session.execute(insert(table).from_select(["folio_id", *(c.name for c in columns)], rows))
    for reading in session.scalars(select(ReadingRow).where(ReadingRow.folio_id == folio_id)).all():
        kept = {c.name: getattr(reading, c.name) for c in ReadingRow.__table__.columns}
        fresh_id = uuid.uuid4().hex
        session.add(ReadingRow(**{**kept, "id": fresh_id, "folio_id": copy_id}))
        for column in (Entity.id, Entity.body, Change.deltas):
            _call_otherwise(session, column, copy_id, reading.id, fresh_id)
    return copy_id


def _call_otherwise(
    session: Session, column: InstrumentedAttribute[object], folio_id: str, former: str, fresh: str
) -> None:
    """Puts one reading's id in place of another's wherever a folio speaks of it."""
    table, text = column.class_, type_coerce(column, String)
    session.execute(
        update(table)
        .where(table.folio_id == folio_id, func.instr(text, former) > 0)
        .values({column.key: func.replace(text, former, fresh, type_=String)})
        .execution_options(synchronize_session=False)
    )
