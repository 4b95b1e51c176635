"""Sounds that networks learn from and are measured on begin when their truth says, at the pitch it says."""

from pathlib import Path

import numpy as np
import pytest
import soundfile
from training.attack import attack_delay_s
from training.performance import Performance, Struck, without_overlaps
from training.unsteady import among_walls, breathed, electronic

from training import (
    made_kits,
    one_shots,
    oscillators,
    patterns_played,
    recorded_notes,
    sung_words,
    wide_voices,
    write_loops,
)

RATE = recorded_notes.RATE


def write_notes(folder: Path, attack_s: float = 0.01) -> Path:
    """Two recorded notes in two layers of force, after silence: A3 and A4, two seconds each."""
    time = np.arange(2 * RATE) / RATE
    for name, hz in (("A3", 220.0), ("A4", 440.0)):
        for layer, gain in ((1, 0.1), (16, 0.8)):
            note = gain * np.sin(2 * np.pi * hz * time) * np.clip(time / attack_s, 0, 1)
            soundfile.write(folder / f"{name}v{layer}.ogg", np.concatenate([np.zeros(4410), note]), RATE)
    return folder


def strongest_hz(sound: np.ndarray, rate: int) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    return float(spectrum.argmax() * rate / len(sound))


def test_a_note_slows_up_to_where_it_reaches_two_fifths_of_its_peak() -> None:
    ramp = np.clip(np.arange(RATE) / (0.1 * RATE), 0, 1)
    assert attack_delay_s(ramp, RATE) == pytest.approx(0.04, abs=1e-4)
    assert attack_delay_s(np.zeros(RATE), RATE) == 0.0


def test_recorded_notes_sound_where_and_as_high_and_hard_as_told(tmp_path: Path) -> None:
    instrument = recorded_notes.open_folders("two", [write_notes(tmp_path)], release_s=0.02)
    notes = (Struck(0.5, 1.0, 58, 120), Struck(1.5, 2.0, 69, 20))
    sound, onset_s, sounding_off_s = recorded_notes.render(instrument, Performance(notes))
    # The attack is 10 ms, so that two fifths of it are 4 ms, or the sine's next crest, half a period of 4.5 ms later;
    # what came before the note in its file is cut off.
    assert onset_s == pytest.approx([0.505, 1.505], abs=0.0025)
    assert sounding_off_s == pytest.approx([1.0, 2.0])
    first, second = sound[round(0.55 * RATE) : round(0.95 * RATE)], sound[round(1.55 * RATE) : round(1.95 * RATE)]
    # Within a bin of the spectrum, 2.5 Hz.
    assert strongest_hz(first, RATE) == pytest.approx(440 * 2 ** (-11 / 12), abs=2.5)
    assert strongest_hz(second, RATE) == pytest.approx(440, abs=2.5)
    assert np.abs(first).max() > 4 * np.abs(second).max()
    assert np.abs(sound[: round(0.49 * RATE)]).max() == 0


def test_a_pedal_holds_what_is_let_go_under_it(tmp_path: Path) -> None:
    instrument = recorded_notes.open_folders("two", [write_notes(tmp_path)], release_s=0.02)
    played = Performance((Struck(0.1, 0.3, 57, 90),), pedal=((0.2, 1.2),))
    sound, _, sounding_off_s = recorded_notes.render(instrument, played)
    assert sounding_off_s == pytest.approx([1.2])
    assert np.abs(sound[round(1.1 * RATE) : round(1.2 * RATE)]).max() > 0.05


def test_of_a_slow_attack_only_what_a_player_would_begin_early_is_kept(tmp_path: Path) -> None:
    instrument = recorded_notes.open_folders("slow", [write_notes(tmp_path, attack_s=0.4)], release_s=0.02)
    _, onset_s, _ = recorded_notes.render(instrument, Performance((Struck(1.0, 2.0, 57, 90),)))
    assert onset_s == pytest.approx([1.0 + recorded_notes.LONGEST_ATTACK_S], abs=0.03)


@pytest.mark.parametrize("seed", range(6))
def test_made_up_instruments_speak_at_their_pitch_within_a_player_s_reach(seed: int) -> None:
    random = np.random.default_rng(seed)
    voice = wide_voices.make_voice(random, ranked=seed % 2 == 0)
    notes = (Struck(0.2, 1.0, 50, 90), Struck(1.3, 2.1, 62, 90))
    sound, onset_s = wide_voices.render(voice, Performance(notes), random)
    # The slowest attack is 130 ms to the full level of its first partial.
    assert np.all((onset_s >= [0.2, 1.3]) & (onset_s < [0.4, 1.5]))
    for note in notes:
        steady = sound[round((note.onset_s + 0.4) * wide_voices.RATE) : round(note.offset_s * wide_voices.RATE)]
        steps = 12 * np.log2(strongest_hz(steady, wide_voices.RATE) / (440 * 2 ** ((note.pitch - 69) / 12)))
        harmonics = 12 * np.log2(np.arange(1, 97) / 2)
        # Vibrato goes up to 0.4 semitones to either side.
        assert np.abs(steps - harmonics).min() < 0.5


