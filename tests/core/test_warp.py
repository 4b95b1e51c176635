"""The way of a score through a recording that is too long to be compared whole."""

import tracemalloc

import numpy as np
import pytest

from honest_stave.core.beat.warp import MOST_WHOLE, Roll, warp
from honest_stave.core.pitch.activity import PITCHES


def roll(chords: np.ndarray, lasts: np.ndarray, before: int) -> tuple[Roll, np.ndarray]:
    """Chords (chords, notes) of so many cells each after silence, and the cells they begin in."""
    begins = before + np.concatenate([[0], np.cumsum(lasts)])
    sounding = np.zeros((begins[-1] + 50, PITCHES), np.float32)
    onset = np.zeros_like(sounding)
    for chord, begin, end in zip(chords, begins[:-1], begins[1:], strict=True):
        sounding[begin:end, chord] = 1
        onset[begin, chord] = 1
    return Roll(sounding, onset), begins[:-1]


@pytest.mark.parametrize("held", [0, 1500])
def test_a_long_score_is_followed_through_a_free_recording_in_little_memory(held: int) -> None:
    random = np.random.default_rng(held)
    chords = random.integers(20, 70, (500, 3))
    written, _ = roll(chords, np.full(500, 20), 0)
    lasts = random.integers(10, 40, 500)
    # One chord is held, for longer than the fine way may leave the coarse one.
    lasts[250] += held
    heard, begins = roll(chords, lasts, 400)
    assert len(heard) > 1.5 * MOST_WHOLE
    tracemalloc.start()
    path = warp(written, heard, (400, int(begins[-1]) + 9))
    _, most_bytes = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    # The first cell of each chord in the score is the one in which it is played, to a cell where a note is common.
    assert np.abs(path[: 500 * 20 : 20] - begins).max() <= 1
    # Everything with everything would be 900 MB.
    assert most_bytes < 150e6
