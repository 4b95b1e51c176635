"""A stroke leaves more sound than there was; a cut and a crackle do not."""

import numpy as np
import pytest

from honest_stave.core.hits.hits_engine import LEAST_RISE_DB, find_hits
from honest_stave.core.hits.lasting import lasting_rise_db
from honest_stave.demo.loops import boathouse_buckets

RATE = 44100


def tail(seed: int) -> np.ndarray:
    """A second of a drum that dies away."""
    time_s = np.arange(RATE) / RATE
    # Not of noise: its level wavers by more than it falls.
    hz = np.array([180.0, 930.0, 3300.0, 9100.0]) * np.random.default_rng(seed).uniform(0.9, 1.1, 4)
    return (0.2 * np.exp(-time_s / 0.1) * np.sin(2 * np.pi * hz[:, None] * time_s).sum(axis=0)).astype(np.float32)


@pytest.mark.parametrize("seed", range(4))
def test_a_crackle_under_a_tail_leaves_nothing(seed: int) -> None:
    sound = tail(seed)
    at = RATE // 3
    sound[at : at + 40] += 0.8 * np.hanning(40).astype(np.float32)
    assert lasting_rise_db(sound, RATE, np.array([1 / 3])).max() < LEAST_RISE_DB


@pytest.mark.parametrize("seed", range(4))
def test_a_soft_hat_under_a_tail_leaves_its_own_band_louder(seed: int) -> None:
    sound = tail(seed)
    random = np.random.default_rng(seed + 100)
    hat = np.diff(random.normal(size=2001), 1) * np.exp(-np.arange(2000) / 600)
    level = np.abs(sound[RATE // 3 : RATE // 3 + 2000]).mean()
    # As loud as the tail in all, and mostly in the highest band.
    sound[RATE // 3 : RATE // 3 + 2000] += (level * hat / np.abs(hat).mean()).astype(np.float32)
    rises = lasting_rise_db(sound, RATE, np.array([1 / 3]))[0]
    assert rises.max() > 1.5
    assert rises.argmax() >= 2


def test_every_block_of_a_long_take_is_measured_alike() -> None:
    sound = np.tile(tail(0), 300)
    rises = lasting_rise_db(sound, RATE, np.arange(300.0))
    assert rises.shape == (300, 4)
    np.testing.assert_allclose(rises[1:], np.broadcast_to(rises[1], (299, 4)), atol=1e-3)
    assert lasting_rise_db(sound, RATE, np.zeros(0)).shape == (0, 4)


def test_the_cut_end_of_a_sample_is_no_stroke() -> None:
    """A loop over which a soft tone is let ring and cut off: as many hits as without it, at the same moments."""
    loop = boathouse_buckets()
    plain = loop.samples.mean(axis=1)
    time_s = np.arange(len(plain)) / RATE
    begins_s, ends_s = 0.0, 1.37
    ringing = (time_s >= begins_s) & (time_s < ends_s)
    tone = 0.02 * np.sin(2 * np.pi * 310 * time_s + 1.1) * ringing
    found, wanted = find_hits((plain + tone).astype(np.float32)), find_hits(plain)
    assert not np.any(np.abs(found.time_s - ends_s) < 0.02)
    sure_of = {name: hits.time_s[hits.any > 0.9] for name, hits in (("with", found), ("without", wanted))}
    assert len(sure_of["with"]) == len(sure_of["without"])
    np.testing.assert_allclose(sure_of["with"], sure_of["without"], atol=0.003)
