"""Parts made of a kit: the pattern that plays it, the drums by lane."""

import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace

from honest_stave.core.errors import BadInput
from honest_stave.core.hits import pattern
from honest_stave.core.hits.drum_part import in_step
from honest_stave.core.part.notes import Note, Part
from honest_stave.core.words import free_name, how_many
from honest_stave.service import folios
from honest_stave.service.codec import note_to_body, part_from_body, part_to_body
from honest_stave.service.kit_playing import KIT_INSTRUMENT
from honest_stave.service.kit_tempo import loop_tempo, map_of_loop
from honest_stave.service.kits import OpenKit, opened
from honest_stave.service.parts import notes_of, part_of
from honest_stave.service.studio import Studio
from honest_stave.store import history


@dataclass(frozen=True)
class PatternSettings:
    """How the pattern of a kit is made.

    Args:
        bpm: at this tempo, None for the loop's own.
        times: so many times in a row.
        shuffle_seed: slices change places by this seed, None for as they are.
        from_bar, to_bar: only these bars of the loop, both counted in; None for all of it.
    """

    bpm: float | None = None
    times: int = 1
    shuffle_seed: int | None = None
    from_bar: int | None = None
    to_bar: int | None = None


def pattern_notes(studio: Studio, folio_id: str, found: OpenKit, settings: PatternSettings) -> list[Note]:
    """Notes of the pattern that plays the kit."""
    notes = pattern.pattern_of(found.kit, found.slices, found.keys, found.rate)
    if not notes:
        raise BadInput("No slice is on a key.", "Cut the loop first, or lower the root.")
    loop = loop_tempo(studio, folio_id, found.kit)
    if settings.shuffle_seed is not None:
        notes = pattern.shuffled(notes, settings.shuffle_seed)
    start_s, length_s = notes[0].onset_s, notes[-1].offset_s - notes[0].onset_s
    if loop is not None:
        beats = loop.numerator if loop.denominator == 4 else loop.numerator / 3
        start_s, length_s = loop.start_s, loop.bars * beats * 60 / loop.bpm
    if settings.from_bar is not None or settings.to_bar is not None:
        tempo_map = map_of_loop(studio, folio_id, found.kit)
        first = settings.from_bar or 1
        last = settings.to_bar or max(first, int(loop.bars) if loop else first)
        if last < first:
            raise BadInput(f"Bars {first} to {last} run backwards.", "Give the earlier bar first.")
        start_s, end_s = (float(tempo_map.seconds_at(tempo_map.bar_start(b))) for b in (first - 1, last))
        notes, length_s = pattern.trimmed(notes, start_s, end_s), end_s - start_s
    if settings.bpm is not None:
        pace = settings.bpm / map_of_loop(studio, folio_id, found.kit).bpm_at(0.0)
        lengths = found.kit.tails == "cut" or (found.kit.tails == "stretch" and pace < 1)
        notes = pattern.at_pace(notes, start_s, pace, lengths=lengths or (pace > 1 and found.kit.tails == "fade"))
        length_s /= pace
    return pattern.repeated(notes, length_s, settings.times)


def make_pattern(studio: Studio, folio_id: str, kit_id: str, settings: PatternSettings, base: int | None) -> str:
    """Makes a part of the pattern, played by the kit; returns its id."""
    found = opened(studio, folio_id, kit_id)
    notes = pattern_notes(studio, folio_id, found, settings)
    instrument = KIT_INSTRUMENT + kit_id
    if settings.bpm is not None and found.kit.tails == "stretch":
        instrument += f":{settings.bpm / map_of_loop(studio, folio_id, found.kit).bpm_at(0.0):.4f}"
    part = Part(name=found.kit.name, instrument=instrument, take=found.kit.take, at=time.time())
    return _new_part(studio, folio_id, part, notes, f"Pattern of “{found.kit.name}”", base)


