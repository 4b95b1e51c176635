"""Units go there and back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.signal.convert import (
    amplitude_to_db,
    db_to_amplitude,
    hz_to_pitch,
    pitch_from_name,
    pitch_name,
    pitch_to_hz,
)


@given(st.floats(0, 127))
def test_pitch_and_frequency(pitch: float) -> None:
    assert hz_to_pitch(pitch_to_hz(pitch)) == pytest.approx(pitch, abs=1e-9)


@given(st.floats(-119, 20))
def test_level_and_amplitude(level_db: float) -> None:
    assert amplitude_to_db(db_to_amplitude(level_db)) == pytest.approx(level_db, abs=1e-9)


@given(st.integers(0, 127))
def test_names_of_pitches(pitch: int) -> None:
    assert pitch_from_name(pitch_name(pitch)) == pitch


def test_known_values() -> None:
    assert pitch_to_hz(69) == 440
    assert pitch_name(60) == "C4"
    assert pitch_name(60, middle_c_octave=3) == "C3"
    assert pitch_from_name("Bb3") == 58


@pytest.mark.parametrize("name", ["H4", "C", "200", "C#99", ""])
def test_names_that_are_none(name: str) -> None:
    with pytest.raises(ValueError, match="pitch"):
        pitch_from_name(name)
