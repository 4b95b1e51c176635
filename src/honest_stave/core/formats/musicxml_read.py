"""Reads scores in MusicXML, plain or compressed: notes by part, meters, tempo marks, holds written as such.

What a performance needs is read; layout is not. Repeats are played as they are written.
"""

import io
import zipfile
from dataclasses import dataclass
from xml.etree import ElementTree

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.midi_write import MidiSettings, WrittenPart, write_midi
from honest_stave.core.formats.repeats import played_order
from honest_stave.core.part.events import Sounding

STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
LARGEST_BYTES = 64 << 20
USUAL_BPM, VELOCITY = 100.0, 80
# Notes end a little before the next one, so that one struck again is heard.
HELD_SHARE = 0.97


@dataclass(frozen=True)
class ScoreNote:
    """A written note: position and length in quarters from the first bar, MIDI pitch."""

    onset: float
    duration: float
    pitch: int


@dataclass(frozen=True)
class ScorePart:
    """A voice of a score: its name, General MIDI program (0 to 127, None where none is given), notes."""

    name: str
    program: int | None
    notes: tuple[ScoreNote, ...]


@dataclass(frozen=True)
class Score:
    """A score.

    Args:
        parts: its voices.
        meters: by bar from 0; bars that are short or long have a meter of their own.
        tempi: (position in quarters, quarters a minute), rising.
        fermatas: positions in quarters of notes with a hold over them.
        repeats: whether the score says that bars are played again, or left out.
    """

    parts: tuple[ScorePart, ...]
    meters: tuple[Meter, ...]
    tempi: tuple[tuple[float, float], ...]
    fermatas: tuple[float, ...]
    repeats: bool


def is_musicxml(head: bytes) -> bool:
    """Whether a file with these first bytes may be a score in MusicXML."""
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start.startswith((b"<?xml", b"<score-partwise", b"<!DOCTYPE score")) or (
        head[:4] == b"PK\x03\x04"
        and (b"META-INF" in head or b"mimetype" in head or b".xml" in head or b".musicxml" in head)
    )


def read_musicxml(data: bytes, *, repeated: bool = True) -> Score:
    """A score from its bytes.

    Args:
        data: the file.
        repeated: whether bars are played as often as the score says, or once each.

    Raises:
        BadInput: it is none, or by time in place of parts.
    """
    try:
        root = ElementTree.fromstring(_plain(data))
    except (ElementTree.ParseError, zipfile.BadZipFile, KeyError) as error:
        raise BadInput(
            "This file is no score we can read.", f"Export it again as MusicXML or MIDI. ({error})"
        ) from error
    if root.tag != "score-partwise":
        raise BadInput("This score is not written by parts.", "Export it as partwise MusicXML, or as MIDI.")
    names = {p.get("id", ""): p for p in root.iterfind("part-list/score-part")}
    parts: list[ScorePart] = []
    fermatas: set[float] = set()
    meters: list[Meter] = []
    tempi: list[tuple[float, float]] = []
    # Signs that only one part bears hold for all of them.
    orders = [played_order(part.findall("measure")) for part in root.iterfind("part")]
    order = next((o for o in orders if o != list(range(len(o)))), orders[0] if orders else [])
    repeats = order != list(range(len(order)))
    if not repeated:
        order = list(range(max((len(part.findall("measure")) for part in root.iterfind("part")), default=0)))
    for part in root.iterfind("part"):
        reader, measures = _Part(), part.findall("measure")
        for bar, number in enumerate(n for n in order if n < len(measures)):
            reader.read(bar, number, measures[number])
        listed = names.get(part.get("id", ""))
        program = listed.findtext("midi-instrument/midi-program") if listed is not None else None
        title = (listed.findtext("part-name") if listed is not None else None) or f"Voice {len(parts) + 1}"
        parts.append(
            ScorePart(
                title.strip(),
                int(program) - 1 if program else None,
                tuple(sorted(reader.notes, key=lambda n: (n.onset, n.pitch))),
            )
        )
        fermatas |= reader.fermatas
        tempi += reader.tempi
        meters = meters or reader.meters
    if not any(p.notes for p in parts):
        raise BadInput("This score has no notes.", "Choose another file.")
    by_place = dict(sorted(tempi))
    return Score(
        tuple(p for p in parts if p.notes), tuple(meters), tuple(by_place.items()), tuple(sorted(fermatas)), repeats
    )


