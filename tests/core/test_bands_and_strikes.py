"""What the network for notes hears, and strikes found in what it says."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, PITCHES, Activity
from honest_stave.core.pitch.bands import HOP_SAMPLES, band_pitches, measure_bands
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.scaling import reference_level_db, scaled
from honest_stave.core.pitch.strikes import Strikes, find_strikes
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono


def sine(pitch: float, seconds: float = 1.0) -> Mono:
    time = np.arange(round(seconds * ANALYSIS_RATE)) / ANALYSIS_RATE
    return (0.5 * np.sin(2 * np.pi * 440 * 2 ** ((pitch - 69) / 12) * time)).astype(np.float32)


@pytest.mark.parametrize("pitch", [24, 36, 57, 69, 93, 108])
def test_a_sine_is_loudest_in_the_bands_of_its_pitch(pitch: int) -> None:
    bands = measure_bands(sine(pitch), 0, 80)
    assert band_pitches(3)[bands.long_db[40].argmax()] == pytest.approx(pitch)
    assert band_pitches(1)[bands.short_db[40].argmax()] == pytest.approx(pitch, abs=1)
    # Half of full scale is -6 dB in the band whose middle it is.
    assert bands.long_db[40].max() == pytest.approx(-6.0, abs=0.3)
    if pitch >= 57:
        # A fourth away nothing is left of it but what a window of 33 periods leaks.
        away = np.abs(band_pitches(3) - pitch) > 5
        assert bands.long_db[40][away].max() < -50


def test_bands_do_not_depend_on_where_a_block_begins() -> None:
    signal = sine(60) + 0.1 * np.random.default_rng(1).normal(size=ANALYSIS_RATE).astype(np.float32)
    whole = measure_bands(signal, 0, 60)
    piece = measure_bands(signal, 23, 11)
    np.testing.assert_allclose(piece.long_db, whole.long_db[23:34], atol=1e-2)
    np.testing.assert_allclose(piece.short_db, whole.short_db[23:34], atol=1e-2)


def test_a_click_is_at_its_moment_in_both_views() -> None:
    signal = np.zeros(ANALYSIS_RATE, np.float32)
    signal[30 * HOP_SAMPLES] = 1.0
    bands = measure_bands(signal, 0, 60)
    assert bands.short_db.mean(axis=1).argmax() == 30
    assert bands.long_db[:, -60:].mean(axis=1).argmax() == 30


@given(st.integers(-40, 20))
def test_scaled_levels_do_not_know_how_loud_the_take_is(gain_db: int) -> None:
    levels = np.random.default_rng(2).uniform(-90, -10, (200, 312)).astype(np.float32)
    there = scaled(levels + gain_db - reference_level_db(levels + np.float32(gain_db)))
    np.testing.assert_allclose(there, scaled(levels - reference_level_db(levels)), atol=1e-4)


def activity(notes: list[tuple[float, float, int, float]], seconds: float = 4.0) -> Activity:
    """What a faultless network would say of (onset_s, end_s, pitch, height of the onset)."""
    cells = round(seconds / CELL_S)
    times = FIRST_CELL_S + np.arange(cells) * CELL_S
    onset, sounding, offset, velocity = np.zeros((4, cells, PITCHES), np.float32)
    for onset_s, end_s, pitch, height in notes:
        row = pitch - LOWEST_PITCH
        onset[:, row] = np.maximum(onset[:, row], height * np.maximum(0, 1 - np.abs(times - onset_s) / (2 * CELL_S)))
        sounding[:, row] = np.maximum(sounding[:, row], (times >= onset_s) & (times < end_s))
        offset[:, row] = np.maximum(offset[:, row], np.maximum(0, 1 - np.abs(times - end_s) / (2 * CELL_S)))
        velocity[:, row] = np.maximum(velocity[:, row], 0.6)
    return Activity(onset, sounding, offset, velocity)


@given(st.floats(0.2, 1.0), st.floats(0.3, 1.0), st.integers(21, 108))
def test_a_strike_is_found_between_the_cells(onset_s: float, height: float, pitch: int) -> None:
    found = find_strikes(activity([(onset_s, onset_s + 0.8, pitch, height)]))
    assert found.pitch.tolist() == [pitch]
    assert found.onset_s[0] == pytest.approx(onset_s, abs=0.1 * CELL_S)
    assert found.end_s[0] == pytest.approx(onset_s + 0.8, abs=CELL_S)
    assert found.velocity[0] == pytest.approx(0.6 * 127, abs=1)


def test_strikes_on_one_pitch_end_where_it_is_struck_again() -> None:
    found = find_strikes(activity([(0.5, 1.0, 60, 0.9), (1.0, 1.6, 60, 0.8), (0.7, 1.3, 64, 0.9)]))
    assert found.pitch.tolist() == [60, 64, 60]
    end_s = ends_of(found, "many", np.ones(3, bool))
    assert end_s[0] == pytest.approx(1.0, abs=0.01)
    assert end_s[1] == pytest.approx(1.3, abs=CELL_S)
    # Without the second strike the first goes on as long as the pitch sounds.
    assert ends_of(found, "many", np.array([True, True, False]))[0] == pytest.approx(1.6, abs=CELL_S)


def test_what_sounded_before_and_after_is_measured() -> None:
    found = find_strikes(activity([(0.5, 1.5, 60, 0.9), (1.5, 2.5, 60, 0.7), (1.5, 1.55, 67, 0.4)]))
    first, again, short = (found.chosen(np.array([i])) for i in np.lexsort((found.onset_s, found.pitch)))
    assert first.before[0] == 0
    assert again.before[0] == 1
    assert again.let_go[0] > 0.75
    assert first.sounding[0] == 1
    assert short.sounding[0] < 0.6


def test_silence_holds_no_strike() -> None:
    found = find_strikes(activity([]))
    assert len(found) == 0
    assert isinstance(found, Strikes)
    assert len(ends_of(found, "many", np.zeros(0, bool))) == 0
