"""Models that several resources share."""

from typing import Annotated, Any, Literal

from fastapi import Depends, Request
from pydantic import BaseModel, ConfigDict, Field

from honest_stave.service.studio import Studio


class Model(BaseModel):
    """Base of all models: unknown fields are refused, infinity and NaN too."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)


def studio_of(request: Request) -> Studio:
    """The open studio."""
    studio: Studio = request.app.state.studio
    return studio


Opened = Annotated[Studio, Depends(studio_of)]
Seconds = Annotated[float, Field(ge=-3600, le=8 * 3600)]
# Hz, of the context that plays it.
PlayedRate = Annotated[int, Field(ge=3000, le=768_000)]


class Based(Model):
    """A change that carries nothing but its base."""

    base_revision: int | None = None


class Revision(Model):
    """The folio's revision after a change."""

    revision: int


class Removed(Revision):
    """The same after something was removed, and the names of the parts that nothing plays without it."""

    silent: list[str]


class Knot(Model):
    """A position that falls at a moment."""

    beat: float
    time_s: float
    pinned: bool = False


class Meter(Model):
    """The meter from a bar on."""

    bar: int
    numerator: int
    denominator: int


class Tempo(Model):
    """The tempo map."""

    knots: list[Knot]
    meters: list[Meter]
    first_bar_number: int
    lone_bpm: float


class Settings(Model):
    """What belongs to the folio itself."""

    title: str
    tempo: Tempo
    tempo_set: bool = False
    beat_map: str = ""
    places: dict[str, float] = {}


class Hints(Model):
    """What the file's name and chunks suggest."""

    tempo_bpm: float | None = None
    key: str | None = None
    timeline_s: float | None = None


class Seems(Model):
    """What a take seems to hold, and what speaks for it."""

    name: Literal["one", "many", "drums", "mix"]
    confidence: float
    shares: list[float]
    overlapping: float
    overtones: float = 0.0
    strokes_a_second: float
    bright_a_second: float = 0.0
    of_two_pitches: float = 0.0


class TakeFacts(Model):
    """What was measured when the take came in."""

    format: str
    rate: int = 0
    channels: int = 0
    frames: int = 0
    duration_s: float = 0.0
    samples: str = ""
    peaks: list[str] = []
    hints: Hints = Hints()
    seems: Seems | None = None
    loudest_db: float = -120.0
    clipped_samples: int = 0
    silence_before_s: float = 0.0
    silence_after_s: float = 0.0
    repaired_samples: int = 0
    opposed_channels: int = 0
    notes: int = 0
    tracks: int = 0
    tempo: Tempo | None = None
    remarks: list[str] = []
    once: str = ""


class Take(Model):
    """A piece of source material."""

    name: str
    content: str
    kind: Literal["audio", "midi"]
    facts: TakeFacts
    at: float = 0.0


class Part(Model):
    """A line of music, without its notes."""

    name: str
    instrument: str
    octave: int
    level_db: float
    pan: float
    muted: bool
    solo: bool
    bends: bool
    percussion: bool
    take: str
    reading: str
    beat_map: str = ""
    keeps_beats: bool = False
    kit: str = ""
    least_confidence: float
    split: float
    shortest_s: float
    left_out: int
    dropped: list[str]
    at: float
    pedal: list[list[float]] = Field(default=[])
    notes_changed: int = Field(0, description="Another number than before: its notes are other ones.")


class Origin(Model):
    """What a note was when it was read."""

    reading: str
    key: str
    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    confidence: float
    onset_tolerance_s: float
    offset_tolerance_s: float
    level_db: float
    centre_cents: float
    runner_up: int
    runner_up_share: float


class Note(Model):
    """A note of a part."""

    id: str
    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    curve: list[tuple[float, float]]
    origin: Origin | None
    touched: bool
    line: str
    cut: str = ""


class Job(Model):
    """Long work."""

    id: str
    folio_id: str
    kind: str
    title: str
    state: Literal["queued", "running", "done", "failed", "stopped", "gone"]
    progress: float
    result: dict[str, Any]


class SliceSettings(Model):
    """What was done to a slice."""

    gain_db: float = 0.0
    fade_s: float = 0.0
    reversed: bool = False
    muted: bool = False
    end: Literal["next", "sound"] = "next"
    drums: list[str] | None = None
    key: int | None = None
    take: str = ""
    first_frame: int = 0
    last_frame: int = 0


class Kit(Model):
    """Slices of a take laid out on keys."""

    name: str
    take: str
    reading: str
    least_confidence: float
    threshold_db: float
    lane_thresholds_db: dict[str, float]
    hand: list[tuple[str, int]]
    moved: list[tuple[str, int]]
    away: list[str]
    slices: dict[str, SliceSettings]
    root: int
    layout: Literal["rising", "drums"]
    order: list[str]
    choke_hats: bool
    notes: dict[str, int]
    tails: Literal["cut", "ring", "fade", "stretch"]
    tempo: int = 0
    bpm: float | None = None
    at: float = 0.0


class BeatMapSummary(Model):
    """Beats of a take; all of them are asked for by themselves."""

    name: str
    take: str
    reading: str
    at: float
    beats: int
    pins: int


class NoteDoubts(Model):
    """How sure a note must be to stand in ink, and one that is left out to be walked to."""

    sure: float
    worth_walking: float


class FolioState(Model):
    """A folio whole, but for the notes of its parts."""

    id: str
    revision: int
    changed_at: float
    demo: bool
    settings: Settings
    takes: dict[str, Take]
    parts: dict[str, Part]
    kits: dict[str, Kit]
    beat_maps: dict[str, BeatMapSummary]
    note_doubts: NoteDoubts
    undo: str | None
    redo: str | None


class Form(Model):
    """Limits by which candidates are formed."""

    split: float = Field(0.5, ge=0, le=1)
    shortest_s: float = Field(0.05, ge=0, le=2)