def _plain(data: bytes) -> bytes:
    """The document itself, out of its container where it is compressed; none that defines entities."""
    if data[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            inside = [
                i
                for i in archive.infolist()
                if i.filename.endswith((".xml", ".musicxml")) and "META-INF" not in i.filename
            ]
            if not inside or inside[0].file_size > LARGEST_BYTES:
                raise BadInput("This container holds no score we can read.", "Export it again, uncompressed.")
            data = archive.read(inside[0])
    if len(data) > LARGEST_BYTES or b"<!ENTITY" in data:
        raise BadInput("This score is too large, or defines entities of its own.", "Export it again as MusicXML.")
    return data


class _Part:
    """What reading one part gathers, bar by bar."""

    def __init__(self) -> None:
        self.notes: list[ScoreNote] = []
        self.meters: list[Meter] = []
        self.tempi: list[tuple[float, float]] = []
        self.fermatas: set[float] = set()
        self._divisions, self._transpose = 1.0, 0
        self._meter = (4, 4)
        self._starts = 0.0
        self._tied: dict[int, ScoreNote] = {}
        # What held when each bar was first played: it holds again where it is played again.
        self._held: dict[int, tuple[float, int, tuple[int, int]]] = {}

    def read(self, bar: int, number: int, measure: ElementTree.Element) -> None:
        """Reads a bar, the ``number``-th as they stand, as the ``bar``-th that is played."""
        now = self._divisions, self._transpose, self._meter
        self._divisions, self._transpose, self._meter = self._held.setdefault(number, now)
        at = longest = last_onset = 0.0
        for item in measure:
            if item.tag == "attributes":
                self._attributes(item)
            elif item.tag in ("backup", "forward"):
                length = float(item.findtext("duration") or 0) / self._divisions
                at += length if item.tag == "forward" else -length
            elif item.tag == "note" and item.find("grace") is None and item.find("cue") is None:
                length = float(item.findtext("duration") or 0) / self._divisions
                onset = last_onset if item.find("chord") is not None else at
                self._note(item, self._starts + onset, length)
                last_onset = onset
                if item.find("chord") is None:
                    at += length
            elif item.tag in ("direction", "sound"):
                sound = item if item.tag == "sound" else item.find("sound")
                if sound is not None and sound.get("tempo"):
                    self.tempi.append((self._starts + at, float(sound.get("tempo", USUAL_BPM))))
            longest = max(longest, at)
        quarters = 4.0 * self._meter[0] / self._meter[1]
        length = longest if 0 < longest < quarters - 1e-6 or longest > quarters + 1e-6 else quarters
        self._say(bar, length)
        self._starts += length

    def _attributes(self, item: ElementTree.Element) -> None:
        self._divisions = float(item.findtext("divisions") or self._divisions)
        beats, unit = item.findtext("time/beats"), item.findtext("time/beat-type")
        if beats and unit:
            self._meter = (sum(int(b) for b in beats.split("+")), int(unit))
        if item.find("transpose") is not None:
            octave = int(item.findtext("transpose/octave-change") or 0)
            self._transpose = int(float(item.findtext("transpose/chromatic") or 0)) + 12 * octave

    def _note(self, item: ElementTree.Element, onset: float, length: float) -> None:
        if item.find("notations/fermata") is not None:
            self.fermatas.add(onset)
        step = item.findtext("pitch/step")
        if step is None or length <= 0:
            return
        alter = round(float(item.findtext("pitch/alter") or 0))
        pitch = 12 * (int(item.findtext("pitch/octave") or 4) + 1) + STEPS[step] + alter + self._transpose
        if not 0 <= pitch <= 127:
            return
        ties = {t.get("type") for t in item.iterfind("tie")}
        earlier = self._tied.pop(pitch, None) if "stop" in ties else None
        note = ScoreNote(onset, length, pitch)
        if earlier is not None:
            self.notes.remove(earlier)
            note = ScoreNote(earlier.onset, onset + length - earlier.onset, pitch)
        if "start" in ties:
            self._tied[pitch] = note
        self.notes.append(note)

    def _say(self, bar: int, length: float) -> None:
        numerator, denominator = self._meter
        meter = Meter(bar, numerator, denominator)
        if abs(length - meter.quarters) > 1e-6:
            meter = meter_of_length(bar, length, denominator)
        if not self.meters or (self.meters[-1].numerator, self.meters[-1].denominator) != (
            meter.numerator,
            meter.denominator,
        ):
            self.meters.append(meter)


def meter_of_length(bar: int, quarters: float, denominator: int = 4) -> Meter:
    """The meter of a bar of this length, in units of ``denominator`` or, where they do not fit, of finer ones."""
    while denominator < 32 and abs(quarters * denominator / 4 % 1) > 1e-6:
        denominator *= 2
    return Meter(bar, max(1, round(quarters * denominator / 4)), denominator)


def tempo_map_of_score(score: Score) -> TempoMap:
    """The strict tempo of a score, by its tempo marks and meters."""
    tempi = [t for t in score.tempi if t[0] > 1e-6]
    first = next((bpm for at, bpm in score.tempi if at <= 1e-6), score.tempi[0][1] if score.tempi else USUAL_BPM)
    knots = [Knot(0.0, 0.0)]
    for at, bpm in [*tempi, (tempi[-1][0] + 1.0 if tempi else 1.0, 0.0)]:
        before = knots[-1]
        knots.append(Knot(at, before.time_s + (at - before.beat) * 60.0 / first))
        first = bpm or first
    return TempoMap(tuple(knots), score.meters)


def score_as_midi(score: Score, title: str) -> bytes:
    """The score in its strict tempo as a MIDI file, meters and tempo marks with it."""
    tempo_map = tempo_map_of_score(score)
    parts = [
        WrittenPart(
            part.name,
            part.program,
            tuple(
                Sounding(
                    f"{number} {i}",
                    float(tempo_map.seconds_at(n.onset)),
                    float(tempo_map.seconds_at(n.onset + HELD_SHARE * n.duration)),
                    n.pitch,
                    VELOCITY,
                )
                for i, n in enumerate(part.notes)
            ),
        )
        for number, part in enumerate(score.parts)
    ]
    return write_midi(parts, tempo_map, MidiSettings(title=title))
