"""Edits of a part's notes by hand, and the rules that select them."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from honest_stave.core.errors import BadInput
from honest_stave.core.part import edits
from honest_stave.core.part.accept import curve_of
from honest_stave.core.part.notes import Note, Part, check_note, in_order
from honest_stave.core.part.select import Rule, select
from honest_stave.core.pitch.attacks import attacks_inside
from honest_stave.core.pitch.ends import note_end, pitch_levels_db
from honest_stave.core.pitch.pedal import find_pedal, next_lift
from honest_stave.core.signal.listen import ListenSettings, prepare
from honest_stave.core.signal.loud_enough import raised_by_db
from honest_stave.core.words import how_many
from honest_stave.service import folios, readings, takes
from honest_stave.service.codec import note_from_body, note_to_body, part_to_body
from honest_stave.service.parts import new_note_id, notes_of, part_of
from honest_stave.service.places import tempo_of
from honest_stave.service.studio import Studio
from honest_stave.store import history

# A stretch this long after a note's end is looked at for its sound.
TRIM_CONTEXT_S = 0.05
SILENCE_FLOOR_DB = -75.0

EDITS = {
    "move": "moved",
    "ends": "made longer or shorter",
    "split": "split",
    "join": "joined",
    "delete": "deleted",
    "velocity": "velocity",
    "trim": "ends trimmed",
    "paste": "pasted",
    "add": "added",
    "runner-up": "runner-up taken",
    "restore": "put back as read",
    "keep": "kept",
    "line": "put into a line",
    "restrike": "struck again",
}


def edit_notes(
    studio: Studio, folio_id: str, part_id: str, action: str, ids: list[str], values: dict[str, Any], base: int | None
) -> tuple[int, list[Note], list[str]]:
    """Edits notes of a part by hand.

    Args:
        action: one of ``EDITS``.
        ids: notes it concerns.
        values: what the action needs.
        base: revision the edit was made on.

    Returns:
        The new revision, notes put, ids removed.
    """
    part = part_of(studio, folio_id, part_id)
    with studio.database.session() as session:
        bodies = history.bodies_of(session, folio_id, [("note", part_id, i) for i in ids])
    notes = in_order([note_from_body(key[2], body) for key, body in bodies.items()])
    if not notes and action != "add":
        raise BadInput("No note is selected.", "Click one, or select with a rule.")
    change = _change(studio, folio_id, part_id, part, notes, action, values)
    count = max(len(change.put), len(change.removed))
    edit = history.Edit(f"{how_many(count, 'note')} {EDITS[action]}")
    edit.put = [("note", part_id, n.id, note_to_body(n)) for n in change.put]
    edit.removed = [("note", part_id, n.id) for n in change.removed]
    dropped = [n.origin.key for n in change.removed if n.origin is not None]
    if part.kit:
        dropped = [n.id for n in change.removed]
    if dropped and (part.reading or part.kit):
        kept = replace(part, dropped=tuple(dict.fromkeys((*part.dropped, *dropped))))
        edit.put.append(("part", "", part_id, part_to_body(kept)))
    revision = folios.change(studio, folio_id, edit, base)
    return revision, list(change.put), [n.id for n in change.removed]


def _change(
    studio: Studio,
    folio_id: str,
    part_id: str,
    part: Part,
    notes: list[Note],
    action: str,
    values: dict[str, Any],
) -> edits.Change:
    match action:
        case "move":
            return edits.move(notes, by_s=values.get("by_s", 0.0), semitones=values.get("semitones", 0))
        case "ends":
            return edits.set_ends(
                notes, start_by_s=values.get("start_by_s", 0.0), end_by_s=values.get("end_by_s", 0.0)
            )
        case "split":
            return edits.split(notes, at_s=values["at_s"], new_id=new_note_id)
        case "join":
            return edits.join(notes)
        case "delete":
            return edits.delete(notes)
        case "velocity":
            return edits.set_velocity(
                notes, value=values.get("value"), scale=values.get("scale", 1.0), even=values.get("even", 0.0)
            )
        case "trim":
            if values.get("to") == "pedal":
                return _trim_to_pedal(part, notes_of(studio, folio_id, part_id), notes)
            return _trim(studio, folio_id, part, notes)
        case "paste":
            return edits.paste(notes, at_s=values["at_s"], new_id=new_note_id)
        case "add":
            note = Note(
                id=new_note_id(),
                onset_s=values["onset_s"],
                offset_s=values["offset_s"],
                pitch=values["pitch"],
                velocity=values.get("velocity", 90),
                touched=True,
            )
            return edits.Change(put=(check_note(note),))
        case "runner-up":
            return edits.take_runner_up(notes)
        case "restore":
            return edits.restore(notes, lambda note: _curve_read(studio, folio_id, note))
        case "keep":
            return edits.Change(put=tuple(n.edited() for n in notes))
        case "line":
            return edits.set_line(notes, values.get("line", ""))
        case "restrike":
            return edits.restrike(notes, _moments(studio, folio_id, part, values.get("at", "beats")), new_note_id)
    raise BadInput(f"There is no edit called {action!r}.", f"Choose one of {', '.join(EDITS)}.")


def _curve_read(studio: Studio, folio_id: str, note: Note) -> edits.Curve:
    """The bend of a note as it was read; its own where no reading of notes measured one."""
    if note.origin is None or not readings.is_of_notes(studio, folio_id, note.origin.reading):
        return note.curve
    return curve_of(readings.opened(studio, folio_id, note.origin.reading), note)


def _moments(studio: Studio, folio_id: str, part: Part, at: str) -> Callable[[Note], list[float]]:
    """Where a long note may be struck again: at felt beats, or where the reading heard its pitch begin."""
    if at == "beats":
        tempo = tempo_of(studio, folio_id, part.take)
        return lambda note: tempo.felt_beats_between(note.onset_s, note.offset_s)
    if not part.reading:
        raise BadInput("This part was not read from a recording.", "Strike its notes again at the beats.")
    reading = readings.opened(studio, folio_id, part.reading)
    return lambda note: attacks_inside(reading, note.pitch, note.onset_s, note.offset_s)


def _trim(studio: Studio, folio_id: str, part: Part, notes: list[Note]) -> edits.Change:
    """Ends notes where the sound of their own pitch ends."""
    take = takes.audio_take(studio, folio_id, part.take)
    samples, rate = takes.samples_of(studio, take)
    floor_db = SILENCE_FLOOR_DB - raised_by_db(take["facts"]["loudest_db"])
    heard = [n for n in notes if n.onset_s < len(samples) / rate]
    if not heard:
        raise BadInput("These notes lie beyond the recording.", "Choose notes that have its sound under them.")

    def measured_end_s(note: Note) -> float:
        # The stretch is cut so that the sound after the note does not count.
        stretch = ListenSettings(from_s=max(0.0, note.onset_s - TRIM_CONTEXT_S), to_s=note.offset_s + TRIM_CONTEXT_S)
        signal, start_s = prepare(samples, rate, stretch)
        levels = pitch_levels_db(signal, note.pitch)
        return note_end(levels, note.onset_s - start_s, note.offset_s - start_s, floor_db) + start_s

    return edits.trim_ends(heard, measured_end_s)


def _trim_to_pedal(part: Part, every: list[Note], notes: list[Note]) -> edits.Change:
    """Ends notes that ring on where the pedal comes up: the part's own, or the one that explains its notes' ends."""
    spans = part.pedal or find_pedal(np.array([n.onset_s for n in every]), np.array([n.offset_s for n in every]))
    if not spans:
        raise BadInput(
            "No pedal is heard in this part: nowhere do notes that were struck apart end together.",
            "Trim its notes to the sound instead.",
        )
    lifts = dict(zip([n.id for n in notes], next_lift(np.array([n.onset_s for n in notes]), spans), strict=True))
    return edits.trim_ends(notes, lambda note: float(lifts[note.id]))


def pick(studio: Studio, folio_id: str, part_id: str, rule: Rule, value: float) -> list[str]:
    """Ids of the notes that a rule selects."""
    tempo_map = tempo_of(studio, folio_id, part_of(studio, folio_id, part_id).take)
    return select(notes_of(studio, folio_id, part_id), rule, value, tempo_map)
