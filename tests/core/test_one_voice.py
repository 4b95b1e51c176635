"""The engine for one voice on lines whose truth is known."""

import dataclasses

import numpy as np
import pytest
from scipy.signal import iirpeak, lfilter

from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.forming import form_candidates
from honest_stave.core.pitch.notes_engine import read
from honest_stave.core.pitch.opening_mouth import without_openings
from honest_stave.core.pitch.pitch_line import HOP_S
from honest_stave.core.pitch.reading import Candidate, FormSettings, NotesReading, ReadSettings
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.listen import ListenSettings
from tests.made import RATE, Note, f1, line, tune


def counted(reading: NotesReading, form: FormSettings | None = None) -> list[Candidate]:
    return [c for c in form_candidates(reading, form or FormSettings()) if c.confidence >= 0.5]


def heard(samples: np.ndarray, rate: int = RATE, **settings: object) -> list[Candidate]:
    return counted(read(samples, rate, ReadSettings(**settings)))


def pairs(notes: list[Candidate]) -> list[tuple[float, int]]:
    return [(n.onset_s, n.pitch) for n in notes]


def truth_of(notes: list[Note]) -> list[tuple[float, float]]:
    return [(n.onset_s, n.pitch) for n in notes]


@pytest.mark.parametrize("struck", [True, False])
def test_a_tune(struck: bool) -> None:
    notes = tune()
    found = heard(line(notes, struck=struck))
    assert f1(pairs(found), truth_of(notes)) == 1.0
    # Onsets within 10 ms, ends within 40 ms: under what is heard as early, late or long.
    assert max(abs(a.onset_s - b.onset_s) for a, b in zip(found, notes, strict=True)) < 0.010
    assert max(abs(a.offset_s - b.offset_s) for a, b in zip(found, notes, strict=True)) < 0.040


def test_velocity_follows_loudness() -> None:
    notes = [Note(0.3 + 0.5 * i, 0.3 + 0.5 * i + 0.4, 60 + i, loud) for i, loud in enumerate((0.9, 0.3, 0.6, 0.1))]
    velocities = [n.velocity for n in heard(line(notes))]
    assert np.argsort(velocities).tolist() == [3, 1, 2, 0]


@pytest.mark.parametrize("pitch", [24, 33, 45, 57, 69, 81, 93, 105])
def test_from_30_hz_to_4_khz(pitch: int) -> None:
    notes = [Note(0.3, 1.0, pitch), Note(1.1, 1.8, pitch + 1), Note(1.9, 2.6, pitch)]
    assert [n.pitch for n in heard(line(notes))] == [pitch, pitch + 1, pitch]


def test_vibrato_stays_inside_one_note() -> None:
    notes = [Note(0.3, 1.8, 64), Note(1.9, 3.2, 67)]
    found = heard(line(notes, vibrato_cents=45))
    assert pairs(found) == [(pytest.approx(0.3, abs=0.02), 64), (pytest.approx(1.9, abs=0.02), 67)]


def test_one_pitch_struck_again_is_two_notes() -> None:
    notes = [Note(0.3 + 0.3 * i, 0.3 + 0.3 * i + 0.24, 55) for i in range(6)]
    assert f1(pairs(heard(line(notes, struck=True))), truth_of(notes)) == 1.0


@pytest.mark.parametrize("to", [64, 67, 72])
def test_a_glide_is_no_row_of_semitones(to: int) -> None:
    time = np.arange(round(3.2 * RATE)) / RATE
    pitch = np.interp(time, [1.4, 1.6], [60.0, to])
    phase = 2 * np.pi * np.cumsum(440 * 2 ** ((pitch - 69) / 12)) / RATE
    envelope = np.clip(np.minimum(time - 0.2, 3.0 - time) / 0.02, 0, 1)
    sound = sum(np.sin(h * phase) / h for h in range(1, 7)) * envelope * 0.3
    found = heard(np.asarray(sound, np.float32)[:, None])
    assert [n.pitch for n in found] == [60, to]


