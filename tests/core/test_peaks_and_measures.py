"""Peaks at every level bound the samples they cover; measures say what is there."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.signal.measure import Measurer, level_reached
from honest_stave.core.signal.peaks import FULL_SCALE, LEVELS, PeakMaker


@given(st.lists(st.integers(1, 5000), min_size=1, max_size=6), st.integers(0, 2**32 - 1))
def test_peaks_do_not_depend_on_blocks_and_bound_the_samples(blocks: list[int], seed: int) -> None:
    sound = np.random.default_rng(seed).uniform(-1, 1, (sum(blocks), 1)).astype(np.float32)
    whole, pieces = PeakMaker(), PeakMaker()
    whole.add(sound)
    for start, length in zip(np.cumsum([0, *blocks[:-1]]), blocks, strict=True):
        pieces.add(sound[start : start + length])
    for level, (a, b) in enumerate(zip(whole.finish().levels, pieces.finish().levels, strict=True)):
        assert np.array_equal(a, b)
        assert len(a) == -(-len(sound) // LEVELS[level])
        bucket = sound[: LEVELS[level], 0]
        # Halfway between two steps single precision decides which.
        assert abs(a[0, 0] - float(bucket.min()) * FULL_SCALE) < 0.51
        assert abs(a[0, 1] - float(bucket.max()) * FULL_SCALE) < 0.51


def test_sides_that_oppose_each_other_are_drawn_whole() -> None:
    wave = np.sin(np.arange(640) / 5).astype(np.float32)
    alone, both = PeakMaker(), PeakMaker()
    alone.add(wave[:, None])
    both.add(np.stack([wave, -wave], axis=1))
    assert np.array_equal(alone.finish().levels[0], both.finish().levels[0])


@given(st.lists(st.floats(-120, 20, width=32), min_size=1, max_size=40), st.floats(0, 1))
def test_a_level_reached_is_the_quantile(levels: list[float], share: float) -> None:
    values = np.array(levels, np.float32)
    assert level_reached(values, share) == pytest.approx(float(np.quantile(values.astype(float), share)), abs=1e-4)


def test_measures() -> None:
    rate = 1000
    sound = np.zeros((5000, 2), np.float32)
    sound[1000:3000, 0] = 0.5
    sound[2000:2003, 1] = 1.0
    measurer = Measurer(rate)
    for start in range(0, 5000, 700):
        measurer.add(sound[start : start + 700])
    found = measurer.finish()
    assert found.loudest_db == pytest.approx(0.0)
    assert found.clipped_samples == 2  # three in a row are two neighbours
    assert found.silence_before_s == pytest.approx(1.0)
    assert found.silence_after_s == pytest.approx(2.0)


def test_what_is_no_number_becomes_silence_and_is_counted() -> None:
    measurer = Measurer(1000)
    clean = measurer.add(np.array([[0.1], [np.nan], [np.inf], [-0.2]], np.float32))
    assert clean[:, 0].tolist() == pytest.approx([0.1, 0.0, 0.0, -0.2])
    assert measurer.finish().repaired_samples == 2


def test_silence_is_silent_throughout() -> None:
    measurer = Measurer(1000)
    measurer.add(np.zeros((3000, 1), np.float32))
    found = measurer.finish()
    assert (found.silence_before_s, found.silence_after_s) == (3.0, 0.0)
