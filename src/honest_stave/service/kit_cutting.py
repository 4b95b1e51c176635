"""Kits made of readings of hits, and cut anew by others."""

import uuid
from contextlib import suppress
from dataclasses import replace
from typing import Any

from honest_stave.core.errors import BadInput
from honest_stave.core.hits.cut_anew import cut_anew
from honest_stave.core.hits.kit import Kit
from honest_stave.core.hits.slicing import Moment, fitting
from honest_stave.service import hits, readings
from honest_stave.service.kits import kit_from_body, moments_in, put
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import Job

# Two readings mean the same tempo within this share.
SAME_TEMPO = 0.005


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading of hits and makes a kit of it, unless the take has one."""
    kept = readings.finish_reading(studio, job, result)
    folio_id, take_id = job.folio_id, kept["take"]
    with studio.database.session() as session:
        have = history.entities(session, folio_id, "kit")
        name = history.entities(session, folio_id, "take").get(take_id, {}).get("name", "Loop")
    known = next((i for i, body in have.items() if body["take"] == take_id), None)
    if known is None:
        kit_id, kit = uuid.uuid4().hex[:12], Kit(name=name, take=take_id, reading=kept["reading"])
        label = f"“{name}” cut"
    else:
        kit_id, kit = known, kit_from_body(have[known])
        label = f"“{kit.name}” cut by another reading"
    # The take may have been removed meanwhile; undo brings it back, with its kit.
    moments = moments_in(studio.files.path(result["arrays"]), job.arguments["rate"])
    if known is not None:
        kit = _cut_anew(studio, folio_id, kit, kept["reading"], moments, job.arguments["rate"])
    put(studio, folio_id, kit_id, fitting(kit, moments), label, None)
    return {**kept, "kit": kit_id}


def _cut_anew(
    studio: Studio, folio_id: str, kit: Kit, reading_id: str, moments: tuple[Moment, ...], rate: int
) -> Kit:
    """The kit by another reading: what was done by hand stays where it was done, and the tempo that was chosen."""
    before: tuple[Moment, ...] = ()
    if kit.reading:
        with suppress(BadInput):
            # What an engine read that is no longer here cannot be opened.
            before = moments_in(studio.files.path(readings.row(studio, folio_id, kit.reading).arrays), rate)
    fresh = replace(cut_anew(kit, before, moments, rate), reading=reading_id)
    if not kit.tempo or kit.bpm is not None or not kit.reading:
        return fresh
    bpm = [t.bpm for t in hits.tempi_of(studio, folio_id, kit.reading)][kit.tempo :][:1]
    proposed = [t.bpm for t in hits.tempi_of(studio, folio_id, reading_id)]
    same = [i for i, each in enumerate(proposed) if bpm and abs(each / bpm[0] - 1) < SAME_TEMPO]
    return replace(fresh, tempo=same[0]) if same else replace(fresh, tempo=0, bpm=bpm[0] if bpm else None)
