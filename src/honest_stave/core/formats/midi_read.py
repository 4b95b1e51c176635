"""A strict reader of Standard MIDI Files, sharing no code with the writer.

Bytes to values only: tracks of timed messages, the tempo events, what was wrong with the
file. Notes are paired in ``midi_notes.py``.
"""

import struct
from dataclasses import dataclass

from honest_stave.core.errors import BadInput, TooLarge

MOST_TRACKS = 2048
MOST_MESSAGES = 4_000_000
DEFAULT_TEMPO_US = 500_000


@dataclass(frozen=True)
class Message:
    """A channel message: tick from the start, status kind (0x80 to 0xE0), channel, two data bytes."""

    tick: int
    kind: int
    channel: int
    first: int
    second: int


@dataclass(frozen=True)
class Meta:
    """A meta event: tick, type and bytes."""

    tick: int
    type: int
    data: bytes


@dataclass(frozen=True)
class Track:
    """One track chunk in order."""

    messages: tuple[Message, ...]
    metas: tuple[Meta, ...]

    @property
    def name(self) -> str:
        for meta in self.metas:
            if meta.type == 0x03:
                return _text(meta.data)
        return ""


@dataclass(frozen=True)
class MidiFile:
    """A file as written.

    Args:
        type: 0, 1 or 2.
        ticks_a_quarter: division, 0 for SMPTE files.
        ticks_a_second: for SMPTE files, else 0.
        tracks: in order.
        remarks: what had to be passed over, in words.
    """

    type: int
    ticks_a_quarter: int
    ticks_a_second: float
    tracks: tuple[Track, ...]
    remarks: tuple[str, ...]


def _text(data: bytes) -> str:
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")


class _Cursor:
    def __init__(self, data: bytes, place: int, end: int) -> None:
        self.data, self.place, self.end = data, place, end

    def byte(self) -> int:
        if self.place >= self.end:
            raise EOFError
        self.place += 1
        return self.data[self.place - 1]

    def bytes(self, count: int) -> bytes:
        if self.place + count > self.end:
            raise EOFError
        self.place += count
        return self.data[self.place - count : self.place]

    def variable(self) -> int:
        value = 0
        for _ in range(4):
            byte = self.byte()
            value = value << 7 | byte & 0x7F
            if byte < 0x80:
                return value
        raise ValueError("a length runs over four bytes")


def read_midi(data: bytes) -> MidiFile:
    """Reads a Standard MIDI File.

    Args:
        data: the whole file.

    Raises:
        BadInput: no MIDI file, or no track of it can be read.
        TooLarge: over the limits of tracks or messages.
    """
    if data[:4] == b"RIFF" and data[8:12] == b"RMID":
        start = data.find(b"MThd")
        data = data[start:] if start > 0 else data
    if data[:4] != b"MThd" or len(data) < 14:
        raise BadInput("This is no MIDI file.", "A Standard MIDI File begins with MThd; export it again.")
    size, kind, count, division = struct.unpack(">IHHH", data[4:14])
    if kind > 2 or size < 6 or division == 0:
        raise BadInput("The head of this MIDI file is broken.", "Export it again from the program that wrote it.")
    ticks_a_second = 0.0
    if division & 0x8000:
        frames = 256 - (division >> 8)
        rate = 30000 / 1001 if frames == 29 else float(frames)
        ticks_a_second = rate * (division & 0xFF)
        if ticks_a_second == 0:
            raise BadInput("The head of this MIDI file is broken.", "Its SMPTE division is zero; export it again.")
    tracks: list[Track] = []
    remarks: list[str] = []
    place, total = 8 + size, 0
    while place + 8 <= len(data):
        name, length = data[place : place + 4], struct.unpack(">I", data[place + 4 : place + 8])[0]
        end = place + 8 + length
        if end > len(data):
            remarks.append(f"Track {len(tracks) + 1} is cut off; what could be read of it is here.")
            end = len(data)
        if name == b"MTrk":
            track, remark = _read_track(data, place + 8, end)
            tracks.append(track)
            total += len(track.messages)
            if remark:
                remarks.append(f"Track {len(tracks)}: {remark}")
            if len(tracks) > MOST_TRACKS or total > MOST_MESSAGES:
                raise TooLarge("This MIDI file is too large.", f"At most {MOST_TRACKS} tracks can be read.")
        place = end
    if not tracks:
        raise BadInput("This MIDI file has no tracks.", "Export it again from the program that wrote it.")
    if len(tracks) != count:
        remarks.append(f"The head announces {count} tracks, {len(tracks)} are there.")
    quarter = 0 if ticks_a_second else division
    return MidiFile(kind, quarter, ticks_a_second, tuple(tracks), tuple(remarks))


