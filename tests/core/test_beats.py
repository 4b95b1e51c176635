"""Beats and bars of recordings whose truth is known: loops, waltzes, free tempo, nothing at all."""

from collections.abc import Callable
from itertools import pairwise

import numpy as np
import pytest

from honest_stave.core.beat.bars import find_bars
from honest_stave.core.beat.beats_engine import BeatsReading, read
from honest_stave.core.beat.beats_hearing import METERS, TEMPO_CLASSES, BeatActivity
from honest_stave.core.beat.track import other_levels, track_beats
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.demo.loops import DemoLoop, boathouse_buckets, toy_cupboard
from tests.made import RATE, Note, texture

# The measure of the trade.
NEAR_S = 0.07


def share_near(found: np.ndarray, truth: np.ndarray) -> float:
    """F1 of moments within 70 ms, one of each with one."""
    near = np.abs(found[:, None] - truth[None]) <= NEAR_S if len(found) else np.zeros((0, len(truth)), bool)
    right = min(int(near.any(axis=1).sum()), int(near.any(axis=0).sum()))
    return 2 * right / (len(found) + len(truth))


def strength_at(moments: np.ndarray, heights: np.ndarray, seconds: float) -> np.ndarray:
    """Triangles of strength at moments."""
    time = FIRST_CELL_S + np.arange(int(seconds / CELL_S)) * CELL_S
    return np.max(heights[:, None] * np.maximum(1 - np.abs(time - moments[:, None]) / (1.5 * CELL_S), 0), axis=0)


def downbeats(reading: BeatsReading) -> np.ndarray:
    return reading.time_s[reading.beat == 1]


def test_a_drummers_loop_played_twice() -> None:
    loop = boathouse_buckets()
    found = read(np.tile(loop.samples, (2, 1)), RATE, ListenSettings())
    truth = np.arange(32) * 60 / loop.bpm
    assert share_near(found.time_s, truth) > 0.96
    assert share_near(downbeats(found), truth[::4]) > 0.9
    assert [(m.numerator, m.denominator) for m in found.meters] == [(4, 4)]
    assert np.all((found.confidence > 0) & (found.confidence < 1))


