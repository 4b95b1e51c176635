"""What is said of each beat for finding bars: notes that begin, what is stressed, the same in every key."""

import numpy as np
import pytest

from honest_stave.core.beat.bar_features import bar_features
from honest_stave.core.beat.beats_hearing import TEMPO_CLASSES, BeatActivity
from honest_stave.core.beat.heard import COLUMNS, Heard, notes_begun
from honest_stave.core.beat.stress import stresses
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, PITCHES, Activity

STEP = 20
PLACE = 10.0 + STEP * np.arange(24)
# Columns of what is stressed.
LONGEST, LOW, HARD = 2, 5, 7


def waltz(higher: int = 0, harder: float = 0.0) -> np.ndarray:
    """A long, low, hard note and two short chords."""
    rows = []
    for number, cell in enumerate(PLACE.tolist()):
        if number % 3 == 0:
            rows.append((cell, 40 + higher, 2.5 * STEP, 0.9, 0.7 + harder))
        else:
            rows += [(cell, pitch + higher, 0.4 * STEP, 0.9, 0.4 + harder) for pitch in (60, 64)]
    return np.array(rows, np.float32)


def test_the_first_beat_of_a_waltz_is_longer_lower_and_harder() -> None:
    stress = stresses(waltz(), PLACE, np.full(len(PLACE), float(STEP)))
    first = np.arange(len(PLACE)) % 3 == 0
    for column, sign in ((LONGEST, 1), (LOW, -1), (HARD, 1)):
        values = sign * stress[:, column]
        assert values[first].min() > values[~first].max() + 0.3


def test_what_is_said_of_beats_is_the_same_in_another_key_and_harder_struck() -> None:
    cells = int(PLACE[-1]) + 2 * STEP
    chroma = np.random.default_rng(1).random((cells, 24)).astype(np.float32)
    turned = np.concatenate([np.roll(chroma[:, :12], 5, axis=1), np.roll(chroma[:, 12:], 5, axis=1)], axis=1)
    columns, zeros = np.random.default_rng(2).random((cells, COLUMNS)).astype(np.float32), np.zeros(cells, np.float32)
    activity = BeatActivity(zeros, zeros, np.zeros((cells, TEMPO_CLASSES), np.float32))
    beat_s = FIRST_CELL_S + PLACE * CELL_S
    said = bar_features(Heard(columns, chroma, waltz()), activity, beat_s)
    again = bar_features(Heard(columns, turned, waltz(5, 0.2)), activity, beat_s)
    # Single precision of moments near 11 s and of means over seventeen beats.
    np.testing.assert_allclose(said, again, atol=1e-4)


def test_nothing_begins_in_silence() -> None:
    stress = stresses(np.zeros((0, 5), np.float32), PLACE, np.full(len(PLACE), float(STEP)))
    assert np.isfinite(stress).all()


@pytest.mark.parametrize(("struck_again", "held"), [(None, 30), (14, 14)])
def test_a_note_lasts_until_its_pitch_is_silent_or_struck_again(struck_again: int | None, held: int) -> None:
    said = Activity(*(np.zeros((60, PITCHES), np.float32) for _ in range(4)))
    row = 52 - LOWEST_PITCH
    for cell in (10,) if struck_again is None else (10, 10 + struck_again):
        # An onset spreads over its neighbours and is one note all the same.
        said.onset[cell - 1 : cell + 2, row] = 0.4, 0.8, 0.5
    said.sounding[12:40, row], said.velocity[10, row] = 0.9, 0.6
    cell, pitch, lasts, sure, hard = notes_begun(said)[0]
    assert (cell, pitch, lasts) == (10, 52, held)
    assert (sure, hard) == pytest.approx((0.8, 0.6))
