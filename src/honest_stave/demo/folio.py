"""The demo folio: already worked on, so that the first screen is not empty."""

import time
from typing import Any

from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import folios, parts, readings, takes, timing, work
from honest_stave.service.studio import Studio
from honest_stave.store.tables import Job

TITLE = "The Lighthouse Goat"


def ensure_demo(studio: Studio) -> str:
    """The demo folio's id; it is made on the first call."""
    for folio in folios.list_folios(studio):
        if folio["demo"]:
            return str(folio["id"])
    from honest_stave.demo.takes import ALL, goat_song

    folio_id = folios.create(studio, TITLE, demo=True)
    made: list[str] = []
    for make in ALL:
        demo_take = make()
        made.append(_bring_in(studio, folio_id, demo_take.file_name, demo_take.wav()))
    goat = goat_song()
    timing.set_time(
        studio, folio_id, {"bpm": goat.bpm, "downbeat_s": goat.bar_one_s, "numerator": 4, "denominator": 4}, None
    )
    part = _read_and_accept(studio, folio_id, made[0], "Goat, hummed", "reed")
    _mend(studio, folio_id, part)
    return folio_id


def _run(studio: Studio, folio_id: str, kind: str, arguments: dict[str, Any]) -> tuple[Job, dict[str, Any]]:
    """Does a worker's work here: the demo is short, and is there when the first page is."""
    job = Job(id="demo", folio_id=folio_id, kind=kind, title="", state="done", at=time.time(), arguments=arguments)
    return job, work.TASKS[kind](studio.files, arguments, lambda share: None)


def _bring_in(studio: Studio, folio_id: str, file_name: str, data: bytes) -> str:
    content = studio.files.add(data)
    arguments = {"content": content, "name": file_name, "take_name": takes.name_of_file(file_name)}
    return str(takes.finish_decoding(studio, *_run(studio, folio_id, "decode", arguments))["take"])


def _read_and_accept(studio: Studio, folio_id: str, take_id: str, name: str, instrument: str) -> str:
    facts = takes.audio_take(studio, folio_id, take_id)["facts"]
    arguments = {
        "take": take_id,
        "samples": facts["samples"],
        "channels": facts["channels"],
        "rate": facts["rate"],
        "settings": {},
    }
    reading = readings.finish_reading(studio, *_run(studio, folio_id, "one voice", arguments))["reading"]
    return parts.accept(studio, folio_id, reading, FormSettings(), 0.5, None, name=name, instrument=instrument)


def _mend(studio: Studio, folio_id: str, part_id: str) -> None:
    """A few edits, as somebody would have made them."""
    notes = parts.notes_of(studio, folio_id, part_id)
    parts.edit_notes(studio, folio_id, part_id, "velocity", [n.id for n in notes], {"even": 0.4}, None)
    parts.edit_notes(studio, folio_id, part_id, "ends", [notes[5].id], {"end_by_s": -0.06}, None)
