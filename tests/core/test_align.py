"""A score laid on a recording of it, played freely, with known truth."""

import io
from dataclasses import replace

import mido
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from honest_stave.core.beat.align import Written, align, align_with_moments, lay_on, written_notes
from honest_stave.core.beat.aligned_map import misfits
from honest_stave.core.beat.laid_between import lay_between
from honest_stave.core.beat.sought import sought
from honest_stave.core.beat.way import way_between
from honest_stave.core.errors import BadInput
from tests.core.test_note_ends import activity_of
from tests.made import RATE, Note, texture

MELODY = (60, 64, 67, 72, 71, 67, 65, 62, 64, 60, 57, 60)
BASS = (48, 48, 43, 41, 43, 48)


def score() -> list[Written]:
    """A tune in quarters over a bass in halves."""
    tune = [Written(float(i), 0.95, p) for i, p in enumerate(MELODY)]
    return tune + [Written(2.0 * i, 1.95, p) for i, p in enumerate(BASS)]


def played(tempo_s: list[float], start_s: float = 0.6) -> tuple[list[Note], np.ndarray]:
    """The score with beats of these lengths; the notes, and the moment of each beat."""
    moments = start_s + np.concatenate([[0.0], np.cumsum(tempo_s)])

    def at(beat: float) -> float:
        return float(np.interp(beat, np.arange(len(moments)), moments))

    notes = [Note(at(n.onset_beats), at(n.onset_beats + n.duration_beats), n.pitch, 0.4) for n in score()]
    return sorted(notes, key=lambda n: n.onset_s), moments


def test_a_free_performance_with_a_hold_is_followed() -> None:
    lengths = [0.5, 0.52, 0.5, 0.55, 0.6, 1.4, 0.45, 0.42, 0.45, 0.5, 0.6, 0.8]
    notes, moments = played(lengths)
    found = align(score(), texture(notes), RATE)
    assert found.beat.tolist() == [float(i) for i in range(12)]
    # Attacks are measured between cells of 23 ms.
    assert found.time_s == pytest.approx(moments[:12], abs=0.02)
    assert found.stops_fitting == -1
    assert np.all(found.likeness >= 0)


def test_between_two_pins_a_score_is_laid_anew() -> None:
    notes, moments = played([0.5, 0.52, 0.5, 0.55, 0.6, 1.4, 0.45, 0.42, 0.45, 0.5, 0.6, 0.8])
    found, sung = lay_between(score(), np.arange(2.0, 11.0), (moments[2], moments[10]), texture(notes), RATE, 0.5)
    assert found.time_s == pytest.approx(moments[3:10], abs=0.02)
    assert found.confidence.min() > 0.8
    assert sung[:, 1] == pytest.approx(moments[3:10], abs=0.06)
    with pytest.raises(BadInput, match="lie 600 s apart"):
        lay_between(score(), np.arange(2.0, 11.0), (moments[2], moments[2] + 600), texture(notes), RATE, 0.5)
    with pytest.raises(BadInput, match="Nothing is written between"):
        lay_between(score(), np.array([2.0, 3.0]), (moments[2], moments[3]), texture(notes), RATE, 0.5)


def test_the_way_between_pins_takes_what_is_heard_at_a_pace_that_hardly_bends() -> None:
    beats = np.arange(6.0)
    heard = np.full((4, 60), 0.02)
    for row, cell in enumerate((11, 19, 32, 40)):
        heard[row, cell] = 0.8
    # The same pitch a second time, louder, where only a leap of the tempo would lead.
    heard[1, 31] = 0.85
    cell, clear = way_between(heard, beats, (0.0, 50.0))
    assert cell == pytest.approx([11, 19, 32, 40], abs=0.1)
    # What is not heard lies between its neighbours.
    heard[2] = 0.02
    cell, clear = way_between(heard, beats, (0.0, 50.0))
    assert cell[2] == pytest.approx((19 + 40) / 2, abs=0.1)
    assert clear[2] < 0.1
    # The first pin may lie before the recording begins.
    heard = np.full((2, 30), 0.02)
    heard[0, 2], heard[1, 12] = 0.8, 0.8
    assert way_between(heard, np.arange(4.0), (-8.0, 22.0))[0] == pytest.approx([2, 12], abs=0.1)
    heard = np.full((4, 60), 0.02)
    # Where there is no room for them they lie evenly, and nothing is sure.
    cell, clear = way_between(heard, beats, (10.0, 12.5))
    assert cell == pytest.approx(10.0 + 0.5 * np.arange(1, 5))
    assert not clear.any()


