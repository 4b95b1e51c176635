"""Evidence: key, scale and strokes, the spectrogram, partials of a note."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from pydantic import Field

from honest_stave.api.models import Model, Opened, Seconds
from honest_stave.api.takes import BINARY
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, FormSettings
from honest_stave.service import evidence, parts, readings

router = APIRouter(prefix="/api/folios/{folio_id}/evidence", tags=["evidence"])
Pitch = Annotated[int, Query(ge=0, le=127)]


class Named(Model):
    """A key or a scale, and its share against the others."""

    name: str
    share: float


class Strokes(Model):
    """Chords struck together, as columns."""

    onset_s: list[float]
    low: list[int]
    high: list[int]
    size: list[int]


class Companion(Model):
    """An interval over keys, with how many of them it sounds."""

    semitones: int
    count: int
    of: int


class Findings(Model):
    """What notes say together."""

    key: Named | None
    other_key: Named | None
    scale: Named | None
    other_scale: Named | None
    names: list[str]
    pitches: list[str]
    strokes: Strokes
    companions: list[Companion]
    keys: dict[int, str] = Field(description="Names of the keys of a part of drums, by MIDI note.")


class Partial(Model):
    """One partial of a note; ``explained_by`` names the other pitch that has it too."""

    number: int
    pitch: float
    level_db: float
    explained_by: int | None


@router.get("/part/{part_id}")
def of_part(studio: Opened, folio_id: str, part_id: str) -> Findings:
    """Key, scale and strokes of a part."""
    return Findings(**evidence.of_part(studio, folio_id, part_id))


@router.get("/reading/{reading_id}")
def of_reading(
    studio: Opened,
    folio_id: str,
    reading_id: str,
    least: float = DEFAULT_LEAST_CONFIDENCE,
    split: float = 0.5,
    shortest_s: float = 0.05,
) -> Findings:
    """Key, scale and strokes of what counts in a reading."""
    return Findings(**evidence.of_reading(studio, folio_id, reading_id, FormSettings(split, shortest_s), least))


@router.get("/take/{take_id}/spectrum", response_class=Response, responses=BINARY)
def spectrum(
    studio: Opened,
    folio_id: str,
    take_id: str,
    from_s: Seconds,
    column_s: Annotated[float, Query(gt=0, le=60)],
    columns: Annotated[int, Query(ge=1, le=evidence.MOST_COLUMNS)],
) -> Response:
    """A tile of the spectrogram: a byte a band, half decibels above -110."""
    data = evidence.spectrum(studio, folio_id, take_id, from_s, column_s, columns)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "max-age=86400"})


@router.get("/take/{take_id}/partials")
def partials(
    studio: Opened,
    folio_id: str,
    take_id: str,
    onset_s: Seconds,
    offset_s: Seconds,
    pitch: Pitch,
    part: str = "",
    reading: str = "",
    least: float = DEFAULT_LEAST_CONFIDENCE,
) -> list[Partial]:
    """Partials of a note against the notes of a part, or of a reading, that sound with it."""
    others: list[Any]
    if part:
        others = [(n.onset_s, n.offset_s, n.pitch) for n in parts.notes_of(studio, folio_id, part)]
    else:
        found = readings.candidates(studio, folio_id, reading, FormSettings(), least)
        others = [(c.onset_s, c.offset_s, c.pitch) for c in found if c.confidence >= least]
    found_partials = evidence.partials(studio, folio_id, take_id, (onset_s, offset_s, pitch), others)
    return [Partial(**p) for p in found_partials]
