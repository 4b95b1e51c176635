"""What each drum adds to a hit, told apart from the others."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.hits.drum_powers import drum_powers
from honest_stave.core.hits.hearing import UNIT_DB

GROUPS = 16


def spectra(random: np.random.Generator) -> np.ndarray:
    """Power of three drums by group: one low, one broad, one high."""
    group = np.arange(GROUPS)
    shapes = [np.exp(-(((group - middle) / wide) ** 2)) for middle, wide in ((1, 2.0), (6, 5.0), (14, 2.0))]
    return np.stack(shapes) * random.uniform(0.7, 1.4, (3, GROUPS)) + 1e-4


@given(seed=st.integers(0, 200))
def test_a_soft_drum_under_a_loud_one_keeps_its_order(seed: int) -> None:
    random = np.random.default_rng(seed)
    level_db = random.uniform(-14, 0, (80, 3))
    sounds = random.random((80, 3)) < (0.35, 0.3, 0.7)
    sounds[~sounds.any(axis=1), 2] = True
    power = (sounds * 10 ** (level_db / 10)) @ spectra(random)
    heard = np.where(sounds, random.uniform(0.5, 1.0, sounds.shape), 0.0)
    found_db = 10 * drum_powers(10 * np.log10(power) / UNIT_DB, heard)
    for drum in range(3):
        own = sounds[:, drum]
        error_db = found_db[own, drum] - level_db[own, drum]
        # A rank needs differences of a few decibels told apart; a high drum in the tail of a broad one varies most.
        assert np.median(np.abs(error_db - np.median(error_db))) < 1.5


def test_a_drum_that_is_not_heard_has_nothing_of_a_hit() -> None:
    rise = np.log10(spectra(np.random.default_rng(0))) * 10 / UNIT_DB
    powers = drum_powers(rise, np.eye(3))
    assert np.all(powers[~np.eye(3, dtype=bool)] <= -3.9)
    assert np.all(np.diag(powers) > -1)


def test_no_hits_have_no_powers() -> None:
    assert drum_powers(np.zeros((0, GROUPS)), np.zeros((0, 6))).shape == (0, 6)


def test_a_drum_that_is_heard_nowhere_has_the_least_power() -> None:
    # Two hits of a cut loop: three drums sound, one is hardly and two are never heard.
    rise = np.random.default_rng(0).uniform(-1, 3, (2, 16))
    heard = np.array([[1.0, 0, 0, 0, 0, 0], [0.3, 1, 0.4, 0.003, 0, 0]])
    powers = drum_powers(rise, heard)
    assert np.isfinite(powers).all()
    assert np.all(powers[:, 4:] == powers.min())
