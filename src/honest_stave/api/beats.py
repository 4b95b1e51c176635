"""Beat maps: a take's beats found, mended, made the folio's time, handed on."""

from typing import Literal

import numpy as np
from fastapi import APIRouter, Response
from pydantic import Field
from pydantic_core import to_json

from honest_stave.api.handing import HandOn, hand_on_model
from honest_stave.api.models import Based, Model, Opened, Revision, Seconds
from honest_stave.api.takes import Queued
from honest_stave.core.beat.beat_map import MOST_BEATS, places_of
from honest_stave.core.beat.click import ticks_of
from honest_stave.core.beat.held import likely_held
from honest_stave.core.beat.map_files import click_notes
from honest_stave.core.beat.map_tempo import (
    doubt_bpm_of,
    drift_ms_of,
    felt_bpm_of,
    tempo_curve_of,
    weakest_first,
)
from honest_stave.core.beat.plausible import implausible_stretches
from honest_stave.core.beat.silences import rests_in
from honest_stave.core.signal.convert import hz_to_pitch
from honest_stave.core.signal.listen import Channels
from honest_stave.core.sound.click_sounds import INSTRUMENT_OF, click_hz
from honest_stave.service import aligning, beat_maps, beats, laying, map_files, straightening

BETWEEN_COLUMNS = ("beat", "share", "time_s", "heard_s", "confidence", "pinned")
router = APIRouter(prefix="/api/folios/{folio_id}/beat-maps", tags=["beat maps"])


class AskBeats(Model):
    """A take whose beats are to be found, or on which even ones are laid (beats a minute)."""

    take: str
    even_bpm: float | None = Field(None, ge=20, le=300)
    channels: Channels = "sum"
    from_s: Seconds = 0.0
    to_s: Seconds = 0.0


class AskAlign(Model):
    """A score and a take to lay it on."""

    score: str
    take: str


class MeterFrom(Model):
    """A meter from a beat on."""

    beat: int
    bar: int
    numerator: int
    denominator: int


class Hold(Model):
    """A beat held."""

    beat: int
    written_beats: int
    real_s: float


class Marker(Model):
    """A named moment."""

    time_s: float
    name: str


class ClickFrom(Model):
    """How the click sounds from a beat on."""

    beat: int
    subdivision: int
    accent: bool
    sound: str
    level_db: float
    in_holds: str


class RunnerUp(Model):
    """Another way to count."""

    name: str
    share: float


class OnsetsBetween(Model):
    """Written onsets between beats, as columns: the beat before each, and its share of the way to the next one."""

    beat: list[int]
    share: list[float]
    time_s: list[float]
    heard_s: list[float | None]
    confidence: list[float]
    pinned: list[bool]
    moments: list[list[float | None]]
    ends_at: list[float | None]


class TempoCurve(Model):
    """The tempo from stop to stop, beats and pins between them, as columns; what is held is left out."""

    middle_s: list[float]
    bpm: list[float]
    doubt_bpm: list[float]


class MapPlace(Model):
    """A beat, or an onset between beats, by its number."""

    beat: int | None
    between: int | None


class BeatMapView(Model):
    """A map with everything that is drawn of it, beats as columns."""

    id: str
    name: str
    take: str
    reading: str
    rules: bool
    time_s: list[float]
    heard_s: list[float | None]
    drift_ms: list[float | None]
    confidence: list[float]
    pinned: list[bool]
    steady: list[bool]
    bar: list[int]
    beat: list[int]
    position: list[float]
    felt_bpm: list[float]
    doubt_bpm: list[float]
    between: OnsetsBetween
    curve: TempoCurve
    walk: list[MapPlace]
    meters: list[MeterFrom]
    first_bar_number: int
    holds: list[Hold]
    markers: list[Marker]
    clicks: list[ClickFrom]
    smoothing: float
    runners_up: list[RunnerUp]
    score: str
    said: list[str]
    moments: list[list[float | None]]
    ends_at: list[float | None]
    written_out: list[list[int]]
    silences: list[list[int]]
    implausible: list[list[int]]
    held: list[list[float]]


