"""Parts: accepted from a reading, kept in step with the doubt limit, sent and joined, told as heard."""

import time
import uuid
from dataclasses import replace
from typing import Any

import numpy as np

from honest_stave.core.errors import BadInput, NotFound
from honest_stave.core.part.accept import note_of, renew
from honest_stave.core.part.events import Sounding, heard_parts, sounding_notes
from honest_stave.core.part.handing_on import expected_wrong
from honest_stave.core.part.notes import MOST_NOTES, Note, Part
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.core.sound.instruments import instrument_names
from honest_stave.core.words import free_name, how_many
from honest_stave.service import folios, readings
from honest_stave.service.codec import note_to_body, part_from_body, part_to_body
from honest_stave.service.places import places_of
from honest_stave.service.studio import Studio
from honest_stave.store import history

# Instruments that suit what was read, by its character.
INSTRUMENT_BY_CHARACTER = {"struck": "string", "sustained": "reed"}
SAME_MOMENT_S = 2e-5


def new_note_id() -> str:
    """A name that no other note has."""
    return uuid.uuid4().hex[:12]


def part_of(studio: Studio, folio_id: str, part_id: str) -> Part:
    """A part without its notes.

    Raises:
        NotFound: it is not in the folio.
    """
    with studio.database.session() as session:
        return part_from_body(history.entity(session, folio_id, "part", part_id))


def notes_of(studio: Studio, folio_id: str, part_id: str) -> list[Note]:
    """Notes of a part in order."""
    return studio.part_notes.of(folio_id, part_id)


def _counted(
    studio: Studio, folio_id: str, reading_id: str, form: FormSettings, least: float
) -> tuple[list[Note], int]:
    found = readings.candidates(studio, folio_id, reading_id, form, least)
    reading = readings.opened(studio, folio_id, reading_id)
    counted = [c for c in found if c.confidence >= least]
    if len(counted) > MOST_NOTES:
        raise BadInput(f"These limits give {len(counted)} notes.", f"At most {MOST_NOTES} fit in a part.")
    return [note_of(reading_id, reading, c) for c in counted], len(found) - len(counted)


def accept(
    studio: Studio,
    folio_id: str,
    reading_id: str,
    form: FormSettings,
    least: float | None,
    base: int | None,
    *,
    name: str | None = None,
    instrument: str | None = None,
) -> str:
    """Makes a part of a reading; returns its id.

    Where no limit is given, it is the one with the best expected F1.

    Raises:
        BadInput: the limit leaves no candidate.
    """
    row = readings.row(studio, folio_id, reading_id)
    least = readings.best_of(studio, folio_id, reading_id, form) if least is None else least
    with studio.database.session() as session:
        take_name = history.entities(session, folio_id, "take").get(row.take_id, {}).get("name", "Take")
        taken = {body["name"] for body in history.entities(session, folio_id, "part").values()}
    notes, left_out = _counted(studio, folio_id, reading_id, form, least)
    if not notes:
        raise BadInput("No candidate is over the doubt limit.", "Lower the limit until notes appear.")
    wanted = free_name(name or take_name, taken)
    low = float(np.median([n.pitch for n in notes])) < 50
    suits = "bass" if low else INSTRUMENT_BY_CHARACTER[row.summary["character"]]
    part = Part(
        name=wanted,
        instrument=instrument or suits,
        take=row.take_id,
        reading=reading_id,
        least_confidence=least,
        split=form.split,
        shortest_s=form.shortest_s,
        left_out=left_out,
        at=time.time(),
        pedal=_pedal_of(studio, folio_id, reading_id),
    )
    part_id = uuid.uuid4().hex
    edit = history.Edit(
        f"“{wanted}” accepted, {how_many(len(notes), 'note')}", put=[("part", "", part_id, part_to_body(part))]
    )
    edit.put += [("note", part_id, n.id, note_to_body(n)) for n in notes]
    folios.change(studio, folio_id, edit, base)
    return part_id


