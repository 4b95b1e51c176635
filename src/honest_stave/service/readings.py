"""Readings: asked for, kept, formed live, laid over each other."""

import time
import uuid
from collections import OrderedDict
from dataclasses import asdict
from threading import Lock
from typing import Any

import numpy as np
from sqlalchemy import func, select

from honest_stave.core.errors import BadInput, NotFound
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.reading import (
    ENGINE,
    Candidate,
    FormSettings,
    OneVoiceReading,
)
from honest_stave.core.pitch.salience import HOP_S
from honest_stave.service import takes
from honest_stave.service.studio import Studio
from honest_stave.service.work import reading_from_file, settings_from_json
from honest_stave.store.tables import Job, ReadingRow

# Readings kept open: moving a limit then costs no file access.
OPEN_READINGS = 6
_open: OrderedDict[str, OneVoiceReading] = OrderedDict()
_lock = Lock()
# Candidates of two readings are the same note within these.
SAME_ONSET_S = 0.05


def ask(studio: Studio, folio_id: str, take_id: str, settings: dict[str, Any], *, accept: bool = False) -> str:
    """Queues a reading of a take; returns the job's id.

    Raises:
        BadInput: the take holds no sound, or the settings make no sense.
    """
    take = takes.audio_take(studio, folio_id, take_id)
    checked = settings_from_json(settings)
    if checked.lowest >= checked.highest:
        raise BadInput("The lowest pitch is above the highest.", "Lower it, or raise the highest.")
    facts = take["facts"]
    arguments = {
        "take": take_id,
        "samples": facts["samples"],
        "channels": facts["channels"],
        "rate": facts["rate"],
        "settings": settings,
        "accept": accept,
    }
    return studio.jobs.add(folio_id, "one voice", f"Reading “{take['name']}” as one voice", arguments)


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading that a worker brought back."""
    reading_id, take_id = uuid.uuid4().hex, job.arguments["take"]
    with studio.database.session() as session:
        count = session.scalar(
            select(func.count())
            .select_from(ReadingRow)
            .where(ReadingRow.folio_id == job.folio_id, ReadingRow.take_id == take_id)
        )
        session.add(
            ReadingRow(
                id=reading_id,
                folio_id=job.folio_id,
                take_id=take_id,
                number=(count or 0) + 1,
                at=time.time(),
                engine=ENGINE,
                settings=job.arguments["settings"],
                summary=result["summary"],
                arrays=result["arrays"],
            )
        )
    studio.bus.tell({"type": "reading", "folio": job.folio_id, "take": take_id, "reading": reading_id})
    return {"take": take_id, "reading": reading_id}


def row(studio: Studio, folio_id: str, reading_id: str) -> ReadingRow:
    """The row of a reading.

    Raises:
        NotFound: it is not in the folio.
    """
    with studio.database.session() as session:
        found = session.get(ReadingRow, reading_id)
    if found is None or found.folio_id != folio_id:
        raise NotFound("There is no such reading.", "Read the take again.")
    return found


def listed(studio: Studio, folio_id: str) -> list[dict[str, Any]]:
    """All readings of a folio in order, without their arrays."""
    with studio.database.session() as session:
        query = select(ReadingRow).where(ReadingRow.folio_id == folio_id).order_by(ReadingRow.at)
        return [
            {
                "id": r.id,
                "take": r.take_id,
                "number": r.number,
                "at": r.at,
                "engine": r.engine,
                "settings": r.settings,
                "summary": r.summary,
            }
            for r in session.scalars(query)
        ]


def opened(studio: Studio, folio_id: str, reading_id: str) -> OneVoiceReading:
    """The reading with its arrays, kept open for the next question."""
    arrays = row(studio, folio_id, reading_id).arrays
    with _lock:
        if arrays in _open:
            _open.move_to_end(arrays)
            return _open[arrays]
    reading = reading_from_file(studio.files.path(arrays))
    with _lock:
        _open[arrays] = reading
        while len(_open) > OPEN_READINGS:
            _open.popitem(last=False)
    return reading


def candidates(studio: Studio, folio_id: str, reading_id: str, form: FormSettings) -> tuple[Candidate, ...]:
    """All candidates of a reading for the limits given."""
    return form_candidates(opened(studio, folio_id, reading_id), form)


def columns(found: tuple[Candidate, ...]) -> dict[str, list[Any]]:
    """Candidates as columns, which are a third of the size of rows."""
    rows = [asdict(c) for c in found]
    names = list(Candidate.__dataclass_fields__)
    return {name: [_short(r[name]) for r in rows] for name in names}


def _short(value: Any) -> Any:
    return round(value, 5) if isinstance(value, float) else value


def line(studio: Studio, folio_id: str, reading_id: str) -> tuple[bytes, float, float]:
    """The measured line as float32 pairs (pitch in the recording's tuning, strength), its start and step (s)."""
    reading = opened(studio, folio_id, reading_id)
    pitch = reading.track.pitch - np.float32(reading.tuning_cents / 100)
    pair = np.stack([pitch, reading.track.strength], axis=1).astype(np.float32)
    return pair.tobytes(), reading.starts_s, HOP_S


def differences(
    first: tuple[Candidate, ...], second: tuple[Candidate, ...], least: float
) -> list[tuple[float, str, int, int]]:
    """Where two readings differ, at one limit: (moment s, what, index in first or -1, in second or -1)."""
    a = [i for i, c in enumerate(first) if c.confidence >= least]
    b = [j for j, c in enumerate(second) if c.confidence >= least]
    free = set(b)
    found = []
    for i in a:
        near = [j for j in free if abs(second[j].onset_s - first[i].onset_s) <= SAME_ONSET_S]
        match = min(near, key=lambda j: abs(second[j].pitch - first[i].pitch), default=-1)
        if match == -1:
            found.append((first[i].onset_s, "only in the first", i, -1))
            continue
        free.discard(match)
        if second[match].pitch != first[i].pitch:
            found.append((first[i].onset_s, "another pitch", i, match))
        elif abs(second[match].offset_s - first[i].offset_s) > 2 * SAME_ONSET_S:
            found.append((first[i].onset_s, "another length", i, match))
    found += [(second[j].onset_s, "only in the second", -1, j) for j in free]
    return sorted(found)