class BeatValues(Model):
    """What an edit of a map needs."""

    time_s: Seconds = 0.0
    place: float = Field(0.0, ge=0, le=MOST_BEATS)
    between: list[int] = Field([], min_length=1)
    to_attack: bool = False
    bar: int = Field(1, ge=-9999, le=9999)
    beat: int = 1
    numerator: int = 4
    denominator: int = 4
    meters: list[tuple[int, int, int]] = Field([], max_length=1000)
    amount: float = Field(0.0, ge=0, le=1)
    beats: int = Field(1, ge=1, le=MOST_BEATS)
    written_beats: int | None = None
    name: str = Field("", max_length=200)
    tap_s: list[Seconds] = Field([], max_length=MOST_BEATS)
    subdivision: int = 1
    accent: bool = True
    sound: str = "wood"
    level_db: float = 0.0
    in_holds: str = "rest"


class BeatEdit(Model):
    """An edit of a map."""

    action: str
    beats: list[int] = Field(default_factory=list, max_length=MOST_BEATS)
    values: BeatValues = BeatValues()
    base_revision: int | None = None


class UseRunnerUp(Model):
    """Another way to count."""

    name: str
    base_revision: int | None = None


class AskMapFiles(Model):
    """What of a map is handed on."""

    formats: list[Literal["map", "click", "click track", "parts", "bar", "straight", "score", "csv", "labels"]]
    from_bar_one: bool = False
    straightened: str | None = None


class AskStraight(Model):
    """A steady tempo in felt beats a minute; none for the middle of the map's own."""

    bpm: float | None = Field(None, ge=20, le=400)


class LayAnew(Model):
    """A place in a map's list of beats, with the share of the way to the next one."""

    place: float = Field(ge=0, le=MOST_BEATS)


class Ticks(Model):
    """The click as it sounds: moments, instruments, pitches (MIDI numbers, between keys too) and velocities."""

    time_s: list[float]
    instrument: list[str]
    pitch: list[float]
    velocity: list[int]


@router.post("")
def ask(studio: Opened, folio_id: str, body: AskBeats) -> Queued:
    """Has a take's beats found, or even ones laid on it."""
    listen = {"channels": body.channels, "from_s": body.from_s, "to_s": body.to_s}
    return Queued(jobs=[beats.ask(studio, folio_id, body.take, listen, body.even_bpm)])


@router.post("/align")
def ask_align(studio: Opened, folio_id: str, body: AskAlign) -> Queued:
    """Lays a score on a take."""
    return Queued(jobs=[aligning.ask(studio, folio_id, body.score, body.take)])


@router.get("/{map_id}", response_model=BeatMapView)
def get_map(studio: Opened, folio_id: str, map_id: str) -> Response:
    """A map; thousands of beats leave without being checked: they come from core as they are."""
    found = beat_maps.map_of(studio, folio_id, map_id)
    places = places_of(found)
    times = [b.time_s for b in found.beats]
    held = likely_held(found)
    on_beats, off_beats = aligning.sung_at(studio, folio_id, found)
    curve = tempo_curve_of(found)
    view = {
        "id": map_id,
        "name": found.name,
        "take": found.take,
        "reading": found.reading,
        "rules": beat_maps.ruling(studio, folio_id) == map_id,
        "time_s": times,
        "heard_s": [b.heard_s for b in found.beats],
        "drift_ms": [None if d is None else round(d, 2) for d in drift_ms_of(found)],
        "confidence": [b.confidence for b in found.beats],
        "pinned": [b.pinned for b in found.beats],
        "steady": [b.steady for b in found.beats],
        "bar": places.bar.tolist(),
        "beat": places.beat.tolist(),
        "position": places.position.tolist(),
        "felt_bpm": felt_bpm_of(found).round(3).tolist(),
        "doubt_bpm": doubt_bpm_of(found).round(3).tolist(),
        "meters": [
            {"beat": m.beat, "bar": int(places.bar[m.beat]), "numerator": m.numerator, "denominator": m.denominator}
            for m in found.meters
        ],
        "first_bar_number": found.first_bar_number,
        "holds": [{**vars(h), "real_s": times[h.beat + 1] - times[h.beat]} for h in found.holds],
        "markers": found.markers,
        "clicks": found.clicks,
        "smoothing": found.smoothing,
        "score": aligning.score_of(studio, folio_id, found),
        "said": [
            *aligning.said_of(studio, folio_id, found),
            *beat_maps.said_of_clicks(studio, folio_id, found, places.bar.tolist()),
        ],
        "moments": [each.moments for each in on_beats],
        "ends_at": [each.ends_at for each in on_beats],
        "between": {
            **{name: [getattr(b, name) for b in found.between] for name in BETWEEN_COLUMNS},
            "moments": [each.moments for each in off_beats],
            "ends_at": [each.ends_at for each in off_beats],
        },
        "curve": {name: getattr(curve, name).round(4).tolist() for name in ("middle_s", "bpm", "doubt_bpm")},
        "walk": [{"beat": beat, "between": between} for beat, between in weakest_first(found)],
        "written_out": [[w.beat, w.beats] for w in found.written_out],
        "silences": rests_in(found, beat_maps.silences(studio, folio_id, found)),
        "implausible": implausible_stretches(found, held),
        "held": held,
        "runners_up": [{"name": n, "share": s} for n, s in beat_maps.runners_up(studio, folio_id, found)],
    }
    return Response(to_json(view), media_type="application/json")


