"""A worker's work done here and now, for what is short: the demo, and tests."""

import time
from typing import Any

from honest_stave.service import aligning, batch, beat_maps, kit_cutting, takes
from honest_stave.service.studio import Studio
from honest_stave.service.tasks import TASKS
from honest_stave.store import history
from honest_stave.store.tables import Job


def _done(studio: Studio, folio_id: str, kind: str, arguments: dict[str, Any]) -> tuple[Job, dict[str, Any]]:
    job = Job(id="now", folio_id=folio_id, kind=kind, title="", state="done", at=time.time(), arguments=arguments)
    return job, TASKS[kind](studio.files, arguments, lambda share: None)


def bring_in(studio: Studio, folio_id: str, file_name: str, data: bytes) -> str:
    """Brings a file in; returns the take's id."""
    arguments = {"content": studio.files.add(data), "name": file_name, "take_name": takes.name_of_file(file_name)}
    return str(takes.finish_decoding(studio, *_done(studio, folio_id, "decode", arguments))["take"])


def read(studio: Studio, folio_id: str, take_id: str, settings: dict[str, Any] | None = None) -> str:
    """Reads a take; returns the reading's id."""
    facts = takes.audio_take(studio, folio_id, take_id)["facts"]
    arguments = {key: facts[key] for key in ("samples", "channels", "rate")} | {
        "take": take_id,
        "settings": settings or {},
    }
    return str(batch.finish_reading(studio, *_done(studio, folio_id, "notes", arguments))["reading"])


def find_beats(studio: Studio, folio_id: str, take_id: str) -> str:
    """Finds the beats of a take; returns the id of the map that is made."""
    facts = takes.audio_take(studio, folio_id, take_id)["facts"]
    arguments = {key: facts[key] for key in ("samples", "channels", "rate")} | {
        "take": take_id,
        "settings": {"listen": {}},
    }
    return str(beat_maps.finish_reading(studio, *_done(studio, folio_id, "beats", arguments))["beat_map"])


def lay(studio: Studio, folio_id: str, score_id: str, take_id: str) -> str:
    """Lays a score on a take; returns the id of the map that is made."""
    facts = takes.audio_take(studio, folio_id, take_id)["facts"]
    with studio.database.session() as session:
        content = history.entity(session, folio_id, "take", score_id)["content"]
    arguments = {key: facts[key] for key in ("samples", "channels", "rate")} | {
        "take": take_id,
        "score": score_id,
        "content": content,
        "settings": {"score": score_id},
    }
    return str(aligning.finish(studio, *_done(studio, folio_id, "align", arguments))["beat_map"])


def cut(studio: Studio, folio_id: str, take_id: str) -> str:
    """Hears the hits of a take and cuts it; returns the kit's id."""
    facts = takes.audio_take(studio, folio_id, take_id)["facts"]
    arguments = {key: facts[key] for key in ("samples", "channels", "rate")} | {
        "take": take_id,
        "settings": {"listen": {}},
    }
    return str(kit_cutting.finish_reading(studio, *_done(studio, folio_id, "hits", arguments))["kit"])
