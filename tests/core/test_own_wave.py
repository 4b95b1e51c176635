"""How loud strokes of a drum are by their own waveform, on loops whose gains are known."""

import numpy as np
import pytest

from honest_stave.core.hits.own_wave import OWN_WAVES, own_levels_db, velocities_by_wave
from honest_stave.core.hits.reading import DRUMS

RATE = 44100
KICK, HAT, TOM = (OWN_WAVES[DRUMS.index(name)] for name in ("kick", "hat", "tom"))


def noise(seed: int, dies_s: float, length_s: float = 0.2) -> np.ndarray:
    random, time_s = np.random.default_rng(seed), np.arange(round(length_s * RATE)) / RATE
    return random.normal(size=len(time_s)) * np.exp(-time_s / dies_s)


def tone(hz: float, dies_s: float = 0.06) -> np.ndarray:
    time_s = np.arange(round(0.2 * RATE)) / RATE
    return 3 * np.sin(2 * np.pi * hz * time_s) * np.exp(-time_s / dies_s)


def played(strokes: list[tuple[float, float, np.ndarray]]) -> np.ndarray:
    mono = np.zeros(round((max(t for t, _, _ in strokes) + 0.3) * RATE))
    for time_s, gain, sound in strokes:
        first = round(time_s * RATE)
        mono[first : first + len(sound)] += gain * sound
    return mono.astype(np.float32)


def test_a_hat_is_measured_under_snares_as_well_as_alone() -> None:
    random = np.random.default_rng(1)
    time_s, gain = 0.2 + 0.25 * np.arange(12), 10 ** (random.uniform(-18, -4, 12) / 20)
    hat = noise(2, 0.03)
    strokes = [(t, g, hat) for t, g in zip(time_s.tolist(), gain.tolist(), strict=True)]
    # Every second one lies under a snare that is never twice the same.
    strokes += [(t, 0.5, noise(10 + i, 0.08)) for i, t in enumerate(time_s[::2].tolist())]
    level_db, likeness = own_levels_db(played(strokes), RATE, time_s + random.normal(0, 0.0004, 12), HAT)
    error_db = level_db - 20 * np.log10(gain)
    # 30 ms of noise above 6 kHz are some 1,000 free numbers: a snare 10 dB louder moves a hat by some dB, not by ten.
    assert np.abs(error_db - np.median(error_db)).max() < 3.0
    assert np.abs((error_db - np.median(error_db))[1::2]).max() < 0.3
    assert likeness[1::2].min() > 0.95
    assert likeness[::2].max() < likeness[1::2].min()


def test_toms_of_three_pitches_are_each_measured_by_their_own_waveform() -> None:
    time_s, gain = 0.2 + 0.3 * np.arange(9), np.array([1, 0.5, 0.25, 0.8, 0.4, 0.2, 0.6, 0.9, 0.3])
    drums = [tone(hz) for hz in (90, 140, 210)]
    strokes = [(t, g, drums[i % 3]) for i, (t, g) in enumerate(zip(time_s.tolist(), gain.tolist(), strict=True))]
    level_db, likeness = own_levels_db(played(strokes), RATE, time_s, TOM)
    assert likeness.min() > 0.95
    for tom in range(3):
        own = slice(tom, None, 3)
        assert np.diff(level_db[own]) == pytest.approx(np.diff(20 * np.log10(gain[own])), abs=0.2)


def test_velocities_follow_the_waveform_and_stay_where_no_two_strokes_are_alike() -> None:
    time_s, gain = 0.2 + 0.3 * np.arange(8), np.array([0.9, 0.3, 0.5, 0.7, 0.25, 0.8, 0.4, 0.6])
    kick = tone(60)
    alike = played([(t, g, kick) for t, g in zip(time_s.tolist(), gain.tolist(), strict=True)])
    unlike = played([(t, g, tone(35 + 23 * i)) for i, (t, g) in enumerate(zip(time_s.tolist(), gain, strict=True))])
    counted, velocity = np.zeros((8, len(DRUMS)), bool), np.full((8, len(DRUMS)), 64.0)
    counted[:, 0] = True
    velocity[:, 0] = [80, 85, 70, 90, 75, 80, 72, 88]
    told = velocities_by_wave(alike, RATE, time_s, counted, velocity)
    assert np.argsort(told[:, 0]).tolist() == np.argsort(gain).tolist()
    assert told[:, 0].mean() == pytest.approx(velocity[:, 0].mean(), abs=1.0)
    assert told[:, 1:] == pytest.approx(velocity[:, 1:])
    assert velocities_by_wave(unlike, RATE, time_s, counted, velocity) == pytest.approx(velocity)


def test_one_stroke_at_the_very_beginning_is_measured_like_any_other() -> None:
    level_db, likeness = own_levels_db(played([(0.0, 0.5, tone(60))]), RATE, np.array([0.0]), KICK)
    assert level_db.shape == likeness.shape == (1,)
    assert np.isfinite(level_db).all()


def test_hats_that_a_snare_hides_are_told_as_even_as_those_that_are_heard_and_accents_stay() -> None:
    random, hat_lane = np.random.default_rng(5), DRUMS.index("hat")
    time_s, hat = 0.2 + 0.25 * np.arange(16), noise(2, 0.03)
    counted, velocity = np.zeros((16, len(DRUMS)), bool), np.full((16, len(DRUMS)), 64.0)
    counted[:, hat_lane] = True
    velocity[:, hat_lane] = np.where(np.arange(16) % 2 == 0, 105, 80) + random.uniform(-3, 3, 16)

    def apart(gain_db: np.ndarray) -> float:
        strokes = [(t, 10 ** (g / 20), hat) for t, g in zip(time_s.tolist(), gain_db.tolist(), strict=True)]
        strokes += [(t, 4.0, noise(10 + i, 0.08)) for i, t in enumerate(time_s[::2].tolist())]
        told = velocities_by_wave(played(strokes), RATE, time_s, counted, velocity)[:, hat_lane]
        return float(told[::2].mean() - told[1::2].mean())

    # Of the 25 that they are told apart less than a third stays where those heard alone spread by less than 1.5 dB.
    assert apart(random.uniform(-1, 1, 16) - 10) < 10
    # Where these have accents of their own, those under the snare keep theirs.
    assert apart(np.tile([-10, -16, -10, -4], 4) + 0.0) > 20
