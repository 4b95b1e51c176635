"""Scores laid on recordings: the beats they give, holds written out, passages that do not fit."""

from dataclasses import replace

import numpy as np
import pytest

from honest_stave.core.beat.align import Alignment, Written
from honest_stave.core.beat.aligned_map import as_hold, map_of_alignment, misfits
from honest_stave.core.beat.beat_map import BeatMap, WrittenOut, check_map, places_of, tempo_map_of
from honest_stave.core.beat.map_edits import insert, remove
from honest_stave.core.beat.sung import three_moments
from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, Activity

# Two bars of 4/4 whose second ends in a hold that is written out as two beats more, then two of 4/4.
METERS = (Meter(0, 4, 4), Meter(1, 6, 4), Meter(2, 4, 4))
ONSETS = (0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 10.0, 11.0, 12.0, 13.0, 14.0, 15.0, 16.0, 17.0)


def score() -> list[Written]:
    return [Written(b, 3.0 if b == 7.0 else 1.0, 60 + i % 7) for i, b in enumerate(ONSETS)]


def played(time_s: np.ndarray, stops: int = -1) -> Alignment:
    sure = np.full(len(time_s), 0.8)
    return Alignment(np.array(ONSETS), time_s, sure, sure, stops)


def aligned() -> BeatMap:
    time_s = 1.0 + 0.6 * np.arange(16.0)
    # The hold really lasts two and a half beats.
    time_s[8:] += 0.9
    made = map_of_alignment(played(time_s), score(), TempoMap((Knot(0.0, 0.0),), METERS, 1, 100.0))
    return check_map(
        BeatMap("overture", "t", "", made.beats, made.meters, made.first_bar_number, written_out=made.written_out)
    )


def test_the_beats_of_a_score_lie_where_it_is_played_and_a_written_hold_is_told() -> None:
    found = aligned()
    assert [b.time_s for b in found.beats[:8]] == pytest.approx((1.0 + 0.6 * np.arange(8)).tolist())
    assert [b.heard_s is None for b in found.beats[7:11]] == [False, True, True, False]
    assert found.written_out == (WrittenOut(7, 2),)
    assert [(m.bar, m.numerator) for m in tempo_map_of(found).meters] == [(0, 4), (1, 6), (2, 4)]


def test_a_hold_keeps_every_position_of_the_score_and_every_moment_of_the_recording() -> None:
    found = aligned()
    held = as_hold(found, 7, 2)
    assert held.written_out == ()
    assert held.holds[0].written_beats == 3
    assert len(held.beats) == len(found.beats) - 2
    # A steady four to the bar to count, and still the same music at the same moments.
    assert [(m.numerator, m.denominator) for m in held.meters] == [(4, 4)]
    for position, moment in ((6.0, 4.6), (10.0, 6.7), (17.0, 10.9)):
        assert float(tempo_map_of(found).seconds_at(position)) == pytest.approx(moment)
        assert float(tempo_map_of(held).seconds_at(position)) == pytest.approx(moment)
    assert places_of(held).bar.tolist() == sorted(places_of(held).bar.tolist())


def test_holds_written_out_stay_on_their_beats_until_they_are_made_or_taken_out() -> None:
    told = replace(aligned(), written_out=(WrittenOut(2, 1), WrittenOut(7, 2), WrittenOut(13, 1)))
    # Two beats fewer before it, and the one that was made is told no more.
    assert as_hold(told, 7, 2).written_out == (WrittenOut(2, 1), WrittenOut(11, 1))
    assert remove(told, [8]).written_out == (WrittenOut(2, 1), WrittenOut(7, 1), WrittenOut(12, 1))
    assert remove(told, [2]).written_out == (WrittenOut(6, 2), WrittenOut(12, 1))
    assert insert(told, 1.3).written_out == (WrittenOut(3, 1), WrittenOut(8, 2), WrittenOut(14, 1))


def test_a_score_that_begins_inside_a_bar_has_a_pickup() -> None:
    notes = [Written(b, 1.0, 60) for b in np.arange(3.0, 19.0).tolist()]
    time_s = 0.5 + 0.5 * np.arange(16.0)
    sure = np.full(16, 0.8)
    found = Alignment(np.arange(3.0, 19.0), time_s, sure, sure, -1)
    made = map_of_alignment(found, notes, TempoMap((Knot(0.0, 0.0),), (Meter(0, 4, 4),), 1, 120.0))
    assert made.meters[0].beat == 1
    assert made.first_bar_number == 2


def test_what_does_not_fit_is_said_with_the_passage() -> None:
    even = 1.0 + 0.6 * np.arange(16.0)
    assert misfits(played(even), (0.9, 11.0)) == ()
    assert "does not fit this recording" in misfits(played(even, 0), (0.9, 11.0))[0]
    assert "From 7.0 s on, quarter 12" in misfits(played(even, 10), (0.9, 11.0))[0]
    assert "a repeat that is played and not written" in misfits(played(even), (0.9, 40.0))[0]
    squeezed = np.concatenate([even[:6], even[5] + 0.05 * np.arange(1, 6), even[5] + 0.3 + 0.6 * np.arange(5)])
    assert "a repeat that is written and not played" in misfits(played(squeezed), (0.9, 9.0))[0]


def test_noise_pitch_and_release_of_a_sung_note_are_told_apart() -> None:
    cells = 120
    none = np.zeros((cells, 88))
    sounding = none.copy()
    sounding[40:80, 60 - LOWEST_PITCH] = 0.9
    level_db = np.full(cells, -60.0)
    level_db[35:82] = -25.0

    def at(cell: int) -> float:
        return FIRST_CELL_S + cell * CELL_S

    activity = Activity(none, sounding, none, none)
    ((noise, stands, let_go),) = three_moments(activity, level_db, 0.0, [(at(40), at(80), 60)]).tolist()
    assert (noise, stands, let_go) == pytest.approx((at(35), at(40), at(80)))
    assert np.isnan(three_moments(activity, level_db, 0.0, [(at(40), at(80), 72)])).all()
