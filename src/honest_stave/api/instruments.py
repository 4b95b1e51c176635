"""The built-in instruments and their samples."""

from fastapi import APIRouter, Response

from honest_stave.api.models import Model
from honest_stave.api.takes import BINARY
from honest_stave.core.sound.instruments import RATE, instrument, instrument_names

router = APIRouter(prefix="/api/instruments", tags=["instruments"])


class InstrumentName(Model):
    """An instrument in the list."""

    id: str
    name: str
    program: int


class SampleInfo(Model):
    """Where a sample lies in the block of samples, in frames."""

    first: int
    frames: int
    root_hz: float
    loop_start: int
    loop_end: int


class InstrumentInfo(InstrumentName):
    """An instrument with its samples' places; a flat one is as loud at any velocity."""

    rate: int
    attack_s: float
    release_s: float
    channels: int = 1
    flat: bool = False
    samples: list[SampleInfo]


@router.get("")
def list_instruments() -> list[InstrumentName]:
    """All instruments."""
    return [InstrumentName(id=i, name=name, program=program) for i, (name, program) in instrument_names().items()]


@router.get("/{instrument_id}")
def get_instrument(instrument_id: str) -> InstrumentInfo:
    """Its samples' places and ramps."""
    found = instrument(instrument_id)
    infos, first = [], 0
    for sample in found.samples:
        infos.append(
            SampleInfo(
                first=first,
                frames=len(sample.data),
                root_hz=sample.root_hz,
                loop_start=sample.loop_start,
                loop_end=sample.loop_end,
            )
        )
        first += len(sample.data)
    return InstrumentInfo(
        id=found.id,
        name=found.name,
        program=found.program,
        rate=RATE,
        attack_s=found.attack_s,
        release_s=found.release_s,
        samples=infos,
    )


@router.get("/{instrument_id}/samples", response_class=Response, responses=BINARY)
def get_samples(instrument_id: str) -> Response:
    """All its samples, float32, one after the other."""
    data = b"".join(sample.data.tobytes() for sample in instrument(instrument_id).samples)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "max-age=86400"})
