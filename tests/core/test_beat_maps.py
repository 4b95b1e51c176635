"""Beat maps: mended with pins as law, turned into tempo maps, clicks and files that are read back."""

import io
from dataclasses import replace

import mido
import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat import map_edits, map_files
from honest_stave.core.beat.beat_map import (
    Beat,
    BeatMap,
    ClickFrom,
    MeterFrom,
    check_map,
    moved_with,
    places_of,
    tempo_map_of,
    times_of,
)
from honest_stave.core.beat.beats_engine import BeatsReading
from honest_stave.core.beat.click import RATE, ticks_of
from honest_stave.core.beat.map_of import map_of_reading
from honest_stave.core.beat.map_tempo import drift_ms_of, weakest_first
from honest_stave.core.beat.reread import HeardBefore, drawn_to_beats, refine_taps, reread_between
from honest_stave.core.beat.smoothing import smooth
from honest_stave.core.beat.straight import plan_straightening, prove_straight, straightened
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from honest_stave.core.sound.struck import strokes_between
from honest_stave.service import beat_maps
from honest_stave.service.beat_maps import counted_otherwise
from honest_stave.service.beats import KeptBeats

STEP_S = 0.5


def made(count: int = 32, meters: tuple[MeterFrom, ...] = (MeterFrom(0, 4, 4),), **changes: object) -> BeatMap:
    """A steady map at 120, every beat heard where it lies."""
    beats = tuple(Beat(1.0 + STEP_S * i, 1.0 + STEP_S * i, 0.9) for i in range(count))
    return replace(BeatMap("curtain call", "take", "", beats, meters), **changes)


def bars(beat_map: BeatMap) -> list[tuple[int, int]]:
    places = places_of(beat_map)
    return list(zip(places.bar.tolist(), places.beat.tolist(), strict=True))


def test_bars_positions_and_meters_of_a_pickup_and_a_change() -> None:
    found = made(15, (MeterFrom(1, 4, 4), MeterFrom(9, 6, 8)), first_bar_number=7)
    assert bars(found)[:3] == [(6, 4), (7, 1), (7, 2)]
    assert bars(found)[9:13] == [(9, 1), (9, 2), (10, 1), (10, 2)]
    # Felt beats of 6/8 are dotted quarters.
    assert places_of(found).position[8:12].tolist() == [7.0, 8.0, 9.5, 11.0]
    assert [(m.bar, m.numerator, m.denominator) for m in tempo_map_of(found).meters] == [(0, 4, 4), (2, 6, 8)]


def test_a_moved_beat_is_a_pin_and_nothing_moves_it() -> None:
    pinned = map_edits.move(made(), 10, 6.04)
    for edit in (
        lambda m: smooth(m, 1.0),
        lambda m: map_edits.steady(m, 0, 31),
        lambda m: map_edits.pin(map_edits.release(m, [4]), [5]),
        lambda m: map_edits.number(m, 3, 9, 2),
        lambda m: map_edits.insert(m, 12.25),
    ):
        after = edit(pinned)
        assert [b for b in after.beats if b.time_s == 6.04 and b.pinned], edit
    assert tempo_map_of(pinned).seconds_at(places_of(pinned).position[10]) == 6.04
    for refused in (map_edits.remove, map_edits.half_from):
        with pytest.raises(BadInput, match=r"6\.040 s is pinned"):
            refused(pinned, [10] if refused is map_edits.remove else 9)


def test_pins_that_would_cross_and_tempos_that_cannot_be_are_refused_with_the_reason() -> None:
    pinned = map_edits.pin(made(), [11])
    with pytest.raises(BadInput, match=r"cross the pin at 6\.500 s"):
        map_edits.move(pinned, 10, 6.51)
    # A beat a hundredth of a second before its neighbour would be 6,000 beats a minute.
    with pytest.raises(BadInput, match="apart"):
        map_edits.move(pinned, 10, 6.49)
    with pytest.raises(BadInput, match="apart"):
        check_map(replace(made(2), beats=(Beat(0.0), Beat(60.0))))
    with pytest.raises(BadInput, match="make no map"):
        check_map(made(1))


