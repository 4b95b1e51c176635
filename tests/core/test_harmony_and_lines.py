"""Key, scale, strokes, lines and ghosts of notes that are written here."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.harmony.companions import companions
from honest_stave.core.harmony.key import SCALES, find_tonality
from honest_stave.core.harmony.outermost import HEARD_WITH_S, outermost
from honest_stave.core.harmony.spelling import Mode, names_in, tonic_name
from honest_stave.core.harmony.together import struck_together
from honest_stave.core.part.ghosts import ghosts, sounding_with
from honest_stave.core.part.lines import lines_of
from honest_stave.core.part.notes import Note, Origin
from honest_stave.demo.score import HARMONIUM_VERSE


def note(onset_s: float, pitch: int, length_s: float = 0.5, confidence: float = 0.9, level_db: float = -20.0) -> Note:
    key = f"{onset_s}:{pitch}"
    origin = Origin("r", key, onset_s, onset_s + length_s, pitch, 80, confidence, level_db=level_db)
    return Note(key, onset_s, onset_s + length_s, pitch, 80, origin=origin)


def tonality(pitches: list[int]):
    onset = 0.5 * np.arange(len(pitches))
    return find_tonality(onset, onset + 0.45, np.array(pitches, np.int64))


@pytest.mark.parametrize("name", SCALES)
@pytest.mark.parametrize("tonic", [0, 5, 10])
def test_a_scale_up_and_down_is_named(name: str, tonic: int) -> None:
    steps = [60 + tonic + s for s in SCALES[name]]
    found = tonality([*steps, 72 + tonic, *reversed(steps), 48 + tonic])
    # A scale without semitones has the same pitches from several tonics: the set is what counts there.
    expected = {(tonic + s) % 12 for s in SCALES[name]}
    said = {(found.scale.tonic + s) % 12 for s in SCALES[found.scale.name]}
    assert said == expected
    assert found.scale.share >= found.other_scale.share


def test_major_and_minor_are_told_apart_with_a_runner_up() -> None:
    cadence = [(48, 60, 64, 67), (53, 60, 65, 69), (55, 59, 62, 67), (48, 60, 64, 67)]
    rows = [(0.5 * i, p) for i, chord in enumerate(cadence) for p in chord]
    onset, pitch = np.array([r[0] for r in rows]), np.array([r[1] for r in rows])
    found = find_tonality(onset, onset + 0.5, pitch)
    assert found.key.text == "C major"
    assert found.other_key.share < found.key.share


@pytest.mark.parametrize(("closing", "key"), [(45, "A minor"), (48, "C major")])
def test_a_bass_that_begins_and_ends_the_music_decides_between_relatives(closing: int, key: str) -> None:
    # The pitches of the verse speak for C major, as those of much in A minor do.
    voices = [[(0.25 * length, pitch) for length, pitch in voice] for voice in HARMONIUM_VERSE]
    voices[3][-1] = (voices[3][-1][0], closing)
    rows = []
    for voice in voices:
        starts = np.cumsum([0.0, *(length for length, _ in voice)])
        rows += [(start, start + length, pitch) for start, (length, pitch) in zip(starts, voice, strict=False)]
    onset_s, offset_s, pitch = (np.array(column) for column in zip(*sorted(rows), strict=True))
    found = find_tonality(onset_s, offset_s, pitch)
    assert found.key is not None
    assert found.key.text == key


def test_nothing_has_no_key() -> None:
    assert tonality([]).key is None


# In F sharp major and E flat minor a white key would have a sharp or a flat name: they keep their own.
@pytest.mark.parametrize(
    ("mode", "scale", "tonics"),
    [("major", "major", set(range(12)) - {6}), ("minor", "natural minor", set(range(12)) - {3})],
)
def test_each_note_of_a_key_has_a_letter_of_its_own(mode: Mode, scale: str, tonics: set[int]) -> None:
    for tonic in tonics:
        names = names_in(tonic, mode)
        assert names[tonic] == tonic_name(tonic, mode)
        assert len({names[(tonic + step) % 12][0] for step in SCALES[scale]}) == 7, (tonic, names)


@pytest.mark.parametrize(
    ("tonic", "mode", "black"),
    [(0, "major", "C♯ E♭ F♯ A♭ B♭"), (9, "minor", "C♯ D♯ F♯ G♯ B♭"), (5, "minor", "D♭ E♭ G♭ A♭ B♭")],
)
def test_what_a_key_borrows_is_called_as_it_leads(tonic: int, mode: Mode, black: str) -> None:
    assert " ".join(name for name in names_in(tonic, mode) if len(name) == 2) == black


def test_a_stroke_is_what_hands_strike_at_once() -> None:
    assert struck_together(np.array([0.0, 0.02, 0.04, 0.06, 1.0])).tolist() == [0, 0, 0, 1, 2]


def test_hands_part_where_the_least_moves_and_corrections_stay() -> None:
    chord = [[48, 55, 64, 72], [50, 57, 65, 74], [52, 59, 67, 76]]
    notes = [note(0.6 * i, p) for i, pitches in enumerate(chord) for p in pitches]
    lines = lines_of(notes, "hands")
    assert lines == ["left hand", "left hand", "right hand", "right hand"] * 3
    moved = [replace(n, line="left hand") if n.pitch == 64 else n for n in notes]
    assert lines_of(moved, "hands")[2] == "left hand"


def test_a_held_top_note_is_not_interrupted_by_what_moves_below() -> None:
    notes = [note(0.0, 76, 2.0), note(0.0, 60, 0.5), note(0.5, 64, 0.5), note(1.0, 62, 0.5), note(2.2, 72, 0.5)]
    assert [n.pitch for n, line in zip(notes, lines_of(notes, "voices"), strict=True) if line == "top"] == [76, 72]


def test_a_chord_that_is_not_struck_at_once_has_one_top_and_a_bass_alone_stays_bass() -> None:
    slow = [note(0.0, 47), note(0.02, 54), note(0.03, 62), note(0.065, 69), note(1.0, 45, 0.3), note(1.4, 67)]
    lines = lines_of(slow, "voices")
    assert lines == ["bass", "inner", "inner", "top", "bass", "top"]
    assert lines_of([note(0.0, 45, 0.3), *(replace(n, onset_s=n.onset_s + 1) for n in slow)], "voices")[0] == "bass"
    assert lines_of([replace(n, line="top") if n.pitch == 45 else n for n in slow], "voices")[4] == "top"


@given(
    st.lists(st.tuples(st.integers(0, 60), st.integers(1, 40), st.integers(60, 66), st.booleans()), max_size=12),
)
def test_nothing_that_counts_lies_beyond_what_is_outermost(rows):
    # Moments are multiples of 20 ms and the limit is none, so that rounding decides nothing.
    rows.sort()
    onset_s, length_s, height, counted = (np.array([row[i] for row in rows]) for i in range(4))
    onset_s, end_s = onset_s / 50, (onset_s + length_s) / 50
    heard_s = onset_s[:, None] + HEARD_WITH_S
    beside = (onset_s <= heard_s) & ((end_s > heard_s) | (onset_s >= onset_s[:, None] - HEARD_WITH_S))
    beyond = beside & (height > height[:, None]) & counted.astype(bool)
    assert outermost(onset_s, end_s, height, counted.astype(bool)).tolist() == (~beyond.any(axis=1)).tolist()


def test_a_soft_octave_above_a_loud_note_is_a_ghost_unless_it_was_kept() -> None:
    notes = [note(0.0, 48), note(0.01, 60, confidence=0.6), note(0.0, 64), note(1.0, 60, confidence=0.6)]
    notes.sort(key=lambda n: n.onset_s)
    ghost = next(n for n in notes if n.pitch == 60 and n.onset_s < 0.5)
    assert ghosts(notes) == [ghost.id]
    assert ghosts([replace(n, touched=True) if n is ghost else n for n in notes]) == []


def test_octaves_that_come_and_go_with_a_key_are_doubles_and_octaves_of_their_own_are_not() -> None:
    keys = [note(0.5 * i, p, 0.4) for i, p in enumerate((48, 50, 52, 53))]
    doubles = [note(0.5 * i + 0.02, p + 12, 0.41) for i, p in enumerate((48, 50, 52, 53))]
    held_on, later = note(0.0, 60 + 4, 1.9), note(0.25, 60, 0.15)
    notes = sorted([*keys, *doubles, held_on, later], key=lambda n: n.onset_s)
    assert set(sounding_with(notes, 12)) == {n.id for n in doubles}
    kept = [replace(n, touched=True) if n is doubles[0] else n for n in notes]
    assert set(sounding_with(kept, 12)) == {n.id for n in doubles[1:]}


def test_what_a_bell_sounds_with_every_key_is_told_from_chords_of_a_scale() -> None:
    scale = (60, 62, 64, 65, 67, 69, 71)

    def told(above: Callable[[int], int]) -> list[tuple[int, int, int]]:
        onset_s = np.repeat(np.arange(21) * 0.4, 2) + np.tile((0.0, 0.01), 21)
        pitch = np.array([[scale[i % 7], above(i)] for i in range(21)]).ravel()
        return [(c.semitones, c.count, c.of) for c in companions(onset_s, onset_s + 0.3, pitch)]

    assert told(lambda i: scale[i % 7] + 17) == [(17, 21, 21)]
    assert told(lambda i: (*scale, 72, 74)[i % 7 + 2]) == []
    # The interval is not told as that of its octave, where both sound.
    onset_s = np.repeat(np.arange(12) * 0.4, 3)
    pitch = np.array([[p, p + 12, p + 24] for p in (*scale, *scale[:5])]).ravel()
    found = companions(onset_s, onset_s + 0.3, pitch)
    assert {(c.semitones, c.count) for c in found} == {(12, 12), (24, 12)}
    assert companions(np.zeros(0), np.zeros(0), np.zeros(0, np.int64)) == []
