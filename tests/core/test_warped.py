"""A recording along another time: what is held goes on evenly, what is struck is moved and not changed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import hilbert

from honest_stave.core.sound.warped import strokes_kept, warped
from tests.made import RATE

Knots = tuple[np.ndarray, np.ndarray]


def uneven(beats: int, seed: int = 1) -> Knots:
    """Beats of about half a second by someone who sways, and where a strict clock has them."""
    gap_s = 0.5 * np.exp(np.random.default_rng(seed).normal(0, 0.06, beats))
    return 0.7 + np.concatenate([[0.0], np.cumsum(gap_s)]), 0.5 * np.arange(beats + 1)


def whole(sound: np.ndarray, knots: Knots) -> np.ndarray:
    """A recording moved so, its beats struck."""
    return np.concatenate(list(warped(sound.astype(np.float32)[:, None], RATE, *knots, knots[0])))


@pytest.mark.parametrize("hertz", [55.0, 220.0, 1760.0])
def test_a_held_tone_goes_on_through_every_change_of_pace(hertz: float) -> None:
    held = whole(0.5 * np.sin(2 * np.pi * hertz * np.arange(10 * RATE) / RATE), uneven(12))[:, 0]
    level = np.abs(hilbert(held))[RATE // 5 : -RATE // 5]
    # By less than a tenth of a decibel.
    assert level.min() > 0.99 * np.median(level)
    assert level.max() < 1.01 * np.median(level)


def test_what_is_struck_at_a_knot_is_moved_to_the_sample_and_stays_as_it_was() -> None:
    from_s, to_s = uneven(12)
    stroke = np.random.default_rng(3).normal(0, 1, 800) * np.exp(-np.arange(800) / 150)
    sound = np.zeros(10 * RATE)
    for time_s in from_s:
        sound[round(time_s * RATE) :][:800] += stroke
    moved = whole(sound, (from_s, to_s))[:, 0]
    for time_s in to_s[1:-1]:
        near = moved[round(time_s * RATE) - 100 :][:1000]
        match = np.correlate(near, stroke)
        assert abs(match.argmax() - 100) <= 1
        assert match.max() > 0.98 * np.linalg.norm(stroke) * np.linalg.norm(near)


def test_at_its_own_pace_it_is_the_recording() -> None:
    sound = np.random.default_rng(2).normal(0, 0.1, 6 * RATE).astype(np.float32)
    knots = np.arange(0.0, 5.0, 0.5)
    same = np.concatenate(list(warped(np.stack([sound, -sound], axis=1), RATE, knots + 1, knots, knots + 1)))
    assert same.shape == (round(4.5 * RATE), 2)
    assert np.abs(same[:, 0] - sound[RATE:][: len(same)]).max() < 1e-5
    assert np.abs(same[:, 1] + same[:, 0]).max() < 1e-5


@settings(deadline=None)
@given(
    st.lists(st.tuples(st.floats(0.01, 3), st.floats(0.01, 3)), min_size=1, max_size=20),
    st.lists(st.floats(0.001, 0.999), max_size=20, unique=True),
)
def test_strokes_keep_their_place_and_time_goes_forward(gaps: list[tuple[float, float]], places: list[float]) -> None:
    from_s, to_s = (np.concatenate([[0.0], np.cumsum(column)]) for column in zip(*gaps, strict=True))
    struck_s = np.unique(np.concatenate([from_s, np.array(places) * from_s[-1]]))
    kept_from, kept_to = strokes_kept(from_s, to_s, struck_s)
    assert (np.diff(kept_from) >= 0).all()
    assert (np.diff(kept_to) >= 0).all()
    assert np.allclose(np.interp(struck_s, kept_from, kept_to), np.interp(struck_s, from_s, to_s))