def test_a_beat_is_said_to_be_another_beat_of_another_bar() -> None:
    numbered = map_edits.number(made(), 5, 9, 2)
    assert bars(numbered)[4:6] == [(9, 1), (9, 2)]
    shifted = map_edits.number(made(), 6, 7, 1)
    assert bars(shifted)[2] == (6, 1)
    assert bars(shifted)[6] == (7, 1)
    assert shifted.meters[0].beat == 2
    with pytest.raises(BadInput, match="has 4 beats"):
        map_edits.number(made(), 5, 9, 6)


def test_meters_from_here_and_typed_in_one_go_and_a_bar_cut_short() -> None:
    cut = map_edits.meter_from(made(), 6, 3, 4)
    assert bars(cut)[4:10] == [(2, 1), (2, 2), (3, 1), (3, 2), (3, 3), (4, 1)]
    assert [(m.bar, m.numerator) for m in tempo_map_of(cut).meters] == [(0, 4), (1, 2), (2, 3)]
    typed = map_edits.meters_by_bar(made(), [(1, 4, 4), (3, 3, 4), (5, 4, 4)])
    assert [m.beat for m in typed.meters] == [0, 8, 14]
    with pytest.raises(BadInput, match="do not rise"):
        map_edits.meters_by_bar(made(), [(3, 4, 4), (2, 3, 4)])


def test_beats_put_in_and_taken_out_leave_later_meters_and_holds_in_the_music() -> None:
    start = map_edits.hold(made(32, (MeterFrom(0, 4, 4), MeterFrom(16, 3, 4))), 20, 3)
    longer = map_edits.insert(start, 3.25)
    assert longer.meters[1].beat == 17
    assert longer.holds[0].beat == 21
    assert map_edits.remove(map_edits.release(longer, [5]), [5]).meters == start.meters
    doubled = map_edits.double_from(start, 0)
    assert times_of(doubled)[:4].tolist() == [1.0, 1.25, 1.5, 1.75]
    assert doubled.beats[doubled.meters[1].beat].time_s == start.beats[16].time_s
    assert times_of(map_edits.half_from(doubled, 0))[:5].tolist() == times_of(start)[:5].tolist()


def test_smoothing_takes_jitter_and_leaves_a_slowing_tempo_and_a_hold() -> None:
    random = np.random.default_rng(4)
    truth = 1 + np.concatenate([[0.0], np.cumsum(0.5 * 1.01 ** np.arange(63))])
    truth[40:] += 2.0
    read_s = truth + random.normal(0, 0.008, 64)
    rough = replace(made(64), beats=tuple(Beat(float(t), float(t), 0.9) for t in read_s))
    held = map_edits.hold(rough, 39, 1)
    smoothed = times_of(smooth(held, 0.3))
    # Jitter of 8 ms comes down to a third; the ends of a row are held by one side only.
    assert np.std((smoothed - truth)[3:-3]) < 0.0035
    assert smoothed[40] - smoothed[39] == pytest.approx(truth[40] - truth[39], abs=0.02)
    assert times_of(smooth(held, 0.0)).tolist() == read_s.tolist()


def test_what_was_made_steady_stays_until_it_is_released() -> None:
    read_s = 1.0 + 0.5 * np.arange(64) + np.random.default_rng(3).normal(0, 0.02, 64)
    rough = smooth(replace(made(64), beats=tuple(Beat(float(t), float(t), 0.9) for t in read_s)), 0.2)
    even = map_edits.steady(rough, 10, 20)
    elsewhere = map_edits.release(map_edits.move(even, 40, 21.1), [40])
    assert times_of(elsewhere).tolist() == pytest.approx(times_of(even).tolist(), abs=0.001)
    for edited in (elsewhere, smooth(even, 0.6)):
        assert np.ptp(np.diff(times_of(edited)[11:20])) < 1e-9
    assert times_of(smooth(map_edits.release(even, list(range(11, 20))), 0.0))[10:21].tolist() == pytest.approx(
        [*times_of(even)[10:11], *read_s[11:20], *times_of(even)[20:21]], abs=0.03
    )


