"""Readings of hits: asked for, kept, opened."""

import io
import json
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any

import numpy as np

from honest_stave.core.beat.loop_tempo import LoopTempo, propose_tempo
from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.hits.reading import DEFAULT_LEAST_CONFIDENCE, READABLE, HitSettings, HitsReading
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.service import readings, takes
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store.files import Files


def ask(studio: Studio, folio_id: str, take_id: str, listen: dict[str, Any], *, accept: bool = False) -> str:
    """Queues a reading of a take's hits, of which a kit is made, and a part if accepted; returns the job's id.

    Raises:
        BadInput: the take holds no sound.
    """
    take = takes.audio_take(studio, folio_id, take_id)
    arguments = takes.to_read(take_id, take, {"listen": listen}) | {"accept": accept}
    return studio.jobs.add(folio_id, "hits", f"Hearing the hits of “{take['name']}”", arguments)


def read_hits(files: Files, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Reads hits in a worker; the arrays go into a file, the summary comes back."""
    from honest_stave.core.hits.hits_engine import read

    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    listen = ListenSettings(**arguments["settings"]["listen"])
    reading = read(samples, arguments["rate"], HitSettings(listen), progress)
    counted = reading.confidence >= DEFAULT_LEAST_CONFIDENCE
    tempi = propose_tempo(
        reading.time_s[counted],
        reading.drum[counted],
        reading.velocity[counted],
        len(samples) / arguments["rate"],
    )
    summary = {"engine": reading.engine, "starts_s": listen.from_s, "tempi": [asdict(t) for t in tempi]}
    return {"arrays": files.add(to_bytes(reading)), "summary": summary}


def to_bytes(reading: HitsReading) -> bytes:
    """A reading as one file of arrays."""
    out = io.BytesIO()
    arrays = {f.name: getattr(reading, f.name) for f in fields(HitsReading) if f.name not in ("kind", "engine")}
    scalars = np.array(json.dumps({"kind": list(reading.kind), "engine": reading.engine}))
    np.savez(out, scalars=scalars, **arrays)
    return out.getvalue()


def from_file(path: Path) -> HitsReading:
    """A reading back from its file.

    Raises:
        BadInput: an engine that is no longer here made it.
    """
    with np.load(path, allow_pickle=False) as data:
        scalars = json.loads(str(data["scalars"]))
        if scalars["engine"] not in READABLE:
            raise BadInput(
                f"These hits were read by an older engine, {scalars['engine']}.", "Cut the take again to move limits."
            )
        arrays = {f.name: data[f.name] for f in fields(HitsReading) if f.name in data}
        # Engines up to hits 14 did not say how well attacks are placed.
        arrays.setdefault("within_s", np.full(len(arrays["time_s"]), np.nan))
        return HitsReading(**arrays, kind=tuple(scalars["kind"]), engine=scalars["engine"])


def heard_by(studio: Studio, folio_id: str, reading_id: str) -> dict[str, str]:
    """The engine that heard a reading, and in which channels."""
    row = readings.row(studio, folio_id, reading_id)
    return {"engine": row.engine, "channels": row.settings["listen"].get("channels", "sum")}


def tempi_of(studio: Studio, folio_id: str, reading_id: str) -> list[LoopTempo]:
    """Tempi proposed for the loop, the likeliest first."""
    return [LoopTempo(**t) for t in readings.row(studio, folio_id, reading_id).summary["tempi"]]
