"""Where hits begin: to the sample, under what rings, and not at clicks."""

import numpy as np
import pytest

from honest_stave.core.hits.attack import refine_attacks
from honest_stave.core.hits.hearing import RATE


def burst(length_s: float, falls_s: float, seed: int) -> np.ndarray:
    into = np.arange(round(length_s * RATE)) / RATE
    return np.random.default_rng(seed).normal(size=len(into)) * np.exp(-into / falls_s)


def bell(length_s: float) -> np.ndarray:
    """Partials that ring for long, as those of a cymbal do."""
    into = np.arange(round(length_s * RATE)) / RATE
    random = np.random.default_rng(4)
    partials = zip(random.uniform(400, 9000, 12), random.uniform(0, 6, 12), strict=True)
    return sum(np.sin(2 * np.pi * hz * into + phase) for hz, phase in partials) * np.exp(-into / 0.8)


@pytest.mark.parametrize("away_s", [-0.01, 0.0, 0.008])
def test_an_attack_is_found_to_the_sample_from_ten_milliseconds_away(away_s: float) -> None:
    sound = np.zeros(RATE, np.float32)
    first = 20_000
    sound[first : first + RATE // 4] = burst(0.25, 0.06, 5)
    attacks = refine_attacks(sound, np.array([first / RATE + away_s]))
    assert attacks.time_s[0] == pytest.approx(first / RATE, abs=2 / RATE)
    assert not attacks.is_click[0]


def test_a_soft_stroke_is_placed_under_what_rings() -> None:
    firsts = np.arange(RATE // 2, 3 * RATE, RATE // 5)
    sound = bell(3.5)
    level = np.sqrt(np.mean(sound[RATE // 2 : 3 * RATE] ** 2))
    for number, first in enumerate(firsts.tolist()):
        # 10 dB under what rings: the level rises by less than half a decibel.
        sound[first : first + RATE // 10] += 0.3 * level * burst(0.1, 0.03, number)
    away_s = np.random.default_rng(7).uniform(-0.005, 0.005, len(firsts))
    attacks = refine_attacks((0.1 * sound).astype(np.float32), firsts / RATE + away_s)
    # The first samples of noise may be as small as what is left of the ringing.
    assert np.abs(attacks.time_s - firsts / RATE).max() < 0.0005
    assert not attacks.is_click.any()


def test_how_far_off_an_attack_may_be_is_told() -> None:
    """Four of five within what is said, of strokes from plain to hardly heard; plain ones are said to be so."""
    random = np.random.default_rng(11)
    firsts = np.arange(RATE // 4, 12 * RATE, RATE // 10)
    sound = 0.3 * random.normal(size=13 * RATE)
    loudness = random.uniform(0.2, 6, len(firsts))
    for number, (first, loud) in enumerate(zip(firsts.tolist(), loudness.tolist(), strict=True)):
        sound[first : first + RATE // 20] += 0.3 * loud * burst(0.05, 0.02, number)
    late_s = random.normal(0, 0.0015, len(firsts))
    attacks = refine_attacks((0.2 * sound).astype(np.float32), firsts / RATE + late_s)
    off_s = np.abs(attacks.time_s - firsts / RATE)
    assert np.mean(off_s <= attacks.within_s) > 0.8
    assert np.median(attacks.within_s[loudness > 4]) < 0.001 < np.median(attacks.within_s[loudness < 1])


def test_of_two_drums_at_nearly_one_moment_the_first_begins_the_hit() -> None:
    into = np.arange(RATE // 5) / RATE
    kick = np.sin(2 * np.pi * 60 * into) * np.exp(-into / 0.08)
    sound = np.zeros(RATE)
    first, second = RATE // 2, RATE // 2 + round(0.006 * RATE)
    sound[first : first + len(kick)] += kick
    sound[second : second + RATE // 20] += 0.3 * burst(0.05, 0.02, 2)
    attacks = refine_attacks(sound.astype(np.float32), np.array([second / RATE - 0.002]))
    assert attacks.time_s[0] == pytest.approx(first / RATE, abs=0.0005)


def test_a_click_is_no_stroke_whatever_rings_or_stands_still() -> None:
    places = np.arange(RATE // 4, 3 * RATE, RATE // 5)
    for sound in (0.02 * bell(3.5), 0.02 * burst(3.5, 2.0, 3), np.full(round(3.5 * RATE), 0.01)):
        clicked = sound.copy()
        clicked[places] += 0.8
        # Of noise one stretch in twenty is by chance a decibel louder than the one before.
        assert refine_attacks(clicked.astype(np.float32), places / RATE).is_click.mean() > 0.85


def test_the_end_of_a_sample_that_is_cut_off_is_a_click() -> None:
    into = np.arange(RATE // 4) / RATE
    sound = np.zeros(RATE, np.float32)
    sound[RATE // 4 : RATE // 2] = np.sin(2 * np.pi * 55 * into) * np.exp(-into / 0.07)
    attacks = refine_attacks(sound, np.array([0.25, 0.5]))
    assert attacks.is_click.tolist() == [False, True]
    assert attacks.time_s[0] == pytest.approx(0.25, abs=0.0005)


def test_what_begins_with_the_take_begins_there() -> None:
    assert refine_attacks(burst(0.3, 0.1, 1).astype(np.float32), np.zeros(1)).time_s[0] < 1 / RATE
    assert len(refine_attacks(np.zeros(100, np.float32), np.zeros(0)).time_s) == 0
