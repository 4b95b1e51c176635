"""The built-in instruments and pace: in tune, without seams, never over full scale."""

import numpy as np
import pytest

from honest_stave.core.errors import NotFound
from honest_stave.core.part.events import Sounding
from honest_stave.core.sound.instruments import INSTRUMENT_IDS, RATE, instrument
from honest_stave.core.sound.pace import joining_piece, played_piece, stretched_piece
from honest_stave.core.sound.render import render, render_note


def strongest_hz(sound: np.ndarray, low: float, high: float, rate: int = RATE) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 1 << 19))
    hz = np.fft.rfftfreq(1 << 19, 1 / rate)
    inside = (hz > low) & (hz < high)
    return float(hz[inside][np.argmax(spectrum[inside])])


@pytest.mark.parametrize("name", [i for i in INSTRUMENT_IDS if i not in ("click", "tick", "drums")])
@pytest.mark.parametrize("pitch", [38, 57, 76])
def test_in_tune(name: str, pitch: int) -> None:
    note = Sounding("p", 0.0, 1.0, pitch, 100)
    sound = render_note(instrument(name), note)[round(0.1 * RATE) : round(0.9 * RATE)]
    wanted = 440 * 2 ** ((pitch - 69) / 12)
    cents = 1200 * np.log2(strongest_hz(sound, wanted * 0.9, wanted * 1.1) / wanted)
    # A pad is three voices a hertz apart; the others are within a few cents.
    assert abs(cents) < (20 if name == "pad" else 6)


@pytest.mark.parametrize("name", ["reed", "bowed", "voice", "pad"])
def test_loops_have_no_seam(name: str) -> None:
    for sample in instrument(name).samples:
        jump = abs(float(sample.data[sample.loop_end - 1]) - float(sample.data[sample.loop_start]))
        steps = np.abs(np.diff(sample.data[sample.loop_start : sample.loop_end]))
        assert jump <= 1.01 * float(steps.max()) + 1e-4


def test_bends_are_heard() -> None:
    note = Sounding("p", 0.0, 2.0, 69, 100, ((0.0, 0.0), (1.0, 100.0)))
    sound = render_note(instrument("reed"), note)
    assert strongest_hz(sound[round(0.2 * RATE) : RATE], 400, 500) == pytest.approx(440, abs=2)
    assert strongest_hz(sound[round(1.1 * RATE) : 2 * RATE], 400, 500) == pytest.approx(466.2, abs=2)


def test_many_loud_notes_stay_under_full_scale() -> None:
    chord = [Sounding("p", 0.0, 1.0, p, 127) for p in range(40, 80, 2)]
    sound = render(instrument("bowed"), chord, 1.5)
    assert np.abs(sound).max() <= 1.0


def test_a_note_begins_and_ends_in_silence() -> None:
    for name in INSTRUMENT_IDS:
        sound = render_note(instrument(name), Sounding("p", 0.0, 0.5, 60, 127))
        assert abs(sound[0]) < 0.01
        assert abs(sound[-1]) < 0.01


def test_an_instrument_that_is_not_there() -> None:
    with pytest.raises(NotFound, match="no instrument 'kazoo'"):
        instrument("kazoo")


@pytest.mark.parametrize("pace", [0.25, 0.5, 0.8, 1.0])
def test_pace_changes_length_and_not_pitch(pace: float) -> None:
    tone = np.sin(2 * np.pi * 330 * np.arange(4 * RATE) / RATE).astype(np.float32)[:, None] * 0.5
    slow = stretched_piece(tone, RATE, 1.0, 3.0, pace)
    assert slow.shape == (2, round(2 * RATE / pace))
    assert strongest_hz(slow[0, 2000:-2000], 250, 400) == pytest.approx(330, abs=1.5)


@pytest.mark.parametrize("pace", [0.25, 0.5, 0.8])
def test_pieces_at_a_pace_join_without_a_seam(pace: float) -> None:
    tone = 0.5 * np.sin(2 * np.pi * 220 * np.arange(9 * RATE) / RATE).astype(np.float32)[:, None]
    slow = np.concatenate([joining_piece(tone, RATE, start, start + 2.0, pace) for start in (1.0, 3.0, 5.0)], axis=1)
    assert slow.shape[1] == 3 * round(2 * RATE / pace)
    # A tone that jumps bends much more sharply than it does by itself, and has a hole.
    bends = np.abs(np.diff(slow[0, RATE:-RATE], 2))
    assert bends.max() < 2 * np.quantile(bends, 0.99)
    assert np.abs(slow[0, RATE:-RATE]).reshape(-1, RATE // 20).max(axis=1).min() > 0.45


def test_outside_the_recording_there_is_silence() -> None:
    tone = np.ones((RATE, 1), np.float32) * 0.5
    piece = stretched_piece(tone, RATE, 0.5, 2.0, 1.0)
    assert piece.shape == (2, round(1.5 * RATE))
    assert piece[0, 100] == 0.5
    assert not piece[:, round(0.6 * RATE) :].any()


@pytest.mark.parametrize("pace", [0.5, 1.0])
def test_pieces_at_the_rate_of_the_sound_card_join_and_add_nothing(pace: float) -> None:
    tone = 0.5 * np.sin(2 * np.pi * 6000 * np.arange(9 * RATE) / RATE).astype(np.float32)[:, None]
    pieces = [played_piece(tone, RATE, start, start + 2.0, pace, 48_000) for start in (1.0, 3.0, 5.0)]
    heard = np.concatenate(pieces, axis=1)[0, 48_000:-48_000]
    assert sum(piece.shape[1] for piece in pieces) == 3 * round(2 * 48_000 / pace)
    power = np.abs(np.fft.rfft(heard * np.blackman(len(heard)))) ** 2
    near = np.abs(np.fft.rfftfreq(len(heard), 1 / 48_000) - 6000) < 40
    # Straight lines from sample to sample leave images 30 dB under such a tone.
    assert 10 * np.log10(power[~near].sum() / power[near].sum()) < -60


def test_every_drum_note_has_a_sound_of_its_own_that_starts_at_once() -> None:
    kit = instrument("drums")
    assert len({sample.data.tobytes() for sample in kit.samples}) == len(kit.samples) == 12
    for sample in kit.samples:
        level = np.abs(sample.data)
        assert level.argmax() < 0.03 * RATE
        assert abs(float(sample.data[-1])) < 1e-3
