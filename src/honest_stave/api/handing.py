"""Handing on: described, written, proven, fetched."""

from typing import Any, Literal

from fastapi import APIRouter
from fastapi.responses import FileResponse
from pydantic import Field

from honest_stave.api.models import Model, Opened
from honest_stave.service import handing

router = APIRouter(prefix="/api/folios/{folio_id}/hand-ons", tags=["hand-ons"])


class Ask(Model):
    """What is to be handed on."""

    parts: list[str] = Field(default_factory=list)
    names: dict[str, str] = Field(default_factory=dict)
    files: Literal["one", "each"] = "one"
    format: Literal["midi", "csv", "json", "labels"] = "midi"
    from_bar: int | None = None
    to_bar: int | None = None
    start: Literal["recording", "bar 1"] = "recording"
    bend_semitones: int = Field(2, ge=0, le=24)
    channels: Literal["one", "each"] = "each"
    type: Literal[0, 1] = 1
    middle_c_octave: Literal[3, 4] = 4
    pattern: str = Field("{folio} {part}", max_length=200)
    overwrite: bool = False


class Described(Model):
    """What the receiver will get."""

    names: list[str]
    words: list[str]
    left_out: list[str]
    said: list[str]


class ProofDifference(Model):
    """One difference."""

    time_s: float
    text: str


class ProofBody(Model):
    """What comparing found."""

    same: bool
    notes: int
    bends: int
    greatest_ms: float
    greatest_cents: float
    differences: list[ProofDifference]
    text: str
    zones_db: dict[str, float] = Field(default={})
    whole_db: dict[str, float] = Field(default={})
    against: str = ""
    against_db: float | None = None
    remarks: list[str] = Field(default=[])


class HandOn(Model):
    """A file that was handed on."""

    id: str
    name: str
    at: float
    settings: dict[str, Any]
    told: Described
    proof: ProofBody | None


def hand_on_model(body: dict[str, Any]) -> HandOn:
    return HandOn(**{**body, "proof": body["proof"] or None})


@router.get("")
def list_hand_ons(studio: Opened, folio_id: str) -> list[HandOn]:
    """What was handed on, newest first."""
    return [hand_on_model(row) for row in handing.listed(studio, folio_id)]


@router.get("/remembered")
def remembered(studio: Opened, folio_id: str) -> dict[str, Any]:
    """Settings used last."""
    return handing.remembered(studio)


@router.post("/describe")
def describe(studio: Opened, folio_id: str, body: Ask) -> Described:
    """Says what the receiver will get."""
    return Described(**handing.describe(studio, folio_id, body.model_dump()))


@router.post("")
def hand_on(studio: Opened, folio_id: str, body: Ask) -> HandOn:
    """Writes, reads back, proves."""
    return hand_on_model(handing.hand_on(studio, folio_id, body.model_dump()))


@router.get("/{hand_on_id}/file", response_class=FileResponse)
def get_file(studio: Opened, folio_id: str, hand_on_id: str) -> FileResponse:
    """The file."""
    name, path = handing.file_of(studio, folio_id, hand_on_id)
    kind = {"mid": "audio/midi", "zip": "application/zip"}.get(name.rsplit(".", 1)[-1], "text/plain; charset=utf-8")
    return FileResponse(path, media_type=kind, filename=name)
