"""What is made of a kit: an instrument, the pattern that plays it, parts, files."""

from typing import Literal

from fastapi import APIRouter, Response
from pydantic import Field

from honest_stave.api.handing import HandOn, hand_on_model
from honest_stave.api.instruments import InstrumentInfo, SampleInfo
from honest_stave.api.models import Based, Model, Opened, PlayedRate, Revision
from honest_stave.api.takes import BINARY
from honest_stave.core.hits.kit import LEAD
from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.sound.stretches import at_rate, stereo
from honest_stave.service import kit_files, kit_parts, kit_playing, kits
from honest_stave.service.kit_parts import PatternSettings
from honest_stave.service.kit_playing import KIT_INSTRUMENT

router = APIRouter(prefix="/api/folios/{folio_id}/kits", tags=["kits"])
ATTACK_S, RELEASE_S = 0.0, 0.005


class AskPattern(Model):
    """How the pattern is made."""

    bpm: float | None = Field(None, ge=4, le=960)
    times: int = Field(1, ge=1, le=64)
    shuffle_seed: int | None = Field(None, ge=0)
    from_bar: int | None = Field(None, ge=1)
    to_bar: int | None = Field(None, ge=1)
    base_revision: int | None = None

    def settings(self) -> PatternSettings:
        """As the service takes them."""
        return PatternSettings(self.bpm, self.times, self.shuffle_seed, self.from_bar, self.to_bar)


class AskFiles(AskPattern):
    """What of a kit is handed on."""

    formats: list[Literal["wav", "sfz", "sf2", "lanes", "csv", "labels"]]


class Played(Model):
    """What a part makes of a kit: how many slices it plays, how many of its notes play nothing."""

    part: str
    name: str
    slices: int
    silent: int


class DrumPart(Model):
    """A part made of the kit's drums, and how many of its notes are other ones in it now."""

    part: str
    name: str
    behind: int


class PartsOfKit(Model):
    """What parts make of a kit."""

    played: list[Played]
    drums: list[DrumPart]


class PartMade(Model):
    """A part that was made."""

    part: str


class PatternNotes(Model):
    """The pattern as it is heard."""

    onset_s: list[float]
    offset_s: list[float]
    key: list[int]


@router.get("/{kit_id}/instrument")
def get_instrument(studio: Opened, folio_id: str, kit_id: str, rate: PlayedRate, pace: float = 1.0) -> InstrumentInfo:
    """The kit as an instrument: a sample a key, each at its own pitch, at the rate it is played at."""
    found = kits.opened(studio, folio_id, kit_id)
    infos, first = [], 0
    for zone in kit_files.zones(studio, folio_id, found, pace):
        count = len(at_rate(zone.sound, found.rate, rate))
        hz = float(pitch_to_hz(zone.key))
        infos.append(SampleInfo(first=first, frames=count, root_hz=hz, loop_start=0, loop_end=0))
        first += count
    return InstrumentInfo(
        id=KIT_INSTRUMENT + kit_id,
        name=found.kit.name,
        program=0,
        rate=rate,
        attack_s=ATTACK_S,
        release_s={"cut": RELEASE_S, "stretch": RELEASE_S, "fade": 0.08, "ring": 30.0}[found.kit.tails],
        channels=2,
        flat=True,
        samples=infos,
    )


@router.get("/{kit_id}/instrument/samples", response_class=Response, responses=BINARY)
def get_instrument_samples(
    studio: Opened, folio_id: str, kit_id: str, rate: PlayedRate, pace: float = 1.0
) -> Response:
    """All its samples, float32, one after the other, each left then right."""
    found = kits.opened(studio, folio_id, kit_id)
    data = b"".join(
        stereo(at_rate(z.sound, found.rate, rate)).tobytes() for z in kit_files.zones(studio, folio_id, found, pace)
    )
    return Response(data, media_type="application/octet-stream")


@router.get("/{kit_id}/pattern")
def get_pattern(studio: Opened, folio_id: str, kit_id: str) -> PatternNotes:
    """The pattern that plays the kit, as it is heard."""
    found = kits.opened(studio, folio_id, kit_id)
    playing = [s for s in found.slices if s.id in found.keys and s.id != LEAD]
    return PatternNotes(
        onset_s=[s.first / found.rate for s in playing],
        offset_s=[s.last / found.rate for s in playing],
        key=[found.keys[s.id] for s in playing],
    )


@router.post("/{kit_id}/pattern")
def make_pattern(studio: Opened, folio_id: str, kit_id: str, body: AskPattern) -> PartMade:
    """Makes a part of the pattern."""
    return PartMade(part=kit_parts.make_pattern(studio, folio_id, kit_id, body.settings(), body.base_revision))


@router.get("/{kit_id}/parts")
def get_parts(studio: Opened, folio_id: str, kit_id: str) -> PartsOfKit:
    """Parts that the kit plays, and parts made of its drums."""
    found = kits.opened(studio, folio_id, kit_id)
    played = kit_playing.played(studio, folio_id, kit_id, found.playable)
    drums = kit_parts.drum_parts(studio, folio_id, kit_id, found)
    return PartsOfKit(played=[Played(**vars(p)) for p in played], drums=[DrumPart(**vars(d)) for d in drums])


@router.post("/{kit_id}/drums/{part_id}")
def bring_in_step(studio: Opened, folio_id: str, kit_id: str, part_id: str, body: Based) -> Revision:
    """Brings a part of drums in step with its kit."""
    return Revision(revision=kit_parts.bring_in_step(studio, folio_id, kit_id, part_id, body.base_revision))


@router.post("/{kit_id}/drums")
def make_drums(studio: Opened, folio_id: str, kit_id: str, body: AskPattern) -> PartMade:
    """Makes a part of the hits by lane."""
    return PartMade(part=kit_parts.make_drum_part(studio, folio_id, kit_id, body.base_revision))


@router.post("/{kit_id}/hand-on")
def hand_on(studio: Opened, folio_id: str, kit_id: str, body: AskFiles) -> HandOn:
    """Writes the kit, reads it back, proves it."""
    return hand_on_model(kit_files.hand_on(studio, folio_id, kit_id, list(body.formats), body.settings()))