def test_beats_read_on_the_wrong_side_of_a_pin_stay_where_they_lie() -> None:
    start = map_edits.pin(made(32), [4, 8])
    astray = {i: replace(start.beats[i], heard_s=start.beats[i].time_s + 1.2) for i in (5, 6, 7)}
    loose = replace(start, beats=tuple(astray.get(i, b) for i, b in enumerate(start.beats)))
    for amount in (0.0, 0.5, 1.0):
        assert times_of(smooth(loose, amount))[4:9] == pytest.approx(times_of(start)[4:9], abs=0.01)
    held = map_edits.pin(loose, [5])
    assert times_of(map_edits.release(held, [5]))[5] == held.beats[5].time_s


@pytest.mark.parametrize(
    ("rubato_s", "jitter_s", "amount"),
    [
        # A band that plays steadily, found to a few ms: smoothing can only help.
        (0.0, 0.003, 0.2),
        # A tempo that breathes by a tenth over eight beats: smoothed, every second beat would leave its attack.
        (0.05, 0.003, 0.0),
    ],
)
def test_a_map_stays_on_the_attacks_of_what_was_read(rubato_s: float, jitter_s: float, amount: float) -> None:
    steps = np.arange(64)
    played = 1 + 0.5 * steps + rubato_s * np.sin(2 * np.pi * steps / 8)
    read_s = played + np.random.default_rng(6).normal(0, jitter_s, 64)
    reading = BeatsReading(
        time_s=read_s,
        bar=1 + steps // 4,
        beat=1 + steps % 4,
        confidence=np.full(64, 0.9),
        heard=steps != 40,
        downbeat_confidence=np.full(64, 0.9),
        meters=(Meter(1, 4, 4),),
        odds=np.zeros(0, np.float32),
        begun=np.zeros(0, np.float32),
    )
    found = map_of_reading(reading, "curtain call", "take", "reading")
    assert found.smoothing == amount
    assert np.quantile(np.abs(times_of(found) - played), 0.9) < 0.006
    assert [b.heard_s for b in found.beats] == [None if i == 40 else t for i, t in enumerate(read_s.tolist())]


def test_weak_beats_come_worst_first_and_drift_is_attack_less_map() -> None:
    beats = tuple(Beat(1.0 + i, 1.02 + i, c, i == 3) for i, c in enumerate((0.95, 0.3, 0.6, 0.1)))
    found = BeatMap("a", "b", "", beats)
    assert weakest_first(found) == [(1, None), (2, None)]
    assert drift_ms_of(found) == pytest.approx([20.0] * 4)


def heard_at(moments: np.ndarray, seconds: float) -> HeardBefore:
    time = FIRST_CELL_S + np.arange(int(seconds / CELL_S)) * CELL_S
    near = np.max(np.maximum(1 - np.abs(time - moments[:, None]) / (1.5 * CELL_S), 0), axis=0)
    near = near.astype(np.float32)
    return HeardBefore(8 * near - 5, near, 0.0)


def test_taps_are_drawn_to_what_is_heard_with_their_lateness_taken_off() -> None:
    truth = np.array([2.0, 2.6, 3.25, 3.8, 4.5])
    taps = truth + 0.14 + np.array([0.01, -0.02, 0.015, 0.0, -0.01])
    found, late_s = refine_taps(heard_at(truth, 6), taps)
    assert [b.time_s for b in found] == pytest.approx(truth.tolist(), abs=0.012)
    assert late_s == pytest.approx(0.14, abs=0.02)
    with pytest.raises(BadInput, match="2 taps cannot tell"):
        refine_taps(heard_at(truth, 6), taps[:2])


def test_a_stretch_is_read_anew_with_as_many_beats_as_its_pins_imply() -> None:
    truth = 1.0 + np.cumsum([0.0, 0.5, 0.55, 0.6, 0.52, 0.5, 0.48])
    found = reread_between(heard_at(truth, 6), float(truth[0]), float(truth[-1]), 6)
    assert [b.time_s for b in found] == pytest.approx(truth[1:-1].tolist(), abs=0.012)


