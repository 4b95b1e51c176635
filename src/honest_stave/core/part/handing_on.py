"""What is handed on: planned in words first, then written, read back and proven."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.midi_notes import FileNote, notes_of_file
from honest_stave.core.formats.midi_read import read_midi, tempo_events
from honest_stave.core.formats.midi_write import (
    TICKS_A_QUARTER,
    MidiSettings,
    WrittenPart,
    channels_needed,
    share_channels,
    write_midi,
)
from honest_stave.core.harmony.key import find_tonality
from honest_stave.core.part.events import Sounding
from honest_stave.core.part.proof import Proof, all_together, prove
from honest_stave.core.signal.convert import pitch_name
from honest_stave.core.words import how_many

# Parts that are named in a sentence; of more it says how many there are.
MOST_NAMED = 8
# Fewer notes expected to be wrong than this are not told.
LEAST_WRONG = 1.0


@dataclass(frozen=True)
class HandOnSettings:
    """What the receiver gets.

    Args:
        from_bar, to_bar: printed bar numbers, both counted in; None for the whole.
        start: the file begins at ``bar 1`` or at the ``recording``'s start.
        bend_semitones: range of pitch bend, 0 for none.
        channels: ``each`` part its own channel, or all on ``one``.
        type: 0 or 1.
        middle_c_octave: 3 or 4, in names of notes.
    """

    from_bar: int | None = None
    to_bar: int | None = None
    start: str = "recording"
    bend_semitones: int = 2
    channels: str = "each"
    type: int = 1
    middle_c_octave: int = 4


@dataclass(frozen=True)
class Line:
    """A part to be handed on: id, name, General MIDI program, events as heard, drums or not, spans of its pedal.

    ``keys`` names the keys of drums by MIDI note.
    """

    id: str
    name: str
    program: int | None
    events: tuple[Sounding, ...]
    percussion: bool = False
    pedal: tuple[tuple[float, float], ...] = ()
    keys: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """What will be written, and the words that say so.

    Args:
        lines: parts with exactly the events that will be in the file.
        start_s, end_s: stretch of the recording.
        words: what the receiver will get, whatever the format.
        midi_words: what besides is in a MIDI file.
        left_out: what will not be there, and why.
        in_doubt: what of it may be wrong, in words; empty where that is less than a note.
    """

    lines: tuple[Line, ...]
    tempo_map: TempoMap
    settings: HandOnSettings
    start_s: float
    end_s: float
    words: tuple[str, ...]
    midi_words: tuple[str, ...]
    left_out: tuple[str, ...]
    in_doubt: str


def plan(lines: Sequence[Line], tempo_map: TempoMap, settings: HandOnSettings, origin: str = "recording") -> Plan:
    """Decides what is written.

    Args:
        lines: parts to be handed on.
        tempo_map: the folio's, in the seconds of the lines.
        settings: what the receiver gets.
        origin: what those seconds count from, ``recording`` or, where takes lie apart, ``folio``.

    Raises:
        BadInput: nothing would be in the file, or the bars are out of order.
    """
    left_out = [f"“{line.name}” has no notes and is left out." for line in lines if not line.events]
    filled = [line for line in lines if line.events]
    if not filled:
        raise BadInput("There is nothing to hand on.", "Accept a reading as a part first, or choose another part.")
    first_s = min(n.onset_s for line in filled for n in line.events)
    last_s = max(n.offset_s for line in filled for n in line.events)
    start_s, end_s, where = _stretch(tempo_map, settings, first_s, last_s, origin)
    cut: list[Line] = []
    for line in filled:
        events, said = _within(line, start_s, end_s)
        left_out += said
        if events:
            pedal = tuple((max(a, start_s), min(b, end_s)) for a, b in line.pedal if b > start_s and a < end_s)
            cut.append(replace(line, events=events, pedal=pedal))
        else:
            left_out.append(f"“{line.name}” has no notes in these bars and is left out.")
    if not cut:
        raise BadInput("There are no notes in these bars.", "Choose other bars, or the whole.")
    cut, said = _bends_that_fit(cut, settings)
    left_out += said + _clashes(cut, settings)
    words, midi_words = (_counted(cut), where), _midi_words(cut, tempo_map, settings, start_s)
    return Plan(tuple(cut), tempo_map, settings, start_s, end_s, words, midi_words, tuple(left_out), _in_doubt(cut))


def _stretch(
    tempo_map: TempoMap, settings: HandOnSettings, first_s: float, last_s: float, origin: str
) -> tuple[float, float, str]:
    if settings.from_bar is not None or settings.to_bar is not None:
        first_bar = settings.from_bar if settings.from_bar is not None else tempo_map.first_bar_number
        last_beat = float(tempo_map.beats_at(last_s))
        last_bar = settings.to_bar
        if last_bar is None:
            last_bar = tempo_map.bar_index(last_beat) + tempo_map.first_bar_number
        if last_bar < first_bar:
            raise BadInput(f"Bars {first_bar} to {last_bar} run backwards.", "Give the earlier bar first.")
        offset = tempo_map.first_bar_number
        start_s = float(tempo_map.seconds_at(tempo_map.bar_start(first_bar - offset)))
        end_s = float(tempo_map.seconds_at(tempo_map.bar_start(last_bar + 1 - offset)))
        if end_s <= 0:
            raise BadInput(f"These bars lie before the {origin}.", "Choose later bars.")
        return max(start_s, 0.0), end_s, f"It holds bars {first_bar} to {last_bar} and begins with bar {first_bar}."
    if settings.start == "recording":
        if origin == "folio":
            return 0.0, last_s, "Its beginning is the folio's: each recording lies at its place from there."
        return 0.0, last_s, "Its beginning is the recording's beginning: put both at the same place."
    bar = min(0, tempo_map.bar_index(float(tempo_map.beats_at(first_s))))
    start_s = max(0.0, float(tempo_map.seconds_at(tempo_map.bar_start(bar))))
    number = bar + tempo_map.first_bar_number
    why = " so that the pickup is in it" if bar < 0 else ""
    return start_s, last_s, f"It begins at bar {number}{why}, {start_s:.3f} s into the {origin}."


def _within(line: Line, start_s: float, end_s: float) -> tuple[tuple[Sounding, ...], list[str]]:
    inside = [n for n in line.events if start_s - 1e-6 <= n.onset_s < end_s - 1e-6]
    said = []
    before = len(line.events) - len(inside)
    over = sum(n.offset_s > end_s + 1e-6 for n in inside)
    if before:
        said.append(f"“{line.name}”: {how_many(before, 'note')} beginning outside these bars left out.")
    if over:
        said.append(f"“{line.name}”: {how_many(over, 'note')} sounding over the end cut there.")
    cut = (
        replace(n, offset_s=min(n.offset_s, end_s), bends=tuple(b for b in n.bends if b[0] < end_s)) for n in inside
    )
    return tuple(cut), said


def _bends_that_fit(lines: list[Line], settings: HandOnSettings) -> tuple[list[Line], list[str]]:
    """Leaves bends out where they are not wanted or where overlapping notes would share a channel."""
    if settings.bend_semitones == 0:
        bent = any(n.bends for line in lines for n in line.events)
        said = ["Pitch bends are left out, as chosen: notes sound at their written pitch."] if bent else []
        return [_unbent(line) for line in lines], said
    shares = share_channels([_written(line) for line in lines], _midi_settings(settings, 0.0, None))
    kept, unbent = [], []
    alone = len(lines) == 1
    for line, channels in zip(lines, shares, strict=True):
        crowded = len(channels) < channels_needed(line.events)
        if any(n.bends for n in line.events) and (crowded or (settings.channels == "one" and not alone)):
            unbent.append(line)
            line = _unbent(line)
        kept.append(line)
    shared = f"{_named(unbent)}: bends are left out, for notes would share a channel with others that sound."
    return kept, [shared] if unbent else []


def _clashes(lines: list[Line], settings: HandOnSettings) -> list[str]:
    """Tells where notes of several parts would be on one key of one channel at once, in a file of a single track."""
    if settings.type != 0:
        return []
    until: dict[tuple[tuple[int, ...], int], tuple[float, str]] = {}
    shares = share_channels([_written(line) for line in lines], _midi_settings(settings, 0.0, None))
    notes = [(n, line.id, tuple(own)) for line, own in zip(lines, shares, strict=True) for n in line.events]
    clashing = 0
    for note, part, channels in sorted(notes, key=lambda row: row[0].onset_s):
        ends_s, other = until.get((channels, note.pitch), (0.0, part))
        clashing += other != part and note.onset_s < ends_s
        until[channels, note.pitch] = max((ends_s, other), (note.offset_s, part))
    if not clashing:
        return []
    return [
        f"{how_many(clashing, 'note')} of one part would sound on the key and channel of another’s: one track cannot "
        "hold both. Choose a channel for each part, or type 1."
    ]


def _unbent(line: Line) -> Line:
    return replace(line, events=tuple(replace(n, bends=()) for n in line.events))


def _counted(lines: list[Line]) -> str:
    count = sum(len(line.events) for line in lines)
    return f"{how_many(len(lines), 'part')}, {how_many(count, 'note')}: {_named(lines)}."


def _named(lines: Sequence[Line]) -> str:
    names = ", ".join(f"“{line.name}”" for line in lines[:MOST_NAMED])
    more = len(lines) - MOST_NAMED
    return f"{names} and {how_many(more, 'more part')}" if more > 0 else names


def _midi_words(lines: list[Line], tempo_map: TempoMap, settings: HandOnSettings, start_s: float) -> tuple[str, ...]:
    start = float(tempo_map.beats_at(start_s))
    meter = tempo_map.meter_at(start)
    steady = len(tempo_map.knots) <= 2
    carried = "the tempo" if steady else "the tempo map, from"
    tempo = f"{tempo_map.bpm_at(start):.2f}".rstrip("0").rstrip(".")
    bend = f"pitch bend of ±{settings.bend_semitones} semitones" if _bent(lines) else "no pitch bend"
    pedal = ", sustain pedal as controller 64" if any(line.pedal for line in lines) else ""
    return (
        f"It carries {carried} {tempo} and {meter.numerator}/{meter.denominator}.",
        f"A Standard MIDI File of type {settings.type}, {bend}{pedal}.",
    )


def expected_wrong(doubts: float) -> int:
    """How many of what was read are expected to be wrong, 0 where that is less than one.

    Confidences are calibrated, so that doubts add up.

    Args:
        doubts: their sum.
    """
    return round(doubts) if doubts >= LEAST_WRONG else 0


def words_of_doubt(doubts: float, count: int, what: str) -> str:
    """How many are expected to be wrong, in words; empty where none is.

    Args:
        doubts: their sum.
        count: of how many.
        what: one of these, such as ``note``.
    """
    wrong = expected_wrong(doubts)
    return f"By how sure they were read, about {wrong} of {how_many(count, what)} may be wrong" if wrong else ""


def _in_doubt(lines: list[Line]) -> str:
    wrong = [sum(n.doubt for n in line.events) for line in lines]
    text = words_of_doubt(sum(wrong), sum(len(line.events) for line in lines), "note")
    if not text:
        return ""
    worst = lines[int(np.argmax(wrong))]
    if len(lines) > 1 and (most := expected_wrong(max(wrong))):
        text += f", most of one part in “{worst.name}”: {most} of {len(worst.events):,}"
    return f"{text}. Those that a hand has kept or mended are not counted."


def _bent(lines: Sequence[Line]) -> bool:
    return any(n.bends for line in lines for n in line.events)


def _written(line: Line) -> WrittenPart:
    return WrittenPart(line.name, line.program, line.events, line.percussion, line.pedal)


def _midi_settings(settings: HandOnSettings, start_s: float, end_s: float | None, title: str = "") -> MidiSettings:
    return MidiSettings(
        type=settings.type,
        start_s=start_s,
        end_s=end_s,
        bend_semitones=settings.bend_semitones,
        channels=settings.channels,
        title=title,
    )


def write_and_prove(planned: Plan, title: str) -> tuple[bytes, Proof]:
    """Writes the file of a plan and compares it, read back, with the plan's events."""
    parts = [_written(line) for line in planned.lines]
    settings = _midi_settings(planned.settings, planned.start_s, planned.end_s, title)
    data = write_midi(parts, planned.tempo_map, settings)
    return data, prove_bytes(data, planned)


