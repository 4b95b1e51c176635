"""Written onsets between beats: carried with the beats, pinned so that the map goes through them, let go again."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat import map_edits, map_files
from honest_stave.core.beat.align import Alignment, Written
from honest_stave.core.beat.aligned_map import as_hold, map_of_alignment
from honest_stave.core.beat.beat_map import (
    Beat,
    BeatMap,
    Between,
    ClickFrom,
    check_map,
    moved_with,
    onsets_of,
    places_of,
    stops_of,
    tempo_map_of,
    times_of,
)
from honest_stave.core.beat.between import (
    carried,
    laid_anew,
    move_between,
    moved_by,
    pin_at,
    pin_between,
    release_between,
)
from honest_stave.core.beat.click import ticks_of
from honest_stave.core.beat.map_tempo import tempo_curve_of, weakest_first
from honest_stave.core.beat.plausible import implausible_stretches
from honest_stave.core.beat.score_of_map import Voice, score_of_map
from honest_stave.core.beat.smoothing import smooth
from honest_stave.core.beat.straight import plan_straightening
from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.musicxml_read import read_musicxml, tempo_map_of_score
from honest_stave.core.formats.musicxml_write import write_musicxml
from honest_stave.core.part.events import Sounding

# Sixteen beats of 0.5 s from 1 s on; eighths after the second, third and fifth, sixteenths after the seventh.
EIGHTHS = (Between(1, 0.5, 1.75, 1.76, 0.95), Between(2, 0.5, 2.25, 2.25, 0.7), Between(4, 0.5, 3.25, 3.25, 0.95))
SIXTEENTHS = tuple(Between(6, s, 4.0 + 0.5 * s, 4.0 + 0.5 * s, 0.95) for s in (0.25, 0.5, 0.75))


def sung() -> BeatMap:
    beats = tuple(Beat(1.0 + 0.5 * i, 1.0 + 0.5 * i, 0.95) for i in range(16))
    return check_map(BeatMap("verse", "take", "", beats, between=(*EIGHTHS, *SIXTEENTHS)))


def moments(beat_map: BeatMap) -> list[float]:
    return [round(b.time_s, 6) for b in beat_map.between]


def test_an_aligned_score_tells_what_is_written_between_its_beats() -> None:
    written = [Written(b, 0.5, 60) for b in (0.0, 1.0, 1.5, 2.0, 2 + 1 / 3, 2 + 2 / 3, 3.0, 3.01, 4.0)]
    place = np.array([n.onset_beats for n in written])
    found = Alignment(place, 2.0 + 0.6 * place, np.linspace(0.5, 0.9, 9), np.ones(9), -1)
    made = map_of_alignment(found, written, TempoMap((Knot(0.0, 0.0),), (Meter(0, 4, 4),), 1, 100.0))
    told = [(b.beat, round(b.share, 3), round(b.time_s, 3), round(b.confidence, 3)) for b in made.between]
    # What lies within a fiftieth of a quarter of a beat is on it.
    assert told == [(1, 0.5, 2.9, 0.6), (2, 0.333, 3.4, 0.7), (2, 0.667, 3.6, 0.75)]


def test_an_upbeat_and_a_last_onset_off_the_beat_have_beats_around_them() -> None:
    written = [Written(b, 0.25, 60) for b in (3.5, 4.0, 5.0, 6.0, 7.0, 7.5)]
    place = np.array([n.onset_beats for n in written])
    found = Alignment(place, 0.1 + 0.6 * (place - 3.5), np.full(6, 0.9), np.ones(6), -1)
    made = map_of_alignment(found, written, TempoMap((Knot(0.0, 0.0),), (Meter(0, 4, 4),), 1, 100.0))
    # The beat of the upbeat lies before the recording begins; bar 1 is the one after the pickup.
    assert [b.time_s for b in made.beats] == pytest.approx([-0.2, 0.4, 1.0, 1.6, 2.2, 2.8])
    assert [b.heard_s is None for b in made.beats] == [True, False, False, False, False, True]
    assert [(m.beat, m.numerator) for m in made.meters] == [(1, 4)]
    assert [(b.beat, b.share) for b in made.between] == [(0, 0.5), (4, 0.5)]


@given(st.floats(4.08, 4.42), st.sampled_from([3, 4, 5]))
def test_the_map_goes_through_a_pin_between_beats_and_nothing_else_of_it_moves(time_s: float, chosen: int) -> None:
    before = sung()
    after = carried(before, move_between(before, chosen, time_s))
    assert times_of(after).tolist() == times_of(before).tolist()
    tempo = tempo_map_of(after)
    assert tempo.seconds_at(6 + before.between[chosen].share) == pytest.approx(time_s, abs=1e-6)
    assert tempo.beats_at(tempo.seconds_at(6.4)) == pytest.approx(6.4, abs=1e-6)
    # What is written beside it in the same beat makes room, and stays in order.
    onsets = onsets_of(after)
    assert np.all(np.diff(onsets.time_s) > 0)
    assert moments(after)[:3] == moments(before)[:3]
    # The written file has it within half a tick: of 960 a quarter, at the quickest tempo here.
    proof = map_files.prove_map(after, map_files.map_as_midi(after, 0.0, with_click=False), 0.0, None)
    assert (proof.pins, proof.beats) == (1, 16)
    assert proof.worst_pin_ms <= 1e3 * 0.5 * 0.5 / 960


def test_a_pin_stays_while_beats_around_it_move_and_beats_do_not_cross_it() -> None:
    pinned = move_between(sung(), 4, 4.2)
    moved = carried(pinned, map_edits.move(pinned, 6, 4.08))
    # A sixteenth before the pin goes along with the beat, one after it stays.
    assert moments(moved)[3:] == [pytest.approx(4.08 + 0.625 * 0.12, abs=1e-6), 4.2, 4.375]
    for chosen, time_s in ((6, 4.21), (7, 4.19)):
        with pytest.raises(BadInput, match=r"would cross the pin at 4\.200 s"):
            map_edits.move(pinned, chosen, time_s)
    with pytest.raises(BadInput, match=r"would cross the beat at 4\.500 s"):
        move_between(pinned, 5, 4.6)
    with pytest.raises(BadInput, match=r"would cross the pin at 4\.200 s"):
        move_between(pinned, 5, 4.19)
    with pytest.raises(BadInput, match="no longer there"):
        move_between(pinned, 6, 4.3)
    assert np.all(np.diff(stops_of(smooth(move_between(sung(), 4, 4.44), 1.0)).time_s) > 0)


def test_let_go_an_onset_lies_where_it_was_heard() -> None:
    before = sung()
    pinned = move_between(before, 0, 1.9)
    assert moments(release_between(pinned, [0]))[0] == 1.76
    # Where that lies beyond a beat that was moved it lies where it is written.
    later = map_edits.move(pinned, 1, 1.8)
    assert moments(release_between(later, [0]))[0] == pytest.approx(1.9)
    kept = pin_between(before, [0, 1])
    assert moments(kept) == moments(before)
    assert [b.pinned for b in kept.between[:3]] == [True, True, False]
    assert weakest_first(before) == [(None, 1)]
    assert weakest_first(kept) == []


def test_where_something_ends_is_pinned_though_nothing_begins_there() -> None:
    before = sung()
    # On a beat that beat, a little before an onset that onset, elsewhere a place of its own that is gone when let go.
    assert pin_at(before, 2.9, 2.53) == map_edits.move(before, 3, 2.53)
    assert pin_at(before, 2.49, 2.3) == move_between(before, 1, 2.3)
    pinned = pin_at(before, 5.75, 3.9)
    assert [(b.beat, b.share, b.time_s) for b in pinned.between if b.pinned] == [(5, 0.75, 3.9)]
    moved = moved_by(before, pinned)
    assert moved is not None
    assert float(moved_with(moved.old_s, moved.new_s, np.array(3.875))) == pytest.approx(3.9)
    assert release_between(pinned, [3]) == before
    with pytest.raises(BadInput, match="no beat after this place"):
        pin_at(before, 15.1, 9.0)


def test_what_was_laid_anew_takes_along_what_begins_nowhere_and_leaves_pins() -> None:
    beats = [replace(b, heard_s=None) if i in (3, 4) else b for i, b in enumerate(sung().beats)]
    pinned = move_between(map_edits.pin(replace(sung(), beats=tuple(beats)), [1, 9]), 4, 4.2)
    # Of beats 2 and 5 to 8 and the onsets heard at 2.25, 3.25 and 4.25 s; the pin between has moved since.
    was = np.array([2.0, 2.25, 3.25, 3.5, 4.0, 4.25, 4.5, 5.0])
    now = laid_anew(pinned, was, was + 0.06, np.full(8, 0.5))
    assert times_of(now)[:10] == pytest.approx([1.0, 1.5, 2.06, 2.56, 3.06, 3.56, 4.06, 4.56, 5.06, 5.5])
    assert moments(now) == pytest.approx([1.75 + 0.03, 2.31, 3.31, 4.125 + 0.06, 4.2, 4.375 + 0.06], abs=0.04)
    assert (now.between[4].time_s, now.between[4].heard_s) == (4.2, pytest.approx(4.31))
    assert [b.pinned for b in now.beats] == [b.pinned for b in pinned.beats]


def test_what_is_between_beats_follows_edits_of_the_beats_or_stands_in_their_way() -> None:
    free, pinned = sung(), pin_between(sung(), [1])
    assert [b.beat for b in map_edits.insert(free, 1.3).between] == [2, 3, 5, 7, 7, 7]
    assert [b.beat for b in map_edits.remove(free, [2]).between] == [3, 5, 5, 5]
    # A beat held for three written ones keeps the upbeat at its end.
    held = as_hold(replace(free, between=(EIGHTHS[2],)), 2, 2)
    assert [(b.beat, round(b.share, 4)) for b in held.between] == [(2, round(2.5 / 3, 4))]
    for edit in (
        lambda m: map_edits.insert(m, 2.3),
        lambda m: map_edits.remove(m, [3]),
        lambda m: map_edits.double_from(m, 0),
        lambda m: map_edits.half_from(m, 0),
        lambda m: map_edits.off_beat_from(m, 1),
        lambda m: map_edits.replace_stretch(m, 1, 4, [Beat(2.1), Beat(2.2)]),
    ):
        check_map(edit(free))
        with pytest.raises(BadInput, match=r"pin between beats at 2\.250 s stands in the way"):
            edit(pinned)


def test_click_steady_stretch_straightening_and_tempo_go_through_a_pin_between_beats() -> None:
    late = move_between(sung(), 1, 2.35)
    ticks = ticks_of(replace(late, clicks=(ClickFrom(0, subdivision=2),)))
    assert [round(t.time_s, 3) for t in ticks[2:7]] == [1.5, 1.75, 2.0, 2.35, 2.5]
    steady = map_edits.steady(late, 0, 4)
    assert times_of(steady)[:5] == pytest.approx([1.0, 1.54, 2.08, 2.35 + 0.65 / 3, 3.0])
    plan = plan_straightening(np.zeros((44100 * 9, 1), np.float32), 44100, late, 120.0)
    assert float(np.interp(2.35, plan.from_s, plan.to_s)) == pytest.approx(2.5 * 0.5)
    rows = map_files.beats_as_csv(late).splitlines()
    assert [row.split(",")[:4] for row in rows[3:6]] == [
        ["1", "3", "2.000000", "2.000000"],
        ["1", "3.5", "2.500000", "2.350000"],
        ["1", "4", "3.000000", "2.500000"],
    ]
    score = score_of_map(late, [Voice("Top", 0, (Sounding("a", 2.35, 2.5, 60, 80),))])
    back = tempo_map_of_score(read_musicxml(write_musicxml(score.score, "Verse")))
    assert back.seconds_at(2.5) + score.starts_s == pytest.approx(2.35, abs=1e-5)
    curve = tempo_curve_of(late)
    assert curve.bpm[1:5] == pytest.approx([120.0, 60 * 0.5 / 0.35, 60 * 0.5 / 0.15, 120.0])
    assert implausible_stretches(late, []) == []
    assert implausible_stretches(move_between(sung(), 1, 2.05), []) == [(2, 3)]


EDITS = st.one_of(
    st.tuples(st.just("move"), st.integers(0, 15), st.floats(-0.4, 0.4)),
    st.tuples(st.just("between"), st.integers(0, 5), st.floats(-0.2, 0.2)),
    st.tuples(st.sampled_from(["pin", "let go"]), st.integers(0, 5), st.just(0.0)),
    st.tuples(st.sampled_from(["remove", "double", "half", "release", "hold"]), st.integers(0, 15), st.just(0.0)),
    st.tuples(st.sampled_from(["smooth", "steady"]), st.integers(0, 12), st.floats(0, 1)),
    st.tuples(st.just("end"), st.integers(0, 15), st.floats(0.01, 0.99)),
)


def edited(beat_map: BeatMap, name: str, at: int, value: float) -> BeatMap:
    # Where nothing is left between beats, asking for it is refused.
    one = min(at, max(len(beat_map.between) - 1, 0))
    last = len(beat_map.beats) - 1
    return {
        "move": lambda: map_edits.move(beat_map, min(at, last), times_of(beat_map)[min(at, last)] + value),
        "between": lambda: move_between(beat_map, one, [*(b.time_s for b in beat_map.between), 0.0][one] + value),
        "pin": lambda: pin_between(beat_map, [one]),
        "let go": lambda: release_between(beat_map, [one]),
        "remove": lambda: map_edits.remove(beat_map, [min(at, last)]),
        "double": lambda: map_edits.double_from(beat_map, min(at, last)),
        "half": lambda: map_edits.half_from(beat_map, min(at, last)),
        "release": lambda: map_edits.release(beat_map, [min(at, last)]),
        "hold": lambda: map_edits.hold(beat_map, min(at, last), 2),
        "smooth": lambda: smooth(beat_map, value),
        "steady": lambda: map_edits.steady(beat_map, min(at, last - 3), min(at, last - 3) + 3),
        "end": lambda: pin_at(beat_map, min(at, last) + value, times_of(beat_map)[min(at, last)] + 0.5 * value),
    }[name]()


@given(st.lists(EDITS, min_size=1, max_size=8))
def test_onsets_stay_in_order_and_the_map_goes_through_every_pin(
    edits: list[tuple[str, int, float]],
) -> None:
    now = sung()
    for name, at, value in edits:
        before = now
        try:
            now = carried(before, edited(before, name, at, value))
        except BadInput:
            continue
        onsets, stops = onsets_of(now), stops_of(now)
        assert np.all(np.diff(onsets.place) > 0)
        assert np.all(np.diff(onsets.time_s) > -1e-9)
        tempo = tempo_map_of(now)
        positions = np.interp(stops.place, np.arange(len(now.beats)), places_of(now).position)
        assert tempo.seconds_at(positions) == pytest.approx(stops.time_s, abs=1e-6)
        if name in ("move", "release", "hold", "smooth", "steady"):
            assert [b for b in now.between if b.pinned] == [b for b in before.between if b.pinned]
