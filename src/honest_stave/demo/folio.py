"""The demo folio: already worked on, so that the first screen is not empty."""

from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import at_once, folios, parts, timing
from honest_stave.service.studio import Studio

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
        made.append(at_once.bring_in(studio, folio_id, demo_take.file_name, demo_take.wav()))
    goat = goat_song()
    timing.set_time(
        studio, folio_id, {"bpm": goat.bpm, "downbeat_s": goat.bar_one_s, "numerator": 4, "denominator": 4}, None
    )
    reading = at_once.read(studio, folio_id, made[0])
    part = parts.accept(studio, folio_id, reading, FormSettings(), 0.5, None, name="Goat, hummed", instrument="reed")
    _mend(studio, folio_id, part)
    return folio_id


def _mend(studio: Studio, folio_id: str, part_id: str) -> None:
    """A few edits, as somebody would have made them."""
    notes = parts.notes_of(studio, folio_id, part_id)
    parts.edit_notes(studio, folio_id, part_id, "velocity", [n.id for n in notes], {"even": 0.4}, None)
    parts.edit_notes(studio, folio_id, part_id, "ends", [notes[5].id], {"end_by_s": -0.06}, None)
