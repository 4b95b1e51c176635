"""A map's recording straightened to a steady tempo, in a worker: long work that is followed and can be stopped."""

from pathlib import Path
from typing import Any

import numpy as np

from honest_stave.core.beat import map_files
from honest_stave.core.beat.beat_map import felt_bpm_of
from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.formats.wav_write import wav_in_blocks
from honest_stave.service import beat_maps, takes
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store.files import Files
from honest_stave.store.tables import Job

KIND = "straighten"


def ask(studio: Studio, folio_id: str, map_id: str, bpm: float | None) -> str:
    """Queues the straightening of a map's recording; returns the job's id.

    Args:
        bpm: felt beats a minute; None for the middle of the map's own.
    """
    beat_map = beat_maps.map_of(studio, folio_id, map_id)
    take = takes.audio_take(studio, folio_id, beat_map.take)
    tempo = bpm or round(float(np.median(felt_bpm_of(beat_map))), 1)
    body = beat_maps.map_to_body(beat_map, 0.0)
    arguments = takes.to_read(beat_map.take, take, {"map": body, "map_id": map_id, "bpm": tempo})
    return studio.jobs.add(folio_id, KIND, f"Straightening “{take['name']}” to {tempo:g}", arguments)


def straighten(files: Files, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Straightens in a worker; the WAV goes into a file."""
    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    wanted, rate = arguments["settings"], arguments["rate"]
    beat_map = beat_maps.map_from_body(wanted["map"])
    blocks, frames = map_files.straightened(samples, rate, beat_map, wanted["bpm"], progress)
    with files.writing() as incoming:
        incoming.file.writelines(wav_in_blocks(blocks, frames, samples.shape[1], rate))
        content = incoming.keep()
    return {"content": content, "bpm": wanted["bpm"], "map_id": wanted["map_id"]}


def straightened_by(studio: Studio, folio_id: str, map_id: str, job_id: str | None) -> tuple[float, Path]:
    """Felt beats a minute and the WAV file that a job has made of a map's recording.

    Raises:
        BadInput: no such job is done.
    """
    with studio.database.session() as session:
        job = session.get(Job, job_id) if job_id else None
        made = job.result if job and (job.folio_id, job.kind, job.state) == (folio_id, KIND, "done") else {}
    if made.get("map_id") != map_id:
        raise BadInput("The recording has not been straightened yet.", "Straighten it first, then hand it on.")
    return made["bpm"], studio.files.path(made["content"])
