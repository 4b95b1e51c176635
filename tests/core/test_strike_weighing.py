"""Strikes weighed with the others of their passage: what they see, and what they must not see."""

from dataclasses import replace

import numpy as np
import pytest

from honest_stave.core.pitch.passages import CONTEXT_STRIKES, STRETCH_STRIKES, passage_of
from honest_stave.core.pitch.strike_levels import LEVEL_VIEWS, LONG_FRAMES, LOWEST_STEP, levels_about
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.pitch.weighing import LONGEST_SHIFT_S, Weighed, one_at_a_time, weigh
from tests.core.test_note_ends import activity_of, bands_of, read

TUNE = [(0.5 + 0.4 * k, 0.85 + 0.4 * k, p) for k, p in enumerate((60, 62, 64, 65, 67))]


def weighed(notes: list[tuple[float, float, int]], **how: bool) -> tuple[Strikes, Weighed]:
    strikes, activity, passage = read(notes)
    return strikes, weigh(strikes, passage, activity, bands_of(notes), one_voice=how.get("one_voice", False))


def test_clear_notes_are_sure_whether_one_voice_is_read_or_many() -> None:
    for one_voice in (False, True):
        strikes, said = weighed(TUNE, one_voice=one_voice)
        assert strikes.pitch.tolist() == [60, 62, 64, 65, 67]
        assert np.all(said.score > 0)
        assert np.all(np.abs(said.shift_s) < 0.03)


def test_a_passage_does_not_see_another() -> None:
    later = [(a + 4.0, b + 4.0, p) for a, b, p in TUNE[:2]]
    alone, both = weighed(TUNE)[1], weighed([*TUNE, *later])[1]
    # The levels of a pitch's reference are those of the whole recording, here the same.
    assert both.score[: len(TUNE)] == pytest.approx(alone.score, abs=1e-4)
    assert both.velocity[: len(TUNE)] == pytest.approx(alone.velocity, abs=1e-4)


def test_a_strike_sees_what_is_struck_with_it() -> None:
    alone = weighed(TUNE)[1]
    strikes, beside = weighed([*TUNE, (0.5, 0.85, 72)])
    own = np.flatnonzero(strikes.pitch == 62)
    assert abs(beside.score[own][0] - alone.score[1]) > 1e-6


def test_a_long_passage_is_weighed_in_stretches_that_see_beyond_their_edges() -> None:
    # A long passage of the same strike again and again: all that is measured of each is alike.
    strike, activity, _ = read(TUNE[:1])
    place = np.zeros(3 * STRETCH_STRIKES, np.int64)
    strikes = replace(strike.chosen(place), onset_s=0.2 * np.arange(len(place)))
    whole = weigh(strikes, place, activity, bands_of(TUNE[:1]), one_voice=False)
    edge = STRETCH_STRIKES
    # Beside an edge the same is seen as in the middle of a stretch, but for what is far away.
    near = slice(edge - CONTEXT_STRIKES // 2, edge + CONTEXT_STRIKES // 2)
    middle = np.median(whole.score[CONTEXT_STRIKES : edge - CONTEXT_STRIKES])
    assert np.abs(whole.score[near] - middle).max() < 1.0


def test_the_same_strikes_are_weighed_the_same_on_every_run_and_none_at_all_is_no_error() -> None:
    first, again = weighed(TUNE)[1], weighed(TUNE)[1]
    assert np.array_equal(first.score, again.score)
    strikes, activity, passage = read([])
    assert len(weigh(strikes, passage, activity, bands_of([]), one_voice=True).score) == 0


def test_what_is_told_stays_in_range() -> None:
    strikes, _activity, _ = read(TUNE)
    count = len(strikes)
    wild = Weighed(np.zeros(count), np.linspace(-1, 2, count), np.full(count, -LONGEST_SHIFT_S))
    told = wild.told(replace(strikes, onset_s=np.full(count, 0.01)))
    assert told.velocity.min() == 1
    assert told.velocity.max() == 127
    assert told.onset_s.min() == 0
    assert np.all(told.end_s >= told.onset_s)


def test_passages_are_numbered_in_order_of_time() -> None:
    activity = activity_of([*TUNE, (6.0, 6.5, 60)])
    cells = np.array([10, 40, 255])
    assert np.all(np.diff(passage_of(cells, activity)) >= 0)


def test_of_strikes_of_one_voice_that_begin_together_only_the_surest_is_a_note() -> None:
    # A tune with a stop an octave lower, as sure as its notes; a grace note; a doubtful strike beside a refused one.
    onset_s = np.array([0.0, 0.002, 1.0, 1.004, 2.0, 2.05, 3.0, 3.02, 3.045])
    pitch = np.array([60, 48, 50, 62, 63, 64, 60, 48, 65])
    score = np.array([6.0, 5.0, 3.0, 4.0, 1.0, 2.0, 5.0, 4.0, 0.5])
    told = one_at_a_time(onset_s, pitch, score)
    assert told.tolist() == [6.0, -6.0, -4.0, 4.0, 1.0, 2.0, 5.0, -5.0, 0.5]


def test_the_blur_and_the_partials_of_a_note_of_one_voice_are_no_notes_after_it() -> None:
    # A choir's note and a semitone over it, an octave that speaks late, and a third that is one.
    onset_s = np.array([0.0, 0.05, 1.0, 1.04, 2.0, 2.05])
    told = one_at_a_time(onset_s, np.array([60, 61, 60, 72, 60, 64]), np.array([3.0, 2.0, 7.0, 5.0, 6.0, 5.0]))
    assert told.tolist() == [3.0, -3.0, 7.0, -7.0, 6.0, 5.0]


def test_a_strike_sees_levels_from_its_own_pitch_and_what_begins_there() -> None:
    strikes, activity, _ = read([(0.5, 8.0, 60), (1.5, 1.9, 72)])
    # The levels are those of the lower note alone.
    bands = bands_of([(0.5, 8.0, 60)])
    low, high = levels_about(strikes, bands, activity)
    own, after, before = -LOWEST_STEP, LONG_FRAMES.index(4), LONG_FRAMES.index(-9)
    # Everything is as loud as the reference: 80 dB over silence, in units of 30 dB.
    assert low[after, own] == pytest.approx(80 / 30, abs=0.01)
    assert low[before, own] < 0.5
    assert low[after, own + 12] < 0.5
    assert high[after, own] < 0.5
    assert high[after, own - 12] == low[after, own]
    begins = slice(LEVEL_VIEWS, LEVEL_VIEWS + 3)
    assert low[begins, own].max() > 0.7
    assert low[begins, own + 12].max() == high[begins, own - 12].max() == 0.0
    assert high[-1, own - 12] == 1.0
    # What lies over the highest band is silent, and no other pitch is taken for it.
    top = replace(strikes, pitch=np.array([108, 108]))
    assert not levels_about(top, bands, activity)[:, :, -1].any()