def syllable(pitch: int, closed_s: float, closed_db: float) -> np.ndarray:
    """A voice from 0.2 s to 1.2 s: through closed lips at first, so much less of it a partial, then a vowel."""
    time = np.arange(round(1.5 * RATE)) / RATE
    hz = 440 * 2 ** ((pitch - 69) / 12)
    opened = np.clip((time - 0.2 - closed_s) / 0.03, 0, 1)
    sound = np.zeros(len(time))
    for partial in range(1, int(9000 / hz)):
        vowel = sum(
            share / (1 + ((partial * hz - at) / 300) ** 2) for at, share in ((700, 1), (1200, 0.5), (2600, 0.25))
        )
        less_db = (closed_db * min((partial - 1) / 3, 1.5) - 6) * (1 - opened)
        sound += (vowel + 0.02) * 10 ** (less_db / 20) * np.sin(2 * np.pi * partial * hz * time + partial**2)
    sound *= np.clip(np.minimum((time - 0.2) / 0.03, (1.2 - time) / 0.05), 0, 1)
    breath = 1e-3 * np.random.default_rng(1).normal(size=len(time))
    return np.asarray(0.3 * (sound / np.abs(sound).max() + breath), np.float32)[:, None]


@pytest.mark.parametrize(("pitch", "closed_s"), [(48, 0.2), (52, 0.2), (57, 0.15), (66, 0.2)])
def test_a_consonant_and_its_vowel_are_one_note(pitch: int, closed_s: float) -> None:
    (note,) = heard(syllable(pitch, closed_s, -40), voices="one")
    assert note.pitch == pitch
    # The voice begins with the consonant.
    assert note.onset_s == pytest.approx(0.2, abs=0.04)
    assert note.offset_s > 1.0


def test_a_pitch_struck_again_as_the_recording_ends_is_left_alone() -> None:
    frames = 20
    silence = np.full((frames, 312), -60.0, np.float32)
    ends_s = frames * HOP_S
    for again_s in (ends_s - 0.05, ends_s - 0.001, ends_s + 0.03):
        same = np.ones(2)
        strikes = Strikes(same.astype(int), np.array([60, 60]), np.array([0.05, again_s]), *[same] * 8)
        told = without_openings(strikes, np.array([1.0, 2.0]), np.zeros(2, int), Bands(silence, silence[:, :104]))
        assert told[1].tolist() == [1.0, 2.0]


@pytest.mark.parametrize("step", [2, 3])
def test_a_quick_run_is_no_glide(step: int) -> None:
    notes = [Note(0.3 + 0.09 * i, 0.3 + 0.09 * i + 0.085, 60 + step * (i % 8)) for i in range(16)]
    assert f1(pairs(heard(line(notes))), truth_of(notes)) >= 0.95


def test_breath_and_hum_make_no_notes() -> None:
    random = np.random.default_rng(3)
    noise = (0.1 * random.normal(size=(3 * RATE, 1))).astype(np.float32)
    assert heard(noise) == []


@pytest.mark.parametrize("samples", [0.0, 1.0])
def test_silence_and_a_single_sample(samples: float) -> None:
    frames = 1 if samples else RATE
    assert heard(np.full((frames, 1), samples, np.float32)) == []


def test_the_recordings_own_tuning_is_measured_and_taken_off() -> None:
    notes = [dataclasses.replace(n, pitch=n.pitch + 0.40) for n in tune()]
    reading = read(line(notes), RATE, ReadSettings())
    assert reading.tuning_cents == pytest.approx(40, abs=3)
    assert [n.pitch for n in counted(reading)] == [n.pitch for n in tune()]
    assert max(abs(n.centre_cents) for n in counted(reading)) < 8


def test_a_given_tuning_overrides_the_measured_one() -> None:
    reading = read(line(tune()), RATE, ReadSettings(tuning_cents=-100))
    assert [n.pitch for n in counted(reading)] == [n.pitch + 1 for n in tune()]


def test_character_is_decided_and_can_be_told() -> None:
    assert read(line(tune(), struck=True), RATE, ReadSettings()).character == "struck"
    sung = read(line(tune(), vibrato_cents=30), RATE, ReadSettings())
    assert sung.character == "sustained"
    told = read(line(tune()), RATE, ReadSettings(character="struck"))
    assert (told.character, told.character_confidence) == ("struck", 1.0)


def test_lowest_and_highest_pitch_bound_what_is_found() -> None:
    found = heard(line(tune()), lowest=60, highest=68)
    assert found
    assert all(60 <= n.pitch <= 68 for n in found)


def test_a_stretch_is_read_in_the_takes_own_time() -> None:
    found = heard(line(tune()), listen=ListenSettings(from_s=1.5, to_s=3.5))
    inside = [n for n in tune() if 1.5 < n.onset_s < 3.3]
    assert f1(pairs(found), truth_of(inside)) > 0.85


def test_the_same_sound_gives_the_same_reading() -> None:
    sound = line(tune(), vibrato_cents=20)
    assert heard(sound) == heard(sound)


