"""Readings: asked for, kept, formed live, laid over each other."""

import time
import uuid
from collections import OrderedDict
from threading import Lock
from typing import Any

import numpy as np
from sqlalchemy import func, select

from honest_stave.core.errors import BadInput, NotFound
from honest_stave.core.pitch.dying import DYING_SHARE
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.limits import expected, limit_of
from honest_stave.core.pitch.pitch_line import HOP_S
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, Candidate, FormSettings, NotesReading
from honest_stave.service import takes
from honest_stave.service.notes_reading import reading_from_file, settings_from_json
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import Job, ReadingRow

# Readings kept open: moving a limit then costs no file access.
OPEN_READINGS = 6
# What engines for notes are called by.
OF_NOTES = "notes"
_open: OrderedDict[str, NotesReading] = OrderedDict()
_lock = Lock()
# Candidates of two readings are the same note within these.
SAME_ONSET_S = 0.05


def ask(studio: Studio, folio_id: str, take_id: str, settings: dict[str, Any], *, accept: bool = False) -> str:
    """Queues a reading of a take; returns the job's id.

    Raises:
        BadInput: the take holds no sound, or the settings make no sense.
    """
    take = takes.audio_take(studio, folio_id, take_id)
    settings = _resolved(studio, folio_id, take, settings)
    checked = settings_from_json(settings)
    if checked.lowest >= checked.highest:
        raise BadInput("The lowest pitch is above the highest.", "Lower it, or raise the highest.")
    arguments = takes.to_read(take_id, take, settings) | {"accept": accept}
    as_voices = f"{checked.voices} voice{'s' if checked.voices == 'many' else ''}"
    return studio.jobs.add(folio_id, "notes", f"Reading “{take['name']}” as {as_voices}", arguments)


def _resolved(studio: Studio, folio_id: str, take: dict[str, Any], settings: dict[str, Any]) -> dict[str, Any]:
    """Settings in which the voices are decided and the line to follow is there in notes."""
    settings = dict(settings)
    if settings.get("voices") == "auto":
        seems = take["facts"].get("seems") or {"name": "one"}
        settings["voices"] = "one" if seems["name"] == "one" else "many"
    part_id = settings.pop("follow_part", "") or ""
    if settings.get("follow") == "line":
        with studio.database.session() as session:
            history.entity(session, folio_id, "part", part_id)
            bodies = history.entities(session, folio_id, "note", part_id).values()
        settings["drawn"] = sorted([b["onset_s"], b["offset_s"], b["pitch"]] for b in bodies)
        if not settings["drawn"]:
            raise BadInput("The line to follow has no notes.", "Draw it as a part, or read it from a hummed take.")
    return settings


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading that a worker brought back."""
    reading_id, take_id = uuid.uuid4().hex, job.arguments["take"]
    # Readings of notes, of hits and of beats are numbered each for themselves.
    ears = result["summary"]["engine"].split()[0]
    with studio.database.session() as session:
        last = session.scalar(
            select(func.max(ReadingRow.number))
            .where(ReadingRow.folio_id == job.folio_id, ReadingRow.take_id == take_id)
            .where(ReadingRow.engine.startswith(ears))
        )
        session.add(
            ReadingRow(
                id=reading_id,
                folio_id=job.folio_id,
                take_id=take_id,
                number=(last or 0) + 1,
                at=time.time(),
                engine=result["summary"]["engine"],
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


def is_of_notes(studio: Studio, folio_id: str, reading_id: str) -> bool:
    """Whether there is such a reading, and it is of notes: hits and scores leave readings too."""
    with studio.database.session() as session:
        found = session.get(ReadingRow, reading_id)
    return found is not None and found.folio_id == folio_id and found.engine.startswith(OF_NOTES)


def listed(studio: Studio, folio_id: str) -> list[dict[str, Any]]:
    """All readings of notes in a folio in order, without their arrays."""
    with studio.database.session() as session:
        query = (
            select(ReadingRow)
            .where(ReadingRow.folio_id == folio_id, ReadingRow.engine.startswith(OF_NOTES))
            .order_by(ReadingRow.at)
        )
        return [
            {
                "id": r.id,
                "take": r.take_id,
                "number": r.number,
                "at": r.at,
                "engine": r.engine,
                "settings": r.settings,
                "summary": {**r.summary, "ends_judged": r.summary.get("dying_share", 0.0) >= DYING_SHARE},
            }
            for r in session.scalars(query)
        ]


def opened(studio: Studio, folio_id: str, reading_id: str) -> NotesReading:
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


def candidates(
    studio: Studio, folio_id: str, reading_id: str, form: FormSettings, least: float = DEFAULT_LEAST_CONFIDENCE
) -> tuple[Candidate, ...]:
    """All candidates of a reading for the limits given; those at least as sure as ``least`` cut what sounds."""
    return form_candidates(opened(studio, folio_id, reading_id), form, least)


def best_of(studio: Studio, folio_id: str, reading_id: str, form: FormSettings) -> float:
    """The doubt limit at which most is expected to be right."""
    return limit_of(opened(studio, folio_id, reading_id), form)


def expected_at_limits(found: tuple[Candidate, ...]) -> dict[str, Any]:
    """Candidates counted, wrong and missed to be expected at every hundredth of the doubt limit."""
    said = expected(np.array([c.confidence for c in found]))
    return {
        "counted": said.counted.tolist(),
        "wrong": np.round(said.wrong, 2).tolist(),
        "missed": np.round(said.missed, 2).tolist(),
    }


def columns(found: tuple[Candidate, ...]) -> dict[str, list[Any]]:
    """Candidates as columns, which are a third of the size of rows."""
    made: dict[str, list[Any]] = {}
    for name, kind in Candidate.__annotations__.items():
        column = [getattr(c, name) for c in found]
        made[name] = np.round(column, 5).tolist() if kind is float else column
    return made


def line(studio: Studio, folio_id: str, reading_id: str) -> tuple[bytes, float, float]:
    """The measured line as float32 pairs (pitch in the recording's tuning, strength), its start and step (s)."""
    reading = opened(studio, folio_id, reading_id)
    pitch = reading.line.pitch - np.float32(reading.tuning_cents / 100)
    pair = np.stack([pitch, reading.line.strength], axis=1).astype(np.float32)
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
