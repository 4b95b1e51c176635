"""Basses without overtones are heard like others; what has overtones, or rings and falls, is left as it is."""

import numpy as np
import pytest

from honest_stave.core.pitch.bare_bass import is_bare_bass, with_overtones
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.kind import judge_kind
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.reading import FormSettings, ReadSettings
from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.signal.listen import ANALYSIS_RATE
from tests.made import RATE, Note, f1, texture

PITCHES = (28, 31, 33, 35, 28, 26, 31, 33)
STEP_S, LASTS_S, FIRST_S = 0.6, 0.45, 0.5
LINE = [(FIRST_S + STEP_S * i, pitch) for i, pitch in enumerate(PITCHES)]


def low_line(partials: int, rate: int = RATE, falls: float = 0.0, drop: float = 0.0) -> np.ndarray:
    """A low line with so many partials; with ``drop`` each note comes down to its pitch, as a drum machine's does."""
    time_s = np.arange(round((FIRST_S + STEP_S * len(PITCHES) + 0.5) * rate)) / rate
    sound = np.zeros_like(time_s)
    for onset_s, pitch in LINE:
        since = time_s - onset_s
        level = np.clip(since / 0.01, 0, 1) * np.clip((LASTS_S - since) / 0.02, 0, 1) * np.exp(-falls * since.clip(0))
        hz = pitch_to_hz(pitch) * (1 + drop * np.exp(-since.clip(0) / 0.02))
        phase = 2 * np.pi * np.cumsum(np.where(since > 0, hz, 0.0)) / rate
        sound += 0.3 * level * sum(np.sin(k * phase) / k for k in range(1, partials + 1))
    return sound.astype(np.float32)


@pytest.mark.parametrize(("falls", "drop"), [(0.0, 0.0), (2.5, 1.5)])
@pytest.mark.parametrize("voices", ["one", "many"])
def test_a_line_of_bare_low_tones_is_read(falls: float, drop: float, voices: str) -> None:
    sound = low_line(1, falls=falls, drop=drop)[:, None]
    reading = read(sound, RATE, ReadSettings(voices=voices))
    assert reading.bare_bass
    counted = [c for c in form_candidates(reading, FormSettings()) if c.confidence >= 0.5]
    assert f1([(c.onset_s, c.pitch) for c in counted], LINE) == 1.0
    # It was called drums, for nothing was heard in it that has a pitch.
    assert judge_kind(sound, RATE).name == "one"


def test_a_bare_bass_under_chords_is_read_with_them() -> None:
    chords = [
        Note(FIRST_S + 2 * STEP_S * i, FIRST_S + 2 * STEP_S * i + 1.1, pitch)
        for i, root in enumerate((52, 57, 52, 57))
        for pitch in (root, root + 8, root + 12)
    ]
    low, high = low_line(1), texture(chords, struck=False)[:, 0]
    sound = np.zeros(max(len(low), len(high)), np.float32)
    sound[: len(low)] += 0.6 * low
    sound[: len(high)] += 0.25 * high
    reading = read(sound[:, None], RATE, ReadSettings(voices="many"))
    assert not reading.bare_bass
    counted = [(c.onset_s, c.pitch) for c in form_candidates(reading, FormSettings()) if c.confidence >= 0.5]
    assert f1(counted, [*LINE, *((n.onset_s, n.pitch) for n in chords)]) > 0.9
    assert len([c for c in counted if c[1] < 40]) >= len(LINE) - 1


def test_what_has_overtones_or_falls_at_once_is_left_as_it_is() -> None:
    assert is_bare_bass([low_line(1, ANALYSIS_RATE)])
    assert not is_bare_bass([low_line(6, ANALYSIS_RATE)])
    # A kick drum.
    assert not is_bare_bass([low_line(1, ANALYSIS_RATE, falls=12.0, drop=1.5)])
    assert not is_bare_bass([np.zeros(ANALYSIS_RATE, np.float32)])
    assert not is_bare_bass([np.zeros(8, np.float32)])
    assert not is_bare_bass([])


def test_drums_over_a_kick_that_rings_are_drums() -> None:
    random, step_s = np.random.default_rng(3), 0.125
    time_s = np.arange(round(32 * step_s * RATE)) / RATE
    sound = np.zeros_like(time_s)
    for step in range(32):
        since = time_s - step * step_s - 0.005
        struck = since >= 0
        if step % 4 == 0:
            tone = np.sin(2 * np.pi * np.cumsum(48 * (1 + 2 * np.exp(-since.clip(0) / 0.02))) / RATE)
            sound += np.where(struck, 0.8 * tone * np.exp(-since.clip(0) / 0.6) * (since < 4 * step_s), 0)
        noise = random.standard_normal(len(time_s))
        if step % 8 == 4:
            sound += np.where(struck, 0.25 * noise * np.exp(-since.clip(0) / 0.03), 0)
        hat = np.diff(noise, prepend=0.0)
        sound += np.where(struck, 0.04 * hat * np.exp(-since.clip(0) / 0.012), 0)
    assert judge_kind(np.tanh(sound).astype(np.float32)[:, None], RATE).name == "drums"


def test_overtones_are_added_alike_wherever_a_long_take_is_divided() -> None:
    line = low_line(1, ANALYSIS_RATE)
    # The second block of a long take begins inside this line, the first of a short one holds it whole.
    before = np.zeros(58 * ANALYSIS_RATE, np.float32)
    divided = with_overtones(np.concatenate([before, line]))[len(before) :]
    assert np.abs(divided - with_overtones(line)).max() < 1e-4