def test_the_runner_up_is_another_pitch_with_a_small_share() -> None:
    for note in heard(line(tune())):
        assert note.runner_up != note.pitch
        assert 0.0 <= note.runner_up_share <= 1.0 - note.confidence


DRESSES = {
    "60 dB quieter": lambda x: x * 10 ** (-60 / 20),
    "clipped": lambda x: np.clip(x * 3, -0.9, 0.9),
    "upside down": lambda x: -x,
    "constant offset": lambda x: x * 0.6 + 0.3,
    "one channel silent": lambda x: np.concatenate([x, np.zeros_like(x)], axis=1),
    "sides that cancel": lambda x: np.concatenate([x, -0.8 * x], axis=1),
    "twelve channels": lambda x: np.repeat(x, 12, axis=1),
    "8 bit": lambda x: np.round(x * 127) / 127,
}


@pytest.mark.parametrize("dress", DRESSES)
def test_the_same_music_in_another_dress(dress: str) -> None:
    sound = line(tune(), struck=True)
    plain = heard(sound)
    found = heard(np.asarray(DRESSES[dress](sound), np.float32))
    assert f1(pairs(found), [(n.onset_s, n.pitch) for n in plain], within_s=0.005) >= 0.95


@pytest.mark.parametrize("rate", [8000, 22050, 48000, 96000, 192000])
def test_the_same_music_at_another_rate(rate: int) -> None:
    plain = heard(line(tune()))
    found = heard(line(tune(), rate), rate)
    assert f1(pairs(found), [(n.onset_s, n.pitch) for n in plain], within_s=0.005) >= 0.95


def test_readiness_to_split_and_shortest_note_need_no_second_reading() -> None:
    reading = read(line(tune(), vibrato_cents=60), RATE, ReadSettings())
    # The readier, the surer the candidates that begin where something sounds on.
    sure = [
        sum(c.confidence for c in form_candidates(reading, FormSettings(split=s, shortest_s=0)))
        for s in (0.0, 0.25, 0.5, 0.75, 1.0)
    ]
    assert sure == sorted(sure)
    assert sure[0] < sure[-1]
    reading = read(line(tune()), RATE, ReadSettings())
    shortest = [c.offset_s - c.onset_s for c in form_candidates(reading, FormSettings(split=0.5, shortest_s=0.2))]
    assert shortest
    assert min(shortest) >= 0.2


def test_a_held_tone_whose_level_sways_in_a_room_is_one_note() -> None:
    note = Note(0.5, 5.5, 81)
    sound = line([note], vibrato_cents=35)[:, 0]
    time_s = np.arange(len(sound)) / RATE
    # Five times a second by 8 dB either way, as winds do; reflections that cancel what is held.
    sound = sound * 10 ** (8 * np.sin(2 * np.pi * 5 * time_s) / 20)
    for late_s, gain in ((0.011, 0.7), (0.023, -0.6), (0.037, 0.5), (0.061, -0.5)):
        late = round(late_s * RATE)
        sound[late:] += gain * sound[:-late]
    sound = (0.3 * sound / np.abs(sound).max()).astype(np.float32)
    assert [n.pitch for n in heard(sound[:, None])] == [81]


@pytest.mark.parametrize(
    ("pitch", "lasts_s", "drive", "vowel"),
    [(33, 0.3, 3.0, ((220.0, 4.0),)), (36, 0.45, 1.0, ((450.0, 7.0), (700.0, 4.6)))],
)
def test_a_harsh_bass_that_was_cut_out_at_its_first_sample_is_read(
    pitch: int, lasts_s: float, drive: float, vowel: tuple[tuple[float, float], ...]
) -> None:
    time_s = np.arange(round(lasts_s * RATE)) / RATE
    hz = 440 * 2 ** ((pitch - 69) / 12)
    sound = np.tanh(drive * sum(np.sin(2 * np.pi * k * hz * time_s + k * k) / k for k in range(1, int(8000 / hz))))
    for centre_hz, over in vowel:
        sound = sound + over * lfilter(*iirpeak(centre_hz, 3, fs=RATE), sound)
    sound *= np.clip(time_s / 0.002, 0, 1) * np.exp(-time_s / 0.5) * np.clip((lasts_s - time_s) / 0.005, 0, 1)
    sound = (0.7 * sound / np.abs(sound).max()).astype(np.float32)
    assert [n.pitch for n in heard(sound[:, None])] == [pitch]
