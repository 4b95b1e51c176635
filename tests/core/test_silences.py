"""Silence inside a recording, and tempos that can hardly be meant."""

from dataclasses import replace

import numpy as np
import pytest

from honest_stave.core.beat.beat_map import Beat, BeatMap, Hold, MeterFrom, places_of, tempo_map_of
from honest_stave.core.beat.click import ticks_of
from honest_stave.core.beat.held import likely_held
from honest_stave.core.beat.plausible import implausible_stretches
from honest_stave.core.beat.silences import as_rest, find_silences, rests_in, without_stillness
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.activity import CELL_S
from honest_stave.core.signal.listen import ANALYSIS_RATE


def steady(beats: int = 40, pins: tuple[int, ...] = ()) -> BeatMap:
    made = tuple(Beat(1.0 + 0.5 * i, None, 0.95, i in pins) for i in range(beats))
    return BeatMap("two movements", "t", "r", made, (MeterFrom(0, 4, 4),))


def implausible(beat_map: BeatMap) -> list[tuple[int, int]]:
    return implausible_stretches(beat_map, likely_held(beat_map))


def test_only_silence_between_sounds_is_found() -> None:
    sounding = np.full(1000, 0.3)
    sounding[:100] = sounding[900:] = 0.0
    sounding[400:600] = 0.01
    sounding[700:720] = 0.0
    ((from_s, to_s),) = find_silences(sounding, 0.05)
    assert from_s == pytest.approx(400 * CELL_S, abs=CELL_S)
    assert to_s == pytest.approx(600 * CELL_S, abs=CELL_S)


def test_silence_lasts_until_the_signal_sounds_though_a_network_expects_it_sooner() -> None:
    size = round(CELL_S * ANALYSIS_RATE)
    signal = np.tile(np.float32([0.3, -0.3]), 500 * size)
    signal[300 * size : 600 * size] = 0
    signal += np.float32(0.001)
    sounding = np.full(1000, 0.4)
    sounding[310:570] = 0.01
    ((from_s, to_s),) = find_silences(without_stillness(sounding, signal), 0.05)
    assert from_s == pytest.approx(300 * CELL_S, abs=CELL_S)
    assert to_s == pytest.approx(600 * CELL_S, abs=CELL_S)


def test_a_silence_that_was_counted_through_becomes_a_rest_and_the_music_stays_where_it_is() -> None:
    # Between the second beat of bar 3 and the third of bar 6 nothing sounds.
    found = steady()
    ((beat, extra),) = rests_in(found, [(5.6, 11.9)])
    assert (beat, extra) == (9, 12)
    rest = as_rest(found, beat, extra)
    times = [b.time_s for b in rest.beats]
    assert times == [t for t in (b.time_s for b in found.beats) if not 5.6 < t < 11.9]
    places = places_of(rest)
    # The music begins again with a bar, the one after the rest.
    assert (places.bar[10], places.beat[10]) == (4, 1)
    assert float(tempo_map_of(rest).seconds_at(places.position[10])) == pytest.approx(12.0)
    assert not [t for t in ticks_of(rest) if 5.6 < t.time_s < 11.9]
    assert rests_in(rest, [(5.6, 11.9)]) == []


def lasting(beats: dict[int, float], pins: tuple[int, ...] = ()) -> BeatMap:
    """Forty beats of half a second, some of them so many times as long."""
    length_s = [0.5 * beats.get(i, 1.0) for i in range(39)]
    times = 1.0 + np.concatenate([[0.0], np.cumsum(length_s)])
    return replace(steady(), beats=tuple(Beat(t, None, 0.95, i in pins) for i, t in enumerate(times.tolist())))


def test_a_beat_far_longer_than_those_around_it_seems_held_and_slowing_down_does_not() -> None:
    found = lasting({8: 2.0, 20: 2.4, 21: 2.4, 22: 2.4})
    assert likely_held(found) == [(8, 1, pytest.approx(2.0)), (20, 3, pytest.approx(2.4))]
    assert implausible(lasting({8: 3.0})) == []
    # Between pins it may be a beat that was left out.
    assert implausible(lasting({8: 3.0}, pins=(8, 9))) == [(8, 9)]
    held = replace(found, holds=(Hold(8),))
    assert [first for first, _, _ in likely_held(held)] == [20]
    assert likely_held(lasting({30 + i: 1.15**i for i in range(9)})) == []
    assert likely_held(lasting({i: 2.0 for i in range(20, 39)})) == []
    assert likely_held(steady(3)) == []


def test_minutes_of_silence_are_written_as_bars_enough() -> None:
    late = tuple(replace(b, time_s=b.time_s + 60.0) if i >= 22 else b for i, b in enumerate(steady().beats))
    found = replace(steady(), beats=tuple(b for i, b in enumerate(late) if not 10 < i < 21))
    rest = as_rest(found, 10, 1)
    assert rest.holds[0].written_beats % 4 == 2
    assert (places_of(rest).beat[11], rest.beats[11].time_s) == (1, 72.0)


def test_no_rest_over_a_pin() -> None:
    assert rests_in(steady(pins=(12,)), [(5.6, 11.9)]) == []
    with pytest.raises(BadInput, match="pin"):
        as_rest(steady(pins=(12,)), 9, 12)


def test_a_pin_on_another_beat_than_it_says_is_marked_from_pin_to_pin() -> None:
    assert implausible(steady(pins=(4, 12))) == []
    early = steady(pins=(0, 8, 12, 20))
    # Four beats squeezed into one second: the pin at 12 was put on what is really beat 10.
    times = np.interp(np.arange(40), [0, 8, 12, 20, 39], [1.0, 5.0, 6.0, 11.0, 20.5])
    squeezed = replace(
        early, beats=tuple(replace(b, time_s=float(t)) for b, t in zip(early.beats, times, strict=True))
    )
    assert implausible(squeezed) == [(8, 12)]