@pytest.mark.parametrize(("make", "count"), [(toy_cupboard, 8), (boathouse_buckets, 16)])
def test_a_loop_cut_at_its_bars_has_all_its_beats(make: Callable[[], DemoLoop], count: int) -> None:
    """It begins with its first beat, at the very edge of the recording, and the last one is played, too."""
    loop = make()
    found = read(loop.samples, RATE, ListenSettings())
    # Swung strokes and soft ones beside the beat draw it by some ms.
    assert found.time_s == pytest.approx(np.arange(count) * 60 / loop.bpm, abs=0.03)
    assert found.time_s[0] >= 0.0
    assert found.beat.tolist() == [1, 2, 3, 4] * (count // 4)


def waltz(beat_s: np.ndarray) -> np.ndarray:
    """Bass on one, chords on two and three, harmony changing with the bar."""
    notes = []
    chords = ((48, 64, 67), (43, 62, 67), (45, 60, 64), (41, 60, 65))
    for i, (begin, end) in enumerate(pairwise(beat_s.tolist())):
        bass, *rest = chords[(i // 3) % 4]
        if i % 3 == 0:
            notes.append(Note(begin, begin + 2.6 * (end - begin), bass, 0.5))
        else:
            notes += [Note(begin, begin + 0.6 * (end - begin), p, 0.3) for p in rest]
    return texture(sorted(notes, key=lambda n: n.onset_s))


def test_a_waltz_that_slows_down() -> None:
    beat_s = 0.5 + np.concatenate([[0.0], np.cumsum(np.linspace(0.46, 0.62, 48))])
    found = read(waltz(beat_s), RATE, ListenSettings())
    assert share_near(found.time_s, beat_s[:48]) > 0.95
    assert share_near(downbeats(found), beat_s[:48:3]) > 0.9
    assert found.meters[0].numerator == 3


@pytest.mark.parametrize("ring_s", [1.5, 4.0])
def test_the_last_beat_is_the_last_one_that_is_played(ring_s: float) -> None:
    beat_s = 0.5 + 0.5 * np.arange(33)
    notes = [Note(t, t + 0.4, pitch, 0.4) for t in beat_s[:-1].tolist() for pitch in (48, 60, 64, 67)]
    last = [Note(16.5, 16.5 + ring_s, pitch, 0.4) for pitch in (48, 60, 64, 67)]
    found = read(texture([*notes, *last]), RATE, ListenSettings())
    assert abs(found.time_s[-1] - beat_s[-1]) < NEAR_S


@pytest.mark.parametrize("bpm", [70, 100, 140])
@pytest.mark.parametrize("change", [0.0, 0.003])
def test_a_row_of_beats_is_followed_at_any_tempo(bpm: float, change: float) -> None:
    truth = 0.4 + np.concatenate([[0.0], np.cumsum(60 / bpm * (1 + change * np.arange(39)))])
    eighths = (truth[:-1] + truth[1:]) / 2
    heights = np.concatenate([np.full(40, 0.9), np.full(39, 0.3)])
    share = strength_at(np.concatenate([truth, eighths]), heights, truth[-1] + 1).clip(0.01, 0.99)
    odds = np.log(share / (1 - share)).astype(np.float32)
    even = np.full((len(odds), TEMPO_CLASSES), -np.log(TEMPO_CLASSES), np.float32)
    found, sure = track_beats(BeatActivity(odds, odds, even), np.ones(len(odds)))
    assert share_near(found, truth) > 0.95
    assert len(sure) == len(found)


def shares_of(beats: int, meter: tuple[int, bool]) -> np.ndarray:
    """Log shares in which one meter is likely and none impossible."""
    shares = np.full((beats, len(METERS)), 0.3 / len(METERS))
    shares[:, METERS.index(meter)] += 0.7
    return np.log(shares)


def test_pickup_and_place_in_the_bar_are_told() -> None:
    odds = np.where(np.arange(33) % 4 == 1, 2.0, -2.0)
    found = find_bars(odds, shares_of(33, (4, False)))
    assert found.bar[:3].tolist() == [0, 1, 1]
    assert found.beat[:6].tolist() == [4, 1, 2, 3, 4, 1]
    assert not found.compound.any()
    assert found.shift_share[0] > 0.9


def test_a_few_beats_are_not_explained_by_one_long_bar() -> None:
    # Of a bar of seven nothing speaks against six beats but how seldom there is one.
    shares = np.log(np.full((6, len(METERS)), 1 / len(METERS)))
    assert set(find_bars(np.full(6, -0.8), shares).length.tolist()) == {4}
    # Two bars of seven say what they are.
    assert set(find_bars(np.where(np.arange(14) % 7 == 0, 3.0, -3.0), shares_of(14, (7, False))).length) == {7}


def test_two_beats_are_a_bar_where_no_other_is_as_likely() -> None:
    halves = np.where(np.arange(32) % 2 == 0, 0.6, -2.0)
    either = np.logaddexp(shares_of(32, (2, False)), shares_of(32, (4, False)))
    assert set(find_bars(halves, either).length.tolist()) == {4}
    firsts = np.where(np.arange(32) % 2 == 0, 3.0, -3.0)
    assert set(find_bars(firsts, shares_of(32, (2, False))).length.tolist()) == {2}


def test_a_meter_that_changes_is_followed() -> None:
    place = np.concatenate([np.tile(np.arange(4), 8), np.tile(np.arange(3), 8)])
    odds = np.where(place == 0, 3.0, -3.0)
    shares = np.concatenate([shares_of(32, (4, False)), shares_of(24, (3, False))])
    found = find_bars(odds, shares)
    assert found.length.tolist() == [4] * 32 + [3] * 24
    assert np.array_equal(found.beat - 1, place)


def test_beats_in_three_are_compound() -> None:
    found = find_bars(np.where(np.arange(24) % 2 == 0, 2.0, -2.0), shares_of(24, (2, True)))
    assert found.compound.all()
    assert set(found.length.tolist()) == {2}


@pytest.mark.parametrize(
    "sound",
    [
        np.zeros(4 * RATE),
        0.3 * np.sin(2 * np.pi * 220 * np.arange(6 * RATE) / RATE),
        np.random.default_rng(3).normal(0, 0.1, 6 * RATE),
        np.random.default_rng(1).normal(0, 0.1, 4 * RATE),
    ],
)
def test_silence_a_drone_and_noise_have_no_beat(sound: np.ndarray) -> None:
    found = read(sound.astype(np.float32)[:, None], RATE, ListenSettings())
    assert len(found.time_s) == 0
    assert found.meters == ()


def test_a_row_of_beats_begins_with_the_music_not_in_the_room_before_it() -> None:
    truth = 2.0 + 0.5 * np.arange(24)
    share = strength_at(truth, np.full(24, 0.9), 15.0).clip(0.01, 0.99)
    # The network goes on counting before the music, a little less sure.
    share = np.maximum(share, strength_at(np.array([0.5, 1.0, 1.5]), np.full(3, 0.7), 15.0)[: len(share)])
    odds = np.log(share / (1 - share)).astype(np.float32)
    even = np.full((len(odds), TEMPO_CLASSES), -np.log(TEMPO_CLASSES), np.float32)
    time_s = FIRST_CELL_S + np.arange(len(odds)) * CELL_S
    sounding = np.where((time_s > 1.95) & (time_s < 14.0), 0.6, 0.06)
    found, _ = track_beats(BeatActivity(odds, odds, even), sounding)
    assert found[0] == pytest.approx(2.0, abs=0.02)
    assert share_near(found, truth) > 0.95


def test_a_row_that_seldom_changes_its_length_goes_through_beats_that_are_hardly_heard() -> None:
    truth = 0.5 + np.concatenate([[0.0], np.cumsum(np.linspace(0.46, 0.62, 47))])
    # Of the first eight bars hardly more than their first beats is heard.
    odds_of = np.where(np.arange(48) % 3 == 0, 1.7, np.where(np.arange(48) < 24, -1.4, 0.6))
    odds = np.full(round(26.5 / CELL_S), -5.0, np.float32)
    odds[np.round((truth - FIRST_CELL_S) / CELL_S).astype(int)] = odds_of
    even = np.full((len(odds), TEMPO_CLASSES), -np.log(TEMPO_CLASSES), np.float32)
    heard = BeatActivity(odds, odds, even), np.ones(len(odds))
    assert share_near(track_beats(*heard, 0.37, 0.84)[0], truth) < 0.9
    assert share_near(track_beats(*heard, 0.37, 0.84, strictness=16.0)[0], truth) > 0.95


def test_what_is_counted_in_three_can_be_counted_in_two_and_back() -> None:
    """A bar of six eighths: three beats of two, or two of three; beats that quicken keep their place."""
    three_s = np.cumsum(np.full(31, 0.4) * 0.995 ** np.arange(31))
    place = np.arange(31)
    two_s = np.interp(np.arange(0, 30.1, 1.5), place, three_s)
    assert any(len(row) == len(two_s) and np.allclose(row, two_s) for row in other_levels(three_s))
    back_s = np.interp(np.arange(0, 20.1, 2 / 3), np.arange(21), two_s)
    assert any(len(row) == len(back_s) and np.allclose(row, back_s) for row in other_levels(two_s))