def heard_at(cells: list[int], rows: list[int], length: int) -> np.ndarray:
    """How clearly each of three pitches begins in each cell: nothing but these."""
    onset = np.full((length, 3), 0.02, np.float32)
    onset[cells, rows] = 0.9
    return onset


def test_what_begins_beside_a_pause_that_is_not_written_is_found_there() -> None:
    # Quarters of 20 cells; between the third and the fourth, both thrown into it, the players wait for 200 cells.
    beats, true = np.arange(6.0), np.array([10.0, 30.0, 50.0, 270.0, 290.0, 310.0])
    rows = [[0], [1], [2], [0], [1], [2]]
    onset = heard_at(true.astype(int).tolist(), [0, 1, 2, 0, 1, 2], 330)
    laid, clear = true.copy(), np.full(6, 0.9)
    laid[2:4], clear[2:4] = (120.0, 200.0), 0.02
    moment, found = sought(beats, rows, onset, laid, clear)
    assert moment.tolist() == true.tolist()
    assert found == pytest.approx(np.full(6, 0.9))
    # What lies where neither side has it at the usual pace is another stroke of the same pitch.
    onset = heard_at([10, 30, 150, 290, 310], [0, 1, 2, 1, 2], 330)
    assert sought(beats, rows, onset, laid, clear)[1][2:4].tolist() == [0.02, 0.02]
    # The first after a pause, thrown into it, and the second, which has taken the place of the first: a shared pitch.
    eight = np.array([10.0, 30.0, 50.0, 270.0, 290.0, 310.0, 330.0, 350.0])
    chords = [[0], [1], [2], [0, 1], [1], [2], [0], [2]]
    twice = np.full((370, 3), 0.02, np.float32)
    for cell, chord in zip(eight.astype(int).tolist(), chords, strict=True):
        twice[cell, chord] = 0.9
    thrown, heard = eight.copy(), np.full(8, 0.9)
    thrown[3:5], heard[3] = (160.0, 270.0), 0.02
    assert sought(np.arange(8.0), chords, twice, thrown, heard)[0] == pytest.approx(eight, abs=0.1)
    # A run of many says that the score is another one there.
    clear[1:5] = 0.02
    clear = np.insert(clear, 2, 0.02)
    assert sought(np.arange(7.0), [*rows, [2]], onset, np.insert(laid, 2, 100.0), clear)[1].tolist() == clear.tolist()


@pytest.mark.parametrize("semitones", [-12, -3, 7])
def test_a_score_in_another_key_is_moved_to_where_the_recording_sounds(semitones: int) -> None:
    notes, moments = played([0.5] * 12)
    found = align([replace(n, pitch=n.pitch - semitones) for n in score()], texture(notes), RATE)
    assert found.semitones == semitones
    assert found.time_s == pytest.approx(moments[:12], abs=0.02)
    assert f"{abs(semitones)} semitones {'higher' if semitones < 0 else 'lower'}" in misfits(found, (0.0, 7.0))[0]


