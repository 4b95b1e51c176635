"""The strict reader on files made by hand, byte for byte."""

import contextlib
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.errors import BadInput, StaveError
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import TickClock, read_midi


def track(*events: bytes) -> bytes:
    body = b"".join(events) + b"\x00\xff\x2f\x00"
    return b"MTrk" + struct.pack(">I", len(body)) + body


def midi(*tracks: bytes, kind: int = 1, division: int = 480, count: int | None = None) -> bytes:
    head = struct.pack(">IHHH", 6, kind, len(tracks) if count is None else count, division)
    return b"MThd" + head + b"".join(tracks)


def test_running_status_and_a_note_on_with_velocity_nothing() -> None:
    data = midi(track(b"\x00\x90\x3c\x40", b"\x83\x60\x3c\x00", b"\x00\x40\x50", b"\x83\x60\x40\x00"))
    notes, remarks = notes_of_file(read_midi(data))
    assert [(n.pitch, n.velocity, n.onset_tick, n.offset_tick) for n in notes] == [
        (60, 64, 0, 480),
        (64, 80, 480, 960),
    ]
    assert notes[1].onset_s == pytest.approx(0.5)
    assert remarks == []


def test_tempo_events_of_any_track_rule_all() -> None:
    tempo = track(b"\x00\xff\x51\x03\x0f\x42\x40", b"\x83\x60\xff\x51\x03\x07\xa1\x20")
    notes = track(b"\x87\x40\x90\x3c\x40", b"\x83\x60\x80\x3c\x40")
    found, _ = notes_of_file(read_midi(midi(tempo, notes)))
    # One quarter at 60 and one at 120 bpm, then the note.
    assert (found[0].onset_s, found[0].offset_s) == (pytest.approx(1.5), pytest.approx(2.0))


def test_smpte_divisions_count_frames() -> None:
    division = ((256 - 25) << 8) | 40
    found, _ = notes_of_file(
        read_midi(midi(track(b"\x87\x68\x90\x3c\x40", b"\x87\x68\x80\x3c\x40"), division=division))
    )
    assert (found[0].onset_s, found[0].offset_s) == (pytest.approx(1.0), pytest.approx(2.0))


def test_bend_range_is_set_by_its_registered_number() -> None:
    rpn = b"\x00\xb0\x65\x00\x00\xb0\x64\x00\x00\xb0\x06\x0c"
    data = midi(track(rpn, b"\x00\xe0\x00\x60", b"\x00\x90\x3c\x40", b"\x83\x60\x80\x3c\x40"))
    found, _ = notes_of_file(read_midi(data))
    assert found[0].bends == ((0.0, pytest.approx(600.0)),)


def test_stuck_overlapping_and_stray_notes_are_mended_and_told() -> None:
    data = midi(
        track(
            b"\x00\x80\x30\x40",
            b"\x00\x90\x3c\x40",
            b"\x83\x60\x90\x3c\x41",
            b"\x83\x60\x80\x3c\x40",
            b"\x00\x90\x40\x40",
            b"\x83\x60\xb0\x40\x00",
        )
    )
    notes, remarks = notes_of_file(read_midi(data))
    assert [(n.pitch, n.onset_tick, n.offset_tick) for n in notes] == [(60, 0, 480), (60, 480, 960), (64, 960, 1440)]
    told = " ".join(remarks)
    assert "1 stuck" in told
    assert "1 notes struck again" in told
    assert "1 note ends without a note" in told


def test_a_broken_chunk_costs_only_what_is_behind_it() -> None:
    whole = track(b"\x00\x90\x3c\x40", b"\x83\x60\x80\x3c\x40")
    broken = b"MTrk" + struct.pack(">I", 400) + b"\x00\x90\x40\x40\x83\x60\x80\x40\x40\x00\x90\x43"
    file = read_midi(midi(whole, broken))
    notes, _ = notes_of_file(file)
    assert [n.pitch for n in notes] == [60, 64]
    assert any("cut off" in remark for remark in file.remarks)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no MIDI file"),
        (b"MThd\0\0\0\6\0\1\0\1\0\0", "head of this MIDI file is broken"),
        (midi(), "no tracks"),
        (b"RIFFxxxxWAVE", "no MIDI file"),
    ],
)
def test_what_is_no_midi_file_says_so(data: bytes, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        read_midi(data)


@given(st.binary(max_size=200), st.integers(0, 3), st.integers(0, 65535))
def test_garbage_never_escapes_as_another_error(body: bytes, kind: int, division: int) -> None:
    with contextlib.suppress(StaveError):
        notes_of_file(read_midi(midi(b"MTrk" + struct.pack(">I", len(body)) + body, kind=kind, division=division)))


def test_an_hour_of_ticks_is_counted_without_drift() -> None:
    # 408163 us a quarter does not divide a second; whole microseconds keep the sum exact.
    file = read_midi(midi(track(b"\x00\xff\x51\x03" + (408163).to_bytes(3, "big")), division=960))
    assert TickClock(file).seconds(960 * 8820) == pytest.approx(8820 * 0.408163, abs=1e-9)
