"""Several takes in one go: each is read as what it seems to be, and the reading accepted as soon as it is there."""

from collections.abc import Callable
from typing import Any

from honest_stave.core.errors import StaveError
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import hits, kit_cutting, kit_parts, parts, readings, takes
from honest_stave.service.studio import Studio
from honest_stave.store.tables import Job


def start(studio: Studio, folio_id: str, take_ids: list[str], settings: dict[str, Any]) -> dict[str, Any]:
    """Queues the readings; returns the jobs' ids, and which takes were passed over and why."""
    jobs, passed_over = [], []
    for take_id in take_ids:
        try:
            seems = takes.audio_take(studio, folio_id, take_id)["facts"].get("seems") or {}
            if seems.get("name") == "drums":
                jobs.append(hits.ask(studio, folio_id, take_id, settings.get("listen", {}), accept=True))
            else:
                jobs.append(readings.ask(studio, folio_id, take_id, settings, accept=True))
        except StaveError as error:
            passed_over.append(f"{error.title} {error.detail}")
    return {"jobs": jobs, "passed_over": passed_over}


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading, and makes a part of it where the job asked for that."""
    outcome = readings.finish_reading(studio, job, result)
    return _accepted(
        job, outcome, lambda: parts.accept(studio, job.folio_id, outcome["reading"], FormSettings(), None, None)
    )


def finish_hits(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading of hits with its kit, and makes a part of its drums where the job asked for that."""
    outcome = kit_cutting.finish_reading(studio, job, result)
    return _accepted(job, outcome, lambda: kit_parts.make_drum_part(studio, job.folio_id, outcome["kit"], None))


def _accepted(job: Job, outcome: dict[str, Any], accept: Callable[[], str]) -> dict[str, Any]:
    if job.arguments.get("accept"):
        try:
            outcome["part"] = accept()
        except StaveError as error:
            outcome["notice"] = f"{error.title} {error.detail}"
    return outcome