def test_no_two_notes_of_one_pitch_overlap() -> None:
    notes = [Struck(0.0, 1.0, 60, 80), Struck(0.5, 1.5, 60, 80), Struck(0.2, 0.9, 64, 80), Struck(0.52, 2.0, 60, 80)]
    kept = without_overlaps(notes, (0.01, 0.01), np.random.default_rng(1))
    of_60 = [n for n in kept if n.pitch == 60]
    assert [n.onset_s for n in of_60] == [0.0, 0.5]
    assert of_60[0].offset_s == pytest.approx(0.49)


def middle_of(power: np.ndarray) -> float:
    """Where half of a power has gone by, as a share of its length."""
    return float(np.searchsorted(np.cumsum(power), power.sum() / 2) / len(power))


@pytest.mark.parametrize("seed", range(4))
def test_made_kits_have_hats_that_ring_longer_when_open_and_soft_strokes_that_are_duller(seed: int) -> None:
    kit = made_kits.made_kit(np.random.default_rng(seed))
    assert {"kick", "snare", "hat", "open hat", "pedal hat", "tom", "ride", "crash", "other"} <= set(kit)
    closed, ringing = (kit[role][-1].sound[: made_kits.RATE] for role in ("hat", "open hat"))
    # The stick is the same for both.
    assert middle_of(ringing**2) > 1.3 * middle_of(closed**2)
    for strokes in kit.values():
        # A stroke is cut to its attack: it begins within a millisecond.
        assert all(np.abs(s.sound[:44]).max() >= 0.05 * np.abs(s.sound).max() for s in strokes)
        if len(strokes) > 1:
            soft, hard = strokes[0].sound, strokes[-1].sound
            assert np.abs(soft).max() < 0.6 * np.abs(hard).max()
            spectra = [np.abs(np.fft.rfft(x, 1 << 16)) ** 2 for x in (soft, hard)]
            assert middle_of(spectra[0]) <= middle_of(spectra[1]) + 1e-3


@pytest.mark.parametrize("role", oscillators.ROLES)
def test_oscillators_sound_at_their_pitch_from_when_they_are_told_to(role: str) -> None:
    for seed in range(4):
        random = np.random.default_rng([seed, 5])
        patch = oscillators.make_patch(random, role)
        sound, onset_s, until_s = oscillators.render(patch, Performance((Struck(0.3, 1.6, 33, 90),)), random)
        before, at, after = (round((t - 0.01) * oscillators.RATE) for t in (0.3, onset_s[0], onset_s[0] + 0.3))
        assert np.abs(sound[:before]).max() == 0
        # Two fifths of the early peak are reached then and not before, whatever is driven later.
        assert np.abs(sound[:at]).max() <= np.abs(sound[at:after]).max()
        assert 0.3 < onset_s[0] < 0.5
        assert until_s[0] <= 2.6
        # A 1 is 55 Hz; oscillators lie up to 18 cents apart, vibrato goes up to 0.3 semitones.
        overtone = strongest_hz(np.pad(sound[at:], (0, 8 * len(sound))), oscillators.RATE) / 55
        assert 12 * np.abs(np.log2(overtone / np.round(overtone))) < 0.5


def test_a_drum_machine_s_tone_falls_into_its_pitch_and_rings_until_the_next() -> None:
    random = np.random.default_rng(1)
    while not (patch := oscillators.make_patch(random, "bass")).rings:
        pass
    notes = (Struck(0.2, 0.4, 36, 100), Struck(0.7, 0.8, 36, 100))
    assert oscillators.lasts_s(patch, notes[0], 0.7) > 0.4
    assert oscillators.lasts_s(patch, notes[0], 0.45) <= 0.45
    assert patch.drop_semitones > 0


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("Cowbell", "other"), ("Agogo Low", "other"), ("Kenkeni1 Bell Hit", "other"), ("Tambourine Pedal", "other"),
        ("Ride Bell", "ride"), ('Ride (Custom 22")', "ride"), ("Snare Rimshot", "snare"), ("Rim", "rim"),
        ("Floor Tom", "tom"), ("Pedal HH", "pedal hat"), ("Hat Op Dirty", "open hat"), ("bass drum 1", "kick"),
        ("Snare Roll", None), ("", None),
    ],
)  # fmt: skip
def test_drums_of_a_kit_are_what_their_names_say(name: str, role: str | None) -> None:
    assert one_shots.role_of_name(name) == role


