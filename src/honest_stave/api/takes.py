"""Takes: brought in, named, removed, drawn and heard."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response, UploadFile
from pydantic import Field

from honest_stave.api.models import Model, Opened, PlayedRate, Removed, Revision, Seconds
from honest_stave.service import kit_playing, parts, places, takes

router = APIRouter(prefix="/api/folios/{folio_id}/takes", tags=["takes"])


class Queued(Model):
    """Jobs that were queued."""

    jobs: list[str]


class Rename(Model):
    """Another name."""

    name: str = Field(max_length=400)
    base_revision: int | None = None


class Made(Model):
    """Notes of a take's parts, and how many of them are expected to be wrong by how sure they were read."""

    notes: int
    wrong: int


class Several(Model):
    """Takes of a folio."""

    takes: list[str] = Field(min_length=1, max_length=10_000)
    base_revision: int | None = None


class Place(Model):
    """Where a take begins in the folio's time: at a moment, or so that a moment of it is the first beat of a bar."""

    begins_s: Annotated[float, Field(allow_inf_nan=False, le=86400.0)] | None = None
    moment_s: Seconds = 0.0
    bar: int = Field(1, ge=-9999, le=99999)
    base_revision: int | None = None


@router.post("")
def bring_in(studio: Opened, folio_id: str, files: list[UploadFile]) -> Queued:
    """Brings files in; each is decoded by a worker."""
    jobs = [takes.bring_in(studio, folio_id, f.filename or "take", f.file) for f in files]
    return Queued(jobs=jobs)


@router.get("/made")
def get_made(studio: Opened, folio_id: str) -> dict[str, Made]:
    """What the parts of each take hold."""
    return {take: Made(**made) for take, made in parts.made_of_takes(studio, folio_id).items()}


@router.patch("/{take_id}")
def rename(studio: Opened, folio_id: str, take_id: str, body: Rename) -> Revision:
    """Gives a take another name."""
    return Revision(revision=takes.rename(studio, folio_id, take_id, body.name, body.base_revision))


@router.put("/{take_id}/place")
def put_take(studio: Opened, folio_id: str, take_id: str, body: Place) -> Revision:
    """Puts it elsewhere in the folio's time."""
    values = body.model_dump(exclude={"base_revision"})
    return Revision(revision=places.put_take(studio, folio_id, take_id, values, body.base_revision))


@router.post("/remove")
def remove(studio: Opened, folio_id: str, body: Several) -> Removed:
    """Takes one or several out of the folio."""
    silent = kit_playing.silent_without(studio, folio_id, body.takes)
    return Removed(revision=takes.remove(studio, folio_id, body.takes, body.base_revision), silent=silent)


BINARY: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}


@router.get("/{take_id}/peaks", response_class=Response, responses=BINARY)
def get_peaks(
    studio: Opened,
    folio_id: str,
    take_id: str,
    level: Annotated[int, Query(ge=-1, le=8)],
    first: Annotated[int, Query(ge=0)],
    count: Annotated[int, Query(ge=0, le=20000)],
) -> Response:
    """Peaks (int16 pairs), or samples (float32) at level -1."""
    data = takes.peaks(studio, folio_id, take_id, level, first, count)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "max-age=86400"})


@router.get("/{take_id}/sound", response_class=Response, responses=BINARY)
def get_sound(
    studio: Opened, folio_id: str, take_id: str, from_s: Seconds, to_s: Seconds, rate: PlayedRate, pace: float = 1.0
) -> Response:
    """Float32 left, then right, of a stretch at a pace, at the rate it is played at."""
    data = takes.sound(studio, folio_id, take_id, from_s, to_s, pace, rate)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "max-age=3600"})
