"""Scores in MusicXML: voices, ties, pickups, meters, tempo marks, and what is refused."""

import io
import zipfile
from xml.etree import ElementTree

import pytest

from honest_stave.core.beat.align import written_notes
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.midi_read import read_midi, tempo_events
from honest_stave.core.formats.musicxml_read import is_musicxml, read_musicxml, score_as_midi
from honest_stave.core.formats.repeats import played_order


def note(step: str, octave: int, length: int, inside: str = "", first: str = "") -> str:
    pitch = f"<pitch><step>{step}</step><octave>{octave}</octave></pitch>"
    return f"<note>{first}{pitch}<duration>{length}</duration>{inside}</note>"


TIME = "<attributes><divisions>2</divisions><time><beats>{}</beats><beat-type>4</beat-type></time></attributes>"
WHISTLE = (
    # A pickup of one quarter, a chord, a note tied over the bar, then 3/4 with a hold and a slower tempo.
    f'<measure number="0" implicit="yes">{TIME.format(4)}<direction><sound tempo="120"/></direction>'
    f"{note('D', 5, 2)}</measure>"
    f"<measure number='1'>{note('G', 5, 4)}{note('B', 5, 4, first='<chord/>')}"
    f"{note('A', 5, 4, '<tie type=' + chr(34) + 'start' + chr(34) + '/>')}</measure>"
    f"<measure number='2'>{TIME.format(3)}<direction><sound tempo='60'/></direction>"
    f"{note('A', 5, 2, '<tie type=' + chr(34) + 'stop' + chr(34) + '/>')}"
    f"{note('F', 5, 4, '<notations><fermata/></notations>').replace('</step>', '</step><alter>1</alter>')}</measure>"
)
HARMONIUM = (
    f"<measure number='0'>{TIME.format(4)}<note><rest/><duration>2</duration></note></measure>"
    f"<measure number='1'>{note('G', 3, 8)}<backup><duration>8</duration></backup>"
    f"<forward><duration>4</duration></forward>{note('D', 4, 4)}</measure>"
    f"<measure number='2'>{TIME.format(3)}{note('D', 3, 6)}"
    f"<barline><repeat direction='backward'/></barline></measure>"
)
SCORE = (
    "<?xml version='1.0'?><score-partwise><part-list>"
    "<score-part id='P1'><part-name>Whistle</part-name><midi-instrument id='I1'><midi-program>79</midi-program>"
    "</midi-instrument></score-part><score-part id='P2'><part-name>Harmonium</part-name></score-part></part-list>"
    f"<part id='P1'>{WHISTLE}</part><part id='P2'>{HARMONIUM}</part></score-partwise>"
).encode()


def test_voices_with_chords_ties_and_a_pickup() -> None:
    whistle, harmonium = read_musicxml(SCORE, repeated=False).parts
    assert (whistle.name, whistle.program, harmonium.program) == ("Whistle", 78, None)
    assert [(n.onset, n.duration, n.pitch) for n in whistle.notes] == [
        (0.0, 1.0, 74), (1.0, 2.0, 79), (1.0, 2.0, 83), (3.0, 3.0, 81), (6.0, 2.0, 78),
    ]  # fmt: skip
    assert [(n.onset, n.duration, n.pitch) for n in harmonium.notes] == [
        (1.0, 4.0, 55), (3.0, 2.0, 62), (5.0, 3.0, 50),
    ]  # fmt: skip


def test_meters_tempo_marks_holds_and_repeats_are_told() -> None:
    score = read_musicxml(SCORE, repeated=False)
    assert [(m.bar, m.numerator, m.denominator) for m in score.meters] == [(0, 1, 4), (1, 4, 4), (2, 3, 4)]
    assert score.tempi == ((0.0, 120.0), (5.0, 60.0))
    assert score.fermatas == (6.0,)
    assert score.repeats


def test_the_strict_performance_carries_its_tempo_and_can_be_aligned() -> None:
    data = score_as_midi(read_musicxml(SCORE, repeated=False), "overture")
    assert [round(6e7 / us) for _, us in tempo_events(read_midi(data))[:2]] == [120, 60]
    written = sorted((n.onset_beats, n.pitch) for n in written_notes(data))
    assert written == [(0.0, 74), (1.0, 55), (1.0, 79), (1.0, 83), (3.0, 62), (3.0, 81), (5.0, 50), (6.0, 78)]


def test_bars_that_are_played_again_are_as_they_were() -> None:
    # Only the harmonium bears the sign; its bars are counted in the meter that held when they were first played.
    score = read_musicxml(SCORE)
    assert [(m.bar, m.numerator, m.denominator) for m in score.meters] == [
        (0, 1, 4), (1, 4, 4), (2, 3, 4), (3, 1, 4), (4, 4, 4), (5, 3, 4),
    ]  # fmt: skip
    once = read_musicxml(SCORE, repeated=False).parts
    for part, bare in zip(score.parts, once, strict=True):
        first = [(n.onset, n.duration, n.pitch) for n in bare.notes]
        again = [(onset + 8.0, duration, pitch) for onset, duration, pitch in first]
        assert [(n.onset, n.duration, n.pitch) for n in part.notes] == first + again


FORWARD = '<barline location="left"><repeat direction="forward"/></barline>'
BACKWARD = '<barline><repeat direction="backward"/></barline>'


def ending(numbers: str, *, back: bool) -> str:
    bounds = "".join(f'<barline><ending number="{numbers}" type="{of}"/></barline>' for of in ("start", "stop"))
    return bounds + (BACKWARD if back else "")


@pytest.mark.parametrize(
    ("bars", "order"),
    [
        (["", BACKWARD, ""], [0, 1, 0, 1, 2]),
        (["", FORWARD, BACKWARD, ""], [0, 1, 2, 1, 2, 3]),
        ([BACKWARD.replace('"/>', '" times="3"/>')], [0, 0, 0]),
        (["", ending("1", back=True), ending("2", back=False), ""], [0, 1, 0, 2, 3]),
        (["", ending("1, 2", back=True), ending("3", back=False)], [0, 1, 0, 1, 0, 2]),
        (["", '<sound fine="yes"/>', '<direction><sound dacapo="yes"/></direction>'], [0, 1, 2, 0, 1]),
        (
            ["", '<sound segno="a"/>', '<sound tocoda="b"/>', '<sound dalsegno="a"/>', '<sound coda="b"/>'],
            [0, 1, 2, 3, 1, 2, 4],
        ),
        (["", ending("1", back=True), ending("2", back=False), '<sound dacapo="yes"/>'], [0, 1, 0, 2, 3, 0, 2, 3]),
        ([], []),
    ],
)
def test_bars_are_played_in_the_order_that_their_signs_say(bars: list[str], order: list[int]) -> None:
    assert played_order([ElementTree.fromstring(f"<measure>{bar}</measure>") for bar in bars]) == order


def test_compressed_scores_are_opened_and_others_refused_in_words() -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("META-INF/container.xml", "<container/>")
        archive.writestr("score.xml", SCORE)
    assert is_musicxml(packed.getvalue()[:512])
    assert read_musicxml(packed.getvalue()) == read_musicxml(SCORE)
    for data, said in (
        (b"<?xml version='1.0'?><score-partwise>", "no score we can read"),
        (b"<score-timewise/>", "not written by parts"),
        (b"<score-partwise><part-list/></score-partwise>", "has no notes"),
        (b"<!DOCTYPE a [<!ENTITY b 'c'>]><score-partwise/>", "entities"),
    ):
        with pytest.raises(BadInput, match=said):
            read_musicxml(data)