def _pedal_of(studio: Studio, folio_id: str, reading_id: str) -> tuple[tuple[float, float], ...]:
    reading = readings.opened(studio, folio_id, reading_id)
    return tuple((down + reading.starts_s, up + reading.starts_s) for down, up in reading.pedal)


def move_limit(
    studio: Studio, folio_id: str, part_id: str, form: FormSettings, least: float, base: int | None
) -> int:
    """Brings a part in step with other limits: only untouched candidates come and go."""
    part = part_of(studio, folio_id, part_id)
    if not part.reading:
        raise BadInput("This part was not read from a recording.", "It has no doubt limit.")
    fresh, left_out = _counted(studio, folio_id, part.reading, form, least)
    now = notes_of(studio, folio_id, part_id)
    many = readings.opened(studio, folio_id, part.reading).voices == "many"
    renewed = renew(now, fresh, reading_id=part.reading, dropped=frozenset(part.dropped), many=many)
    wanted = {n.id: n for n in renewed}
    before = {n.id: n for n in now}
    moved = replace(part, least_confidence=least, split=form.split, shortest_s=form.shortest_s, left_out=left_out)
    edit = history.Edit(f"Doubt limit of “{part.name}” moved", put=[("part", "", part_id, part_to_body(moved))])
    edit.put += [("note", part_id, i, note_to_body(n)) for i, n in wanted.items() if before.get(i) != n]
    edit.removed = [("note", part_id, i) for i in before if i not in wanted]
    return folios.change(studio, folio_id, edit, base)


def set_part(studio: Studio, folio_id: str, part_id: str, values: dict[str, Any], base: int | None) -> int:
    """Changes how a part is called and heard."""
    part = part_of(studio, folio_id, part_id)
    if "name" in values:
        values["name"] = folios.clean_title(values["name"], "name")
    own = str(values.get("instrument", "")).startswith("kit:")
    if "instrument" in values and not own and values["instrument"] not in instrument_names():
        raise NotFound(f"There is no instrument {values['instrument']!r}.", "Choose one of the list.")
    if values.get("keeps_beats") and part.beat_map:
        raise BadInput(f"“{part.name}” follows the beats of a recording.", "It moves with them as it is.")
    if values.get("keeps_beats") and part.reading:
        raise BadInput(f"“{part.name}” was read from a recording.", "Its notes stay where they sound.")
    if "pedal" in values:
        values["pedal"] = tuple(values["pedal"])
    changed = replace(part, **values)
    what = ", ".join(sorted(values)).replace("_", " ")
    edit = history.Edit(f"“{changed.name}”: {what}", put=[("part", "", part_id, part_to_body(changed))])
    return folios.change(studio, folio_id, edit, base)


def remove(studio: Studio, folio_id: str, part_id: str, base: int | None) -> int:
    """Takes a part with its notes out of the folio; undo brings it back."""
    part = part_of(studio, folio_id, part_id)
    with studio.database.session() as session:
        ids = list(history.entities(session, folio_id, "note", part_id))
    edit = history.Edit(f"“{part.name}” removed", removed=[("part", "", part_id)])
    edit.removed += [("note", part_id, i) for i in ids]
    return folios.change(studio, folio_id, edit, base)


def join_parts(studio: Studio, folio_id: str, part_ids: list[str], base: int | None) -> int:
    """Joins the notes of several parts into the first."""
    if len(part_ids) < 2:
        raise BadInput("There is nothing to join.", "Choose two parts or more.")
    first = part_of(studio, folio_id, part_ids[0])
    edit = history.Edit(f"{how_many(len(part_ids), 'part')} joined into “{first.name}”")
    for other in part_ids[1:]:
        part_of(studio, folio_id, other)
        for note in notes_of(studio, folio_id, other):
            fresh = replace(note, id=new_note_id(), touched=True)
            edit.put.append(("note", part_ids[0], fresh.id, note_to_body(fresh)))
            edit.removed.append(("note", other, note.id))
        edit.removed.append(("part", "", other))
    return folios.change(studio, folio_id, edit, base)