def test_a_drum_is_struck_once_at_a_moment() -> None:
    hat, snare = one_shots.DRUMS.index("hat"), one_shots.DRUMS.index("snare")
    strokes = np.array([[0.5, hat, 0.3], [0.505, snare, 0.9], [0.51, hat, 0.6], [0.54, hat, 0.4]])
    hits = write_loops.as_hits(strokes)
    assert [(h["time_s"], h["drum"], h["velocity"]) for h in hits] == [
        (0.5, "hat", 76),
        (0.505, "snare", 114),
        (0.54, "hat", 51),
    ]


@pytest.mark.parametrize("seed", range(4))
def test_what_keeps_a_tone_unsteady_leaves_its_beginning_and_its_pitch(seed: int) -> None:
    rate, begins_s, hz = 22050, 0.5, 110.0
    time_s = np.arange(4 * rate) / rate
    partials = sum(np.sin(2 * np.pi * hz * k * time_s) / k for k in range(1, 8))
    tone = (0.1 * np.where(time_s >= begins_s, partials, 0.0)).astype(np.float32)
    for change in (breathed, among_walls, electronic):
        sound = change(tone, rate, np.random.default_rng(seed))
        first = np.abs(sound[: round(begins_s * rate)]).max()
        # Convolution by transforms leaves rounding: 80 dB down is none.
        assert first < 1e-4 * np.abs(sound).max()
        # A doubled tone sways by less than a hundredth, and every partial stays one.
        partial = strongest_hz(sound[round((begins_s + 0.3) * rate) :], rate) / hz
        assert abs(partial - round(partial)) < 0.01 * round(partial)


@pytest.mark.parametrize("seed", range(4))
def test_a_singer_is_at_the_pitch_while_a_vowel_lasts_and_silent_before_the_first_syllable(seed: int) -> None:
    notes = [Struck(0.5, 1.3, 57, 90), Struck(1.5, 2.6, 64, 90)]
    sound, onset_s, offset_s = sung_words.sing(notes, np.random.default_rng(seed))
    assert onset_s.tolist() == [0.5, 1.5]
    assert all(note.onset_s < end_s <= note.offset_s for note, end_s in zip(notes, offset_s, strict=True))
    # No consonant lasts longer than 180 ms; levels fade in over 15 ms.
    assert np.abs(sound[: round(0.29 * sung_words.RATE)]).max() < 1e-3 * np.abs(sound).max()
    for note in notes:
        first, last = (round(s * sung_words.RATE) for s in (note.onset_s + 0.1, note.onset_s + 0.4))
        partial = strongest_hz(sound[first:last], sung_words.RATE) / (440 * 2 ** ((note.pitch - 69) / 12))
        # Vibrato and what no voice holds still are up to 0.7 of a semitone, which is four in a hundred.
        assert abs(partial - round(partial)) < 0.045 * partial


def test_a_pattern_played_by_another_kit_sounds_where_it_says_and_leaves_out_what_the_kit_has_not() -> None:
    burst = np.exp(-np.arange(2000) / 300).astype(np.float32)
    kit = {
        role: [one_shots.OneShot(burst * 0.9 * strength, role, strength) for strength in (0.4, 1.0)]
        for role in ("kick", "snare", "open hat")
    }
    drums = ("kick", "hat", "snare", "hat", "tom")
    hits = [{"time_s": 0.5 + 0.4 * i, "drum": drum, "velocity": 100} for i, drum in enumerate(drums)]
    clip = patterns_played.play_pattern(3, kit, hits, 2.6)
    assert np.array_equal(clip.sound, patterns_played.play_pattern(3, kit, hits, 2.6).sound)
    assert [one_shots.DRUMS[int(number)] for number in clip.hits[:, 1]] == list(drums[:4])
    assert np.abs(clip.hits[:, 0] - [h["time_s"] for h in hits[:4]]).max() < 1e-3
    around = [np.abs(clip.sound[round((t - 0.05) * RATE) :][: round(0.1 * RATE)]) for t in clip.hits[:, 0]]
    # The dress adds noise and reflections, and no stroke before its moment.
    assert all(sound[: round(0.045 * RATE)].max() < 0.5 * sound.max() for sound in around)
