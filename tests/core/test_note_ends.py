"""Passages, and where notes end: measures with known truth."""

import numpy as np
import pytest

from honest_stave.core.pitch.activity import CELL_S, PITCHES, Activity, time_of_cell
from honest_stave.core.pitch.bands import LONG_BANDS, LOWEST_PITCH, SEMITONES, Bands
from honest_stave.core.pitch.note_ends import (
    OFFSET_PEAKS,
    SHARES,
    SOUNDING_LIMITS,
    choose_ends,
    possible_ends,
)
from honest_stave.core.pitch.passages import passage_mean, passage_of, weight_of
from honest_stave.core.pitch.strikes import Strikes, find_strikes, next_onset, next_same

CELLS = 400


def activity_of(notes: list[tuple[float, float, int]], fade_s: float = 0.0, cells: int = CELLS) -> Activity:
    """Sure activity of notes (onset_s, end_s, pitch); their sounding fades over ``fade_s`` about the end."""
    times = time_of_cell(np.arange(cells, dtype=float))
    onset, sounding, offset, velocity = np.zeros((4, cells, PITCHES), np.float32)
    for onset_s, end_s, pitch in notes:
        row = pitch - LOWEST_PITCH
        onset[:, row] = np.maximum(onset[:, row], 0.9 * np.maximum(0, 1 - np.abs(times - onset_s) / (2 * CELL_S)))
        held = (times >= onset_s) * np.clip(0.5 + (end_s - times) / max(fade_s, 1e-6), 0, 1)
        sounding[:, row] = np.maximum(sounding[:, row], held)
        offset[:, row] = np.maximum(offset[:, row], 0.8 * np.maximum(0, 1 - np.abs(times - end_s) / (2 * CELL_S)))
        velocity[:, row] = np.maximum(velocity[:, row], 0.6)
    return Activity(onset, sounding, offset, velocity)


def bands_of(notes: list[tuple[float, float, int]]) -> Bands:
    """Levels of notes that are loud while they sound, over a quiet floor."""
    frames = 2 * CELLS
    time = np.arange(frames) * CELL_S / 2
    long_db, short_db = np.full((frames, LONG_BANDS), -90.0), np.full((frames, SEMITONES), -90.0)
    for onset_s, end_s, pitch in notes:
        inside = (time >= onset_s) & (time < end_s)
        long_db[inside, 3 * (pitch - LOWEST_PITCH) + 1] = -20
        short_db[inside, pitch - LOWEST_PITCH] = -20
    return Bands(long_db.astype(np.float16), short_db.astype(np.float16))


def read(notes: list[tuple[float, float, int]]) -> tuple[Strikes, Activity, np.ndarray]:
    activity = activity_of(notes)
    strikes = find_strikes(activity)
    return strikes, activity, passage_of(strikes.cell, activity)


def test_silence_parts_passages_and_a_short_rest_does_not() -> None:
    strikes, _, passage = read([(0.5, 1.0, 60), (1.6, 2.2, 62), (4.0, 4.5, 64)])
    assert strikes.pitch.tolist() == [60, 62, 64]
    assert passage.tolist() == [0, 0, 1]


def test_a_mean_is_taken_over_ones_own_passage_and_by_weight() -> None:
    passage = np.array([0, 0, 1])
    mean = passage_mean(passage, np.array([1.0, 3.0, 1.0]), np.array([2.0, 6.0, 9.0]))
    assert mean.tolist() == pytest.approx([5.0, 5.0, 9.0])


def test_weights_stay_finite() -> None:
    assert weight_of(np.array([-500.0, 0.0, 500.0])) == pytest.approx([0.0, 0.5, 1.0], abs=1e-3)


def test_what_follows_is_the_next_counted_strike() -> None:
    strikes, _, _ = read([(0.5, 1.0, 60), (0.5, 1.0, 64), (1.5, 2.0, 60), (2.5, 3.0, 67)])
    everything = np.ones(4, bool)
    assert next_onset(strikes, everything)[:3] == pytest.approx([1.5, 1.5, 2.5], abs=0.01)
    assert next_same(strikes, everything)[0] == pytest.approx(1.5, abs=0.01)
    assert np.isinf(next_same(strikes, everything)[1])
    without = everything & (strikes.onset_s < 1.2)
    assert np.isinf(next_onset(strikes, without)).all()


def test_possible_ends_hold_the_true_one_and_never_pass_the_next_strike() -> None:
    notes = [(0.5, 1.1, 60), (1.5, 1.9, 60), (2.0, 3.0, 67)]
    strikes, activity, _ = read(notes)
    ends = possible_ends(strikes, np.ones(3, bool), activity, "one")
    assert ends.shape == (3, len(SOUNDING_LIMITS) + len(OFFSET_PEAKS) + 1 + len(SHARES))
    for (_, end_s, _), row in zip(notes, ends, strict=True):
        assert np.abs(row - end_s).min() < CELL_S
    assert ends[0].max() <= 1.5 + 0.01
    assert ends[1].max() <= 2.0 + 0.01


@pytest.mark.parametrize("voices", ["one", "many"])
def test_notes_let_go_end_where_their_sound_does(voices: str) -> None:
    notes = [(0.4 + 0.8 * k, 0.9 + 0.8 * k, p) for k, p in enumerate((60, 64, 62, 67, 65, 60, 64, 62))]
    strikes, activity, passage = read(notes)
    score = np.full(len(strikes), 4.0)
    chosen = choose_ends(strikes, score, passage, activity, bands_of(notes), voices)
    # 50 ms is what the measure of the trade allows.
    assert chosen == pytest.approx([end for _, end, _ in notes], abs=0.05)
