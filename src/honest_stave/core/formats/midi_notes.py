"""Notes out of a MIDI file as read: paired, with bends; stuck and overlapping ones mended and told."""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass, field

from honest_stave.core.formats.midi_read import MidiFile, TickClock, Track

DEFAULT_BEND_SEMITONES = 2.0
SUSTAIN, PEDAL_DOWN = 64, 64


@dataclass(frozen=True)
class FileNote:
    """One note of a file.

    Args:
        track, channel: where it stands, both from 0.
        onset_s, offset_s: moments by the file's tempo.
        onset_tick, offset_tick: as written.
        pitch, velocity: as written.
        program: program in force at its onset.
        bends: (moment s, cents) from its onset to its end, the value at the onset first.
    """

    track: int
    channel: int
    onset_s: float
    offset_s: float
    onset_tick: int
    offset_tick: int
    pitch: int
    velocity: int
    program: int
    bends: tuple[tuple[float, float], ...] = ()


@dataclass
class _Channel:
    program: int = 0
    bend: int = 8192
    semitones: float = DEFAULT_BEND_SEMITONES
    rpn: tuple[int, int] = (127, 127)
    curve: list[tuple[int, float]] = field(default_factory=list)
    open: dict[int, list[tuple[int, int, int]]] = field(default_factory=dict)
    sustained: bool = False
    held: set[int] = field(default_factory=set)

    def cents(self) -> float:
        return (self.bend - 8192) / 8192 * self.semitones * 100


def notes_of_file(file: MidiFile, *, pedal: bool = False) -> tuple[list[FileNote], list[str]]:
    """All notes in order of onset, and what had to be mended, in words.

    Args:
        file: as read.
        pedal: notes end where the sustain pedal lets them; else where their keys are let go.
    """
    clock = TickClock(file)
    notes: list[FileNote] = []
    stuck = overlapped = stray = 0
    for index, track in enumerate(file.tracks):
        found, counts = _notes_of_track(index, track, clock, pedal)
        notes += found
        stuck, overlapped, stray = stuck + counts[0], overlapped + counts[1], stray + counts[2]
    remarks = []
    if stuck:
        remarks.append(f"{stuck} stuck notes were ended where their track ends.")
    if overlapped:
        remarks.append(f"{overlapped} notes struck again while sounding were ended at the new stroke.")
    if stray:
        remarks.append(f"{stray} note ends without a note were left out.")
    return sorted(notes, key=lambda n: (n.onset_tick, n.pitch, n.track)), remarks


def _notes_of_track(
    index: int, track: Track, clock: TickClock, pedal: bool
) -> tuple[list[FileNote], tuple[int, int, int]]:
    channels = [_Channel() for _ in range(16)]
    notes: list[FileNote] = []
    stuck = overlapped = stray = 0

    def close(channel: int, pitch: int, tick: int) -> None:
        state = channels[channel]
        start, velocity, program = state.open[pitch].pop(0)
        state.held.discard(pitch)
        # Bends at the very tick of the onset are in force when the note begins.
        first = bisect_right(state.curve, start, key=lambda point: point[0])
        last = bisect_left(state.curve, tick, key=lambda point: point[0])
        bends = [(clock.seconds(start), state.curve[first - 1][1] if first else 0.0)]
        bends += [(clock.seconds(t), cents) for t, cents in state.curve[first:last]]
        moves = any(cents != 0.0 for _, cents in bends)
        notes.append(
            FileNote(
                track=index,
                channel=channel,
                onset_s=clock.seconds(start),
                offset_s=clock.seconds(tick),
                onset_tick=start,
                offset_tick=tick,
                pitch=pitch,
                velocity=velocity,
                program=program,
                bends=tuple(bends) if moves else (),
            )
        )

    last_tick = max([m.tick for m in track.messages] + [m.tick for m in track.metas], default=0)
    for message in track.messages:
        state = channels[message.channel]
        sounding = state.open.setdefault(message.first, []) if message.kind in (0x80, 0x90) else []
        if message.kind == 0x90 and message.second > 0:
            if sounding:
                overlapped += message.first not in state.held
                close(message.channel, message.first, message.tick)
            state.open[message.first].append((message.tick, message.second, state.program))
        elif message.kind in (0x80, 0x90):
            if sounding and pedal and state.sustained:
                state.held.add(message.first)
            elif sounding:
                close(message.channel, message.first, message.tick)
            else:
                stray += 1
        elif message.kind == 0xC0:
            state.program = message.first
        elif message.kind == 0xE0:
            state.bend = message.second << 7 | message.first
            state.curve.append((message.tick, state.cents()))
        elif message.kind == 0xB0:
            _control(state, message.first, message.second, message.tick)
            if message.first == SUSTAIN:
                state.sustained = message.second >= PEDAL_DOWN
                for pitch in [] if state.sustained else sorted(state.held):
                    close(message.channel, pitch, message.tick)
    for channel, state in enumerate(channels):
        for pitch, waiting in state.open.items():
            for _ in range(len(waiting)):
                stuck += 1
                close(channel, pitch, last_tick)
    return [n for n in notes if n.offset_tick > n.onset_tick], (stuck, overlapped, stray)


def _control(state: _Channel, number: int, value: int, tick: int) -> None:
    if number == 101:
        state.rpn = (value, state.rpn[1])
    elif number == 100:
        state.rpn = (state.rpn[0], value)
    elif number == 6 and state.rpn == (0, 0):
        state.semitones = value + state.semitones % 1
        state.curve.append((tick, state.cents()))
    elif number == 38 and state.rpn == (0, 0):
        state.semitones = int(state.semitones) + value / 100
        state.curve.append((tick, state.cents()))
