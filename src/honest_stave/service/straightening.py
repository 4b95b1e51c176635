"""A map's recording straightened to a steady tempo, in a worker: long work that is followed and can be stopped."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat import straight
from honest_stave.core.beat.map_tempo import felt_bpm_of
from honest_stave.core.beat.straight import StraightProof
from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.formats.wav_write import wav_in_blocks
from honest_stave.core.sound.struck import strokes_between
from honest_stave.service import beat_maps, takes
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store.files import Files
from honest_stave.store.tables import Job

KIND = "straighten"
# What was written is read back in pieces of so many seconds.
PIECE_S = 60
# By so much of the time strokes have been looked for, and the file has been written.
LOOKED, WRITTEN = 0.2, 0.8


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
    """Straightens in a worker; the WAV goes into a file and is read back."""
    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    wanted, rate = arguments["settings"], arguments["rate"]
    beat_map = beat_maps.map_from_body(wanted["map"])

    def part(first: float, last: float) -> Progress:
        return lambda share: progress(first + (last - first) * share)

    plan = straight.plan_straightening(samples, rate, beat_map, wanted["bpm"], part(0.0, LOOKED))
    blocks = straight.straightened(samples, rate, plan, part(LOOKED, WRITTEN))
    with files.writing() as incoming:
        incoming.file.writelines(wav_in_blocks(blocks, plan.frames(rate), samples.shape[1], rate))
        content = incoming.keep()
    proof = straight.prove_straight(plan, _strokes_of(files.path(content), part(WRITTEN, 1.0)))
    return {"content": content, "bpm": wanted["bpm"], "map_id": wanted["map_id"], "proof": asdict(proof)}


def _strokes_of(path: Path, progress: Progress) -> NDArray[np.float64]:
    """Moments at which something is struck in a WAV file, read piece by piece."""
    import soundfile

    found = []
    with soundfile.SoundFile(path) as file:
        rate, frames = file.samplerate, len(file)
        step, around = PIECE_S * rate, rate
        for first in range(0, frames, step):
            progress(first / frames)
            start = max(first - around, 0)
            file.seek(start)
            piece = file.read(first + step + around - start, dtype="float32", always_2d=True)
            from_s, to_s = (first - start) / rate, (min(first + step, frames) - start) / rate
            found.append(start / rate + strokes_between(piece, rate, from_s, to_s))
    return np.concatenate(found)


def straightened_by(
    studio: Studio, folio_id: str, map_id: str, job_id: str | None
) -> tuple[float, Path, StraightProof]:
    """Felt beats a minute, the WAV file that a job has made of a map's recording, and its proof.

    Raises:
        BadInput: no such job is done.
    """
    with studio.database.session() as session:
        job = session.get(Job, job_id) if job_id else None
        made = job.result if job and (job.folio_id, job.kind, job.state) == (folio_id, KIND, "done") else {}
    # Jobs of an older program have no proof.
    if made.get("map_id") != map_id or "proof" not in made:
        raise BadInput("The recording has not been straightened yet.", "Straighten it first, then hand it on.")
    return made["bpm"], studio.files.path(made["content"]), StraightProof(**made["proof"])
