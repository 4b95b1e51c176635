"""The tempo map is exact both ways, keeps its pins, and counts bars as musicians do."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.tempo_map import BarPosition, Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput


@st.composite
def maps(draw: st.DrawFn) -> TempoMap:
    """Maps with up to a dozen knots between 20 and 400 bpm and up to three meters."""
    beat = draw(st.floats(-8, 8))
    time_s = draw(st.floats(0, 20))
    knots = [Knot(beat, time_s)]
    for _ in range(draw(st.integers(0, 11))):
        beats = draw(st.floats(0.25, 64))
        bpm = draw(st.floats(20, 400))
        knots.append(Knot(knots[-1].beat + beats, knots[-1].time_s + beats * 60 / bpm, draw(st.booleans())))
    bars = sorted(draw(st.sets(st.integers(1, 60), max_size=2)))
    signature = st.tuples(st.integers(1, 15), st.sampled_from([2, 4, 8, 16]))
    meters = [Meter(bar, *draw(signature)) for bar in [0, *bars]]
    return TempoMap(tuple(knots), tuple(meters), draw(st.integers(-5, 300)), draw(st.floats(20, 400)))


@given(maps(), st.lists(st.floats(-100, 4000), min_size=1, max_size=30))
def test_there_and_back_within_a_microsecond(tempo_map: TempoMap, seconds: list[float]) -> None:
    moments = np.array(seconds)
    assert np.abs(tempo_map.seconds_at(tempo_map.beats_at(moments)) - moments).max() <= 1e-6


@given(maps())
def test_every_knot_is_where_it_was_put(tempo_map: TempoMap) -> None:
    for knot in tempo_map.knots:
        assert tempo_map.seconds_at(knot.beat) == pytest.approx(knot.time_s, abs=1e-9)


@given(maps(), st.lists(st.floats(-50, 500), min_size=2, max_size=20))
def test_later_beats_are_later_moments(tempo_map: TempoMap, beats: list[float]) -> None:
    ordered = np.unique(beats)
    assert np.all(np.diff(tempo_map.seconds_at(ordered)) >= 0)


@given(maps(), st.integers(-20, 200))
def test_bars_and_beats_agree(tempo_map: TempoMap, bar: int) -> None:
    start = tempo_map.bar_start(bar)
    assert tempo_map.bar_index(start) == bar
    place = tempo_map.bar_position(start)
    assert (place.bar, place.beat) == (bar + tempo_map.first_bar_number, pytest.approx(1.0, abs=1e-6))
    assert tempo_map.bar_start(bar + 1) - start == pytest.approx(tempo_map.meter_at(start).quarters)


def test_a_steady_tempo_worked_by_hand() -> None:
    tempo_map = TempoMap(knots=(Knot(0.0, 0.5),), lone_bpm=120)
    assert tempo_map.seconds_at(4.0) == 2.5
    assert tempo_map.beats_at(0.0) == -1.0
    assert tempo_map.bar_position(5.5) == BarPosition(2, 2.5)
    assert tempo_map.bpm_at(3) == pytest.approx(120)


def test_a_pickup_lies_in_the_bar_before() -> None:
    tempo_map = TempoMap(knots=(Knot(0.0, 1.0),), lone_bpm=60, first_bar_number=9)
    assert tempo_map.bar_position(-1.0) == BarPosition(8, 4.0)


def test_six_eight_is_felt_in_two() -> None:
    tempo_map = TempoMap(meters=(Meter(0, 6, 8),))
    assert tempo_map.bar_position(1.5) == BarPosition(1, 2.0)
    assert tempo_map.bar_position(3.0) == BarPosition(2, 1.0)


def test_meters_that_change() -> None:
    tempo_map = TempoMap(meters=(Meter(0, 4, 4), Meter(2, 3, 4)))
    assert [tempo_map.bar_start(b) for b in range(5)] == [0, 4, 8, 11, 14]
    assert tempo_map.bar_position(8.0) == BarPosition(3, 1.0)


def test_the_tempo_goes_on_beyond_the_ends() -> None:
    tempo_map = TempoMap((Knot(0, 0), Knot(4, 2), Knot(8, 6)))
    assert tempo_map.bpm_at(-10) == pytest.approx(120)
    assert tempo_map.bpm_at(100) == pytest.approx(60)
    assert tempo_map.seconds_at(10.0) == pytest.approx(8.0)


def test_moving_the_downbeat_moves_everything_and_no_tempo() -> None:
    tempo_map = TempoMap((Knot(0, 0), Knot(4, 2), Knot(8, 6)))
    moved = tempo_map.with_downbeat(1.25)
    assert moved.seconds_at(0.0) == pytest.approx(1.25)
    assert moved.bpm_at(5) == tempo_map.bpm_at(5)
    assert replace(moved, knots=tempo_map.knots) == tempo_map


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: TempoMap(knots=()), "at least one knot"),
        (lambda: TempoMap((Knot(0, 1), Knot(1, 1))), "do not rise together"),
        (lambda: TempoMap((Knot(0, 0), Knot(1, 100))), "tempo would be 0.6"),
        (lambda: TempoMap(lone_bpm=2000), "2000 beats a minute is out of range"),
        (lambda: TempoMap(meters=(Meter(1, 4, 4),)), "out of order"),
        (lambda: TempoMap(meters=(Meter(0, 4, 3),)), "4/3 is no meter"),
    ],
)
def test_maps_that_cannot_be_are_refused_in_words(make: object, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        make()
