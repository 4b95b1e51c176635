"""Parts: accepted, edited, heard."""

from dataclasses import asdict
from typing import Any, Literal

from fastapi import APIRouter, Response
from pydantic import Field
from pydantic_core import to_json

from honest_stave.api.models import Form, Model, Note, Opened, Revision, Seconds
from honest_stave.api.readings import form_of
from honest_stave.core.part.select import Rule
from honest_stave.service import note_edits, parts

router = APIRouter(prefix="/api/folios/{folio_id}/parts", tags=["parts"])
Based = int | None


class Accept(Model):
    """A reading to be accepted."""

    reading: str
    form: Form = Form()
    least_confidence: float | None = Field(None, ge=0, le=1)
    name: str | None = Field(None, max_length=300)
    instrument: str | None = None
    base_revision: Based = None


class Accepted(Model):
    """The part that was made."""

    part: str


class Limit(Model):
    """Limits to move to."""

    form: Form = Form()
    least_confidence: float = Field(ge=0, le=1)
    base_revision: Based = None


class PartChange(Model):
    """What to change about a part."""

    name: str | None = Field(None, max_length=300)
    instrument: str | None = None
    octave: int | None = Field(None, ge=-4, le=4)
    level_db: float | None = Field(None, ge=-60, le=12)
    pan: float | None = Field(None, ge=-1, le=1)
    muted: bool | None = None
    solo: bool | None = None
    bends: bool | None = None
    percussion: bool | None = None
    keeps_beats: bool | None = None
    pedal: list[tuple[Seconds, Seconds]] | None = Field(None, max_length=10_000)
    base_revision: Based = None


class EditValues(Model):
    """What an edit needs."""

    by_s: float = 0.0
    semitones: int = 0
    start_by_s: float = 0.0
    end_by_s: float = 0.0
    at_s: float = 0.0
    value: int | None = None
    scale: float = 1.0
    even: float = Field(0.0, ge=0, le=1)
    onset_s: float = 0.0
    offset_s: float = 0.0
    pitch: int = 60
    velocity: int = 90
    line: Literal["", "top", "inner", "bass", "left hand", "right hand"] = ""
    at: Literal["beats", "attacks"] = "beats"
    to: Literal["sound", "pedal"] = "sound"


class Edit(Model):
    """An edit by hand."""

    action: Literal[
        "move", "ends", "split", "join", "delete", "velocity", "trim", "paste", "add", "runner-up", "restore",
        "keep", "line", "restrike",
    ]  # fmt: skip
    ids: list[str] = Field(default=[], max_length=50_000)
    values: EditValues = EditValues()
    base_revision: Based = None


class Edited(Model):
    """What an edit did."""

    revision: int
    put: list[Note]
    removed: list[str]


class Pick(Model):
    """Notes that a rule selects."""

    ids: list[str]


class Join(Model):
    """Parts to be joined."""

    parts: list[str]
    base_revision: Based = None


class Send(Model):
    """Notes to be given a part of their own."""

    ids: list[str] = Field(max_length=50_000)
    name: str = Field(max_length=300)
    base_revision: Based = None


class TakeOver(Model):
    """Candidates of a reading to be taken into a part."""

    reading: str
    form: Form = Form()
    onsets_s: list[float]
    base_revision: Based = None


class Event(Model):
    """One note as heard."""

    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    bends: list[tuple[float, float]]


class Heard(Model):
    """Events by part."""

    parts: dict[str, list[Event]]


@router.post("")
def accept(studio: Opened, folio_id: str, body: Accept) -> Accepted:
    """Makes a part of a reading."""
    part = parts.accept(
        studio,
        folio_id,
        body.reading,
        form_of(body.form),
        body.least_confidence,
        body.base_revision,
        name=body.name,
        instrument=body.instrument,
    )
    return Accepted(part=part)


@router.post("/join")
def join(studio: Opened, folio_id: str, body: Join) -> Revision:
    """Joins parts into the first."""
    return Revision(revision=parts.join_parts(studio, folio_id, body.parts, body.base_revision))


# Thousands of notes and events leave without being checked again: they were when they came in.
@router.get("/heard", response_model=Heard)
def heard(studio: Opened, folio_id: str, take: str = "") -> Response:
    """The list of events that is heard, and written, in the seconds of a take or of the folio."""
    found = parts.events(studio, folio_id, seen_from=take)
    body = {
        "parts": {
            i: [
                {
                    "onset_s": n.onset_s,
                    "offset_s": n.offset_s,
                    "pitch": n.pitch,
                    "velocity": n.velocity,
                    "bends": n.bends,
                }
                for n in events
            ]
            for i, events in found.items()
        }
    }
    return Response(to_json(body), media_type="application/json")


@router.patch("/{part_id}")
def change_part(studio: Opened, folio_id: str, part_id: str, body: PartChange) -> Revision:
    """Name, instrument, octave, level, pan, mute, solo, bends."""
    values: dict[str, Any] = body.model_dump(exclude_none=True, exclude={"base_revision"})
    return Revision(revision=parts.set_part(studio, folio_id, part_id, values, body.base_revision))


@router.delete("/{part_id}")
def remove(studio: Opened, folio_id: str, part_id: str, base_revision: Based = None) -> Revision:
    """Takes it out of the folio."""
    return Revision(revision=parts.remove(studio, folio_id, part_id, base_revision))


@router.get("/{part_id}/notes", response_model=list[Note])
def get_notes(studio: Opened, folio_id: str, part_id: str) -> Response:
    """Notes in order."""
    return Response(to_json(parts.notes_of(studio, folio_id, part_id)), media_type="application/json")


@router.put("/{part_id}/limit")
def move_limit(studio: Opened, folio_id: str, part_id: str, body: Limit) -> Revision:
    """Moves the doubt limit; only untouched candidates come and go."""
    revision = parts.move_limit(
        studio, folio_id, part_id, form_of(body.form), body.least_confidence, body.base_revision
    )
    return Revision(revision=revision)


@router.post("/{part_id}/edit")
def edit(studio: Opened, folio_id: str, part_id: str, body: Edit) -> Edited:
    """Edits notes."""
    revision, put, removed = note_edits.edit_notes(
        studio, folio_id, part_id, body.action, body.ids, body.values.model_dump(), body.base_revision
    )
    return Edited(revision=revision, put=[Note(**asdict(n)) for n in put], removed=removed)


@router.get("/{part_id}/pick")
def pick(studio: Opened, folio_id: str, part_id: str, rule: Rule, value: float = 0.0) -> Pick:
    """Selects by a rule."""
    return Pick(ids=note_edits.pick(studio, folio_id, part_id, rule, value))


@router.post("/{part_id}/send")
def send(studio: Opened, folio_id: str, part_id: str, body: Send) -> Accepted:
    """Gives notes a part of their own."""
    return Accepted(part=parts.send(studio, folio_id, part_id, body.ids, body.name, body.base_revision))


@router.post("/{part_id}/take-over")
def take_over(studio: Opened, folio_id: str, part_id: str, body: TakeOver) -> Revision:
    """Takes candidates of another reading."""
    revision = parts.take_candidates(
        studio, folio_id, part_id, body.reading, form_of(body.form), body.onsets_s, body.base_revision
    )
    return Revision(revision=revision)