def send(studio: Studio, folio_id: str, part_id: str, ids: list[str], name: str, base: int | None) -> str:
    """Gives notes a part of their own, with their evidence; returns the new part's id.

    Raises:
        BadInput: no note is selected, or all are.
    """
    part = part_of(studio, folio_id, part_id)
    now = notes_of(studio, folio_id, part_id)
    wanted = set(ids)
    sent = [n for n in now if n.id in wanted]
    if not sent:
        raise BadInput("No note is selected.", "Select the notes of a line, by a rule or by hand.")
    if len(sent) == len(now):
        raise BadInput("All notes are selected.", "Leave some in the part, or give the part another name.")
    with studio.database.session() as session:
        taken = {body["name"] for body in history.entities(session, folio_id, "part").values()}
    wanted_name = free_name(folios.clean_title(name, "name"), taken)
    fresh = replace(part, name=wanted_name, reading="", kit="", left_out=0, dropped=(), at=time.time())
    dropped = [n.id for n in sent] if part.kit else [n.origin.key for n in sent if n.origin is not None]
    rest = replace(part, dropped=tuple(dict.fromkeys((*part.dropped, *dropped))))
    new_id = uuid.uuid4().hex
    edit = history.Edit(f"{how_many(len(sent), 'note')} of “{part.name}” sent to “{wanted_name}”")
    edit.put = [("part", "", new_id, part_to_body(fresh)), ("part", "", part_id, part_to_body(rest))]
    edit.put += [("note", new_id, n.id, note_to_body(n)) for n in sent]
    edit.removed = [("note", part_id, n.id) for n in sent]
    folios.change(studio, folio_id, edit, base)
    return new_id


def take_candidates(
    studio: Studio,
    folio_id: str,
    part_id: str,
    reading_id: str,
    form: FormSettings,
    onsets_s: list[float],
    base: int | None,
) -> int:
    """Takes candidates of another reading into a part, by their onsets."""
    part = part_of(studio, folio_id, part_id)
    reading = readings.opened(studio, folio_id, reading_id)
    wanted = np.array(onsets_s)
    every = readings.candidates(studio, folio_id, reading_id, form, part.least_confidence)
    # Moments were rounded on their way to the browser and back.
    found = [c for c in every if np.any(np.abs(wanted - c.onset_s) < SAME_MOMENT_S)]
    if not found:
        raise BadInput("These notes are no longer in the reading.", "Choose them again.")
    notes = [replace(note_of(reading_id, reading, c), touched=True) for c in found]
    edit = history.Edit(f"{how_many(len(notes), 'note')} taken from another reading into “{part.name}”")
    edit.put = [("note", part_id, n.id, note_to_body(n)) for n in notes]
    return folios.change(studio, folio_id, edit, base)


def made_of_takes(studio: Studio, folio_id: str) -> dict[str, dict[str, int]]:
    """Of each take that has parts: how many notes they hold, and how many of these are expected to be wrong."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "part")
    by_take: dict[str, list[Note]] = {}
    for part_id, body in bodies.items():
        by_take.setdefault(body["take"], []).extend(notes_of(studio, folio_id, part_id))
    return {
        take: {"notes": len(notes), "wrong": expected_wrong(sum(n.doubt for n in notes))}
        for take, notes in by_take.items()
    }


def events(
    studio: Studio, folio_id: str, part_ids: list[str] | None = None, seen_from: str = ""
) -> dict[str, list[Sounding]]:
    """The list of events that is heard, by part, in the seconds of a take or of the folio; the very list written."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "part")
    all_parts = {i: part_from_body(body) for i, body in bodies.items()}
    chosen = part_ids if part_ids is not None else heard_parts(all_parts)
    places = places_of(studio, folio_id)
    heard = {}
    for part_id in (i for i in chosen if i in all_parts):
        part = all_parts[part_id]
        found = sounding_notes(part_id, part, notes_of(studio, folio_id, part_id))
        by_s = places.get(part.take, 0.0) - places.get(seen_from, 0.0)
        heard[part_id] = [n.later(by_s) for n in found] if by_s else found
    return heard