def make_drum_part(studio: Studio, folio_id: str, kit_id: str, base: int | None) -> str:
    """Makes a part of the hits by lane, played by the built-in drum kit; returns its id.

    Raises:
        BadInput: no drum was heard.
    """
    found = opened(studio, folio_id, kit_id)
    notes = pattern.drum_notes(found.kit, found.slices, found.rate)
    if not notes:
        raise BadInput("No drum is over the thresholds.", "Lower them, or name the drums of slices by hand.")
    # The kit's thresholds have decided what counts: the part draws no further limit.
    part = Part(
        name=f"{found.kit.name}, drums", instrument="drums", percussion=True, take=found.kit.take, kit=kit_id,
        least_confidence=0.0, at=time.time(),
    )  # fmt: skip
    return _new_part(studio, folio_id, part, notes, f"Drums of “{found.kit.name}”", base)


def bring_in_step(studio: Studio, folio_id: str, kit_id: str, part_id: str, base: int | None) -> int:
    """Brings a part of drums in step with its kit, what a hand has touched left alone; returns the revision.

    Raises:
        BadInput: it was made of another kit.
    """
    part = part_of(studio, folio_id, part_id)
    if part.kit != kit_id:
        raise BadInput(f"“{part.name}” was not made of this kit.", "Choose the kit that it was made of.")
    put, gone = _out_of_step(studio, folio_id, opened(studio, folio_id, kit_id), part_id, part)
    count = len({n.id for n in put} | set(gone))
    edit = history.Edit(f"“{part.name}” brought in step with its kit, {how_many(count, 'note')}")
    edit.put = [("note", part_id, n.id, note_to_body(n)) for n in put]
    edit.removed = [("note", part_id, i) for i in gone]
    return folios.change(studio, folio_id, edit, base)


@dataclass(frozen=True)
class DrumPart:
    """A part made of the drums of a kit.

    Args:
        part, name: its id, and how it is called.
        behind: how many of its notes are other ones in the kit now.
    """

    part: str
    name: str
    behind: int


def drum_parts(studio: Studio, folio_id: str, kit_id: str, found: OpenKit) -> list[DrumPart]:
    """Parts made of the drums of a kit, and how many of their notes are other ones in it now."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "part")
    told = []
    for part_id, body in bodies.items():
        if body.get("kit") == kit_id:
            put, gone = _out_of_step(studio, folio_id, found, part_id, part_from_body(body))
            told.append(DrumPart(part_id, body["name"], len({n.id for n in put} | set(gone))))
    return told


def _out_of_step(
    studio: Studio, folio_id: str, found: OpenKit, part_id: str, part: Part
) -> tuple[list[Note], list[str]]:
    """Notes to put into a part of drums, and ids of those to take out, so that it is what its kit has now."""
    if part.keeps_beats:
        # It has left the recording's time for the folio's.
        return [], []
    now = {n.id: n for n in notes_of(studio, folio_id, part_id)}
    fresh = pattern.drum_notes(found.kit, found.slices, found.rate)
    wanted = {n.id: n for n in in_step(list(now.values()), fresh, frozenset(part.dropped))}
    # Bodies are what is kept, and take their time for thousands of notes.
    put = [
        n for i, n in wanted.items() if now.get(i) != n and (i not in now or note_to_body(now[i]) != note_to_body(n))
    ]
    return put, [i for i in now if i not in wanted]


def _new_part(studio: Studio, folio_id: str, part: Part, notes: Sequence[Note], label: str, base: int | None) -> str:
    with studio.database.session() as session:
        taken = {body["name"] for body in history.entities(session, folio_id, "part").values()}
    part_id = uuid.uuid4().hex
    change = history.Edit(f"{label}, {how_many(len(notes), 'note')}")
    change.put = [("part", "", part_id, part_to_body(replace(part, name=free_name(part.name, taken))))]
    change.put += [("note", part_id, n.id, note_to_body(n)) for n in notes]
    folios.change(studio, folio_id, change, base)
    return part_id