def test_beats_put_between_others_lie_where_they_are_heard_or_halfway() -> None:
    played = 1.0 + np.cumsum([0.0, 0.5, 0.56, 0.5, 0.53, 0.5, 0.47, 0.5, 0.55, 0.5])
    beats = tuple(Beat(t, t, 0.9) for t in played[::2].tolist())
    half = BeatMap("a", "take", "reading", beats, (MeterFrom(0, 4, 4),))
    # On the last but one nothing is heard; the one before it lies as far off as a swung eighth.
    heard = heard_at(np.concatenate([played[:5], [played[5] + 0.12]]), 8)
    found = drawn_to_beats(map_edits.double_from(half, 0), half, heard)
    middle = (played[4:-3:2] + played[6:-1:2]) / 2
    assert times_of(found)[:4] == pytest.approx(played[:4], abs=0.012)
    assert times_of(found)[[5, 7]] == pytest.approx(middle)
    assert [b.heard_s is not None for b in found.beats] == [True] * 5 + [False, True, False, True]


@given(
    gaps=st.lists(st.floats(0.15, 4.0), min_size=20, max_size=60),
    pins=st.sets(st.integers(0, 19)),
    numerator=st.integers(2, 7),
)
def test_tempo_maps_go_both_ways_and_files_through_every_pin(
    gaps: list[float], pins: set[int], numerator: int
) -> None:
    times = 0.3 + np.cumsum(gaps)
    beats = tuple(Beat(float(t), None, 0.5, i in pins) for i, t in enumerate(times))
    found = check_map(BeatMap("a", "b", "", beats, (MeterFrom(0, numerator, 4),)))
    tempo_map = tempo_map_of(found)
    probe = np.linspace(0, times[-1] + 5, 50)
    assert np.abs(tempo_map.seconds_at(tempo_map.beats_at(probe)) - probe).max() < 1e-6
    proof = map_files.prove_map(found, map_files.map_as_midi(found, 0.0, with_click=False), 0.0, None)
    # Half a tick of the slowest beat: in the lead-in bar of a file beats need not lie on ticks.
    assert proof.worst_beat_ms <= 500 * max(gaps) / 960 + 0.05


def test_an_hour_of_pins_keeps_its_moments_in_the_file() -> None:
    random = np.random.default_rng(8)
    times = 0.7 + np.cumsum(random.uniform(0.4, 0.5, 8000))
    found = BeatMap("hour", "b", "", tuple(Beat(float(t), None, 1.0, True) for t in times))
    midi = map_files.map_as_midi(found, 0.0, with_click=False)
    proof = map_files.prove_map(found, midi, 0.0, None)
    assert proof.pins == 8000
    assert proof.worst_pin_ms < 1.0
    # An independent library hears the beats there too.
    file = mido.MidiFile(file=io.BytesIO(midi))
    assert [len([m for m in t if m.type == "note_on"]) for t in file.tracks] == [0]
    assert file.length == pytest.approx(times[-1], abs=0.001)


def test_a_click_is_found_again_where_the_map_has_it_and_differs_by_passage() -> None:
    start = map_edits.click_from(made(16), ClickFrom(8, 2, False, "bell", -6.0))
    start = map_edits.hold(start, 11, 2)
    kinds = [t.kind for t in ticks_of(start)]
    assert kinds[:8] == ["accent", "beat", "beat", "beat"] * 2
    assert kinds[8:10] == ["beat", "between"]
    # Six decibels down is half the amplitude; instruments sound with the square of the velocity.
    notes = map_files.click_notes(ticks_of(start))
    assert (notes[8].velocity / notes[5].velocity) ** 2 == pytest.approx(0.5, abs=0.02)
    # It rests in the hold: no click between beats 12 and 13.
    assert not [t for t in ticks_of(start) if 6.5 < t.time_s < 7.0]
    sound = soundfile.read(io.BytesIO(map_files.click_as_wav(start, 10.0)), dtype="float32")[0]
    assert len(sound) == 10 * RATE
    proof = map_files.prove_map(start, map_files.map_as_midi(start, 0.0, with_click=True), 0.0, sound)
    assert proof.clicks[0] == proof.clicks[1] == len(ticks_of(start))
    assert proof.worst_click_ms < 0.1
    shifted = map_files.prove_map(start, map_files.map_as_midi(start, 0.0, with_click=True), 0.0, np.roll(sound, 300))
    assert not shifted.same


