"""What the writer writes, our reader and an independent library both find."""

import io
from dataclasses import replace

import mido
import numpy as np
import pretty_midi
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import TickClock, read_midi, tempo_events
from honest_stave.core.formats.midi_write import TICKS_A_QUARTER, MidiSettings, WrittenPart, file_grid, write_midi
from honest_stave.core.part.events import Sounding, without_overlaps
from honest_stave.core.part.handing_on import HandOnSettings, Line, plan, write_and_prove
from tests.core.test_tempo_map import maps


@st.composite
def events(draw: st.DrawFn) -> tuple[Sounding, ...]:
    """Up to forty notes, some overlapping, some bent."""
    found = []
    for _ in range(draw(st.integers(1, 40))):
        onset = draw(st.floats(0, 120))
        length = draw(st.floats(0.02, 4))
        bends: tuple[tuple[float, float], ...] = ()
        if draw(st.booleans()):
            cents = draw(st.lists(st.floats(-180, 180), min_size=1, max_size=5))
            bends = tuple((onset + length * 0.9 * i / len(cents), round(c, 1)) for i, c in enumerate(cents))
        found.append(
            Sounding("a", onset, onset + length, draw(st.integers(0, 127)), draw(st.integers(1, 127)), bends)
        )
    return tuple(without_overlaps(sorted(found, key=lambda n: (n.onset_s, n.pitch))))


@settings(max_examples=25)
@given(events(), maps(), st.sampled_from([0, 1]), st.sampled_from(["one", "each"]), st.sampled_from([0, 2, 12]))
def test_the_proof_holds_for_any_music(
    notes: tuple[Sounding, ...], tempo_map: TempoMap, kind: int, channels: str, bend: int
) -> None:
    wanted = HandOnSettings(type=kind, channels=channels, bend_semitones=bend)
    planned = plan([Line("a", "line", 71, notes)], tempo_map, wanted)
    _, proof = write_and_prove(planned, "line")
    assert proof.same, proof.differences[:3]
    assert proof.notes == len(notes)


@settings(max_examples=25)
@given(events(), events(), st.sampled_from([0, 1]), st.sampled_from(["one", "each"]))
def test_parts_that_one_track_cannot_hold_together_are_told_beforehand(
    first: tuple[Sounding, ...], second: tuple[Sounding, ...], kind: int, channels: str
) -> None:
    lines = [Line("a", "line", 71, first), Line("b", "other", 71, tuple(replace(n, part="b") for n in second))]
    tempo_map = TempoMap((Knot(0, 0.0),), lone_bpm=100.0)
    planned = plan(lines, tempo_map, HandOnSettings(type=kind, channels=channels, bend_semitones=0))
    told = any("key and channel" in text for text in planned.left_out)
    _, proof = write_and_prove(planned, "two")
    assert proof.same or told, proof.differences[:3]
    assert not (told and (kind, channels) != (0, "one"))


@given(events(), st.floats(30, 300))
def test_an_independent_library_reads_the_same(notes: tuple[Sounding, ...], bpm: float) -> None:
    tempo_map = TempoMap((Knot(0, 0.37),), lone_bpm=bpm)
    data = write_midi([WrittenPart("line", 71, notes)], tempo_map, MidiSettings(bend_semitones=0))
    read = pretty_midi.PrettyMIDI(io.BytesIO(data))
    found = sorted((n.pitch, n.start, n.end, n.velocity) for i in read.instruments for n in i.notes)
    wanted = sorted((n.pitch, n.onset_s, n.offset_s, n.velocity) for n in notes)
    assert len(found) == len(wanted)
    tick_s = 60 / bpm / TICKS_A_QUARTER
    for a, b in zip(found, wanted, strict=True):
        assert (a[0], a[3]) == (b[0], b[3])
        assert a[1:3] == pytest.approx(b[1:3], abs=max(1.1 * tick_s, 0.003))


# Begins a third of a tick after a bar line, slowly.
BESIDE_A_BAR = TempoMap((Knot(0.0004, 0.0), Knot(1.0004, 3.0), Knot(2.0004, 5.4)), (Meter(0, 1, 2),), 0, 20.0)


