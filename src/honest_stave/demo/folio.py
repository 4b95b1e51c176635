"""The demo folio: already worked on, so that the first screen is not empty."""

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import at_once, folios, kits, note_edits, parts, timing
from honest_stave.service.studio import Studio

TITLE = "The Lighthouse Goat"
OVERTURE_TITLE = "The Lighthouse Goat, overture"


def ensure_demo(studio: Studio, progress: Progress = no_progress) -> str:
    """The demo folio's id; it is made on the first call.

    Args:
        studio: an open studio.
        progress: told the share done.
    """
    for folio in folios.list_folios(studio):
        if folio["demo"]:
            return str(folio["id"])
    from honest_stave.demo.live import curtain_call
    from honest_stave.demo.loops import LOOPS
    from honest_stave.demo.takes import ALL, goat_song

    progress(0.02)
    _overture(studio)
    progress(0.3)
    folio_id = folios.create(studio, TITLE, demo=True)
    made: list[str] = []
    for make in ALL:
        demo_take = make()
        made.append(at_once.bring_in(studio, folio_id, demo_take.file_name, demo_take.wav()))
        progress(0.3 + 0.3 * len(made) / len(ALL))
    goat = goat_song()
    timing.set_time(
        studio, folio_id, {"bpm": goat.bpm, "downbeat_s": goat.bar_one_s, "numerator": 4, "denominator": 4}, None
    )
    reading = at_once.read(studio, folio_id, made[0])
    part = parts.accept(studio, folio_id, reading, FormSettings(), None, None, name="Goat, hummed", instrument="reed")
    _mend(studio, folio_id, part)
    at_once.read(studio, folio_id, made[4], {"voices": "many"})
    loops = [at_once.bring_in(studio, folio_id, loop.file_name, loop.wav()) for loop in (make() for make in LOOPS)]
    progress(0.75)
    _work_on(studio, folio_id, at_once.cut(studio, folio_id, loops[0]))
    curtain = curtain_call()
    curtain_take = at_once.bring_in(studio, folio_id, curtain.file_name, curtain.wav())
    at_once.find_beats(studio, folio_id, curtain_take)
    return folio_id


def _work_on(studio: Studio, folio_id: str, kit_id: str) -> None:
    """A kit as somebody would have left it: a cut by hand, one slice backwards, one softer."""
    slices = kits.opened(studio, folio_id, kit_id).slices
    middle_s = (slices[4].first + slices[4].last) / 2 / kits.opened(studio, folio_id, kit_id).rate
    kits.edit(studio, folio_id, kit_id, "cut", [], {"at_s": middle_s}, None)
    kits.edit(studio, folio_id, kit_id, "set", [slices[7].id], {"reversed": True}, None)
    kits.edit(studio, folio_id, kit_id, "set", [slices[10].id], {"gain_db": -4.0}, None)


def _mend(studio: Studio, folio_id: str, part_id: str) -> None:
    """A few edits, as somebody would have made them."""
    notes = parts.notes_of(studio, folio_id, part_id)
    note_edits.edit_notes(studio, folio_id, part_id, "velocity", [n.id for n in notes], {"even": 0.4}, None)
    note_edits.edit_notes(studio, folio_id, part_id, "ends", [notes[5].id], {"end_by_s": -0.06}, None)


def _overture(studio: Studio) -> None:
    """A folio of its own: the overture, its score, and the one laid on the other."""
    from honest_stave.demo.live import overture

    played = overture()
    folio_id = folios.create(studio, OVERTURE_TITLE)
    take = at_once.bring_in(studio, folio_id, played.file_name, played.wav())
    score = at_once.bring_in(studio, folio_id, "overture, score.mid", played.score)
    at_once.lay(studio, folio_id, score, take)
