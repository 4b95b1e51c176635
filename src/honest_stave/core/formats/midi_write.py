"""Writes Standard MIDI Files, by way of a MIDI library.

Tempo events hold every knot within half a tick of its moment, without drift: a steady
tempo that is no whole number of microseconds is written as two that alternate.
"""

import io
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import mido
import numpy as np

from honest_stave.core.beat.tempo_map import FASTEST_BPM, SAME_BEATS, SLOWEST_BPM, Knot, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.part.events import Sounding

TICKS_A_QUARTER = 960
HALF_TICK = 0.5 / TICKS_A_QUARTER
# Within a stretch of this many quarters two neighbouring tempos alternate once: the file is
# then never further than 32 microseconds from the map.
ALTERNATING_QUARTERS = 128
LEAST_BEND_SEMITONES, MOST_BEND_SEMITONES = 1, 24
PERCUSSION_CHANNEL = 9
SUSTAIN = 64


@dataclass(frozen=True)
class WrittenPart:
    """One part of the file: name, program (0 to 127, None for none), events, drums or not, spans of the pedal (s)."""

    name: str
    program: int | None
    notes: tuple[Sounding, ...]
    percussion: bool = False
    pedal: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class MidiSettings:
    """How a file is written.

    Args:
        type: 0 (one track) or 1 (one track a part).
        start_s: moment of the recording that becomes the file's beginning.
        end_s: moment at which it ends, None for the last event.
        bend_semitones: range of pitch bend, 0 for none.
        channels: ``one`` for all parts together, ``each`` for one a part.
        title: name of the sequence.
    """

    type: int = 1
    start_s: float = 0.0
    end_s: float | None = None
    bend_semitones: int = 2
    channels: str = "each"
    title: str = ""


@dataclass
class _Events:
    rows: list[tuple[int, int, Any]] = field(default_factory=list)

    def add(self, tick: int, order: int, message: Any) -> None:
        self.rows.append((max(tick, 0), order, message))

    def track(self, name: str, end_tick: int) -> Any:
        track = mido.MidiTrack()
        if name:
            track.append(mido.MetaMessage("track_name", name=name, time=0))
        last = 0
        for tick, _, message in sorted(self.rows, key=lambda row: row[:2]):
            track.append(message.copy(time=tick - last))
            last = tick
        track.append(mido.MetaMessage("end_of_track", time=max(0, end_tick - last)))
        return track


@dataclass(frozen=True)
class FileGrid:
    """Where the file's ticks lie: the map that the file carries, and its first position."""

    tempo_map: TempoMap
    start_beat: float

    def tick(self, moment_s: float) -> int:
        """Nearest tick of a moment in the recording."""
        beat = float(self.tempo_map.beats_at(moment_s)) - self.start_beat
        return round(beat * TICKS_A_QUARTER)


def file_grid(tempo_map: TempoMap, start_s: float) -> FileGrid:
    """The grid of a file that begins at ``start_s``.

    Where that is no bar line, the stretch up to the next one (or the one after, if the next is
    less than half a bar away) is made one bar by a tempo of its own: bar lines stay on the
    recording's, and so do the notes.
    """
    start_beat = float(tempo_map.beats_at(start_s))
    bar = tempo_map.bar_index(start_beat)
    if start_beat - tempo_map.bar_start(bar) <= HALF_TICK:
        # The bar line is in the file's first tick; begun on it to the bit, everything would lie so much later.
        return FileGrid(tempo_map, start_beat)
    next_line = tempo_map.bar_start(bar + 1)
    is_near = next_line - start_beat < (next_line - tempo_map.bar_start(bar)) / 2
    line_bar = bar + 2 if is_near else bar + 1
    line, lead_beat = tempo_map.bar_start(line_bar), tempo_map.bar_start(line_bar - 1)
    line_s = float(tempo_map.seconds_at(line))
    later = [k for k in tempo_map.knots if k.beat > line + SAME_BEATS]
    ahead = later or [Knot(line + 1.0, float(tempo_map.seconds_at(line + 1.0)))]
    lead_bpm = 60.0 * (line - lead_beat) / (line_s - start_s)
    if not SLOWEST_BPM <= lead_bpm <= FASTEST_BPM:
        return FileGrid(tempo_map, start_beat)
    return FileGrid(replace(tempo_map, knots=(Knot(lead_beat, start_s), Knot(line, line_s, True), *ahead)), lead_beat)


