"""Music that networks learn from is what its truth says, and the same for the same seed."""

from itertools import pairwise

import numpy as np
import pytest
from training.beat_alone import COMPOUND_LILT, GRACE_BEATS, LEAST_BEATS, LILT, alone
from training.beat_scores import Score, Written
from training.clips import make_pedal, one_at_a_time
from training.doubled import STEPS, doubled
from training.dress import dress
from training.lively_clips import AGAIN_SHARE, held_line
from training.material import LOWEST_DB, STEP_DB, as_bytes
from training.performance import LIFT, Struck, humanise, voicing
from training.wide_clips import is_wide, make_wide

from training import borrowed, drums, sampled, textures, varied_clips

RATE = 44100
# Four bars of a made-up piece in two parts: onset, duration (quarters), pitch, part.
PIECE = [[float(i), 1.0, 60 + (7 * i) % 12, 0] for i in range(64)] + [
    [float(i), 2.0, 43 + i % 5, 1] for i in range(0, 64, 2)
]


@pytest.mark.parametrize("family", sorted(textures.MANY))
@pytest.mark.parametrize("seed", range(4))
def test_textures_stay_within_their_range_and_time(family: str, seed: int) -> None:
    notes = textures.make_many(np.random.default_rng(seed), family, 40, 84, 12.0)
    assert len(notes) > 8
    # A figure that has begun goes on for at most 2.4 s: clips cut it off.
    assert all(40 <= n.pitch <= 84 and 0 <= n.onset_s < 14.4 and n.offset_s > n.onset_s for n in notes)


def test_part_writing_has_several_voices_at_once_and_a_line_only_one() -> None:
    def most_at_once(notes: list[Struck]) -> int:
        return max(sum(n.onset_s <= m.onset_s < n.offset_s for n in notes) for m in notes)

    random = np.random.default_rng(2)
    assert most_at_once(textures.part_writing(random, 40, 84, 12.0)) >= 3
    single = one_at_a_time(humanise(textures.line(random, 40, 84, 12.0), random, spread_s=0.01, loudness=80), random)
    assert most_at_once(single) == 1


def test_hands_stay_near_what_is_written() -> None:
    written = [Struck(0.2 * i, 0.2 * i + 0.15, 60, 80) for i in range(200)]
    played = humanise(written, np.random.default_rng(5), spread_s=0.01, loudness=70)
    late_s = np.array([p.onset_s - w.onset_s for p, w in zip(played, written, strict=True)])
    # Three standard deviations are the farthest that a hand may miss.
    assert np.abs(late_s).max() < 0.03 + 1e-9
    assert np.std(late_s[1:]) == pytest.approx(0.01, rel=0.25)
    velocities = [n.velocity for n in played]
    assert np.mean(velocities) == pytest.approx(70, abs=12)
    assert min(velocities) >= 18
    assert max(velocities) <= 125


def test_the_pedal_changes_with_what_is_struck() -> None:
    notes = [Struck(0.5 * i, 0.5 * i + 0.4, 60, 80) for i in range(40)]
    spans = make_pedal(notes, np.random.default_rng(3))
    assert spans
    onsets = np.array([n.onset_s for n in notes])
    for down_s, up_s in spans:
        assert down_s < up_s
        # It goes down 60 ms after a note and up 10 ms after the next change.
        assert np.abs(onsets - (down_s - 0.06)).min() < 1e-9
        assert np.abs(onsets - (up_s - 0.01)).min() < 1e-9


def test_excerpts_keep_the_intervals_of_the_piece() -> None:
    notes = borrowed.excerpt(np.random.default_rng(1), [PIECE], 36, 90, 10.0)
    assert notes
    assert all(36 <= n.pitch <= 90 for n in notes)
    quarter_s = np.diff(np.unique([n.onset_s for n in notes])).min()
    played = {(round((n.onset_s - 0.1) / quarter_s), n.pitch) for n in notes}
    written = {(int(row[0]), int(row[2])) for row in PIECE}
    moved = [{(t + later, p + up) for t, p in played} for later in range(64) for up in range(-36, 37)]
    assert any(m <= written for m in moved)