def _read_track(data: bytes, place: int, end: int) -> tuple[Track, str]:
    cursor = _Cursor(data, place, end)
    messages: list[Message] = []
    metas: list[Meta] = []
    tick, status = 0, 0
    try:
        while cursor.place < cursor.end:
            tick += cursor.variable()
            byte = cursor.byte()
            if byte == 0xFF:
                kind = cursor.byte()
                metas.append(Meta(tick, kind, cursor.bytes(cursor.variable())))
                if kind == 0x2F:
                    break
                continue
            if byte in (0xF0, 0xF7):
                cursor.bytes(cursor.variable())
                status = 0
                continue
            if byte >= 0x80:
                if byte > 0xF0:
                    raise ValueError(f"an unknown message {byte:#x}")
                status, first = byte, cursor.byte()
            else:
                first = byte
                if status == 0:
                    raise ValueError("a running status without a status")
            kind = status & 0xF0
            second = 0 if kind in (0xC0, 0xD0) else cursor.byte()
            if first > 127 or second > 127:
                raise ValueError("a data byte over 127")
            messages.append(Message(tick, kind, status & 0x0F, first, second))
    except EOFError:
        return Track(tuple(messages), tuple(metas)), "ends in the middle of an event; the rest is lost."
    except ValueError as error:
        return Track(tuple(messages), tuple(metas)), f"holds {error}; the rest of it was left out."
    return Track(tuple(messages), tuple(metas)), ""


def tempo_events(file: MidiFile) -> list[tuple[int, int]]:
    """All tempo events (tick, microseconds a quarter) of all tracks in order."""
    found = [
        (meta.tick, int.from_bytes(meta.data, "big"))
        for track in file.tracks
        for meta in track.metas
        if meta.type == 0x51 and len(meta.data) == 3 and int.from_bytes(meta.data, "big") > 0
    ]
    return sorted(found, key=lambda event: event[0])


class TickClock:
    """Seconds of a tick, by the file's own tempo events or by its SMPTE rate."""

    def __init__(self, file: MidiFile) -> None:
        self._rate = file.ticks_a_second
        self._division = file.ticks_a_quarter
        self._ticks = [0]
        self._micros = [0]
        self._tempo = [DEFAULT_TEMPO_US]
        for tick, tempo in tempo_events(file):
            if tick > self._ticks[-1]:
                # Whole microseconds times ticks stay exact; they are divided once, when asked.
                passed = self._micros[-1] + (tick - self._ticks[-1]) * self._tempo[-1]
                self._ticks.append(tick)
                self._micros.append(passed)
                self._tempo.append(tempo)
            else:
                self._tempo[-1] = tempo

    def seconds(self, tick: int) -> float:
        """Moment (s) of ``tick``."""
        if self._rate:
            return tick / self._rate
        low, high = 0, len(self._ticks)
        while high - low > 1:
            middle = (low + high) // 2
            if self._ticks[middle] <= tick:
                low = middle
            else:
                high = middle
        micros = self._micros[low] + (tick - self._ticks[low]) * self._tempo[low]
        return micros / self._division / 1e6