def write_midi(parts: Sequence[WrittenPart], tempo_map: TempoMap, settings: MidiSettings) -> bytes:
    """The bytes of a Standard MIDI File.

    Args:
        parts: what is written; each part's events in the recording's seconds.
        tempo_map: the recording's time.
        settings: type, beginning, bend range, channels.

    Raises:
        BadInput: a setting out of range.
    """
    if settings.type not in (0, 1):
        raise BadInput(f"File type {settings.type} is not written.", "Choose type 0 or 1.")
    if settings.bend_semitones and not LEAST_BEND_SEMITONES <= settings.bend_semitones <= MOST_BEND_SEMITONES:
        raise BadInput(
            f"A bend range of {settings.bend_semitones} semitones cannot be written.",
            f"Choose {LEAST_BEND_SEMITONES} to {MOST_BEND_SEMITONES}, or no bend.",
        )
    grid = file_grid(tempo_map, settings.start_s)
    last_s = max((n.offset_s for p in parts for n in p.notes), default=settings.start_s)
    end_tick = grid.tick(settings.end_s if settings.end_s is not None else last_s)
    conductor = _Events()
    _write_time(conductor, grid, end_tick)
    file = mido.MidiFile(type=settings.type, ticks_per_beat=TICKS_A_QUARTER, charset="utf-8")
    tracks = []
    for part, channels in zip(parts, share_channels(parts, settings), strict=True):
        events = conductor if settings.type == 0 else _Events()
        _write_part(events, part, channels, grid, settings.bend_semitones)
        tracks.append((part.name, events))
    if settings.type == 0:
        name = settings.title or (parts[0].name if parts else "")
        file.tracks.append(conductor.track(name, end_tick))
    else:
        file.tracks.append(conductor.track(settings.title, end_tick))
        file.tracks += [events.track(name, end_tick) for name, events in tracks]
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def share_channels(parts: Sequence[WrittenPart], settings: MidiSettings) -> list[list[int]]:
    """Channels that each part may use: more than one where its notes overlap and bend."""
    free = [c for c in range(16) if c != PERCUSSION_CHANNEL]
    if settings.channels == "one":
        return [[PERCUSSION_CHANNEL] if p.percussion else [0] for p in parts]
    wanted = [1 if p.percussion else channels_needed(p.notes) for p in parts]
    shared: list[list[int]] = []
    for i, part in enumerate(parts):
        if part.percussion:
            shared.append([PERCUSSION_CHANNEL])
            continue
        still = sum(not p.percussion for p in parts[i + 1 :])
        count = max(1, min(wanted[i], len(free) - still)) if settings.bend_semitones else 1
        shared.append(free[:count] if free else [0])
        free = free[count:] if len(free) > count else free
    return shared


def channels_needed(notes: Sequence[Sounding]) -> int:
    """How many channels a part needs so that no bent note shares one with a sounding note."""
    if not any(n.bends for n in notes):
        return 1
    ends: list[float] = []
    most = 1
    for note in sorted(notes, key=lambda n: n.onset_s):
        ends = [e for e in ends if e > note.onset_s + 1e-9]
        ends.append(note.offset_s)
        most = max(most, len(ends))
    return most


