"""Readings: asked for, formed live, compared."""

from typing import Any, Literal

from fastapi import APIRouter, Response
from fastapi.responses import JSONResponse
from pydantic import Field

from honest_stave.api.models import Form, Model, Opened, Seconds
from honest_stave.api.takes import BINARY, Queued
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.core.signal.listen import Channels
from honest_stave.service import batch, readings

router = APIRouter(prefix="/api/folios/{folio_id}/readings", tags=["readings"])


class Listen(Model):
    """What of the take is listened to."""

    channels: Channels = "sum"
    low_cut_hz: float = Field(0.0, ge=0, le=20000)
    high_cut_hz: float = Field(0.0, ge=0, le=20000)
    from_s: Seconds = 0.0
    to_s: Seconds = 0.0


class EngineSettings(Model):
    """How the notes of a take are read."""

    voices: Literal["one", "many", "auto"] = "auto"
    lowest: float = Field(21.0, ge=21, le=108)
    highest: float = Field(108.0, ge=21, le=108)
    tuning_cents: float | None = Field(None, ge=-100, le=100)
    character: Literal["struck", "sustained"] | None = None
    follow: Literal["all", "lowest", "highest", "line"] = "all"
    follow_part: str = ""
    pedal: bool = False
    without_drums: bool = False
    listen: Listen = Listen()


class AskReading(Model):
    """A take to be read."""

    take: str
    settings: EngineSettings = EngineSettings()


class AskBatch(Model):
    """Takes to be read and accepted in one go."""

    takes: list[str] = Field(max_length=500)
    settings: EngineSettings = EngineSettings()


class BatchQueued(Queued):
    """Jobs queued, and what was passed over."""

    passed_over: list[str]


class Summary(Model):
    """What a reading says of the whole take."""

    voices: str = "one"
    starts_s: float
    tuning_cents: float
    tuning_agreement: float
    character: str
    character_confidence: float
    dying_share: float = 0.0
    ends_judged: bool = False
    octave_stop_share: float = 0.0
    pedal: list[list[float]] = Field(default=[])
    bare_bass: bool = False
    engine: str


class Reading(Model):
    """A reading without its candidates."""

    id: str
    take: str
    number: int
    at: float
    engine: str
    settings: dict[str, Any]
    summary: Summary


class ExpectedAtLimits(Model):
    """Candidates counted, wrong and missed to be expected, at every hundredth of the limit, and the best of these."""

    counted: list[int]
    wrong: list[float]
    missed: list[float]
    best: float


class Candidates(Model):
    """Candidates as columns."""

    onset_s: list[float]
    offset_s: list[float]
    onset_tolerance_s: list[float]
    offset_tolerance_s: list[float]
    pitch: list[int]
    centre_cents: list[float]
    velocity: list[int]
    level_db: list[float]
    confidence: list[float]
    runner_up: list[int]
    runner_up_share: list[float]
    limits: ExpectedAtLimits


class Difference(Model):
    """Where two readings differ."""

    time_s: float
    what: str
    first: int
    second: int


@router.get("")
def list_readings(studio: Opened, folio_id: str) -> list[Reading]:
    """All readings of a folio."""
    return [Reading(**r) for r in readings.listed(studio, folio_id)]


@router.post("")
def ask(studio: Opened, folio_id: str, body: AskReading) -> Queued:
    """Has a take read."""
    return Queued(jobs=[readings.ask(studio, folio_id, body.take, body.settings.model_dump())])


@router.post("/batch")
def ask_batch(studio: Opened, folio_id: str, body: AskBatch) -> BatchQueued:
    """Has takes read and accepted."""
    return BatchQueued(**batch.start(studio, folio_id, body.takes, body.settings.model_dump()))


# Thousands of candidates leave without being checked: they come from the engine as they are.
@router.get("/{reading_id}/candidates", response_model=Candidates)
def get_candidates(
    studio: Opened,
    folio_id: str,
    reading_id: str,
    split: float = 0.5,
    shortest_s: float = 0.05,
    least: float | None = None,
) -> JSONResponse:
    """All candidates for the limits given, as they are accepted; without a doubt limit at the best one."""
    form = FormSettings(split, shortest_s)
    best = readings.best_of(studio, folio_id, reading_id, form)
    found = readings.candidates(studio, folio_id, reading_id, form, best if least is None else least)
    return JSONResponse({**readings.columns(found), "limits": readings.expected_at_limits(found) | {"best": best}})


@router.get("/{reading_id}/line", response_class=Response, responses=BINARY)
def get_line(studio: Opened, folio_id: str, reading_id: str) -> Response:
    """The measured line: float32 pairs of pitch and strength."""
    data, starts_s, step_s = readings.line(studio, folio_id, reading_id)
    headers = {"x-starts": str(starts_s), "x-step": str(step_s), "cache-control": "max-age=86400"}
    return Response(data, media_type="application/octet-stream", headers=headers)


@router.get("/{reading_id}/differences")
def compare(
    studio: Opened,
    folio_id: str,
    reading_id: str,
    other: str,
    least: float = 0.5,
    split: float = 0.5,
    shortest_s: float = 0.05,
) -> list[Difference]:
    """Where another reading differs from this one."""
    form = FormSettings(split, shortest_s)
    first = readings.candidates(studio, folio_id, reading_id, form, least)
    second = readings.candidates(studio, folio_id, other, form, least)
    found = readings.differences(first, second, least)
    return [Difference(time_s=t, what=w, first=i, second=j) for t, w, i, j in found]


def form_of(form: Form) -> FormSettings:
    """The core's settings of a form."""
    return FormSettings(form.split, form.shortest_s)