@pytest.mark.parametrize("times", [1, 2])
def test_repeats_that_are_not_played_are_told_from_those_that_are(times: int) -> None:
    notes, moments = played([0.5] * 12)
    length_s, twice = 6.0, [replace(n, onset_beats=n.onset_beats + 12 * k) for k in range(2) for n in score()]
    starts_s = [length_s * k for k in range(times)]
    sung = [Note(n.onset_s + s, n.offset_s + s, n.pitch, 0.4) for s in starts_s for n in notes]
    found, _, _ = align_with_moments(twice, texture(sung), RATE, once=score())
    assert found.once == (times == 1)
    assert found.time_s == pytest.approx([s + t for s in starts_s for t in moments[:12]], abs=0.02)


@settings(max_examples=15, deadline=None)
@given(st.lists(st.floats(0.25, 1.2), min_size=12, max_size=12), st.floats(0.1, 1.5))
@example([1.0, 0.5, *[0.25] * 10], 0.5)
def test_any_tempo_of_a_clear_recording_is_followed_to_a_cell(lengths: list[float], start_s: float) -> None:
    notes, moments = played(lengths, start_s)
    activity = activity_of([(n.onset_s, n.offset_s, int(n.pitch)) for n in notes], cells=800)
    found, _ = lay_on(score(), activity)
    assert found.time_s == pytest.approx(moments[:12], abs=0.024)
    assert np.all(np.diff(found.time_s) > 0)


@pytest.mark.parametrize("silent_s", [0.3, 1.0])
def test_a_pitch_that_is_given_before_is_not_the_beginning(silent_s: float) -> None:
    notes, moments = played([0.5] * 12, 1.5 + silent_s)
    given = Note(0.5, 1.5, MELODY[0], 0.3)
    found = align(score(), texture([given, *notes]), RATE)
    assert found.time_s == pytest.approx(moments[:12], abs=0.02)


def test_another_piece_is_said_not_to_fit_and_a_break_is_said_where_it_is() -> None:
    notes, _ = played([0.5] * 12)
    sound = texture(notes)
    other = [Written(float(i), 0.9, 54 + (7 * i) % 25) for i in range(12)]
    assert align(other, sound, RATE).stops_fitting == 0
    half = [n for n in score() if n.onset_beats < 8]
    broken = half + [Written(8.0 + i, 0.9, (54, 73, 56, 75, 58, 78, 51, 80)[i]) for i in range(8)]
    stopped = align(broken, sound, RATE).stops_fitting
    assert 6 <= stopped <= 11


def test_scores_come_from_midi_files_without_their_drums() -> None:
    file, out = mido.MidiFile(ticks_per_beat=480), io.BytesIO()
    track = mido.MidiTrack()
    for channel, pitch in ((0, 60), (9, 36)):
        track.append(mido.Message("note_on", channel=channel, note=pitch, velocity=80, time=0))
        track.append(mido.Message("note_off", channel=channel, note=pitch, time=720))
    file.tracks.append(track)
    file.save(file=out)
    assert written_notes(out.getvalue()) == [Written(0.0, 1.5, 60)]


@pytest.mark.parametrize(
    ("notes", "sound", "said"),
    [
        ([], np.zeros((RATE, 1), np.float32), "too few notes"),
        (score(), np.zeros((RATE, 1), np.float32), "No pitch sounds"),
    ],
)
def test_nothing_to_align_is_said(notes: list[Written], sound: np.ndarray, said: str) -> None:
    with pytest.raises(BadInput, match=said):
        align(notes, sound, RATE)


def test_what_is_heard_clearly_is_sure_and_what_is_not_is_a_doubt() -> None:
    notes, _ = played([0.5] * 12)
    clear = [(n.onset_s, n.offset_s, int(n.pitch)) for n in notes]
    found, _ = lay_on(score(), activity_of(clear, cells=800))
    assert np.all(found.confidence[1:-1] > 0.9)
    # The notes of the seventh and the eighth quarter are not heard at all.
    fewer = [n for n in clear if not 3.5 < n[0] < 4.4]
    doubtful = lay_on(score(), activity_of(fewer, cells=800))[0].confidence
    assert np.all(doubtful[6:8] < 0.6)
    assert np.all((doubtful > 0) & (doubtful < 1))