def test_the_recording_begins_on_a_bar_or_is_made_steady() -> None:
    rate = 8000
    samples = np.random.default_rng(2).normal(0, 0.1, (20 * rate, 1)).astype(np.float32)
    late = made(16, (MeterFrom(1, 4, 4),))
    blocks, first = map_files.from_a_bar(samples, rate, late)
    cut = np.concatenate(list(blocks))
    # The bar before the pickup begins half a second before the recording: silence stands there.
    assert first == -rate // 2
    assert len(cut) == len(samples) + rate // 2
    assert not cut[: rate // 2].any()
    uneven = replace(made(9), beats=tuple(Beat(float(t)) for t in 1 + np.cumsum([0.0, *([0.4, 0.6] * 4)])))
    plan = plan_straightening(samples, rate, uneven, 100.0)
    assert plan.frames(rate) == pytest.approx(8 * 0.6 * rate, abs=2)
    assert np.concatenate(list(straightened(samples, rate, plan))).shape == (plan.frames(rate), 1)


def test_strokes_of_a_straightened_recording_are_found_again_and_missed_where_they_are_not() -> None:
    uneven = replace(made(9), beats=tuple(Beat(float(t)) for t in 1 + np.cumsum([0.0, *([0.42, 0.6] * 4)])))
    from_s = np.array([b.time_s for b in uneven.beats])
    off_beat_s = (from_s[1:] + from_s[:-1]) / 2
    sound = np.zeros((8 * RATE, 1), np.float32)
    for time_s in [*from_s, *off_beat_s]:
        stroke = np.random.default_rng(1).normal(0, 0.3, 4000) * np.exp(-np.arange(4000) / 900)
        sound[round(time_s * RATE) :][:4000, 0] += stroke.astype(np.float32)
    plan = plan_straightening(sound, RATE, uneven, 120.0)
    written = np.concatenate(list(straightened(sound, RATE, plan)))
    written_s = strokes_between(written, RATE, 0.0, len(written) / RATE)
    proof = prove_straight(plan, written_s)
    # The strokes on the first beat and on the last are at the edge.
    assert (proof.found, proof.strokes) == (15, 15)
    assert proof.nine_in_ten_ms < 1.0
    assert prove_straight(plan, np.delete(written_s, 5)).found == 14
    assert prove_straight(plan, written_s + 0.01).middle_ms == pytest.approx(10, abs=1)


@given(st.floats(-2, 20))
def test_what_follows_a_map_moves_only_between_its_neighbouring_pins(time_s: float) -> None:
    old_s = np.arange(1.0, 11.0)
    new_s = old_s.copy()
    new_s[4] += 0.3
    moved = moved_with(old_s, new_s, time_s)
    if 4.0 < time_s < 6.0:
        assert moved > time_s
    else:
        assert moved == pytest.approx(time_s)


def test_beats_lie_half_a_beat_later_up_to_the_next_meter_and_pins_refuse_it() -> None:
    start = made(24, (MeterFrom(0, 4, 4), MeterFrom(16, 3, 4)))
    times = times_of(start)
    later = times_of(map_edits.off_beat_from(start, 8))
    assert later[[*range(8), *range(16, 24)]].tolist() == times[[*range(8), *range(16, 24)]].tolist()
    assert np.allclose(later[8:16], (times[8:16] + times[9:17]) / 2)
    whole = counted_otherwise(start, "beats half a beat later")
    assert np.allclose(times_of(whole), times + STEP_S / 2)
    with pytest.raises(BadInput):
        map_edits.off_beat_from(map_edits.pin(start, [10]), 8)


def test_a_click_is_told_with_how_many_of_its_beats_were_not_heard(monkeypatch: pytest.MonkeyPatch) -> None:
    nothing = np.zeros(1, np.float32)
    kept = KeptBeats(HeardBefore(nothing, nothing, 0.0), (), (), clicks=((120.0, 1.0, 8.5),))
    monkeypatch.setattr(beat_maps.beats, "kept_of", lambda *_: kept)
    heard = made(24, reading="reading")
    beats = tuple(replace(b, heard_s=None) if i in (4, 5, 20) else b for i, b in enumerate(heard.beats))
    for found, through in (
        (heard, ""),
        (replace(heard, beats=beats), " Counted through without being heard: 2 beats."),
    ):
        (said,) = beat_maps.said_of_clicks(None, "folio", found, places_of(found).bar.tolist())
        assert said == f"Made to a click, it seems: 120.00 bpm from bar 1 to 4.{through}"
