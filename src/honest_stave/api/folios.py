"""Folios: list, open, change, undo, watch."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter
from fastapi.responses import StreamingResponse
from pydantic import Field

from honest_stave.api.models import FolioState, Job, Model, Opened, Revision, Seconds
from honest_stave.service import folios, timing
from honest_stave.service.places import tempo_of

router = APIRouter(prefix="/api/folios", tags=["folios"])
# A comment line keeps idle streams open.
HEARTBEAT_S = 15.0


class FolioName(Model):
    """A folio in the list."""

    id: str
    title: str
    changed_at: float
    demo: bool
    takes: int
    parts: int


class NewFolio(Model):
    """A folio to be made."""

    title: str = Field(max_length=300)


class Retitle(NewFolio):
    """Another title."""

    base_revision: int | None = None


class Step(Model):
    """What was undone or redone; None where there was nothing."""

    label: str | None


class Steps(Model):
    """How many changes were undone or redone."""

    steps: int


class HistoryEntry(Model):
    """One change."""

    id: int
    label: str
    at: float
    undone: bool


class TimeChange(Model):
    """What to change about the folio's time."""

    bpm: float | None = None
    downbeat_s: Seconds | None = None
    numerator: int | None = None
    denominator: int | None = None
    first_bar_number: int | None = Field(None, ge=-9999, le=9999)
    map_of_take: str | None = None
    take: str | None = None
    base_revision: int | None = None


class Proposal(Model):
    """A tempo proposed."""

    bpm: float
    downbeat_s: float
    share: float


class Taps(Model):
    """Moments of taps."""

    tap_s: list[float] = Field(max_length=200)


class Tapped(Model):
    """Tempo of taps."""

    bpm: float


class Grid(Model):
    """Bar lines and beats."""

    time_s: list[float]
    bar: list[int]
    beat: list[int]


@router.get("")
def list_folios(studio: Opened) -> list[FolioName]:
    """All folios, the last changed first."""
    return [FolioName(**f) for f in folios.list_folios(studio)]


@router.post("")
def create_folio(studio: Opened, body: NewFolio) -> FolioState:
    """Makes a folio."""
    return FolioState(**folios.state(studio, folios.create(studio, body.title)))


@router.post("/{folio_id}/copy")
def copy_folio(studio: Opened, folio_id: str) -> FolioState:
    """Copies it with its takes, parts and history."""
    return FolioState(**folios.state(studio, folios.copy(studio, folio_id)))


@router.get("/{folio_id}")
def get_folio(studio: Opened, folio_id: str) -> FolioState:
    """A folio whole, but for its notes."""
    return FolioState(**folios.state(studio, folio_id))


@router.patch("/{folio_id}")
def retitle_folio(studio: Opened, folio_id: str, body: Retitle) -> Revision:
    """Gives it another title."""
    return Revision(revision=folios.rename(studio, folio_id, body.title, body.base_revision))


@router.delete("/{folio_id}")
def remove_folio(studio: Opened, folio_id: str) -> Step:
    """Removes it for good."""
    folios.remove(studio, folio_id)
    return Step(label=None)


@router.post("/{folio_id}/undo")
def undo(studio: Opened, folio_id: str) -> Step:
    """Takes the last change back."""
    return Step(label=folios.step(studio, folio_id, back=True))


@router.post("/{folio_id}/redo")
def redo(studio: Opened, folio_id: str) -> Step:
    """Makes it again."""
    return Step(label=folios.step(studio, folio_id, back=False))


@router.get("/{folio_id}/history")
def get_history(studio: Opened, folio_id: str) -> list[HistoryEntry]:
    """All changes, newest first."""
    return [HistoryEntry(**entry) for entry in folios.list_history(studio, folio_id)]


@router.put("/{folio_id}/time")
def set_time(studio: Opened, folio_id: str, body: TimeChange) -> Revision:
    """Tempo, meter, the moment and number of bar 1."""
    if body.map_of_take:
        return Revision(revision=timing.use_map_of_take(studio, folio_id, body.map_of_take, body.base_revision))
    values = body.model_dump(exclude={"base_revision", "map_of_take"})
    return Revision(revision=timing.set_time(studio, folio_id, values, body.base_revision))


@router.get("/{folio_id}/time/proposals")
def propose(studio: Opened, folio_id: str, part: str | None = None, reading: str | None = None) -> list[Proposal]:
    """Tempos proposed from notes."""
    return [Proposal(**p.__dict__) for p in timing.proposals(studio, folio_id, part, reading)]


@router.post("/{folio_id}/time/taps")
def tap(studio: Opened, folio_id: str, body: Taps) -> Tapped:
    """Tempo of taps."""
    return Tapped(bpm=timing.tapped(body.tap_s))


@router.get("/{folio_id}/time/grid")
def get_grid(studio: Opened, folio_id: str, from_s: Seconds, to_s: Seconds, take: str = "") -> Grid:
    """Bar lines and beats of a stretch, in the seconds of a take or of the folio."""
    return Grid(**timing.grid(tempo_of(studio, folio_id, take), from_s, to_s))


@router.get("/{folio_id}/jobs")
def list_jobs(studio: Opened, folio_id: str) -> list[Job]:
    """Jobs, newest first."""
    return [Job(**job) for job in studio.jobs.list(folio_id)]


@router.delete("/{folio_id}/jobs")
def dismiss_jobs(studio: Opened, folio_id: str) -> Step:
    """Takes finished jobs off the list."""
    studio.jobs.dismiss(folio_id)
    return Step(label=None)


@router.delete("/{folio_id}/jobs/{job_id}")
def stop_job(studio: Opened, folio_id: str, job_id: str) -> Step:
    """Stops a job."""
    studio.jobs.stop(job_id)
    return Step(label=None)


@router.get("/{folio_id}/news", response_class=StreamingResponse)
async def watch(studio: Opened, folio_id: str) -> StreamingResponse:
    """A stream of what happens in the folio."""

    async def stream() -> AsyncIterator[str]:
        async with studio.bus.listening() as queue:
            yield ": here\n\n"
            while True:
                news: dict[str, Any] | None
                try:
                    news = await asyncio.wait_for(queue.get(), HEARTBEAT_S)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if news is None:
                    return
                if news.get("folio") == folio_id:
                    yield f"data: {json.dumps(news)}\n\n"

    return StreamingResponse(stream(), media_type="text/event-stream", headers={"cache-control": "no-store"})


@router.post("/{folio_id}/history/{change_id}")
def go_to(studio: Opened, folio_id: str, change_id: int) -> Steps:
    """Undoes or redoes until a change is the last one made; 0 goes back to the beginning."""
    return Steps(steps=folios.go_to(studio, folio_id, change_id))
