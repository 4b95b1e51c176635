"""Each step of the one-voice engine alone, on small cases worked by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.pitch.attacks import (
    Attacks,
    find_attacks,
    find_dips,
    join_attacks,
    rise_curve,
    without_releases,
)
from honest_stave.core.pitch.character import judge_character, wander_semitones
from honest_stave.core.pitch.confidence import confidence
from honest_stave.core.pitch.ends import LEVEL_HOP_S, note_end
from honest_stave.core.pitch.forming import price_of_readiness, velocity_of_level
from honest_stave.core.pitch.fragments import bridged_pitch, cut_line
from honest_stave.core.pitch.onsets import harmonic_onset, leaving_moment, onset_after_silence
from honest_stave.core.pitch.refine import refine_pitch
from honest_stave.core.pitch.salience import HOP_S, frame_count, pitch_grid, salience_blocks
from honest_stave.core.pitch.track import Track, follow_pitch
from honest_stave.core.pitch.tuning import measure_tuning
from honest_stave.core.signal.frames import levels_of_frames, slice_padded, windows
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare
from tests.made import RATE, Note, hz, line, tone

NONE = Attacks(np.zeros(0), np.zeros(0, np.float32))


def analysed(notes: list[Note], **how: object) -> np.ndarray:
    return prepare(line(notes, **how), RATE, ListenSettings())[0]  # type: ignore[arg-type]


def track_of(pitches: list[float], level_db: float = -12.0) -> Track:
    pitch = np.array(pitches, np.float32)
    count = len(pitch)
    return Track(
        pitch=pitch,
        strength=np.where(np.isnan(pitch), 0.0, 0.8).astype(np.float32),
        level_db=np.full(count, level_db, np.float32),
        rival_pitch=np.full(count, np.nan, np.float32),
        rival_strength=np.zeros(count, np.float32),
    )


class TestFrames:
    @given(st.integers(-50, 150), st.integers(0, 120))
    def test_slices_are_padded_with_silence(self, begin: int, length: int) -> None:
        signal = np.arange(1, 101, dtype=np.float32)
        piece = slice_padded(signal, begin, begin + length)
        wanted = [signal[i] if 0 <= i < 100 else 0.0 for i in range(begin, begin + length)]
        assert piece.tolist() == wanted

    def test_windows_are_centred_on_multiples_of_the_hop(self) -> None:
        signal = np.zeros(1000, np.float32)
        signal[300] = 1.0
        found = windows(signal, 0, 10, hop=100, length=20)
        assert found.shape == (10, 20)
        assert found[3, 10] == 1.0
        assert np.count_nonzero(found) == 1

    def test_levels_of_a_known_tone(self) -> None:
        tone = 0.5 * np.sin(2 * np.pi * 441 * np.arange(ANALYSIS_RATE) / ANALYSIS_RATE).astype(np.float32)
        levels = levels_of_frames(tone, hop=128, length=500)
        assert np.abs(levels[5:-5] - (-9.03)).max() < 0.1

    def test_levels_do_not_depend_on_where_blocks_end(self) -> None:
        noise = np.random.default_rng(1).normal(0, 0.1, 128 * 5000).astype(np.float32)
        whole = levels_of_frames(noise, hop=128, length=512)
        part = levels_of_frames(noise[128 * 4000 :], hop=128, length=512)
        assert np.abs(whole[4010:] - part[10:]).max() < 0.01


class TestSalience:
    @pytest.mark.parametrize("pitch", [30, 45, 60, 72, 84, 96])
    def test_the_strongest_pitch_is_the_fundamental(self, pitch: int) -> None:
        signal = analysed([Note(0.2, 1.2, pitch)])
        strength = np.concatenate([block for _, block in salience_blocks(signal)])
        middle = strength[round(0.7 / HOP_S)]
        assert abs(pitch_grid().pitches[int(middle.argmax())] - pitch) <= 0.2
        assert middle.max() > 0.5

    def test_noise_is_weak_everywhere(self) -> None:
        noise = np.random.default_rng(2).normal(0, 0.1, ANALYSIS_RATE).astype(np.float32)
        strength = np.concatenate([block for _, block in salience_blocks(noise)])
        assert np.percentile(strength.max(axis=1), 90) < 0.3

    def test_every_frame_is_there_once(self) -> None:
        signal = np.zeros(256 * 2500 + 17, np.float32)
        blocks = list(salience_blocks(signal))
        assert sum(len(b) for _, b in blocks) == frame_count(len(signal))
        assert [first for first, _ in blocks] == [0, 2048]


class TestTrack:
    def test_silence_is_unvoiced_and_a_tone_is_followed(self) -> None:
        signal = analysed([Note(0.5, 1.5, 57)], tail_s=1.0)
        track = follow_pitch(signal, lowest=23, highest=108)
        moments = np.arange(len(track.pitch)) * HOP_S
        assert np.isnan(track.pitch[moments < 0.4]).all()
        inside = track.pitch[(moments > 0.55) & (moments < 1.45)]
        assert np.abs(inside - 57).max() < 0.3

    def test_a_missing_fundamental_is_heard(self) -> None:
        time = np.arange(ANALYSIS_RATE) / ANALYSIS_RATE
        partials = sum(np.sin(2 * np.pi * hz(45) * h * time) for h in (2, 3, 4, 5, 6))
        track = follow_pitch((0.1 * np.asarray(partials)).astype(np.float32), lowest=23, highest=108)
        assert np.nanmedian(track.pitch) == pytest.approx(45, abs=0.3)

    def test_partials_decide_between_bins(self) -> None:
        time = np.arange(ANALYSIS_RATE) / ANALYSIS_RATE
        signal = (0.3 * np.sin(2 * np.pi * hz(69.23) * time)).astype(np.float32)
        rough = np.full(frame_count(len(signal)), 69.6, np.float32)
        refined = refine_pitch(signal, rough)
        assert np.abs(refined[5:-5] - 69.23).max() < 0.02

    def test_unvoiced_frames_stay_unvoiced(self) -> None:
        pitch = np.full(50, np.nan, np.float32)
        assert np.isnan(refine_pitch(np.zeros(50 * 256, np.float32), pitch)).all()


class TestAttacks:
    def test_each_stroke_is_found_once_at_its_moment(self) -> None:
        notes = [Note(0.3 + 0.4 * i, 0.6 + 0.4 * i, 52 + i) for i in range(5)]
        found = find_attacks(analysed(notes, struck=True), weakest=3.0)
        assert len(found.time_s) == 5
        assert np.abs(found.time_s - [n.onset_s for n in notes]).max() < 0.02

    def test_vibrato_is_no_stroke(self) -> None:
        signal = analysed([Note(0.3, 2.8, 64)], vibrato_cents=50)
        inside = [s for t, s in zip(*_columns(find_attacks(signal)), strict=True) if 0.5 < t < 2.7]
        assert all(s < 1.5 for s in inside)

    def test_blocks_leave_no_seam_in_the_rise(self) -> None:
        noise = np.random.default_rng(3).normal(0, 0.1, 128 * 4600).astype(np.float32)
        late = rise_curve(noise[128 * 4000 :])
        assert np.abs(rise_curve(noise)[4020:] - late[20:]).max() < 0.3

    def test_a_lone_dip_counts_and_a_tremolo_does_not(self) -> None:
        time = np.arange(0, 4, LEVEL_HOP_S)
        lone = -20 - 12 * np.clip(1 - np.abs(time - 2.0) / 0.05, 0, 1)
        assert len(find_dips(lone.astype(np.float32), LEVEL_HOP_S).time_s) == 1
        tremolo = (-20 + 4 * np.sin(2 * np.pi * 5 * time)).astype(np.float32)
        assert find_dips(tremolo, LEVEL_HOP_S).strength.max(initial=0) < 1.0

    def test_a_dip_before_a_stroke_lends_it_strength(self) -> None:
        strokes = Attacks(np.array([1.0, 2.0]), np.array([3.0, 3.0], np.float32))
        dips = Attacks(np.array([0.95, 1.5]), np.array([6.0, 2.0], np.float32))
        joined = join_attacks(strokes, dips)
        assert joined.time_s.tolist() == [1.0, 1.5, 2.0]
        assert joined.strength.tolist() == [6.0, 2.0, 3.0]

    def test_a_stroke_where_the_level_falls_is_an_end(self) -> None:
        level = np.full(400, -20.0, np.float32)
        level[203:] = -60
        strokes = Attacks(np.array([100, 200]) * LEVEL_HOP_S, np.array([5.0, 5.0], np.float32))
        assert without_releases(strokes, level, LEVEL_HOP_S).strength.tolist() == pytest.approx([5.0, 1.5])
        assert without_releases(NONE, level, LEVEL_HOP_S) is NONE


def _columns(found: Attacks) -> tuple[list[float], list[float]]:
    return found.time_s.tolist(), found.strength.tolist()


class TestFragments:
    def test_short_gaps_are_bridged_and_rests_are_not(self) -> None:
        gap = [60.0] * 10 + [np.nan] * 3 + [60.0] * 10 + [np.nan] * 9 + [62.0] * 10
        filled = bridged_pitch(np.array(gap, np.float32))
        assert not np.isnan(filled[:23]).any()
        assert np.isnan(filled[23:32]).all()

    def test_a_step_is_one_dear_cut(self) -> None:
        cut = cut_line(track_of([60.0] * 40 + [62.0] * 40), NONE, tuning_cents=0, split_price=0.04)
        assert cut.first.tolist() == [0, 40]
        assert np.isinf(cut.price[0])
        # Half a second of each, two semitones apart: 0.46 * 0.46 / 0.93 * 4.
        assert cut.price[1] == pytest.approx(0.93, rel=0.1)

    def test_vibrato_over_a_semitones_edge_is_cheap(self) -> None:
        time = np.arange(120) * HOP_S
        wavering = 60.45 + 0.4 * np.sin(2 * np.pi * 5.5 * time)
        cut = cut_line(track_of(wavering.tolist()), NONE, tuning_cents=0, split_price=0.08)
        assert len(cut.first) > 2
        assert cut.price[1:].max() < 0.04

    def test_an_attack_on_one_pitch_is_worth_its_strength(self) -> None:
        attack = Attacks(np.array([40 * HOP_S]), np.array([6.0], np.float32))
        cut = cut_line(track_of([60.0] * 80), attack, tuning_cents=0, split_price=0.04)
        assert cut.price[1] == pytest.approx(0.04 * 4, rel=0.01)
        assert cut.attack_s[1] == pytest.approx(40 * HOP_S)

    def test_the_recordings_tuning_is_taken_off_before_cutting(self) -> None:
        cut = cut_line(track_of([60.5] * 40), NONE, tuning_cents=50, split_price=0.04)
        assert cut.pitch.tolist() == pytest.approx([60.0], abs=0.01)

    def test_prices_never_fall_as_cuts_are_joined(self) -> None:
        random = np.random.default_rng(4)
        pitches = np.repeat(random.integers(55, 70, 30), random.integers(3, 20, 30)).astype(float)
        cut = cut_line(track_of(pitches.tolist()), NONE, tuning_cents=0, split_price=0.04)
        counts = [int(np.sum(cut.price > least)) for least in (0.0, 0.01, 0.04, 0.2, 1.0)]
        assert counts == sorted(counts, reverse=True)


class TestOnsetsAndEnds:
    @pytest.mark.parametrize("pitch", [40, 60, 80])
    def test_an_onset_after_silence(self, pitch: int) -> None:
        signal = analysed([Note(0.5, 1.0, pitch)])
        assert onset_after_silence(signal, 0.49, 1.0) == pytest.approx(0.503, abs=0.006)

    def test_an_onset_under_a_note_that_rings_on(self) -> None:
        notes = [Note(0.3, 1.6, 57), Note(0.9, 1.6, 64)]
        found = harmonic_onset(analysed(notes), 0.89, 1.6, 64, 57)
        assert found == pytest.approx(0.9, abs=0.012)

    def test_the_octave_of_a_ringing_note_tells_nothing_of_its_own(self) -> None:
        signal = analysed([Note(0.3, 1.6, 57)])
        assert harmonic_onset(signal, 0.9, 1.6, 69, 57) is None

    def test_a_slide_begins_where_the_old_pitch_is_left(self) -> None:
        line_ = np.concatenate([np.full(50, 60.0), np.linspace(60, 62, 10), np.full(50, 62.0)])
        assert leaving_moment(line_, 55, 60.0, 62.0) == pytest.approx(53 * HOP_S, abs=1.5 * HOP_S)

    def test_a_release_is_the_knee_in_the_level(self) -> None:
        time = np.arange(0, 2, LEVEL_HOP_S)
        level = np.where(time < 1.0, -12 - 8 * time, -20 - 160 * (time - 1.0))
        level = np.maximum(level, -70).astype(np.float32)
        assert note_end(level, 0.0, 1.9, -70) == pytest.approx(1.0, abs=0.04)

    def test_a_note_that_only_dies_away_ends_where_it_is_lost(self) -> None:
        time = np.arange(0, 2, LEVEL_HOP_S)
        dying = (-10 - 20 * time).astype(np.float32)
        assert note_end(dying, 0.0, 1.9, -80) == pytest.approx(1.3, abs=0.1)

    def test_a_held_note_ends_where_the_next_begins(self) -> None:
        held = np.full(400, -15.0, np.float32)
        assert note_end(held, 0.2, 1.4, -70) == 1.4


class TestWholeTake:
    def test_tuning_needs_agreement(self) -> None:
        assert measure_tuning(track_of([60.3, 60.3, 64.3, 67.3] * 10 + [60.3] * 20))[0] == pytest.approx(30, abs=4)
        spread = (60 + np.repeat(np.arange(10), 10) * 1.1).tolist()
        assert measure_tuning(track_of(spread))[0] == 0.0
        assert measure_tuning(track_of([np.nan] * 50)) == (0.0, 0.0)

    def test_character_by_how_the_level_goes(self) -> None:
        dying = track_of([60.0] * 200)
        falling = -10 - np.tile(np.arange(50), 4) * 0.5
        dying = Track(
            dying.pitch, dying.strength, falling.astype(np.float32), dying.rival_pitch, dying.rival_strength
        )
        assert judge_character(dying)[0] == "struck"
        assert judge_character(track_of([60.0] * 200))[0] == "sustained"
        assert judge_character(track_of([np.nan] * 20)) == ("sustained", 0.5)

    def test_a_voice_wanders_and_keys_do_not(self) -> None:
        time = np.arange(400) * HOP_S
        sung = track_of((60 + 0.4 * np.sin(2 * np.pi * 5.5 * time)).tolist())
        assert wander_semitones(sung) > 0.12
        assert wander_semitones(track_of([60.0] * 200 + [64.0] * 200)) < 0.02

    def test_velocity_of_level(self) -> None:
        levels = np.array([-10.0, -22.0, 10.0, -200.0])
        assert velocity_of_level(levels, -10.0).tolist() == [100, 50, 127, 1]

    def test_readiness_runs_from_dear_to_cheap(self) -> None:
        prices = [price_of_readiness(0.04, split) for split in (0.0, 0.5, 1.0)]
        assert prices == pytest.approx([0.64, 0.04, 0.0025])

    @pytest.mark.parametrize(
        ("better", "worse"),
        [
            ({"strength": 0.8}, {"strength": 0.3}),
            ({"duration_s": 0.4}, {"duration_s": 0.05}),
            ({"below_reference_db": 0.0}, {"below_reference_db": 30.0}),
            ({"purity": 1.0}, {"purity": 0.6}),
            ({"price_ratio": 8.0}, {"price_ratio": 1.0}),
        ],
    )
    def test_more_evidence_is_more_confidence(self, better: dict[str, float], worse: dict[str, float]) -> None:
        usual = {
            "strength": 0.6, "duration_s": 0.2, "below_reference_db": 6.0, "above_floor_db": 30.0,
            "rival_ratio": 0.3, "price_ratio": 2.0, "purity": 0.95,
        }  # fmt: skip

        def sure(changes: dict[str, float]) -> float:
            return float(confidence(**{k: np.array([v]) for k, v in {**usual, **changes}.items()})[0])

        assert 0 < sure(worse) < sure(better) < 1


def test_tone_is_what_it_says() -> None:
    sound = tone(Note(0, 1, 69), RATE)
    spectrum = np.abs(np.fft.rfft(sound))
    assert np.fft.rfftfreq(len(sound), 1 / RATE)[spectrum.argmax()] == pytest.approx(440, abs=1)
