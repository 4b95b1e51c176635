"""What comes again after a bar tells its meter; too few beats tell nothing."""

import numpy as np
import pytest

from honest_stave.core.beat.beats_hearing import METERS
from honest_stave.core.beat.repeated import repeated

SIMPLE = [i for i, (_, compound) in enumerate(METERS) if not compound]


@pytest.mark.parametrize("length", [3, 4, 5, 7])
def test_a_pattern_that_comes_again_tells_its_bar(length: int) -> None:
    random = np.random.default_rng(length)
    bar = random.random((length, 12))
    patterns = np.tile(bar, (96 // length, 1))
    worth = repeated(patterns + 0.2 * random.standard_normal(patterns.shape))
    assert METERS[SIMPLE[int(worth[SIMPLE].argmax())]][0] == length


def test_a_phrase_of_two_bars_is_not_a_bar_of_five_or_seven() -> None:
    random = np.random.default_rng(9)
    patterns = np.tile(random.random((8, 12)), (12, 1))
    worth = dict(zip(METERS, repeated(patterns), strict=True))
    assert worth[4, False] > worth[5, False] + 0.3
    assert worth[4, False] > worth[7, False] + 0.3


def test_a_few_beats_and_beats_that_are_all_alike_tell_nothing() -> None:
    assert not repeated(np.random.default_rng(1).random((12, 12))).any()
    assert np.abs(repeated(np.ones((60, 12)))).max() < 1e-9