def test_pieces_that_share_a_long_melody_are_known() -> None:
    melody = [60, 62, 64, 65, 67, 69, 71, 72, 74, 72, 71, 69, 67, 65, 64, 62, 60]
    moved = [p + 5 for p in melody]
    assert borrowed._grams(melody) & borrowed._grams(moved)
    assert not borrowed._grams(melody) & borrowed._grams([p + i // 7 for i, p in enumerate(melody)])


@pytest.mark.parametrize("seed", range(8))
def test_dress_keeps_every_moment(seed: int) -> None:
    time = np.arange(4 * RATE) / RATE
    sound = np.zeros(len(time), np.float32)
    begins_s = (0.5, 1.5, 2.5)
    for begin_s in begins_s:
        since = np.maximum(time - begin_s, 0)
        sound += np.where(time >= begin_s, np.sin(2 * np.pi * 880 * since) * np.exp(-since / 0.1), 0).astype(
            np.float32
        )
    dressed = dress(sound, RATE, np.random.default_rng(seed))
    assert 0.2 < np.abs(dressed).max() <= 1.0
    for begin_s in begins_s:
        first = round((begin_s - 0.05) * RATE)
        power = np.convolve(dressed[first : first + round(0.1 * RATE)] ** 2, np.ones(220) / 220, "same")
        # Found where the power rises most over 5 ms.
        rise = power[220:] - power[:-220]
        assert (rise.argmax() + 110) / RATE == pytest.approx(0.05, abs=0.004)


def test_a_wide_clip_is_the_same_for_the_same_seed_and_its_truth_lies_within_it() -> None:
    first, again, other = (make_wide(seed, [PIECE]) for seed in (50_001, 50_001, 50_002))
    assert np.array_equal(first.sound, again.sound)
    assert np.array_equal(first.onset_s, again.onset_s)
    assert len(first.pitch)
    assert np.all(first.onset_s >= 0)
    assert np.all(first.offset_s > first.onset_s)
    assert first.offset_s.max() < len(first.sound) / RATE
    assert not np.array_equal(first.pitch, other.pitch)
    assert is_wide(50_001)
    assert is_wide(59_999)
    assert not is_wide(2_000)
    assert not is_wide(90_001)


def test_drum_patterns_strike_drums_only_and_end_in_time() -> None:
    hits = drums.pattern(np.random.default_rng(4), 8.0)
    assert hits
    assert all(n.onset_s < 8.5 and 27 <= n.pitch <= 87 for n in hits)


def test_levels_kept_in_a_byte_are_half_a_decibel_off_at_most() -> None:
    levels = np.random.default_rng(6).uniform(LOWEST_DB, LOWEST_DB + 255 * STEP_DB, (50, 30)).astype(np.float32)
    assert np.abs(LOWEST_DB + STEP_DB * as_bytes(levels) - levels).max() <= STEP_DB / 2 + 1e-4


def test_hands_bring_out_the_highest_or_the_lowest_of_a_chord_or_neither() -> None:
    chords = [Struck(k, k + 1.0, pitch, 80) for k in range(8) for pitch in (48, 60, 67)]
    lifts = np.array([voicing(chords, np.random.default_rng(seed)).reshape(8, 3) for seed in range(200)])
    assert np.ptp(lifts, axis=1).max() < 1e-9
    bass, inner, top = lifts[:, 0].T
    # By chance alone a semitone more is a little louder or softer: what is lifted stands out of that.
    out = LIFT[0]
    brought_out = {"top": top - inner > out, "bass": bass - inner > out}
    assert 0.4 < brought_out["top"].mean() < 0.75
    assert 0.1 < brought_out["bass"].mean() < 0.4
    # On the whole a clip is as loud as it was.
    assert abs(lifts.mean()) < 1.0


def test_a_section_is_heard_to_begin_with_its_quick_player(monkeypatch: pytest.MonkeyPatch) -> None:
    """The mean of both attacks would be 50 ms late: what is there first is heard."""
    speaks_ms = {"quick": 10, "slow": 150}
    monkeypatch.setattr(
        sampled, "early_levels",
        lambda font, *_: np.clip(np.arange(sampled.EARLY_MS) / speaks_ms[font], 0, 1).astype(np.float32),
    )  # fmt: skip
    players = [varied_clips.Player(font, 48, sampled.Setting(), 1.0) for font in speaks_ms]
    same = (Struck(1.0, 2.0, 60, 90), Struck(1.02, 2.0, 60, 90))
    heard_s = varied_clips.heard_together_s(players, [1.0, 1.0], same, sung=False)
    assert heard_s == pytest.approx(1.0057, abs=0.001)
    # The slow one, if it begins so much sooner, is there first.
    late = (Struck(1.1, 2.0, 60, 90), Struck(1.0, 2.0, 60, 90))
    assert varied_clips.heard_together_s(players, [1.0, 1.0], late, sung=False) == pytest.approx(1.085, abs=0.001)


def test_where_notes_are_doubled_on_overtones_chance_decides_and_nothing_sounds_twice() -> None:
    notes = [Struck(0.25 * i, 0.25 * i + 0.2, 48 + (5 * i) % 13, 80) for i in range(400)]
    played = doubled(notes, 90, np.random.default_rng(8))
    places = {(n.onset_s, n.pitch) for n in notes}
    assert places <= {(n.onset_s, n.pitch) for n in played}
    added = [n for n in played if (n.onset_s, n.pitch) not in places]
    assert 0.1 * len(notes) < len(added) < 0.75 * len(notes)
    for other in added:
        # Five standard deviations of how far apart two hands are.
        assert any(abs(n.onset_s - other.onset_s) < 0.04 and other.pitch - n.pitch in STEPS for n in notes)


def test_held_lines_hold_one_note_at_a_time_for_seconds_and_strike_some_again() -> None:
    lines = [held_line(np.random.default_rng(seed), 50, 70) for seed in range(20)]
    assert max(n.offset_s - n.onset_s for notes in lines for n in notes) > 5.0
    pairs = [(a, b) for notes in lines for a, b in pairwise(notes)]
    assert all(a.offset_s <= b.onset_s for a, b in pairs)
    # Of some 200 pairs so many are of one pitch: three standard deviations are a tenth.
    assert np.mean([a.pitch == b.pitch for a, b in pairs]) == pytest.approx(AGAIN_SHARE, abs=0.1)


@pytest.mark.parametrize("compound", [False, True])
def test_a_tune_alone_lilts_between_its_beats_and_keeps_its_bars(compound: bool) -> None:
    parts = 3 if compound else 2
    notes = tuple(Written(2 + i / parts, 1 / parts, 60 + (5 * i) % 12, 0, 0.0) for i in range(20 * parts))
    tune = Score(notes, tuple(range(0, 22, 2)), (2,) * 11, compound, "borrowed")
    grids = set()
    for seed in range(12):
        played = alone(np.random.default_rng(seed), tune)
        assert played.bar_starts[-1] + 2 >= LEAST_BEATS
        assert set(played.bar_beats) == {2}
        at = np.array([n.onset for n in played.notes if n.duration > GRACE_BEATS + 0.01])
        # Every beat that is written to begin something does, and what lies within a beat is late at most.
        assert set(np.unique(np.round(at))) >= set(range(2, 100))
        within = np.unique(np.round(at % 1, 3))
        grids.add(tuple(within[(within > 0.01) & (within < 0.99)]))
    late = (2 / 3 + COMPOUND_LILT) if compound else 0.5 + LILT
    assert len(grids) == 3
    assert max(max(g) for g in grids) == pytest.approx(late, abs=1e-3)