@given(maps())
@example(BESIDE_A_BAR)
def test_written_tempo_keeps_every_knot_within_half_a_tick(tempo_map: TempoMap) -> None:
    start_s = max(0.0, tempo_map.knots[0].time_s)
    last = tempo_map.knots[-1]
    end_s = max(last.time_s, start_s) + 5
    note = Sounding("a", end_s - 0.1, end_s, 60, 90)
    data = write_midi([WrittenPart("a", None, (note,))], tempo_map, MidiSettings(start_s=start_s, end_s=end_s))
    clock = TickClock(read_midi(data))
    grid = file_grid(tempo_map, start_s)
    for knot in tempo_map.knots:
        if (
            not grid.tempo_map.knots[0].beat + 0.01 < knot.beat < float(tempo_map.beats_at(end_s))
            or knot not in grid.tempo_map.knots
        ):
            continue
        tick = (knot.beat - grid.start_beat) * TICKS_A_QUARTER
        half_tick_s = 30 / min(tempo_map.bpm_at(knot.beat - 0.01), tempo_map.bpm_at(knot.beat)) / TICKS_A_QUARTER
        low, high = clock.seconds(int(tick)), clock.seconds(int(tick) + 1)
        found = low + (high - low) * (tick - int(tick))
        assert found + start_s == pytest.approx(knot.time_s, abs=half_tick_s + 1e-6)


@pytest.mark.parametrize("bpm", [147.0, 93.7, 61.803, 299.99])
def test_no_drift_over_an_hour(bpm: float) -> None:
    tempo_map = TempoMap(lone_bpm=bpm)
    moments = np.arange(1, 61) * 60.0
    notes = tuple(Sounding("a", float(t), float(t) + 0.1, 60, 90) for t in moments)
    data = write_midi([WrittenPart("a", None, notes)], tempo_map, MidiSettings())
    found, _ = notes_of_file(read_midi(data))
    half_tick_s = 30 / bpm / TICKS_A_QUARTER
    assert max(abs(n.onset_s - t) for n, t in zip(found, moments, strict=True)) <= half_tick_s + 4e-5
    assert mido.MidiFile(file=io.BytesIO(data)).length == pytest.approx(3600.1, abs=0.001)


def test_the_file_carries_what_it_should() -> None:
    tempo_map = TempoMap(lone_bpm=147)
    bent = Sounding("a", 1.0, 2.0, 60, 90, ((1.0, 0.0), (1.5, 50.0)))
    over = Sounding("a", 1.5, 2.5, 64, 80, ((1.5, -20.0),))
    drums = Sounding("d", 1.0, 1.1, 36, 100)
    parts = [WrittenPart("Goat, hummed", 71, (bent, over)), WrittenPart("Tins", None, (drums,), percussion=True)]
    file = mido.MidiFile(file=io.BytesIO(write_midi(parts, tempo_map, MidiSettings())))
    assert (file.type, file.ticks_per_beat) == (1, 960)
    assert [t.name for t in file.tracks] == ["", "Goat, hummed", "Tins"]
    assert all(abs(m.tempo - 60e6 / 147) <= 1 for m in file.tracks[0] if m.type == "set_tempo")
    assert {m.channel for m in file.tracks[2] if m.type == "note_on"} == {9}
    # Overlapping bent notes get a channel each, each told its range before any bend.
    melody = [m for m in file.tracks[1] if not m.is_meta]
    assert {m.channel for m in melody if m.type == "note_on"} == {0, 1}
    for channel in (0, 1):
        own = [m for m in melody if m.channel == channel]
        kinds = [m.type for m in own]
        assert kinds.index("control_change") < kinds.index("pitchwheel") < kinds.index("note_on")
        assert [(m.control, m.value) for m in own if m.type == "control_change"][:3] == [(101, 0), (100, 0), (6, 2)]
        assert kinds.count("program_change") == 1


def test_bar_lines_and_notes_both_stay_when_the_file_begins_with_the_recording() -> None:
    tempo_map = TempoMap((Knot(0, 1.37),), lone_bpm=100, first_bar_number=5)
    downbeat = Sounding("a", 1.37, 1.8, 60, 90)
    data = write_midi([WrittenPart("a", None, (downbeat,))], tempo_map, MidiSettings())
    notes, _ = notes_of_file(read_midi(data))
    assert notes[0].onset_s == pytest.approx(1.37, abs=0.001)
    assert notes[0].onset_tick % (4 * TICKS_A_QUARTER) == 0
    assert len(tempo_events(read_midi(data))) >= 2


@pytest.mark.parametrize("settings", [MidiSettings(type=2), MidiSettings(bend_semitones=99)])
def test_settings_out_of_range_are_refused(settings: MidiSettings) -> None:
    with pytest.raises(BadInput, match="written"):
        write_midi([], TempoMap(), settings)
