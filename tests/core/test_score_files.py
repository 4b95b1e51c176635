"""Scores written in bars: what was written is read back, and every bar is full."""

from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.beat_map import Beat, BeatMap, Hold, MeterFrom
from honest_stave.core.beat.score_of_map import Voice, places_within, prove_score, score_of_map
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.formats.musicxml_read import Score, ScoreNote, ScorePart, read_musicxml
from honest_stave.core.formats.musicxml_write import DIVISIONS, write_musicxml
from honest_stave.core.part.events import Sounding

LENGTHS = (1 / 12, 1 / 8, 1 / 4, 1 / 3, 3 / 8, 1 / 2, 2 / 3, 3 / 4, 1.0, 4 / 3, 1.5, 2.25, 3.0, 5.5)
METERS = ((4, 4), (3, 4), (6, 8), (7, 8), (2, 2), (5, 4))


@st.composite
def scores(draw: st.DrawFn) -> tuple[Score, bool]:
    """A score of a few parts, meters that change, a pickup or none."""
    pickup = draw(st.booleans())
    meters = [Meter(0, 1, 4)] if pickup else []
    bar = int(pickup)
    for numerator, denominator in draw(st.lists(st.sampled_from(METERS), min_size=1, max_size=3, unique=True)):
        meters.append(Meter(bar, numerator, denominator))
        bar += draw(st.integers(1, 3))
    parts = []
    for number in range(draw(st.integers(1, 3))):
        notes = {}
        for _ in range(draw(st.integers(1, 12))):
            pitch, onset = draw(st.integers(30, 90)), draw(st.integers(0, 16 * 12)) / 12
            notes[pitch, round(onset, 6)] = ScoreNote(onset, draw(st.sampled_from(LENGTHS)), pitch)
        # A key that is down cannot be struck: one pitch does not overlap itself in a part.
        kept: list[ScoreNote] = []
        for note in sorted(notes.values(), key=lambda n: (n.pitch, n.onset)):
            if not kept or kept[-1].pitch != note.pitch or kept[-1].onset + kept[-1].duration <= note.onset:
                kept.append(note)
        parts.append(ScorePart(f"Voice {number}", draw(st.sampled_from([None, 0, 52])), tuple(kept)))
    tempi = tuple((float(q), draw(st.floats(30, 240))) for q in range(0, 12, 2))
    return Score(tuple(parts), tuple(meters), tempi, (), repeats=False), pickup


@given(scores())
def test_what_is_written_is_read_back(made: tuple[Score, bool]) -> None:
    score, pickup = made
    back = read_musicxml(write_musicxml(score, "Round trip", pickup=pickup))
    for wanted, found in zip(score.parts, back.parts, strict=True):
        assert (found.name, found.program) == (wanted.name, wanted.program)
        rows = [np.array(sorted((n.pitch, n.onset, n.duration) for n in part.notes)) for part in (wanted, found)]
        # Thirds and eighths of a quarter are whole divisions; nothing is rounded.
        np.testing.assert_allclose(rows[1], rows[0], atol=1e-9)
    last = max(n.onset + n.duration for p in score.parts for n in p.notes)
    inside = [t for t in score.tempi if t[0] < last]
    np.testing.assert_allclose(back.tempi[: len(inside)], inside, atol=1e-5)


@given(scores())
def test_every_voice_fills_its_bar(made: tuple[Score, bool]) -> None:
    score, pickup = made
    root = ElementTree.fromstring(write_musicxml(score, "Full bars", pickup=pickup))
    for part in root.iterfind("part"):
        for number, measure in enumerate(part.iterfind("measure")):
            time = measure.find("attributes/time")
            if time is not None:
                length = int(time.findtext("beats", "")) * 4 * DIVISIONS // int(time.findtext("beat-type", ""))
            voices: dict[str, int] = {}
            for note in measure.iterfind("note"):
                if note.find("chord") is None:
                    voice = note.findtext("voice", "")
                    voices[voice] = voices.get(voice, 0) + int(note.findtext("duration", ""))
            full = DIVISIONS if pickup and number == 0 else length
            assert set(voices.values()) == {full}


def rubato(count: int) -> tuple[Beat, ...]:
    time_s = 2.0 + np.cumsum(0.6 + 0.15 * np.sin(np.arange(count) / 3))
    return tuple(Beat(float(t), float(t), 0.95) for t in time_s)


def sung(beat_map: BeatMap, beats: list[tuple[float, float, int]]) -> list[Sounding]:
    """Notes (from and to in beats of the map's list, pitch), begun and ended 15 ms from where they are written."""
    time_s = np.array([b.time_s for b in beat_map.beats])
    at = lambda place: float(np.interp(place, np.arange(len(time_s)), time_s))  # noqa: E731
    return [
        Sounding(str(i), at(on) + 0.015 * (-1) ** i, at(off) - 0.015, pitch, 80)
        for i, (on, off, pitch) in enumerate(beats)
    ]


