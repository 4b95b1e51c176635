"""MIDI files as takes: their notes become parts at once, split by track or channel."""

import time
import uuid
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput, StaveError, TooLarge
from honest_stave.core.formats.midi_notes import FileNote, notes_of_file
from honest_stave.core.formats.midi_read import MidiFile, TickClock, read_midi, tempo_events
from honest_stave.core.part.accept import sparse_curve
from honest_stave.core.part.notes import MOST_NOTES, Note, Part
from honest_stave.core.sound.instruments import DRUM_KIT, instrument_names
from honest_stave.service.codec import note_to_body, part_to_body, tempo_to_body
from honest_stave.service.studio import Studio

PERCUSSION_CHANNEL = 9
Put = tuple[str, str, str, dict[str, Any]]


def instrument_for(program: int) -> str:
    """The built-in instrument nearest to a General MIDI program."""
    families = ("bars", "bars", "reed", "string", "bass", "bowed", "voice", "reed")
    family = families[min(program // 8, 7)]
    if 80 <= program < 104:
        return "pad" if program >= 88 else "reed"
    return family if family in instrument_names() else "reed"


def split_notes(file: MidiFile, notes: Sequence[FileNote]) -> list[tuple[str, list[FileNote]]]:
    """Named groups of notes: by track, or by channel where one track holds several."""
    groups: dict[tuple[int, int], list[FileNote]] = {}
    used_tracks = {n.track for n in notes}
    by_channel = len(used_tracks) == 1
    for note in notes:
        groups.setdefault((note.track, note.channel if by_channel else -1), []).append(note)
    named = []
    for (track, channel), members in sorted(groups.items()):
        name = file.tracks[track].name.strip()
        if by_channel and len(groups) > 1:
            name = f"{name} channel {channel + 1}".strip()
        named.append((name, members))
    return named


def map_of_file(file: MidiFile) -> TempoMap | None:
    """The file's own tempo map; None where it has none or it cannot be used.

    What is written before bar 1 lies before position 0, as everywhere (``pickup_quarters``).
    """
    if file.ticks_a_quarter == 0:
        return None
    clock, meters, pickup = TickClock(file), _meters(file), pickup_quarters(file)
    events = tempo_events(file) or [(0, 500_000)]
    knots: list[Knot] = []
    for tick, _ in events:
        beat = tick / file.ticks_a_quarter
        if not knots or beat > knots[-1].beat:
            knots.append(Knot(beat, clock.seconds(tick)))
    if knots[0].beat > 0:
        knots.insert(0, Knot(0.0, 0.0))
    last_tick = round(knots[-1].beat * file.ticks_a_quarter)
    knots.append(Knot(knots[-1].beat + 1.0, clock.seconds(last_tick + file.ticks_a_quarter)))
    knots = [replace(k, beat=k.beat - pickup) for k in knots]
    if pickup:
        meters = tuple(replace(m, bar=m.bar - 1) for m in meters[1:])
    try:
        if len(knots) == 2:
            return TempoMap((knots[0],), meters, 1, 60.0 / (knots[1].time_s - knots[0].time_s))
        return TempoMap(tuple(knots), meters)
    except StaveError:
        return None


def pickup_quarters(file: MidiFile) -> float:
    """How much of a file lies before its bar 1, in quarter notes; 0 where it begins with a bar.

    Scores write a pickup as one bar of a shorter meter. Where that comes back two bars later, bars of two meters take
    turns: 3/4 and 4/4 do not begin with one.
    """
    meters = _meters(file) if file.ticks_a_quarter else ()
    if len(meters) < 2 or meters[1].bar != 1 or meters[0].quarters >= meters[1].quarters:
        return 0.0
    in_turn = len(meters) > 2 and meters[2].bar == 2 and meters[2].quarters == meters[0].quarters
    return 0.0 if in_turn else meters[0].quarters


def _meters(file: MidiFile) -> tuple[Meter, ...]:
    found = sorted(
        (meta.tick, meta.data[0], 1 << meta.data[1])
        for track in file.tracks
        for meta in track.metas
        if meta.type == 0x58 and len(meta.data) >= 2 and 0 < meta.data[0] <= 64 and meta.data[1] <= 5
    )
    meters = [Meter(0, 4, 4)]
    start = 0.0
    for tick, numerator, denominator in found:
        beat = tick / file.ticks_a_quarter
        bar = meters[-1].bar + round((beat - start) / meters[-1].quarters)
        if bar <= meters[-1].bar:
            meters[-1] = Meter(meters[-1].bar, numerator, denominator)
        else:
            start += (bar - meters[-1].bar) * meters[-1].quarters
            meters.append(Meter(bar, numerator, denominator))
    return tuple(meters)


def _note(n: FileNote) -> Note:
    curve = sparse_curve([(max(0.0, t - n.onset_s), c) for t, c in n.bends]) if n.bends else ()
    return Note(uuid.uuid4().hex[:12], n.onset_s, max(n.offset_s, n.onset_s + 0.006), n.pitch, n.velocity, curve)


def parts_of_midi(
    studio: Studio, take_id: str, name: str, content: str
) -> tuple[list[Put], list[str], dict[str, Any]]:
    """Parts and notes that a MIDI file becomes, remarks, and facts of the take.

    Raises:
        BadInput: the file has no notes or cannot be read.
    """
    file = read_midi(studio.files.path(content).read_bytes())
    notes, remarks = notes_of_file(file)
    if not notes:
        raise BadInput(f"“{name}” has no notes.", " ".join(file.remarks) or "Choose another file.")
    if len(notes) > MOST_NOTES:
        raise TooLarge(f"“{name}” has {len(notes)} notes.", f"At most {MOST_NOTES} can be read.")
    put: list[Put] = []
    for i, (group, members) in enumerate(split_notes(file, notes)):
        part_id = uuid.uuid4().hex
        percussion = all(n.channel == PERCUSSION_CHANNEL for n in members)
        part = Part(
            name=(group or (name if i == 0 else f"{name} {i + 1}"))[:120],
            instrument=DRUM_KIT if percussion else instrument_for(members[0].program),
            take=take_id,
            percussion=percussion,
            at=time.time() + i * 1e-3,
        )
        put.append(("part", "", part_id, part_to_body(part)))
        for each in members:
            note = _note(each)
            body = note_to_body(note)
            put.append(("note", part_id, note.id, body))
    own_map = map_of_file(file)
    facts = {
        "duration_s": max(n.offset_s for n in notes),
        "notes": len(notes),
        "tracks": len(file.tracks),
        "tempo": tempo_to_body(own_map) if own_map else None,
        "remarks": [*file.remarks, *remarks],
    }
    return put, [*file.remarks, *remarks], facts