@router.post("/{map_id}/edits")
def edit_map(studio: Opened, folio_id: str, map_id: str, body: BeatEdit) -> Revision:
    """Moves, pins, numbers, smooths: whatever mends a map."""
    values = body.values.model_dump(exclude_unset=True)
    revision = beat_maps.edit(studio, folio_id, map_id, body.action, body.beats, values, body.base_revision)
    return Revision(revision=revision)


@router.post("/{map_id}/runner-up")
def use_runner_up(studio: Opened, folio_id: str, map_id: str, body: UseRunnerUp) -> Revision:
    """Counts the music another way."""
    return Revision(revision=beat_maps.take_runner_up(studio, folio_id, map_id, body.name, body.base_revision))


@router.post("/{map_id}/rule")
def rule(studio: Opened, folio_id: str, map_id: str, body: Based) -> Revision:
    """Makes this map the folio's time."""
    return Revision(revision=beat_maps.let_rule(studio, folio_id, map_id, body.base_revision))


@router.delete("/{map_id}")
def remove_map(studio: Opened, folio_id: str, map_id: str, base_revision: int | None = None) -> Revision:
    """Takes a map out of the folio."""
    return Revision(revision=beat_maps.remove(studio, folio_id, map_id, base_revision))


@router.get("/{map_id}/ticks")
def get_ticks(studio: Opened, folio_id: str, map_id: str, runner_up: str = "") -> Ticks:
    """The click of a map, or of another way to count it."""
    found = beat_maps.map_of(studio, folio_id, map_id)
    ticks = ticks_of(beat_maps.other_count(studio, folio_id, found, runner_up) if runner_up else found)
    notes = click_notes(ticks)
    return Ticks(
        time_s=[t.time_s for t in ticks],
        instrument=[INSTRUMENT_OF[t.sound] for t in ticks],
        pitch=hz_to_pitch(np.array([click_hz(t.sound, t.kind) for t in ticks])).round(3).tolist(),
        velocity=[n.velocity for n in notes],
    )


@router.post("/{map_id}/lay")
def lay_anew(studio: Opened, folio_id: str, map_id: str, body: LayAnew) -> Queued:
    """Has the score laid anew between the pins around a place."""
    return Queued(jobs=[laying.ask(studio, folio_id, map_id, body.place)])


@router.post("/{map_id}/straighten")
def straighten(studio: Opened, folio_id: str, map_id: str, body: AskStraight) -> Queued:
    """Queues the straightening of the map's recording, which is handed on by the job's id."""
    return Queued(jobs=[straightening.ask(studio, folio_id, map_id, body.bpm)])


@router.post("/{map_id}/hand-on")
def hand_on(studio: Opened, folio_id: str, map_id: str, body: AskMapFiles) -> HandOn:
    """Writes the map, reads it back, proves it."""
    made = map_files.hand_on(studio, folio_id, map_id, list(body.formats), body.from_bar_one, body.straightened)
    return hand_on_model(made)