def _write_time(events: _Events, grid: FileGrid, end_tick: int) -> None:
    """Tempo and meter events from the file's beginning to its end."""
    tempo_map, start = grid.tempo_map, grid.start_beat
    end_beat = start + end_tick / TICKS_A_QUARTER
    # An empty file still says its tempo.
    last = max(end_beat, start + 1 / TICKS_A_QUARTER)
    edges = [start, *[k.beat for k in tempo_map.knots if start < k.beat < end_beat], last]
    tick, written_us = 0, 0.0
    for edge in edges[1:]:
        goal_tick = round((edge - start) * TICKS_A_QUARTER)
        while tick < goal_tick:
            next_tick = min(goal_tick, tick + ALTERNATING_QUARTERS * TICKS_A_QUARTER)
            beat = start + next_tick / TICKS_A_QUARTER
            goal_us = 1e6 * float(tempo_map.seconds_at(beat) - tempo_map.seconds_at(start))
            written_us = _write_stretch(events, tick, next_tick, written_us, goal_us)
            tick = next_tick
    for meter in tempo_map.meters:
        at = round((max(tempo_map.bar_start(meter.bar), start) - start) * TICKS_A_QUARTER)
        is_over = any(m.bar > meter.bar and tempo_map.bar_start(m.bar) <= start for m in tempo_map.meters)
        if at <= end_tick and not is_over:
            signature = mido.MetaMessage("time_signature", numerator=meter.numerator, denominator=meter.denominator)
            events.add(at, 0, signature)


def _write_stretch(events: _Events, tick: int, next_tick: int, written_us: float, goal_us: float) -> float:
    """One or two tempo events that end the stretch at ``goal_us``; returns where it ends."""
    ticks = next_tick - tick
    exact = (goal_us - written_us) * TICKS_A_QUARTER / ticks
    low = int(np.clip(np.floor(exact), 1, 0xFFFFFF))
    slower = int(np.clip(round((exact - low) * ticks), 0, ticks))
    if slower < ticks:
        events.add(tick, 1, mido.MetaMessage("set_tempo", tempo=low))
    if slower > 0:
        events.add(next_tick - slower, 1, mido.MetaMessage("set_tempo", tempo=min(low + 1, 0xFFFFFF)))
    return written_us + (ticks * low + slower) / TICKS_A_QUARTER


def _write_part(events: _Events, part: WrittenPart, channels: list[int], grid: FileGrid, semitones: int) -> None:
    has_bends = semitones > 0 and any(n.bends for n in part.notes)
    for channel in channels:
        if part.program is not None:
            events.add(0, 2, mido.Message("program_change", channel=channel, program=part.program))
        if has_bends:
            for control, value in ((101, 0), (100, 0), (6, semitones), (38, 0), (101, 127), (100, 127)):
                events.add(0, 3, mido.Message("control_change", channel=channel, control=control, value=value))
        for down_s, up_s in part.pedal:
            # Down after the keys let go at that moment, which it must not catch.
            for moment_s, order, value in ((down_s, 5, 127), (up_s, 4, 0)):
                pedal = mido.Message("control_change", channel=channel, control=SUSTAIN, value=value)
                events.add(grid.tick(moment_s), order, pedal)
    until = dict.fromkeys(channels, -1.0)
    for note in sorted(part.notes, key=lambda n: (n.onset_s, n.pitch)):
        channel = min(channels, key=lambda c: (until[c] > note.onset_s + 1e-9, until[c]))
        until[channel] = max(until[channel], note.offset_s)
        start = grid.tick(note.onset_s)
        let_go_s = note.offset_s if note.key_off_s is None else note.key_off_s
        stop = max(grid.tick(let_go_s), start + 1)
        if has_bends:
            for moment_s, cents in note.bends or ((note.onset_s, 0.0),):
                value = round(np.clip(cents / (100 * semitones), -1, 1) * 8191)
                message = mido.Message("pitchwheel", channel=channel, pitch=int(value))
                events.add(max(grid.tick(moment_s), start), 5, message)
        common = {"channel": channel, "note": note.pitch}
        events.add(start, 6, mido.Message("note_on", velocity=note.velocity, **common))
        events.add(stop, 4, mido.Message("note_off", velocity=64, **common))
