"""The proof finds every kind of tampering, and nothing where there is none."""

import re
from dataclasses import replace

import pytest

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.part.events import Sounding
from honest_stave.core.part.handing_on import HandOnSettings, Line, Plan, plan, prove_bytes, write_and_prove
from honest_stave.core.part.proof import proof_text

NOTES = (
    Sounding("a", 0.5, 0.9, 60, 90, ((0.5, 0.0), (0.7, 30.0))),
    Sounding("a", 1.0, 1.4, 64, 80),
    Sounding("a", 1.5, 1.9, 60, 70),
)


def planned(notes: tuple[Sounding, ...] = NOTES, **settings: object) -> Plan:
    return plan([Line("a", "line", 71, notes)], TempoMap(lone_bpm=120), HandOnSettings(**settings))


def tampered(**changes: object) -> tuple[Sounding, ...]:
    return (NOTES[0], replace(NOTES[1], **changes), NOTES[2])


def test_an_untouched_file_is_the_same() -> None:
    _, proof = write_and_prove(planned(), "line")
    assert (proof.same, proof.notes, proof.bends) == (True, 3, 2)
    assert proof.greatest_ms <= 60000 / 120 / 960 + 0.01
    assert "The same" in proof_text(proof, "line.mid")


@pytest.mark.parametrize(
    ("written", "words"),
    [
        (tampered(velocity=81), "velocity 81 in the file and 80"),
        (tampered(onset_s=1.01), "begins 9.9.* ms later"),
        (tampered(offset_s=1.35), "ends 50.*ms earlier"),
        (tampered(pitch=65), "E4 is heard but not in the file"),
        ((NOTES[0], NOTES[2]), "E4 is heard but not in the file"),
        ((*NOTES, Sounding("a", 2.5, 2.7, 50, 60)), "D3 is in the file but not heard"),
        ((replace(NOTES[0], bends=((0.5, 0.0), (0.7, 45.0))), *NOTES[1:]), "bent by"),
        (tampered(bends=((1.0, 40.0),)), "bent in the file but not heard bent"),
    ],
)
def test_tampering_is_found_and_named(written: tuple[Sounding, ...], words: str) -> None:
    data, _ = write_and_prove(planned(written), "line")
    proof = prove_bytes(data, planned())
    assert not proof.same
    assert any(re.search(words, d.text) for d in proof.differences), proof.differences
    assert proof.differences[0].text in proof_text(proof, "line.mid")


def test_what_differs_is_called_as_the_key_and_the_receiver_have_it() -> None:
    minor = tuple(Sounding("a", 0.5 * i, 0.5 * i + 0.4, p, 80) for i, p in enumerate((65, 67, 68, 70, 72, 68, 65)))
    other = (*minor[:3], replace(minor[3], velocity=70), *minor[4:])
    data, _ = write_and_prove(planned(other), "line")
    for octave, name in ((4, "B♭4"), (3, "B♭3")):
        proof = prove_bytes(data, planned(minor, middle_c_octave=octave))
        assert [d.text for d in proof.differences] == [f"{name} has velocity 70 in the file and 80 in the part."]


def test_a_part_in_the_track_of_another_is_found() -> None:
    lines = [Line("a", "line", 71, NOTES), Line("b", "other", 71, tampered(pitch=70, velocity=60))]
    data, proof = write_and_prove(plan(lines, TempoMap(lone_bpm=120), HandOnSettings()), "two")
    assert proof.same
    swapped = prove_bytes(data, plan(lines[::-1], TempoMap(lone_bpm=120), HandOnSettings()))
    assert any("B♭4 is in the file but not heard" in d.text for d in swapped.differences), swapped.differences


def test_notes_of_two_parts_that_begin_together_are_not_taken_for_each_other() -> None:
    # Less than a tick apart, the earlier one is the longer.
    lines = [Line(p, p, 71, (Sounding(p, on, off, 60, 90),)) for p, on, off in (("a", 0.5, 1.9), ("b", 0.5001, 0.8))]
    wanted = HandOnSettings(type=0, channels="each")
    assert write_and_prove(plan(lines, TempoMap(lone_bpm=120), wanted), "two")[1].same


def test_the_words_say_what_is_left_out() -> None:
    empty = Line("b", "nothing here", 0, ())
    both = plan([Line("a", "line", 71, NOTES), empty], TempoMap(lone_bpm=120), HandOnSettings(from_bar=1, to_bar=1))
    assert any("nothing here" in text for text in both.left_out)
    assert "bars 1 to 1" in " ".join(both.words)
    assert len(planned(bend_semitones=0).left_out) == 1


def test_what_may_be_wrong_is_told_of_the_notes_that_are_handed_on() -> None:
    sure, half = ([replace(n, doubt=doubt) for n in NOTES] for doubt in (0.02, 0.5))
    lines = [Line("a", "clear", 71, tuple(sure)), Line("b", "murky", 71, tuple(half))]
    told = plan(lines, TempoMap(lone_bpm=120), HandOnSettings()).in_doubt
    assert "about 2 of 6 notes may be wrong, most of one part in “murky”: 2 of 3" in told
    # Bar 1 ends at 2 s, and what is left has little in doubt.
    late = replace(NOTES[0], onset_s=2.5, offset_s=2.9, doubt=1.0)
    cut = plan([Line("a", "clear", 71, (*sure, late))], TempoMap(lone_bpm=120), HandOnSettings(to_bar=1))
    assert cut.in_doubt == ""


def test_bars_cut_what_sounds_over_their_end() -> None:
    long = (Sounding("a", 1.0, 3.5, 60, 90), Sounding("a", 2.2, 2.4, 62, 90))
    cut = planned(long, from_bar=1, to_bar=1)
    assert [(n.onset_s, n.offset_s) for n in cut.lines[0].events] == [(1.0, 2.0)]
    told = " ".join(cut.left_out)
    assert "1 note beginning outside" in told
    assert "1 note sounding over the end cut there" in told


@pytest.mark.parametrize(
    ("notes", "settings", "words"),
    [((), {}, "nothing to hand on"), (NOTES, {"from_bar": 9, "to_bar": 9}, "no notes in these bars"),
     (NOTES, {"from_bar": 4, "to_bar": 2}, "run backwards")],
)  # fmt: skip
def test_plans_that_cannot_be(notes: tuple[Sounding, ...], settings: dict[str, int], words: str) -> None:
    with pytest.raises(BadInput, match=words):
        planned(notes, **settings)


def test_a_pickup_is_in_a_file_that_begins_at_bar_one() -> None:
    tempo_map = TempoMap(lone_bpm=120).with_downbeat(1.0)
    early = plan([Line("a", "line", 0, NOTES)], tempo_map, HandOnSettings(start="bar 1"))
    assert early.start_s == 0.0
    assert any("pickup" in text for text in early.words)
