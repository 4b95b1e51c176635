"""Rows of beats before the second network for beats: in stretches, and at the level that is the music's."""

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from honest_stave.core.beat import beats_hearing, level
from honest_stave.core.beat.beats_hearing import CONTEXT_BEATS, METERS, STRETCH_BEATS, TEMPO_CLASSES, BarActivity
from honest_stave.core.beat.heard import COLUMNS, NOTE_VALUES, Heard
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S


def test_a_long_row_is_heard_in_stretches_that_see_beyond_their_edges(monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[np.ndarray] = []

    def run(_: None, given: dict[str, np.ndarray]) -> list[np.ndarray]:
        number = given["number"][0]
        assert given["features"].shape[1] == len(number)
        seen.append(number)
        said = np.zeros((1, len(number), 2 + len(METERS)), np.float32)
        said[0, :, 0] = given["features"][0, :, 3]
        return [said]

    monkeypatch.setattr(beats_hearing, "open_network", lambda name: SimpleNamespace(run=run))
    features = np.random.default_rng(0).normal(size=(2 * STRETCH_BEATS + 100, 8)).astype(np.float32)
    heard = beats_hearing.hear_bars(features)
    np.testing.assert_array_equal(heard.downbeat, features[:, 3])
    assert heard.meter.shape == (len(features), len(METERS))
    assert [int(n[0]) for n in seen] == [0, STRETCH_BEATS - CONTEXT_BEATS, 2 * STRETCH_BEATS - CONTEXT_BEATS]
    assert all(np.all(np.diff(n) == 1) for n in seen)


def test_a_row_that_changed_its_level_on_the_way_is_tracked_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """Beats heard every half second; tracked at every second one at first: no level of that row is right."""
    beat_s = FIRST_CELL_S + CELL_S * 20 + 0.5 * np.arange(40)
    cells = int(beat_s[-1] / CELL_S) + 40
    beat = np.full(cells, -3.0, np.float32)
    beat[np.round((beat_s - FIRST_CELL_S) / CELL_S).astype(int)] = 3.0
    even = np.full((cells, TEMPO_CLASSES), -np.log(TEMPO_CLASSES), np.float32)
    columns = np.ones((cells, COLUMNS), np.float32)
    heard = Heard(columns, np.zeros((cells, 24), np.float32), np.zeros((0, NOTE_VALUES), np.float32))

    def hear_bars(features: Any) -> BarActivity:
        count = len(features)
        # The third feature is the length of the beat, as log2 of seconds: a row is right where none is long.
        right = float(features[:, 2].max()) < -0.5
        meter = np.full((count, len(METERS)), -np.log(len(METERS)), np.float32)
        return BarActivity(np.zeros(count, np.float32), meter, np.full(count, 12.0 if right else -12.0, np.float32))

    monkeypatch.setattr(level, "hear_bars", hear_bars)
    tracked_s = np.concatenate([beat_s[:20:2], beat_s[20:]])
    chosen = level.choose_level(heard, beats_hearing.BeatActivity(beat, beat, even), tracked_s)
    assert np.diff(chosen.beat_s) == pytest.approx(0.5, abs=CELL_S)
    assert len(chosen.beat_s) >= 38


@pytest.mark.parametrize("right", [1, 2])
def test_beats_are_counted_as_the_network_says_that_the_music_is(monkeypatch: pytest.MonkeyPatch, right: int) -> None:
    """Beats tracked twice as fast as the music goes, or at its own pace: the network tells which row is right."""
    cells, step_s = 1200, 0.5
    beat_s = FIRST_CELL_S + CELL_S * 20 + step_s * np.arange(40)
    activity = beats_hearing.BeatActivity(
        np.zeros(cells, np.float32),
        np.zeros(cells, np.float32),
        np.full((cells, TEMPO_CLASSES), -np.log(TEMPO_CLASSES), np.float32),
    )
    heard = Heard(
        np.zeros((cells, COLUMNS), np.float32),
        np.zeros((cells, 24), np.float32),
        np.zeros((0, NOTE_VALUES), np.float32),
    )

    def hear_bars(features: Any) -> BarActivity:
        # The third feature is the length of the beat, as log2 of seconds.
        is_right = abs(float(np.median(features[:, 2])) - np.log2(right * step_s)) < 0.1
        count = len(features)
        meter = np.full((count, len(METERS)), -np.log(len(METERS)), np.float32)
        return BarActivity(
            np.zeros(count, np.float32), meter, np.full(count, 12.0 if is_right else -12.0, np.float32)
        )

    monkeypatch.setattr(level, "hear_bars", hear_bars)
    chosen = level.choose_level(heard, activity, beat_s)
    assert np.median(np.diff(chosen.beat_s)) == pytest.approx(right * step_s, abs=0.02)
