"""Hits weighed with all others of their loop."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from honest_stave.core.errors import BadInput
from honest_stave.core.hits import weighing
from honest_stave.core.hits.found import Found
from honest_stave.core.hits.hearing import BANDS
from honest_stave.core.hits.hits_engine import LONG_STRETCHES, SHORT_STRETCHES, find_hits, levels_around
from honest_stave.core.hits.reading import DRUMS
from honest_stave.core.networks import opening
from honest_stave.demo.loops import boathouse_buckets

SNARE, HAT = DRUMS.index("snare"), DRUMS.index("hat")


def found_at(time_s: list[float]) -> Found:
    """Hits of which nothing is known but their moments."""
    count = len(time_s)
    levels = (np.zeros((count, 16)), np.zeros((count, len(SHORT_STRETCHES + LONG_STRETCHES), BANDS), np.float16))
    even = np.full((count, len(DRUMS)), 0.5)
    return Found(np.array(time_s), np.full(count, 0.001), np.ones(count), even, even, np.full(count, -20.0), *levels)


def said(
    monkeypatch: pytest.MonkeyPatch, sure: list[tuple[float, float]], struck: tuple[float, ...] = (0.9, 0.9)
) -> None:
    """Has the second network say how sure it is of snare and hat in each hit, and that anything is struck."""
    heard = np.full((len(sure), len(DRUMS)), 0.001)
    heard[:, [SNARE, HAT]] = sure
    told = weighing.DrumsHeard(heard, np.full(heard.shape, 0.5), np.array(struck))
    monkeypatch.setattr(weighing, "hear_drums", lambda found: told)


def test_one_stroke_heard_twice_counts_once_for_each_drum(monkeypatch: pytest.MonkeyPatch) -> None:
    said(monkeypatch, [(0.99, 0.9), (0.9, 0.99)])
    sure, _ = weighing.weigh(found_at([1.0, 1.015]))
    assert (sure[:, SNARE] >= 0.5).tolist() == [True, False]
    assert (sure[:, HAT] >= 0.5).tolist() == [False, True]


def test_the_two_strokes_of_a_flam_both_count(monkeypatch: pytest.MonkeyPatch) -> None:
    said(monkeypatch, [(0.95, 0.01), (0.99, 0.01)])
    sure, _ = weighing.weigh(found_at([1.0, 1.03]))
    assert (sure[:, SNARE] >= 0.5).all()


def test_a_likely_stroke_of_a_doubtful_drum_counts_as_the_likeliest(monkeypatch: pytest.MonkeyPatch) -> None:
    said(monkeypatch, [(0.3, 0.1), (0.3, 0.1)], struck=(0.9, 0.1))
    sure, _ = weighing.weigh(found_at([1.0, 2.0]))
    assert (sure >= 0.5).sum(axis=1).tolist() == [1, 0]
    assert sure[0].argmax() == SNARE
    assert sure[0, SNARE] == 0.5


def test_what_is_left_of_a_stroke_heard_twice_is_no_stroke(monkeypatch: pytest.MonkeyPatch) -> None:
    said(monkeypatch, [(0.99, 0.01), (0.9, 0.3)])
    sure, _ = weighing.weigh(found_at([1.0, 1.015]))
    assert (sure >= 0.5).sum(axis=1).tolist() == [1, 0]


def test_a_take_of_many_stretches_is_weighed_to_its_end() -> None:
    loop = boathouse_buckets()
    found = find_hits(np.tile(loop.samples.mean(axis=1), 12))
    assert len(found.time_s) > weighing.STRETCH_HITS
    sure, velocity = weighing.weigh(found)
    assert np.all((sure >= 0) & (sure <= 1))
    assert np.all((velocity >= 1) & (velocity <= 127))
    # Every repeat of the loop is the same music: no stretch hears it otherwise than the first.
    period_s = len(loop.samples) / 44100
    for drum in (DRUMS.index("kick"), SNARE):
        moments = found.time_s[sure[:, drum] >= 0.5]
        repeats = np.bincount((moments / period_s + 0.01).astype(int), minlength=12)[:12]
        assert np.ptp(repeats) <= 1


def test_no_hits_are_none() -> None:
    sure, velocity = weighing.weigh(found_at([]))
    assert sure.shape == velocity.shape == (0, len(DRUMS))


def test_a_missing_network_is_one_clear_line(monkeypatch: pytest.MonkeyPatch) -> None:
    opening.open_network.cache_clear()
    monkeypatch.setattr(opening.resources, "files", lambda package: Path("/nowhere"))
    with pytest.raises(BadInput, match="network for drums is missing or damaged"):
        weighing.hear_drums(found_at([1.0]))
    opening.open_network.cache_clear()


def test_no_stroke_is_surer_than_that_the_loop_has_its_drum(monkeypatch: pytest.MonkeyPatch) -> None:
    said(monkeypatch, [(0.9, 0.01), (0.2, 0.8), (0.9, 0.01), (0.9, 0.01)], struck=(0.9,) * 4)
    there = np.ones(len(DRUMS))
    there[HAT] = 0.3
    monkeypatch.setattr(weighing, "lanes_there", lambda sure, weights: there)
    sure, _ = weighing.weigh(found_at([1.0, 2.0, 3.0, 4.0]))
    assert sure[:, HAT].max() == pytest.approx(0.3)
    # The stroke is there: it counts as the likeliest of the drums that the loop has.
    assert (sure[1] >= 0.5).nonzero()[0].tolist() == [SNARE]


def test_a_drum_heard_often_and_surely_is_in_the_loop(monkeypatch: pytest.MonkeyPatch) -> None:
    often, once = np.full((40, len(DRUMS)), 0.01), np.full((40, len(DRUMS)), 0.01)
    often[::2, HAT] = 0.97
    once[7, HAT] = 0.55
    weights = np.array(opening.constants_of("hits")["there"])
    assert weighing.lanes_there(often, weights)[HAT] > 0.9
    assert weighing.lanes_there(once, weights)[HAT] < weighing.lanes_there(often, weights)[HAT] / 2


def test_a_drum_that_is_never_heard_but_with_another_is_that_one() -> None:
    sure = np.full((8, len(DRUMS)), 0.01)
    sure[:, HAT], sure[:5, SNARE] = 0.9, 0.55
    shadowed = weighing.doubt_shadows(sure)
    assert shadowed[:5, SNARE].max() < 0.2
    np.testing.assert_array_equal(shadowed[:, HAT], sure[:, HAT])
    alone, clear = sure.copy(), sure.copy()
    # One that strikes by itself too, and one that is clearly heard once, are drums of their own.
    alone[5, [HAT, SNARE]] = 0.1, 0.6
    clear[0, SNARE] = 0.8
    for own in (alone, clear, sure[:3]):
        np.testing.assert_array_equal(weighing.doubt_shadows(own), own)


def test_velocity_follows_the_power_of_a_drum_under_another(monkeypatch: pytest.MonkeyPatch) -> None:
    """Hats of rising power under even snares, of which the networks say nothing: the loop itself tells."""
    count = 12
    said(monkeypatch, [(0.97, 0.97 if i % 2 else 0.01) for i in range(count)], struck=(0.97,) * count)
    group = np.arange(16)
    snare, hat = np.exp(-(((group - 6) / 4) ** 2)), np.exp(-(((group - 14) / 2) ** 2))
    hat_db = np.linspace(-12, 0, count)
    power = snare + np.where(np.arange(count) % 2, 10 ** (hat_db / 10), 0.0)[:, None] * hat + 1e-3
    found = replace(found_at([0.25 * i for i in range(1, count + 1)]), rise=np.log10(power) / 3)
    _, velocity = weighing.weigh(found)
    assert np.all(np.diff(velocity[1::2, HAT]) > 0)


def test_levels_about_a_hit_lie_in_their_stretches_before_it_and_after_it() -> None:
    levels = np.zeros((2, 200, BANDS), np.float32)
    # The short window rises at the hit, the long one falls from frame to frame.
    levels[0, 100:], levels[1] = 2.0, 0.01 * np.arange(200, 0, -1)[:, None]
    around = levels_around(levels, np.array([100, 199]))
    starts = np.array([stretch.start for stretch in SHORT_STRETCHES])
    assert np.array_equal(around[0, : len(starts), 5], np.where(starts >= 0, 2.0, 0.0))
    middles = [100 + np.mean(stretch) for stretch in LONG_STRETCHES]
    # Half precision holds three digits.
    assert around[0, len(starts) :, 5] == pytest.approx([0.01 * (200 - m) for m in middles], abs=2e-3)
    # Beyond the end the last level goes on.
    assert around[1, len(starts) - 1, 5] == 2.0
