"""Several takes in one go: each is read, and its reading accepted as soon as it is there."""

from typing import Any

from honest_stave.core.errors import StaveError
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import parts, readings
from honest_stave.service.studio import Studio
from honest_stave.store.tables import Job


def start(studio: Studio, folio_id: str, take_ids: list[str], settings: dict[str, Any]) -> dict[str, Any]:
    """Queues the readings; returns the jobs' ids, and which takes were passed over and why."""
    jobs, passed_over = [], []
    for take_id in take_ids:
        try:
            jobs.append(readings.ask(studio, folio_id, take_id, settings, accept=True))
        except StaveError as error:
            passed_over.append(f"{error.title} {error.detail}")
    return {"jobs": jobs, "passed_over": passed_over}


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading, and makes a part of it where the job asked for that."""
    outcome = readings.finish_reading(studio, job, result)
    if job.arguments.get("accept"):
        try:
            outcome["part"] = parts.accept(studio, job.folio_id, outcome["reading"], FormSettings(), None, None)
        except StaveError as error:
            outcome["notice"] = f"{error.title} {error.detail}"
    return outcome
