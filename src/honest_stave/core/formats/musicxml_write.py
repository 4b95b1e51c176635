"""Writes scores in MusicXML 4.0 by parts: notes in bars and voices, ties, meters, tempo marks, holds.

Notes that begin and end together are a chord; what overlaps otherwise is another voice of the
same staff. A length that no single note has is written as notes tied together.
"""

from bisect import bisect_right
from dataclasses import dataclass
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.formats.musicxml_read import Score, ScorePart

# Thirds of a sixty-fourth and of every longer note are whole numbers of these.
DIVISIONS = 48
HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
    '"http://www.musicxml.org/dtds/partwise.dtd">\n'
)
TYPES = {4.0: "whole", 2.0: "half", 1.0: "quarter", 0.5: "eighth", 0.25: "16th", 0.125: "32nd", 1 / 16: "64th"}
# Notes under middle C in the mean are written in the bass clef.
MIDDLE_C = 60
# On the line of fifths, C being 0, a key's own notes and the usual ones beside them lie in so many steps.
LOWEST_FIFTH, HIGHEST_FIFTH = -3, 8
KEYS = range(-6, 7)


@dataclass(frozen=True)
class _Length:
    """A length that one note has: its type, whether it has a dot, whether it is one of three in the time of two."""

    type: str
    dotted: bool = False
    triplet: bool = False


@dataclass(frozen=True)
class _Chord:
    """Pitches from one division of the score to another."""

    begins: int
    ends: int
    pitches: tuple[int, ...]


def _lengths() -> dict[int, _Length]:
    found: dict[int, _Length] = {}
    for quarters, name in TYPES.items():
        for share, length in (
            (2 / 3, _Length(name, triplet=True)), (1.5, _Length(name, dotted=True)), (1.0, _Length(name)),
        ):  # fmt: skip
            if abs(quarters * share * DIVISIONS % 1) < 1e-9:
                found[round(quarters * share * DIVISIONS)] = length
    return {1: _Length("128th", triplet=True), **found}


LENGTHS = _lengths()
LONGEST_FIRST = sorted(LENGTHS, reverse=True)


def write_musicxml(score: Score, title: str, *, first_bar_number: int = 1, pickup: bool = False) -> bytes:
    """A score as a file.

    Args:
        score: positions in quarters from the beginning of its first bar; the tempo marks go into its first part,
            those at the beginning of a bar to be seen, the others to be played only.
        title: of the work.
        first_bar_number: printed on the first full bar.
        pickup: whether the first bar is one, whose meter is shorter than the one it is written under.
    """
    root = Element("score-partwise", version="4.0")
    SubElement(SubElement(root, "work"), "work-title").text = title
    names = SubElement(root, "part-list")
    for number, part in enumerate(score.parts, 1):
        listed = SubElement(names, "score-part", id=f"P{number}")
        SubElement(listed, "part-name").text = part.name
        if part.program is not None:
            SubElement(SubElement(listed, "score-instrument", id=f"P{number}-I1"), "instrument-name").text = part.name
            midi = SubElement(listed, "midi-instrument", id=f"P{number}-I1")
            SubElement(midi, "midi-program").text = str(part.program + 1)
    last = max((n.onset + n.duration for p in score.parts for n in p.notes), default=0.0)
    bars = _bars(score.meters, round(last * DIVISIONS))
    fifths = _key_of([n.pitch for p in score.parts for n in p.notes])
    for number, part in enumerate(score.parts, 1):
        written = SubElement(root, "part", id=f"P{number}")
        _write_part(written, part, score, bars, fifths, first_bar_number, pickup, marks=number == 1)
    ElementTree.indent(root)
    return (HEAD + ElementTree.tostring(root, encoding="unicode") + "\n").encode()


