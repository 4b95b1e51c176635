"""What is measured about hits is measured without a copy of the take."""

import tracemalloc

import numpy as np
import pytest

from honest_stave.core.hits.hearing import RATE, measure_levels
from honest_stave.core.hits.stretches import mean_power


def test_power_is_that_of_what_lies_inside_the_take() -> None:
    mono = np.random.default_rng(1).normal(size=5000).astype(np.float32)
    first = np.concatenate([[-40, -10, 0], np.arange(7, 4900, 13), [4950, 4999]])
    own = [mono[max(k, 0) : k + 60] for k in first.tolist()]
    expected = [float(np.square(s, dtype=float).sum() / len(s)) for s in own]
    assert mean_power(mono, first, 60) == pytest.approx(expected)


def test_levels_of_two_minutes_take_little_more_room_than_themselves() -> None:
    mono = np.random.default_rng(2).normal(size=120 * RATE).astype(np.float32)
    tracemalloc.start()
    levels = measure_levels(mono)
    _, most_bytes = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most_bytes < levels.nbytes + mono.nbytes / 2
