"""What a reading listens to."""

import numpy as np
import pytest

from honest_stave.core.errors import BadInput
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare
from honest_stave.core.signal.opposed import opposed_channels
from tests.made import RATE


def sine(frequency_hz: float, seconds: float = 1.0) -> np.ndarray:
    return np.sin(2 * np.pi * frequency_hz * np.arange(round(seconds * RATE)) / RATE).astype(np.float32)


def level(signal: np.ndarray) -> float:
    middle = signal[len(signal) // 4 : -len(signal) // 4]
    return float(np.sqrt(np.mean(np.square(middle))))


def test_channels() -> None:
    both = np.stack([sine(300), sine(300) * 0.5], axis=1)
    heard = {
        c: level(prepare(both, RATE, ListenSettings(channels=c))[0]) for c in ("left", "right", "sum", "difference")
    }
    full = level(sine(300))
    assert heard["left"] == pytest.approx(full, rel=0.01)
    assert heard["right"] == pytest.approx(full / 2, rel=0.01)
    assert heard["sum"] == pytest.approx(full * 0.75, rel=0.01)
    assert heard["difference"] == pytest.approx(full * 0.25, rel=0.01)


def test_a_silent_channel_does_not_halve_the_sum() -> None:
    one_silent = np.stack([sine(300), np.zeros(RATE, np.float32)], axis=1)
    assert level(prepare(one_silent, RATE, ListenSettings())[0]) == pytest.approx(level(sine(300)), rel=0.01)


def test_channels_that_oppose_each_other_do_not_cancel_and_wide_ones_are_left_alone() -> None:
    random = np.random.default_rng(4)
    middle, side = (random.normal(0, 0.1, 2 * RATE).astype(np.float32) for _ in range(2))
    reversed_wire = np.stack([middle, -0.7 * middle], axis=1)
    assert opposed_channels(reversed_wire).tolist() == [False, True]
    assert level(prepare(reversed_wire, RATE, ListenSettings())[0]) == pytest.approx(
        level(prepare(0.85 * middle[:, None], RATE, ListenSettings())[0]), rel=0.01
    )
    # Side as loud as the middle: nothing is shared.
    assert not opposed_channels(np.stack([middle + side, middle - side], axis=1)).any()
    assert not opposed_channels(np.zeros((5, 3), np.float32)).any()


def test_cuts_take_away_what_lies_beyond() -> None:
    mixed = (sine(80) + sine(2000))[:, None]
    low_gone, _ = prepare(mixed, RATE, ListenSettings(low_cut_hz=400))
    high_gone, _ = prepare(mixed, RATE, ListenSettings(high_cut_hz=400))
    assert level(low_gone) == pytest.approx(level(sine(2000)), rel=0.02)
    assert level(high_gone) == pytest.approx(level(sine(80)), rel=0.02)


def test_a_stretch_begins_where_it_was_asked_for() -> None:
    samples = np.zeros((2 * RATE, 1), np.float32)
    samples[RATE:] = 0.5 * sine(500)[:, None]
    signal, starts_s = prepare(samples, RATE, ListenSettings(from_s=0.5, to_s=1.5))
    assert starts_s == pytest.approx(0.5)
    assert len(signal) == pytest.approx(ANALYSIS_RATE, abs=2)
    first = np.flatnonzero(np.abs(signal) > 0.1)[0] / ANALYSIS_RATE
    assert starts_s + first == pytest.approx(1.0, abs=0.002)


def test_an_empty_stretch_is_refused_with_its_numbers() -> None:
    with pytest.raises(BadInput, match="from 3 s to 2 s in a take of 1 s"):
        prepare(sine(300)[:, None], RATE, ListenSettings(from_s=3, to_s=2))