def _bars(meters: tuple[Meter, ...], last: int) -> list[tuple[int, int, Meter]]:
    """Beginning and end of every bar, in divisions, and its meter."""
    bars: list[tuple[int, int, Meter]] = []
    at = 0
    numbers = [m.bar for m in meters]
    while at < last or len(bars) <= numbers[-1]:
        meter = meters[bisect_right(numbers, len(bars)) - 1]
        ends = at + round(meter.quarters * DIVISIONS)
        bars.append((at, ends, meter))
        at = ends
    return bars


def _key_of(pitches: list[int]) -> int:
    """Sharps (or flats, negative) of the key to which most pitches belong."""
    counts = [sum(p % 12 == c for p in pitches) for c in range(12)]

    def belonging(fifths: int) -> int:
        return sum(counts[7 * f % 12] for f in range(fifths - 1, fifths + 6))

    return max(sorted(KEYS, key=abs), key=belonging)


def _voices(part: ScorePart) -> list[list[_Chord]]:
    """Chords of a part, those that overlap in voices of their own."""
    by_span: dict[tuple[int, int], list[int]] = {}
    for note in part.notes:
        begins = round(note.onset * DIVISIONS)
        ends = max(round((note.onset + note.duration) * DIVISIONS), begins + 1)
        by_span.setdefault((begins, ends), []).append(note.pitch)
    voices: list[list[_Chord]] = [[]]
    spans = sorted(by_span, key=lambda span: (span[0], -max(by_span[span])))
    for begins, ends in spans:
        free = next((v for v in voices if not v or v[-1].ends <= begins), None)
        if free is None:
            free = []
            voices.append(free)
        free.append(_Chord(begins, ends, tuple(sorted(set(by_span[begins, ends])))))
    return voices


def _write_part(
    written: Element, part: ScorePart, score: Score, bars: list[tuple[int, int, Meter]], fifths: int,
    first_bar_number: int, pickup: bool, *, marks: bool,
) -> None:  # fmt: skip
    voices = _voices(part)
    fermatas = {round(at * DIVISIONS) for at in score.fermatas}
    shown: tuple[int, int] | None = None
    for number, (begins, ends, meter) in enumerate(bars):
        measure = SubElement(written, "measure", number=str(number + first_bar_number - int(pickup)))
        # A pickup is written under the meter of the bar after it.
        short = pickup and number == 0
        if short:
            measure.set("implicit", "yes")
        seen = bars[1][2] if short and len(bars) > 1 else meter
        if number == 0 or (seen.numerator, seen.denominator) != shown:
            _attributes(measure, seen, number == 0, fifths, part)
        shown = (seen.numerator, seen.denominator)
        if marks:
            _tempo_marks(measure, score, begins, ends, meter)
        for voice, chords in enumerate(voices, 1):
            inside = [c for c in chords if c.begins < ends and c.ends > begins]
            if voice > 1 and not inside:
                continue
            if voice > 1:
                _moved(measure, "backup", ends - begins)
            _write_voice(measure, inside, begins, ends, voice, fifths, fermatas)


def _attributes(measure: Element, meter: Meter, first: bool, fifths: int, part: ScorePart) -> None:
    attributes = SubElement(measure, "attributes")
    if first:
        SubElement(attributes, "divisions").text = str(DIVISIONS)
        SubElement(SubElement(attributes, "key"), "fifths").text = str(fifths)
    time = SubElement(attributes, "time")
    SubElement(time, "beats").text = str(meter.numerator)
    SubElement(time, "beat-type").text = str(meter.denominator)
    if first:
        low = sum(n.pitch for n in part.notes) < MIDDLE_C * len(part.notes)
        clef = SubElement(attributes, "clef")
        SubElement(clef, "sign").text = "F" if low else "G"
        SubElement(clef, "line").text = "4" if low else "2"


