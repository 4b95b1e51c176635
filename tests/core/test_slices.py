"""Cuts, slices, keys and patterns: thresholds move, what was done by hand stays, the null test is exact."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from honest_stave.core.beat.loop_tempo import propose_tempo
from honest_stave.core.errors import BadInput
from honest_stave.core.hits import kit_edits
from honest_stave.core.hits.doubts import doubts_of, lanes_in_doubt
from honest_stave.core.hits.keys import keys_of, loop_key
from honest_stave.core.hits.kit import MOST_SLICES, SliceSettings, Strike
from honest_stave.core.hits.pattern import at_pace, drum_notes, pattern_of, repeated, shuffled
from honest_stave.core.hits.slice_sound import null_test, sound_of
from honest_stave.core.hits.slicing import Moment, as_set, fitting, moments_of, slices_of, zero_crossing
from honest_stave.core.hits.zones_of_kit import OVERLAP_S, stretched_tail, zones_of
from tests.made import RATE
from tests.made_loop import FRAMES, KIT, LOOP, SAMPLES, cut, reading


def test_two_drums_at_one_moment_are_one_slice() -> None:
    slices = cut()
    assert [s.id for s in slices][:2] == ["lead", "r4410"]
    assert [x.drum for x in slices[1].strikes] == ["kick", "hat"]
    assert sum(s.frames for s in slices) == FRAMES


def test_a_soft_snare_is_a_ghost_and_a_snare_all_the_same() -> None:
    (ghost,) = [x for s in cut() for x in s.strikes if x.ghost]
    assert (ghost.drum, ghost.velocity) == ("snare", 25)


def test_the_threshold_takes_soft_hits_away_and_leaves_cuts_by_hand() -> None:
    kit = kit_edits.cut(KIT, 30_000, "h1", cut())
    kit = kit_edits.move(kit, cut(kit), ["r26460"], lambda s: s.first + 40, FRAMES)
    loud = cut(replace(kit, threshold_db=-10.0))
    # The moved one stays though its hat is 15 dB under the loudest.
    assert [s.id for s in loud] == ["lead", "r4410", "r26460", "h1", "r48510", "r92610", "r136710"]
    assert [s.by_hand for s in loud] == [False, False, True, True, False, False, False]
    assert loud[2].first == 26500
    assert loud[2].read_frame == 26460


def test_a_slice_says_how_far_off_its_attack_may_be_where_that_was_measured() -> None:
    assert {s.within_ms for s in cut(KIT)} == {None, 1.4}
    assert {s.within_ms for s in cut(replace(KIT, hand=(("h1", 3 * RATE),))) if s.by_hand} == {None}
    before = replace(LOOP, within_s=np.full(len(LOOP.time_s), np.nan))
    assert {m.within_ms for m in moments_of(before, RATE)} == {None}


def test_doubts_are_what_is_unsure_or_loosely_placed_and_not_set_by_hand() -> None:
    assert doubts_of(cut()) == []
    unsure = LOOP.confidence.copy()
    unsure[2] = 0.6
    loose = np.where(np.arange(len(unsure)) == 4, 0.0062, 0.0014)
    moments = moments_of(replace(LOOP, confidence=unsure, within_s=loose), RATE)
    slices = slices_of(moments, KIT, RATE, FRAMES, 0)
    assert doubts_of(slices) == ["r26460", "r70560"]
    moved = kit_edits.move(KIT, slices, ["r26460"], lambda s: s.first + 40, FRAMES)
    assert doubts_of(slices_of(moments, moved, RATE, FRAMES, 0)) == ["r70560"]


def test_a_lane_that_may_be_another_drum_is_told_until_a_hand_has_named_it() -> None:
    hats = reading([(0.1 + 0.3 * i, "hat", 80, -20.0) for i in range(6)])
    moments = moments_of(replace(hats, confidence=np.full(6, 0.6)), RATE)
    slices = slices_of(moments, KIT, RATE, FRAMES, 0)
    (lane,) = lanes_in_doubt(slices)
    assert (lane.drum, lane.strokes, lane.sure) == ("hat", 6, pytest.approx(0.6))
    assert len(doubts_of(slices)) == 6
    ids = [s.id for s in slices if s.id != "lead"]
    for drum in ("hat", "cymbal"):
        named = slices_of(moments, kit_edits.set_drums(KIT, slices, ids, [drum]), RATE, FRAMES, 0)
        assert lanes_in_doubt(named) == []
        assert doubts_of(named) == []
    assert lanes_in_doubt(slices[:4]) == []
    assert lanes_in_doubt(cut()) == []


def test_more_hits_than_a_kit_holds_are_cut_at_the_loudest() -> None:
    levels_db = np.round(np.random.default_rng(3).uniform(-50, 0, MOST_SLICES + 500), 2)
    kick = (Strike("kick", "kick", 90, 0.9),)
    moments = [Moment(1000 * i, 0.5, float(db), kick) for i, db in enumerate(levels_db)]
    frames = 1000 * len(moments)
    with pytest.raises(BadInput, match="raise the threshold"):
        slices_of(moments, KIT, RATE, frames, 0)
    found = slices_of(moments, fitting(KIT, moments), RATE, frames, 0)
    # Of hits as loud as the last that fits none or all make a cut: a dozen of 40,000 share a hundredth of a decibel.
    assert MOST_SLICES - 30 <= len(found) <= MOST_SLICES
    assert min(s.level_db for s in found) >= np.sort(levels_db)[400]
    assert fitting(KIT, moments[:9]) == KIT


def test_a_lane_has_a_threshold_of_its_own() -> None:
    slices = cut(replace(KIT, lane_thresholds_db={"hat": -5.0}))
    assert [x.drum for s in slices for x in s.strikes] == ["kick", "snare", "snare", "kick", "tom"]


def test_cuts_taken_away_come_back_only_by_undo() -> None:
    kit = kit_edits.remove(KIT, ["r26460"])
    assert "r26460" not in [s.id for s in cut(replace(kit, threshold_db=-60.0))]
    assert len(cut(kit)) == len(cut()) - 1


def test_a_cut_cannot_pass_its_neighbour() -> None:
    with pytest.raises(BadInput, match="cannot pass"):
        kit_edits.move(KIT, cut(), ["r26460"], lambda s: s.first + RATE, FRAMES)
    with pytest.raises(BadInput, match="a cut already"):
        kit_edits.cut(KIT, 4410, "h1", cut())


@settings(max_examples=25, deadline=None)
@given(st.lists(st.integers(1, FRAMES - 1), max_size=12, unique=True), st.floats(-60, 0))
def test_any_untouched_slicing_nulls_to_the_last_bit(frames: list[int], threshold_db: float) -> None:
    kit = replace(KIT, hand=tuple((f"h{f}", f) for f in frames), threshold_db=threshold_db)
    slices = cut(kit)
    found = null_test(SAMPLES, slices, [sound_of(SAMPLES, s, RATE) for s in slices])
    assert found.exact
    assert found.breaking == ()


@pytest.mark.parametrize(
    "done",
    [
        SliceSettings(gain_db=-1.0), SliceSettings(reversed=True), SliceSettings(muted=True),
        SliceSettings(fade_s=0.01), SliceSettings(take="other", first_frame=0, last_frame=999),
    ],
)  # fmt: skip
def test_the_null_test_names_the_slice_that_breaks_it(done: SliceSettings) -> None:
    slices = cut(replace(KIT, slices={"r48510": done}))
    found = null_test(SAMPLES, slices, [sound_of(SAMPLES, s, RATE) for s in slices])
    assert not found.exact
    assert [i for i, _ in found.breaking] == ["r48510"]
    assert found.residual_db > -60


def test_a_slice_that_ends_with_its_sound_is_let_go_without_a_click() -> None:
    quiet = SAMPLES * np.where(np.arange(FRAMES) < 50_000, 1, 1e-5)[:, None].astype(np.float32)
    (piece,) = [s for s in cut(replace(KIT, slices={"r48510": SliceSettings(end="sound")})) if s.id == "r48510"]
    sound = sound_of(quiet, piece, RATE)
    assert 1490 <= len(sound) < piece.frames
    assert np.abs(sound[-1]).max() < 1e-5


def test_classes_are_set_by_hand_and_back() -> None:
    kit = kit_edits.set_drums(KIT, cut(), ["r48510"], ["kick"])
    (piece,) = [s for s in cut(kit) if s.id == "r48510"]
    assert [(x.drum, x.velocity) for x in piece.strikes] == [("kick", 110)]
    both = kit_edits.split_in_two(KIT, cut(), ["r48510"])
    (piece,) = [s for s in cut(both) if s.id == "r48510"]
    assert [x.drum for x in piece.strikes] == ["snare", "tom"]
    assert kit_edits.as_read(both, ["r48510"]).slices == {}
    with pytest.raises(BadInput, match="no drum 'gong'"):
        kit_edits.set_drums(KIT, cut(), ["r48510"], ["gong"])


def test_a_drum_called_another_keeps_its_force_and_its_company() -> None:
    struck = (Strike("kick", "kick", 120, 0.9), Strike("other", "other", 40, 0.6))
    slices = (replace(cut()[1], id="r9", strikes=struck), replace(cut()[1], id="r8", strikes=struck[:1]))
    renamed = kit_edits.rename_drum(KIT, slices, ["r9", "r8"], "other", "hat")
    assert renamed.slices["r9"].drums == ("kick", "hat")
    assert "r8" not in renamed.slices
    kick, hat = as_set(struck, renamed.slices["r9"])
    assert kick == struck[0]
    assert (hat.drum, hat.velocity) == ("hat", 40)
    with pytest.raises(BadInput, match="No tom sounds"):
        kit_edits.rename_drum(KIT, slices, ["r9"], "tom", "hat")


def test_keys_rise_from_the_root_or_lie_on_the_drum_notes() -> None:
    assert list(keys_of(KIT, cut()).values()) == [36, 37, 38, 39, 40, 41]
    drums = keys_of(replace(KIT, layout="drums"), cut())
    assert drums["r48510"] == 38
    assert {drums["r4410"], drums["r26460"]} == {36, 42}
    moved = kit_edits.put_in_order(KIT, cut(), ["r48510"], -2)
    assert keys_of(moved, cut())["r48510"] == 36
    assert loop_key(KIT, keys_of(KIT, cut())) == 35
    # A key is given to one slice: the one that had it goes back to its place in the row.
    ids = [s.id for s in cut()]
    keyed = kit_edits.set_slices(kit_edits.set_slices(KIT, ids[2:3], {"key": 60}), ids[4:5], {"key": 60})
    assert list(keys_of(keyed, cut(keyed)).values()).count(60) == 1
    assert keys_of(keyed, cut(keyed))[ids[4]] == 60
    with pytest.raises(BadInput, match="several slices"):
        kit_edits.set_slices(KIT, ids[2:4], {"key": 60})
    high = keys_of(replace(KIT, root=125), cut())
    assert sorted(high.values()) == [125, 126, 127]


def test_the_pattern_is_the_loop_faster_repeated_and_shuffled() -> None:
    notes = pattern_of(KIT, cut(), keys_of(KIT, cut()), RATE)
    assert [n.onset_s for n in notes] == [0.1, 0.6, 1.1, 1.6, 2.1, 3.1]
    fast = at_pace(notes, 0.1, 2.0, lengths=True)
    assert fast[-1].onset_s == pytest.approx(1.6)
    assert fast[0].duration_s == pytest.approx(0.25)
    assert at_pace(notes, 0.1, 2.0, lengths=False)[0].duration_s == pytest.approx(0.5)
    assert repeated(notes, 4.0, 2)[6].onset_s == pytest.approx(4.1)
    assert shuffled(notes, 5) == shuffled(notes, 5)
    assert sorted(n.pitch for n in shuffled(notes, 5)) == sorted(n.pitch for n in notes)
    with pytest.raises(BadInput, match="too far"):
        at_pace(notes, 0.0, 9.0, lengths=True)


def test_drum_notes_carry_lane_velocity_and_a_note_map_of_ones_own() -> None:
    notes = drum_notes(replace(KIT, notes={"tom": 99}), cut(), RATE)
    assert [(n.pitch, n.velocity) for n in notes] == [
        (36, 100), (42, 60), (42, 60), (38, 110), (38, 25), (36, 90), (99, 90)
    ]  # fmt: skip


def test_drum_notes_are_as_doubtful_as_what_was_heard_until_a_hand_has_named_the_drums() -> None:
    slices = cut()
    heard = {n.id: n.origin.confidence for n in drum_notes(KIT, slices, RATE) if n.origin}
    assert heard == {f"{s.id} {x.drum}": x.confidence for s in slices for x in s.strikes}
    named = kit_edits.set_drums(KIT, slices, [slices[1].id], ("kick", "tom"))
    notes = drum_notes(named, cut(named), RATE)
    assert [n.id for n in notes if n.origin is None] == [f"{slices[1].id} {d}" for d in ("kick", "tom")]


def test_zones_overlap_a_little_and_fade() -> None:
    slices = cut()
    made = zones_of(KIT, slices, keys_of(KIT, slices), lambda s: SAMPLES, RATE)
    first = slices[1]
    assert len(made[0].sound) == first.frames + round(OVERLAP_S * RATE)
    np.testing.assert_array_equal(made[0].sound[: first.frames], SAMPLES[first.first : first.last])
    assert np.abs(made[0].sound[-1]).max() < 0.01
    assert [z.choke for z in made] == [1, 1, 0, 0, 0, 0]


def test_a_stretched_tail_keeps_its_attack_and_its_pitch() -> None:
    time = np.arange(RATE) / RATE
    tone = (0.5 * np.sin(2 * np.pi * 330 * time))[:, None].astype(np.float32)
    made = stretched_tail(tone, RATE, 1.5)
    assert len(made) == pytest.approx(1.5 * RATE, abs=2)
    np.testing.assert_array_equal(made[:2000], tone[:2000])
    # It goes from one into the other without a jump or a hole.
    assert np.abs(np.diff(made[:RATE, 0], 2)).max() < 1.1 * np.abs(np.diff(tone[:, 0], 2)).max()
    assert np.abs(made[: RATE // 2]).reshape(-1, RATE // 100).max(axis=1).min() > 0.48
    spectrum = np.abs(np.fft.rfft(made[RATE // 2 : RATE, 0] * np.hanning(RATE // 2)))
    assert spectrum.argmax() * 2 == pytest.approx(330, abs=4)


def test_zero_crossings_are_found_near_by_only() -> None:
    tone = np.sin(2 * np.pi * 100 * np.arange(2000) / RATE).astype(np.float32)
    place = zero_crossing(tone, 450, 60)
    assert tone[place - 1] < 0 <= tone[place]
    assert zero_crossing(tone, 650, 20) == 650


# The last two go on for minutes: a tempo a thousandth off is beside the grid long before they end.
@pytest.mark.parametrize(
    ("bpm", "bars", "swing"),
    [(96.0, 2, 0.5), (140.0, 4, 0.5), (82.0, 4, 0.62), (174.0, 4, 0.5), (108.01, 60, 0.5), (133.7, 150, 0.5)],
)
def test_tempo_bars_and_swing_of_a_drummers_loop(bpm: float, bars: int, swing: float) -> None:
    step = 15 / bpm
    random = np.random.default_rng(4)
    rows = []
    for bar in range(bars):
        for place in range(16):
            late = (2 * swing - 1) * step if place % 2 else 0.0
            moment = 0.004 + (bar * 16 + place) * step + late + random.normal(0, 0.003)
            if place % 8 == 0:
                rows.append((moment, 0, 100.0))
            if place % 8 == 4:
                rows.append((moment, 1, 105.0))
            if place % 2 == 0 or place in (7, 15):
                rows.append((moment, 2, 70.0))
    rows.sort()
    time_s, drum, velocity = (np.array(c) for c in zip(*rows, strict=True))
    found = propose_tempo(time_s, drum, velocity, 0.004 + bars * 16 * step + 0.5)
    assert found[0].bpm == pytest.approx(bpm, rel=0.005)
    assert (found[0].bars, found[0].numerator, found[0].denominator) == (bars, 4, 4)
    assert (found[0].swing > 0.55) == (swing > 0.55)
    assert found[0].end_off_s == pytest.approx(0.5, abs=0.03)
    assert sum(t.share for t in found) == pytest.approx(1)


def test_an_introduction_without_drums_does_not_tell_the_tempo() -> None:
    beat_s = 60 / 104.3
    begins_s = 2.0 + 32 * beat_s
    shaken = np.random.default_rng(5).uniform(2.0, begins_s, 80)
    sticks = [(moment, 5, 60.0) for moment in shaken]
    drums = [(begins_s + i * beat_s, i % 2, 100.0) for i in range(64)]
    hats = [(begins_s + i * beat_s / 2, 2, 70.0) for i in range(128)]
    rows = sorted([*sticks, *drums, *hats])
    time_s, drum, velocity = (np.array(column) for column in zip(*rows, strict=True))
    found = propose_tempo(time_s, drum, velocity, begins_s + 64 * beat_s)[0]
    assert found.bpm == pytest.approx(104.3, abs=0.01)
    # Bars are counted from the first that the introduction reaches into.
    assert (begins_s - found.start_s) / (4 * beat_s) == pytest.approx(8, abs=0.01)
    assert (found.bars, found.end_off_s) == (24, pytest.approx(0, abs=0.01))


def test_the_bars_of_a_loop_that_was_cut_to_them_fill_it() -> None:
    """Played a little behind at the end, the hits alone say another tempo: pieces would drift from a click."""
    beat_s = 60 / 112.5
    time_s = np.arange(16) * beat_s + np.linspace(0.003, 0.011, 16)
    found = propose_tempo(time_s, np.tile([0, 1], 8), np.full(16, 90.0), 16 * beat_s)[0]
    assert found.bpm == pytest.approx(112.5, abs=1e-9)
    assert found.end_off_s == pytest.approx(-0.003, abs=0.002)


def test_a_single_bar_cut_to_its_ends_is_one_bar() -> None:
    """Its halves repeat, triplets would fit its hits as well, and a hit before its end begins no bar."""
    beat_s = 60 / 97
    kicks = [0.0, 1.0, 2.0, 2.75]
    snares = [1.0, 3.0]
    hats = [0.0, 0.75, 1.0, 2.0, 2.75, 3.0, 3.97]
    rows = sorted(
        (0.001 + place * beat_s, drum, 90.0) for drum, on in enumerate((kicks, snares, hats)) for place in on
    )
    time_s, drum, velocity = (np.array(column) for column in zip(*rows, strict=True))
    found = propose_tempo(time_s, drum, velocity, 4 * beat_s)[0]
    assert (found.bars, found.numerator, found.denominator) == (1, 4, 4)
    assert found.bpm == pytest.approx(97, abs=1e-9)


def test_too_few_hits_tell_no_tempo() -> None:
    assert propose_tempo(np.array([0.1, 0.2]), np.array([0, 1]), np.array([90.0, 90.0]), 1.0) == ()


@pytest.mark.parametrize("kicks", [(0, 0.5, 1, 2.75), (0, 2.5, 3.5, 3.75), (0, 1, 1.25, 2.5)])
def test_a_loop_in_half_time_does_not_stop_in_the_middle_of_a_bar_of_seven(kicks: tuple[float, ...]) -> None:
    # Two bars of 4/4 at 75: hats on the halves of beats, the snare on three; what rings on goes beyond the bar.
    rows = [(4 * bar + half / 2, 2, 80) for bar in range(2) for half in range(8)]
    rows += [(4 * bar + place, 0, 100) for bar in range(2) for place in kicks]
    rows += [(4 * bar + 2, 1, 110) for bar in range(2)]
    beat, drum, velocity = (np.array(column) for column in zip(*sorted(rows), strict=True))
    best = propose_tempo(0.8 * beat, drum, velocity.astype(float), 6.75)[0]
    assert (round(best.bpm), best.bars, best.numerator) == (75, 2, 4)
    assert best.end_off_s == pytest.approx(0.35, abs=0.01)