def prove_bytes(data: bytes, planned: Plan) -> Proof:
    """Proves a file's bytes against a plan, part by track, with the reader that shares no code with the writer."""
    file = read_midi(data)
    notes, _ = notes_of_file(file, pedal=True)
    slowest_us = max([tempo for _, tempo in tempo_events(file)] or [500_000])
    lines, called = planned.lines, names_of_pitches(planned)
    together: list[tuple[Sequence[Sounding], list[FileNote]]]
    if planned.settings.type == 0:
        together = [([n for line in lines for n in line.events], notes)]
    else:
        # Each part has the track of its place, after the one with the tempo; nothing else may sound.
        together = [(line.events, [n for n in notes if n.track == 1 + i]) for i, line in enumerate(lines)]
        together.append(((), [n for n in notes if not 1 <= n.track <= len(lines)]))
    return all_together(
        prove(
            heard,
            written,
            start_s=planned.start_s,
            tick_s=slowest_us / 1e6 / TICKS_A_QUARTER,
            bend_semitones=planned.settings.bend_semitones,
            name_of=lambda pitch: pitch_name(pitch, planned.settings.middle_c_octave, called),
        )
        for heard, written in together
    )


def names_of_pitches(planned: Plan) -> tuple[str, ...]:
    """What the twelve pitches are called, C first, as the key of what is handed on has them; drums have none."""
    events = sorted(
        (n.onset_s, n.offset_s, n.pitch) for line in planned.lines if not line.percussion for n in line.events
    )
    onset_s, offset_s, pitch = np.array(events, np.float64).reshape(-1, 3).T
    return find_tonality(onset_s, offset_s, pitch.astype(np.int64)).names