def _tempo_marks(measure: Element, score: Score, begins: int, ends: int, meter: Meter) -> None:
    """Tempo marks of a bar, each where it begins to hold."""
    at = begins
    for position, bpm in score.tempi:
        place = round(position * DIVISIONS)
        if not begins <= place < ends:
            continue
        _moved(measure, "forward", place - at)
        at = place
        if place == begins:
            direction = SubElement(measure, "direction", placement="above")
            mark = SubElement(SubElement(direction, "direction-type"), "metronome")
            dotted = meter.felt_beat_quarters == 1.5
            SubElement(mark, "beat-unit").text = "quarter"
            if dotted:
                SubElement(mark, "beat-unit-dot")
            SubElement(mark, "per-minute").text = f"{bpm / (1.5 if dotted else 1):.1f}"
            SubElement(direction, "sound", tempo=f"{bpm:.6f}")
        else:
            SubElement(measure, "sound", tempo=f"{bpm:.6f}")
    _moved(measure, "backup", at - begins)


def _moved(measure: Element, way: str, length: int) -> None:
    if length > 0:
        SubElement(SubElement(measure, way), "duration").text = str(length)


def _write_voice(
    measure: Element, chords: list[_Chord], begins: int, ends: int, voice: int, fifths: int, fermatas: set[int]
) -> None:
    """One voice of a bar from its beginning to its end, rests between its chords."""
    at = begins
    for chord in chords:
        start, stop = max(chord.begins, begins), min(chord.ends, ends)
        _rest(measure, at, start, voice)
        for length in _split(stop - start):
            ties = (["stop"] if start > chord.begins else []) + (["start"] if start + length < chord.ends else [])
            held = any(start <= f < start + length for f in fermatas)
            for place, pitch in enumerate(chord.pitches):
                note = SubElement(measure, "note")
                if place:
                    SubElement(note, "chord")
                _pitch(note, pitch, fifths)
                _timing(note, length, voice, ties, held and place == 0)
            start += length
        at = stop
    if not chords:
        note = SubElement(measure, "note")
        SubElement(note, "rest", measure="yes")
        SubElement(note, "duration").text = str(ends - begins)
        SubElement(note, "voice").text = str(voice)
        return
    _rest(measure, at, ends, voice)


def _rest(measure: Element, begins: int, ends: int, voice: int) -> None:
    for length in _split(ends - begins):
        note = SubElement(measure, "note")
        SubElement(note, "rest")
        _timing(note, length, voice, [], False)


def _split(length: int) -> list[int]:
    """Lengths that notes have, the longest first, which together are this long."""
    found = []
    while length > 0:
        found.append(next(known for known in LONGEST_FIRST if known <= length))
        length -= found[-1]
    return found


def _timing(note: Element, length: int, voice: int, ties: list[str], held: bool) -> None:
    """Duration and everything after it, in the order that the format asks for."""
    SubElement(note, "duration").text = str(length)
    for kind in ties:
        SubElement(note, "tie", type=kind)
    SubElement(note, "voice").text = str(voice)
    known = LENGTHS[length]
    SubElement(note, "type").text = known.type
    if known.dotted:
        SubElement(note, "dot")
    if known.triplet:
        three = SubElement(note, "time-modification")
        SubElement(three, "actual-notes").text = "3"
        SubElement(three, "normal-notes").text = "2"
    if ties or held:
        notations = SubElement(note, "notations")
        for kind in ties:
            SubElement(notations, "tied", type=kind)
        if held:
            SubElement(notations, "fermata")


def _pitch(note: Element, midi: int, fifths: int) -> None:
    """A MIDI pitch spelt as the key spells it."""
    fifth = next(f for f in range(fifths + LOWEST_FIFTH, fifths + HIGHEST_FIFTH + 1) if 7 * f % 12 == midi % 12)
    alter = (fifth + 1) // 7
    pitch = SubElement(note, "pitch")
    SubElement(pitch, "step").text = "FCGDAEB"[(fifth + 1) % 7]
    if alter:
        SubElement(pitch, "alter").text = str(alter)
    SubElement(pitch, "octave").text = str((midi - alter) // 12 - 1)
