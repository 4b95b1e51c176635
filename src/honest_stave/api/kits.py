"""Kits: a take cut into slices, its hits by lane, keys, tempo, null test."""

from typing import Annotated, Literal

from fastapi import APIRouter, Response
from pydantic import Field
from pydantic_core import to_json

from honest_stave.api.folios import Grid
from honest_stave.api.models import Kit, Model, Opened, PlayedRate, Removed, Revision, Seconds, SliceSettings
from honest_stave.api.takes import BINARY, Queued
from honest_stave.core.hits.doubts import SURE, doubts_of, lanes_in_doubt
from honest_stave.core.hits.keys import DRUM_NOTES
from honest_stave.core.hits.kit import MOST_SLICES, End
from honest_stave.core.signal.listen import Channels
from honest_stave.core.sound.stretches import at_rate, stereo
from honest_stave.service import hits, kit_playing, kit_tempo, kits, timing
from honest_stave.service.kits import OpenKit

router = APIRouter(prefix="/api/folios/{folio_id}/kits", tags=["kits"])
# A hundredth of a sample, at any rate.
MOMENT_DIGITS = 8
# Cuts are nudged no further than this.
MOST_FRAMES = 10_000_000


class AskHits(Model):
    """A take to be cut."""

    take: str
    channels: Channels = "sum"
    from_s: Seconds = 0.0
    to_s: Seconds = 0.0


class Strike(Model):
    """A drum in a slice."""

    drum: str
    kind: str
    velocity: int
    confidence: float
    ghost: bool
    runner_up: str
    runner_up_share: float


class Slice(Model):
    """A slice of the loop; without settings where nothing was done to it, as to nearly all of thousands."""

    id: str
    first_s: float
    last_s: float
    read_s: float | None
    within_ms: float | None
    level_db: float
    strikes: list[Strike]
    by_hand: bool
    key: int | None
    off_grid_ms: float
    settings: SliceSettings | None


class LoopTempo(Model):
    """A tempo proposed for the loop."""

    bpm: float
    bars: float
    numerator: int
    denominator: int
    swing: float
    start_s: float
    score: float
    share: float
    end_off_s: float


class LaneDoubt(Model):
    """A drum that may be another one throughout: how many strokes it has, how sure they are in the mean."""

    drum: str
    strokes: int
    sure: float


class HeardBy(Model):
    """What heard the hits that a kit is cut by, and in which channels."""

    engine: str
    channels: Channels


class KitView(Model):
    """A kit with everything that is drawn of it; one that no engine heard was cut by a file."""

    kit: Kit
    heard_by: HeardBy | None
    rate: int
    slices: list[Slice]
    loop_key: int | None
    keyless: int
    moment_s: list[float]
    moment_db: list[float]
    moment_confidence: list[float]
    grid: Grid
    tempo: LoopTempo | None
    tempi: list[LoopTempo]
    doubts: list[str]
    lanes_in_doubt: list[LaneDoubt]
    sure: float


class Thresholds(Model):
    """Limits tried without being kept."""

    least_confidence: float | None = Field(None, ge=0, le=1)
    threshold_db: float | None = Field(None, ge=-120, le=0)
    lane_thresholds_db: dict[str, float] | None = None


class KitChange(Thresholds):
    """What to change about a kit as a whole."""

    name: str | None = None
    root: int | None = None
    layout: Literal["rising", "drums"] | None = None
    choke_hats: bool | None = None
    notes: dict[str, int] | None = None
    tails: Literal["cut", "ring", "fade", "stretch"] | None = None
    base_revision: int | None = None


class SliceValues(Model):
    """What an edit of cuts or slices needs."""

    at_s: Seconds = 0.0
    by_s: Seconds = 0.0
    by_frames: int = Field(0, ge=-MOST_FRAMES, le=MOST_FRAMES)
    by: int = Field(0, ge=-MOST_SLICES, le=MOST_SLICES)
    drums: list[str] = Field([], max_length=6)
    was: str = ""
    gain_db: float = 0.0
    fade_s: float = 0.0
    reversed: bool = False
    muted: bool = False
    end: End = "next"
    key: int | None = Field(None, ge=0, le=127)
    kit: str = ""
    slice: str = ""


class KitEdit(Model):
    """An edit of cuts or slices by hand."""

    action: str
    ids: list[str] = Field(default_factory=list, max_length=MOST_SLICES)
    values: SliceValues = SliceValues()
    base_revision: int | None = None


class UseTempo(Model):
    """A tempo proposed, or typed as bars or as a tempo."""

    which: int = Field(0, ge=0)
    bars: float | None = Field(None, gt=0, le=1000)
    bpm: float | None = Field(None, ge=4, le=960)
    base_revision: int | None = None


class Null(Model):
    """The null test."""

    exact: bool
    residual_db: float
    breaking: list[tuple[str, float]]


class NoteMaps(Model):
    """Note maps kept under a name: drum to MIDI note."""

    maps: dict[str, dict[str, Annotated[int, Field(ge=0, le=127)]]]


class NoteMapsKept(NoteMaps):
    """Note maps kept, and the notes of drums that no map names."""

    plain: dict[str, int]


@router.post("")
def ask(studio: Opened, folio_id: str, body: AskHits) -> Queued:
    """Has a take's hits heard and cuts it."""
    listen = {"channels": body.channels, "from_s": body.from_s, "to_s": body.to_s}
    return Queued(jobs=[hits.ask(studio, folio_id, body.take, listen)])