def test_a_score_of_a_map_has_its_pickup_its_hold_and_the_tempo_of_every_beat() -> None:
    beat_map = BeatMap(
        "Verse", "take", "", rubato(13), (MeterFrom(1, 3, 4), MeterFrom(7, 4, 4)), first_bar_number=9,
        holds=(Hold(6, 2),),
    )  # fmt: skip
    voice = Voice("Alto", 52, sung(beat_map, [(0, 1, 60), (1, 2.5, 62), (2.5, 3, 64), (3, 4, 62), (7, 9, 65)]))
    made = score_of_map(beat_map, [voice], places_within(np.array([0.0, 0.5])))
    notes = [(round(n.onset, 3), round(n.duration, 3), n.pitch) for n in made.score.parts[0].notes]
    # The hold makes the second bar of three a bar of four: what follows it begins a quarter later.
    assert notes == [(0, 1, 60), (1, 1.5, 62), (2.5, 0.5, 64), (3, 1, 62), (8, 2, 65)]
    assert made.pickup
    assert made.first_bar_number == 9
    assert made.score.fermatas == (6.0,)
    data = write_musicxml(made.score, "Verse", first_bar_number=9, pickup=True)
    proof = prove_score(made, beat_map, data)
    assert proof.same
    assert proof.notes == 5
    # Tempo marks have six places: far under what is promised, 1 ms.
    assert proof.worst_ms < 0.01
    measures = ElementTree.fromstring(data).findall("part/measure")
    assert [m.get("number") for m in measures[:3]] == ["8", "9", "10"]
    assert measures[0].get("implicit") == "yes"


def test_a_changed_score_is_told_apart() -> None:
    beat_map = BeatMap("Verse", "take", "", rubato(9), (MeterFrom(0, 4, 4),))
    made = score_of_map(beat_map, [Voice("Alto", None, sung(beat_map, [(0, 2, 60), (2, 4, 67)]))])
    data = write_musicxml(made.score, "Verse")
    assert prove_score(made, beat_map, data).same
    assert not prove_score(made, beat_map, data.replace(b"<step>G</step>", b"<step>A</step>")).same
    slower = data.replace(b'tempo="8', b'tempo="7')
    assert slower != data
    late = prove_score(made, beat_map, slower)
    assert late.worst_ms > 10
    assert not late.same


def test_a_pickup_of_thirds_begins_with_a_rest() -> None:
    beat_map = BeatMap("Verse", "take", "", rubato(9), (MeterFrom(1, 4, 4),))
    voice = Voice("Alto", None, sung(beat_map, [(2 / 3, 1, 60), (1, 5, 67)]))
    # The pickup has a beat of its own before it, and then a third of one.
    for dropped in (0, 1):
        shorter = BeatMap("Verse", "take", "", beat_map.beats[dropped:], (MeterFrom(1 - dropped, 4, 4),))
        made = score_of_map(shorter, [voice], places_within(np.array([2 / 3])))
        data = write_musicxml(made.score, "Verse", pickup=made.pickup)
        assert prove_score(made, shorter, data).same
        first, second = made.score.parts[0].notes
        assert second.onset - first.onset == pytest.approx(1 / 3, abs=1e-5)
        # The bar begins where the map has it, whatever is before it.
        assert second.onset == pytest.approx(made.score.meters[0].quarters, abs=1e-5)


@pytest.mark.parametrize(
    ("pitches", "expected"), [((60, 64, 67, 70), {"B": "-1"}), ((62, 66, 69, 73), {"F": "1", "C": "1"})]
)
def test_pitches_are_spelt_by_the_key(pitches: tuple[int, ...], expected: dict[str, str]) -> None:
    notes = tuple(ScoreNote(float(i), 1.0, p) for i, p in enumerate(pitches))
    score = Score((ScorePart("Voice", None, notes),), (Meter(0, 4, 4),), ((0.0, 90.0),), (), repeats=False)
    root = ElementTree.fromstring(write_musicxml(score, "Spelling"))
    found = {p.findtext("step"): p.findtext("alter") for p in root.iter("pitch") if p.find("alter") is not None}
    assert found == expected


def written(notes: list[tuple[float, float, int]], **options: Any) -> ElementTree.Element:
    """The one part of a score of these notes (onset, duration, pitch), in 4/4, as it is written."""
    part = ScorePart("Voice", None, tuple(ScoreNote(*note) for note in notes))
    score = Score((part,), (Meter(0, 4, 4),), ((0.0, 90.0),), (), repeats=False)
    return ElementTree.fromstring(write_musicxml(score, "Written", **options))


def test_notes_together_are_a_chord_and_what_overlaps_is_a_voice_of_its_own() -> None:
    root = written([(0, 4, 48), (0, 1, 64), (0, 1, 67), (1, 1, 65)])
    rows = [
        (note.findtext("voice"), note.find("chord") is not None, note.findtext("pitch/step"))
        for note in root.iter("note")
        if note.find("rest") is None
    ]
    assert sorted(rows) == [("1", False, "E"), ("1", False, "F"), ("1", True, "G"), ("2", False, "C")]
    assert root.find("part/measure/backup") is not None


def test_a_note_over_the_bar_line_is_tied_and_a_bar_without_notes_rests() -> None:
    root = written([(3.5, 1.25, 60), (12, 1, 60)])
    first, second, third, _ = root.findall("part/measure")
    assert [t.get("type") for t in first.iter("tie")] == ["start"]
    # Three sixteenths after the bar line are one dotted note.
    lengths = [
        (n.findtext("type"), n.find("dot") is not None) for n in second.findall("note") if n.find("tie") is not None
    ]
    assert lengths == [("eighth", True)]
    assert [t.get("type") for t in second.iter("tie")] == ["stop"]
    rest = third.find("note/rest")
    assert rest is not None
    assert rest.get("measure") == "yes"


def test_thirds_of_a_beat_are_written_as_three_in_the_time_of_two() -> None:
    root = written([(k / 3, 1 / 3, 60 + k) for k in range(3)])
    notes = [n for n in root.iter("note") if n.find("rest") is None]
    assert [n.findtext("type") for n in notes] == ["eighth"] * 3
    assert [n.findtext("time-modification/actual-notes") for n in notes] == ["3"] * 3


def test_low_parts_are_in_the_bass_clef() -> None:
    assert written([(0, 1, 41)]).findtext("part/measure/attributes/clef/sign") == "F"
    assert written([(0, 1, 72)]).findtext("part/measure/attributes/clef/sign") == "G"
