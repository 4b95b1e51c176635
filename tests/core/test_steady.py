"""What is made to a click keeps its count; what breathes is left as it was tracked."""

import numpy as np

from honest_stave.core.beat.bars import find_bars
from honest_stave.core.beat.beats_hearing import METERS, TEMPO_CLASSES, BeatActivity
from honest_stave.core.beat.steady import find_clicks, on_clicks, steadied
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

BEAT_S = 60 / 140
# Tracked moments are as far off as attacks are measured.
JITTER_S = 0.006


def heard_at(moments: np.ndarray, until_s: float) -> BeatActivity:
    """An activity that is sure of beats at some moments and of none elsewhere."""
    cells = round(until_s / CELL_S)
    odds = np.full(cells, -6.0, np.float32)
    odds[np.round((moments - FIRST_CELL_S) / CELL_S).astype(int).clip(0, cells - 1)] = 2.0
    return BeatActivity(odds, odds, np.zeros((cells, TEMPO_CLASSES), np.float32))


def jittered(moments: np.ndarray) -> np.ndarray:
    return moments + np.random.default_rng(3).normal(0, JITTER_S, len(moments))


def test_the_count_goes_on_through_a_passage_that_is_heard_between_the_beats() -> None:
    click = 1.0 + BEAT_S * np.arange(240)
    row = np.concatenate([click[:100], click[100:150] + BEAT_S / 2, click[151:]])
    found = steadied(heard_at(row, 110), jittered(row))
    assert len(found) == len(click)
    # A beat lies where it was tracked, and within what attacks are measured to where none was.
    assert np.abs(found - click).max() < 4 * JITTER_S


def test_the_count_goes_on_through_a_passage_that_is_heard_half_as_quick() -> None:
    click = 1.0 + BEAT_S * np.arange(240)
    row = np.concatenate([click[:120], click[120:160:2], click[160:]])
    assert np.abs(steadied(heard_at(row, 110), jittered(row)) - click).max() < 4 * JITTER_S


def test_how_quick_a_click_is_is_told_to_a_hundredth() -> None:
    (click,) = find_clicks(jittered(1.0 + BEAT_S * np.arange(400)))
    assert abs(60 / click.beat_s - 140) < 0.01


def test_two_songs_in_one_recording_have_a_click_each() -> None:
    first = 1.0 + BEAT_S * np.arange(100)
    second = first[-1] + 5.0 + 0.61 * np.arange(100)
    rows = jittered(np.concatenate([first, second]))
    assert sorted(round(60 / c.beat_s, 1) for c in find_clicks(rows)) == [98.4, 140.0]
    assert on_clicks(rows, find_clicks(rows)).sum() >= 196
    assert len(steadied(heard_at(rows, 130), rows)) == 200


def test_what_drifts_or_is_short_is_left_as_it_was_tracked() -> None:
    random = np.random.default_rng(5)
    drifting = np.cumsum(BEAT_S * np.exp(np.cumsum(random.normal(0, 0.01, 240))))
    swaying = np.cumsum(BEAT_S * (1 + 0.04 * np.sin(np.arange(240) / 16)))
    short = 1.0 + BEAT_S * np.arange(40)
    for row in (drifting, swaying, short, short[:3]):
        assert np.array_equal(steadied(heard_at(row, 260), row), row)


def test_bars_of_a_long_click_are_not_cut_for_a_few_that_are_stressed_otherwise() -> None:
    place = np.arange(320) % 4
    place[128:176] = (place[128:176] + 2) % 4
    odds = np.where(place == 0, 1.5, -1.5)
    shares = np.full((320, len(METERS)), np.log(0.3 / len(METERS)))
    shares[:, METERS.index((4, False))] = np.log(0.7)
    cut = find_bars(odds, shares)
    assert set(np.diff(np.flatnonzero(cut.beat == 1))) != {4}
    kept = find_bars(odds, shares, np.ones(320, bool))
    assert set(np.diff(np.flatnonzero(kept.beat == 1))) == {4}