def _view(studio: Opened, folio_id: str, found: OpenKit) -> Response:
    """The kit as a ``KitView``; thousands of slices leave without being checked: they come from core as they are."""
    rate = found.rate
    tempo_map = kit_tempo.map_of_loop(studio, folio_id, found.kit)
    off_ms = kit_tempo.off_sixteenth_ms(tempo_map, found)
    tempo = kit_tempo.loop_tempo(studio, folio_id, found.kit)
    tempi = hits.tempi_of(studio, folio_id, found.kit.reading) if found.kit.reading else []
    view = {
        "kit": found.kit,
        "heard_by": hits.heard_by(studio, folio_id, found.kit.reading) if found.kit.reading else None,
        "rate": rate,
        "slices": [
            {
                "id": s.id,
                "first_s": round(s.first / rate, MOMENT_DIGITS),
                "last_s": round(s.last / rate, MOMENT_DIGITS),
                "read_s": round(s.read_frame / rate, MOMENT_DIGITS) if s.read_frame >= 0 else None,
                "within_ms": s.within_ms,
                "level_db": s.level_db,
                "strikes": s.strikes,
                "by_hand": s.by_hand,
                "key": found.keys.get(s.id),
                "off_grid_ms": off,
                "settings": found.kit.slices.get(s.id),
            }
            for s, off in zip(found.slices, off_ms, strict=True)
        ],
        "loop_key": found.loop_key,
        "keyless": found.keyless,
        "moment_s": [round(m.frame / rate, MOMENT_DIGITS) for m in found.moments],
        "moment_db": [m.level_db for m in found.moments],
        "moment_confidence": [max(s.confidence for s in m.strikes) for m in found.moments],
        "grid": timing.grid(tempo_map, -2.0, len(found.samples) / rate + 2.0),
        "tempo": tempo,
        "tempi": tempi,
        "doubts": doubts_of(found.slices),
        "lanes_in_doubt": lanes_in_doubt(found.slices),
        "sure": SURE,
    }
    return Response(to_json(view), media_type="application/json")


@router.get("/note-maps")
def get_note_maps(studio: Opened, folio_id: str) -> NoteMapsKept:
    """Note maps kept for all folios."""
    return NoteMapsKept(maps=kits.note_maps(studio), plain=DRUM_NOTES)


@router.put("/note-maps")
def set_note_maps(studio: Opened, folio_id: str, body: NoteMaps) -> NoteMaps:
    """Keeps note maps for all folios."""
    return NoteMaps(maps=kits.keep_note_maps(studio, body.maps))


@router.get("/{kit_id}", response_model=KitView)
def get_kit(studio: Opened, folio_id: str, kit_id: str) -> Response:
    """A kit with its slices."""
    return _view(studio, folio_id, kits.opened(studio, folio_id, kit_id))


@router.post("/{kit_id}/try", response_model=KitView)
def try_thresholds(studio: Opened, folio_id: str, kit_id: str, body: Thresholds) -> Response:
    """The kit at other thresholds, without keeping them."""
    return _view(studio, folio_id, kits.opened(studio, folio_id, kit_id, body.model_dump(exclude_none=True)))


@router.patch("/{kit_id}")
def change_kit(studio: Opened, folio_id: str, kit_id: str, body: KitChange) -> Revision:
    """Changes thresholds, keys or name."""
    values = body.model_dump(exclude_none=True, exclude={"base_revision"})
    return Revision(revision=kits.change_kit(studio, folio_id, kit_id, values, body.base_revision))


@router.post("/{kit_id}/edits")
def edit_kit(studio: Opened, folio_id: str, kit_id: str, body: KitEdit) -> Revision:
    """Edits cuts and slices by hand."""
    values = body.values.model_dump(exclude_unset=True)
    revision = kits.edit(studio, folio_id, kit_id, body.action, body.ids, values, body.base_revision)
    return Revision(revision=revision)


@router.delete("/{kit_id}")
def remove_kit(studio: Opened, folio_id: str, kit_id: str, base_revision: int | None = None) -> Removed:
    """Takes a kit out of the folio."""
    silent = list(kit_playing.parts_of(studio, folio_id, kit_id).values())
    return Removed(revision=kits.remove(studio, folio_id, kit_id, base_revision), silent=silent)


@router.post("/{kit_id}/tempo")
def give_tempo(studio: Opened, folio_id: str, kit_id: str, body: UseTempo) -> Revision:
    """Makes the loop's tempo the folio's."""
    return Revision(revision=kit_tempo.give_tempo(studio, folio_id, kit_id, body.base_revision))


@router.put("/{kit_id}/tempo")
def set_tempo(studio: Opened, folio_id: str, kit_id: str, body: UseTempo) -> Revision:
    """Chooses or types the loop's tempo."""
    revision = kit_tempo.set_tempo(studio, folio_id, kit_id, body.which, body.bars, body.bpm, body.base_revision)
    return Revision(revision=revision)


@router.get("/{kit_id}/null")
def null_test(studio: Opened, folio_id: str, kit_id: str) -> Null:
    """All slices in place against the loop."""
    return Null(**vars(kits.null_of(studio, folio_id, kit_id)))


@router.get("/{kit_id}/slices/{slice_id}/sound", response_class=Response, responses=BINARY)
def get_slice_sound(studio: Opened, folio_id: str, kit_id: str, slice_id: str, rate: PlayedRate) -> Response:
    """What one slice sounds like at the rate it is played at: float32, both channels one after the other."""
    sound, own_rate = kits.slice_sound(studio, folio_id, kit_id, slice_id)
    return Response(stereo(at_rate(sound, own_rate, rate)).tobytes(), media_type="application/octet-stream")
