"""Edits, selections, accepting and the doubt limit, the list of events."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.part import edits
from honest_stave.core.part.accept import curve_of, note_of, renew, sparse_curve
from honest_stave.core.part.events import heard_parts, sounding_notes, stepped_bends
from honest_stave.core.part.notes import Note, Origin, Part, check_note
from honest_stave.core.part.select import select
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import FormSettings, ReadSettings
from tests.made import RATE, line, tune


def note(id: str, onset_s: float, offset_s: float, pitch: int = 60, velocity: int = 80, **rest: object) -> Note:
    return Note(id, onset_s, offset_s, pitch, velocity, **rest)


A, B, C = note("a", 0.5, 0.9), note("b", 1.0, 1.4, 64, 60), note("c", 1.5, 2.5, 62, 100)


def test_moving_keeps_distances_and_never_goes_before_the_start() -> None:
    moved = edits.move([A, B], by_s=-2.0, semitones=12).put
    assert [(n.onset_s, n.pitch) for n in moved] == [(0.0, 72), (0.5, 76)]
    assert all(n.touched for n in moved)


def test_a_start_moved_later_takes_its_part_of_the_curve() -> None:
    bent = replace(A, curve=((0.0, -80.0), (0.1, 0.0), (0.3, 5.0)))
    moved = edits.set_ends([bent], start_by_s=0.1).put[0]
    assert moved.curve == (pytest.approx((0.0, 0.0)), pytest.approx((0.2, 5.0)))


def test_ends_never_cross() -> None:
    squeezed = edits.set_ends([A], end_by_s=-5.0).put[0]
    assert squeezed.offset_s > squeezed.onset_s


@given(st.floats(0.51, 0.89))
def test_splitting_and_joining_is_the_note_again(at_s: float) -> None:
    bent = replace(A, curve=((0.0, 10.0), (0.05, -5.0), (0.35, 8.0)))
    first, second = edits.split([bent], at_s=at_s, new_id=lambda: "n").put
    assert first.offset_s == second.onset_s == at_s
    joined = edits.join([first, second])
    assert joined.removed == (second,)
    assert (joined.put[0].onset_s, joined.put[0].offset_s, joined.put[0].pitch) == (0.5, 0.9, 60)
    assert [t for t, _ in joined.put[0].curve] == pytest.approx([0.0, 0.05, 0.35])


def test_joining_takes_the_longest_pitch_and_the_first_velocity() -> None:
    joined = edits.join([A, B, C])
    assert (joined.put[0].pitch, joined.put[0].velocity, joined.put[0].offset_s) == (62, 80, 2.5)
    assert {n.id for n in joined.removed} == {"b", "c"}


def test_velocities_set_scaled_and_evened() -> None:
    assert [n.velocity for n in edits.set_velocity([A, B, C], value=77).put] == [77, 77, 77]
    assert [n.velocity for n in edits.set_velocity([A, C], scale=2.0).put] == [127, 127]
    assert [n.velocity for n in edits.set_velocity([A, B, C], even=0.5).put] == [80, 70, 90]
    assert [n.velocity for n in edits.set_velocity([A, B, C], even=1.0).put] == [80, 80, 80]


def test_trimming_only_shortens() -> None:
    ends = {"a": 0.7, "b": 9.0, "c": 2.0}
    trimmed = edits.trim_ends([A, B, C], lambda n: ends[n.id]).put
    assert [(n.id, n.offset_s) for n in trimmed] == [("a", 0.7), ("c", 2.0)]


def test_pasting_keeps_distances_and_gives_new_names() -> None:
    names = iter("xyz")
    copies = edits.paste([A, B], at_s=10.0, new_id=lambda: next(names)).put
    assert [(n.id, n.onset_s, n.offset_s) for n in copies] == [("x", 10.0, 10.4), ("y", 10.5, 10.9)]


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda: edits.join([A]), "nothing to join"),
        (lambda: edits.split([A], at_s=3.0, new_id=lambda: "n"), "No selected note sounds there"),
        (lambda: edits.paste([], at_s=0, new_id=lambda: "n"), "nothing to paste"),
        (lambda: edits.take_runner_up([A]), "no runner-up"),
        (lambda: edits.move([A], semitones=100), "Pitch 160 is out"),
        (lambda: check_note(note("z", 0.0, 0.001)), "too short"),
    ],
)
def test_edits_that_cannot_be_say_why(edit: object, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        edit()


def test_selecting_by_rules() -> None:
    tempo = TempoMap(lone_bpm=120)
    doubtful = replace(A, origin=Origin("r", "k", 0.5, 0.9, 60, 80, 0.4))
    notes = [doubtful, B, replace(C, onset_s=1.76)]
    assert select(notes, "pitch", 64, tempo) == ["b"]
    assert select(notes, "shorter", 0.5, tempo) == ["a", "b"]
    assert select(notes, "quieter", 80, tempo) == ["b"]
    assert select(notes, "doubtful", 0.5, tempo) == ["a"]
    assert select(notes, "on the beat", 0, tempo) == ["a", "b"]
    assert select(notes, "between the beats", 0, tempo) == ["c"]
    assert select(notes, "all", 0, tempo) == ["a", "b", "c"]
    assert select([], "on the beat", 0, tempo) == []


def test_moving_the_limit_leaves_touched_notes_alone() -> None:
    reading = read(line(tune()), RATE, ReadSettings())
    fresh = [note_of("r", reading, c) for c in form_candidates(reading, FormSettings())]
    edited = fresh[2].edited(pitch=40)
    added = note("own", 0.1, 0.2)
    now = [fresh[0], edited, added]
    after = renew(now, fresh, reading_id="r", dropped=frozenset({fresh[4].id}))
    ids = [n.id for n in after]
    assert edited in after
    assert added in after
    assert fresh[4].id not in ids
    assert len(ids) == len(set(ids)) == len(fresh) + 1 - 1
    assert renew(after, [], reading_id="r", dropped=frozenset()) == [edited, added]


def test_the_curve_keeps_the_vibrato_and_drops_the_flat() -> None:
    sung = read(line(tune(), vibrato_cents=25), RATE, ReadSettings())
    flat = read(line(tune()), RATE, ReadSettings())
    first = next(c for c in form_candidates(sung, FormSettings()) if c.confidence > 0.5)
    cents = [c for _, c in curve_of(sung, first)]
    assert max(cents) == pytest.approx(25, abs=8)
    assert min(cents) == pytest.approx(-25, abs=8)
    assert curve_of(flat, form_candidates(flat, FormSettings())[2]) == ()


@given(st.lists(st.floats(-150, 150), min_size=3, max_size=60))
def test_sparse_curves_stay_within_tolerance(cents: list[float]) -> None:
    points = [(0.01 * i, c) for i, c in enumerate(cents)]
    kept = sparse_curve(points)
    again = np.interp([t for t, _ in points], [t for t, _ in kept], [c for _, c in kept])
    assert np.abs(again - cents).max() <= 4.0 + 0.2


def test_events_step_the_curve_finely_and_end_before_the_note() -> None:
    bent = replace(A, curve=((0.0, -100.0), (0.2, 0.0), (0.4, 0.0)))
    steps = stepped_bends(bent)
    assert steps[0] == (0.5, -100.0)
    assert steps[-1][0] < bent.offset_s
    assert max(abs(b[1] - a[1]) for a, b in itertools.pairwise(steps)) <= 8
    assert abs(steps[-1][1]) <= 3.0


def test_the_same_pitch_never_sounds_twice_at_once() -> None:
    long, inside, together = note("1", 0.0, 2.0), note("2", 1.0, 1.5), note("3", 1.0, 3.0)
    found = sounding_notes("p", Part("p", bends=False), [long, inside, together])
    assert [(n.onset_s, n.offset_s) for n in found] == [(0.0, 1.0), (1.0, 3.0)]


def test_events_carry_the_doubt_of_what_no_hand_has_judged() -> None:
    origin = Origin("r", "k", 0.0, 1.0, 60, 80, confidence=0.6)
    read_note = note("read", 0.0, 1.0, origin=origin)
    kept = note("kept", 1.0, 2.0, origin=origin, touched=True)
    found = sounding_notes("p", Part("p"), [read_note, kept, note("added", 2.0, 3.0)])
    assert [n.doubt for n in found] == pytest.approx([0.4, 0, 0])


def test_octave_bends_mute_and_solo() -> None:
    bent = replace(A, curve=((0.0, 30.0),))
    assert sounding_notes("p", Part("p", octave=1), [bent])[0].pitch == 72
    assert sounding_notes("p", Part("p", bends=False), [bent])[0].bends == ()
    assert sounding_notes("p", Part("p", octave=-4), [note("x", 0, 1, 20)]) == []
    plain, muted, solo = Part("a"), Part("b", muted=True), Part("c", solo=True)
    assert heard_parts({"a": plain, "b": muted}) == ["a"]
    assert heard_parts({"a": plain, "b": muted, "c": solo}) == ["c"]


def test_a_note_struck_again_is_whole_between_its_ends() -> None:
    long = note("long", 1.0, 3.0, 57)
    ids = (f"n{i}" for i in itertools.count())
    put = edits.restrike([long], lambda _: [0.5, 1.01, 1.6, 2.2, 2.99], lambda: next(ids)).put
    # Moments outside the note, or too near its ends, strike nothing.
    assert [(n.onset_s, n.offset_s) for n in put] == [(1.0, 1.6), (1.6, 2.2), (2.2, 3.0)]
    assert put[0].id == "long"
    assert all(n.touched and n.pitch == 57 for n in put)
    with pytest.raises(BadInput):
        edits.restrike([long], lambda _: [], lambda: next(ids))


def test_a_line_set_by_hand_is_kept_and_can_be_left_to_the_rule_again() -> None:
    notes = [note("low", 0.0, 1.0, 48), note("high", 0.0, 1.0, 72)]
    moved = edits.set_line([notes[0]], "top").put[0]
    assert select([moved, notes[1]], "top", 0.0, TempoMap()) == ["low"]
    freed = edits.set_line([moved], "").put[0]
    assert select([freed, notes[1]], "top", 0.0, TempoMap()) == ["high"]


def test_a_mended_note_keeps_only_its_own_pitch_free_in_a_chord() -> None:
    def read_note(pitch: int, **rest: object) -> Note:
        key = f"r:{pitch}"
        return note(key, 0.0, 1.0, pitch, origin=Origin("r", key, 0.0, 1.0, pitch, 80, 0.9), **rest)

    mended = read_note(60, touched=True)
    fresh = [read_note(60), read_note(64), read_note(67)]
    many = renew([mended], fresh, reading_id="r", dropped=frozenset(), many=True)
    assert [n.pitch for n in many] == [60, 64, 67]
    assert many[0] is mended
    assert renew([mended], fresh, reading_id="r", dropped=frozenset()) == [mended]


@pytest.mark.parametrize(("bpm", "expected"), [(120, [1.0, 1.5, 2.0]), (60, [1.0, 2.0])])
def test_felt_beats_between_two_moments(bpm: float, expected: list[float]) -> None:
    assert TempoMap(lone_bpm=bpm).felt_beats_between(0.9, 2.1) == pytest.approx(expected)
