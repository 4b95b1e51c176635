"""Tempos proposed from notes, and tapped."""

import numpy as np
import pytest

from honest_stave.core.beat.propose import propose_tempos, tempo_of_taps


@pytest.mark.parametrize("bpm", [76, 96, 112, 128, 147])
def test_a_played_tempo_comes_first_or_as_half_or_double(bpm: float) -> None:
    random = np.random.default_rng(int(bpm))
    eighths = np.cumsum(random.choice([1, 1, 2, 2, 3], 60))
    onset = 0.4 + eighths * 30 / bpm + random.normal(0, 0.006, 60)
    found = propose_tempos(onset, np.full(60, 90.0))
    assert any(abs(found[0].bpm / (bpm * factor) - 1) < 0.01 for factor in (0.5, 1, 2))
    assert any(abs(p.bpm / bpm - 1) < 0.01 for p in found)
    assert sum(p.share for p in found) == pytest.approx(1.0)


def test_the_beat_lies_on_the_notes() -> None:
    onset = 0.73 + np.arange(24) * 0.5
    best = propose_tempos(onset, np.full(24, 90.0))[0]
    off = (best.downbeat_s - 0.73) / 0.5
    assert abs(off - round(off)) < 0.04


def test_too_few_notes_give_no_proposal() -> None:
    assert propose_tempos(np.array([0.0, 0.5, 1.0]), np.full(3, 90.0)) == ()


def test_taps_with_one_missed() -> None:
    taps = np.delete(np.arange(12) * 0.6, 5)
    assert tempo_of_taps(taps) == pytest.approx(100.0)
    assert tempo_of_taps(np.array([0.0, 1.0])) is None
