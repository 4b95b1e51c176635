"""What is measured about hits is measured without a copy of the take."""

import tracemalloc

import numpy as np
import pytest

from honest_stave.core.hits.hearing import RATE, measure_levels
from honest_stave.core.hits.stretches import mean_power


@pytest.mark.parametrize("of_steps", [False, True])
def test_power_is_that_of_what_lies_inside_the_take(of_steps: bool) -> None:
    mono = np.random.default_rng(1).normal(size=5000).astype(np.float32)
    first = np.concatenate([[-40, -10, 0], np.arange(7, 4900, 13), [4950, 4999]])
    heard = np.diff(mono, prepend=np.float32(0)) if of_steps else mono
    own = [heard[max(k, 0) : k + 60] for k in first.tolist()]
    # The step that leads out of the take is not looked at.
    expected = [float(np.square(s, dtype=float).sum() / len(s)) for s in own]
    inside = first + 60 <= len(mono)
    assert mean_power(mono, first, 60, of_steps=of_steps)[inside] == pytest.approx(np.array(expected)[inside])
    if not of_steps:
        assert mean_power(mono, first, 60) == pytest.approx(expected)


def test_levels_of_two_minutes_take_little_more_room_than_themselves() -> None:
    mono = np.random.default_rng(2).normal(size=120 * RATE).astype(np.float32)
    tracemalloc.start()
    levels = measure_levels(mono)
    _, most_bytes = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most_bytes < levels.nbytes + mono.nbytes / 2
