"""The sustain pedal: read where notes end together, heard, written and read back."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import read_midi
from honest_stave.core.part.events import sounding_notes
from honest_stave.core.part.handing_on import HandOnSettings, Line, plan, write_and_prove
from honest_stave.core.part.notes import Note, Part
from honest_stave.core.pitch.pedal import find_pedal, held_by_pedal, next_lift


def test_notes_struck_apart_that_end_together_are_held_by_the_pedal() -> None:
    onset = np.array([0.0, 0.3, 0.6, 1.2, 1.5, 1.8, 2.6])
    end = np.array([1.1, 1.12, 1.11, 2.4, 2.42, 2.41, 2.9])
    spans = find_pedal(onset, end)
    assert [round(up, 2) for _, up in spans] == [1.11, 2.41]
    assert all(down < up for down, up in spans)
    # The last note is not caught: it began after the pedal came up.
    assert held_by_pedal(onset, end, spans)[-1] == 2.9
    # What is struck while the foot is about to come up is held by the next span, what comes after the last by none.
    assert next_lift(np.array([0.2, 1.09, 2.6]), spans) == pytest.approx([1.11, 2.41, np.inf])


def test_a_chord_let_go_is_no_pedal() -> None:
    assert find_pedal(np.array([0.0, 0.01, 0.02, 1.0, 1.01]), np.array([0.8, 0.81, 0.8, 1.5, 1.52])) == ()


@given(
    st.lists(
        st.tuples(st.integers(0, 60), st.integers(1, 12), st.integers(48, 72)), min_size=1, max_size=24, unique=True
    )
)
def test_what_the_pedal_holds_is_written_and_proven(rows: list[tuple[int, int, int]]) -> None:
    notes = [Note(str(i), 0.1 * a, 0.1 * (a + b), p, 80) for i, (a, b, p) in enumerate(rows)]
    pedal = ((0.35, 1.85), (1.95, 3.05), (4.0, 6.6))
    part = Part("Held", pedal=pedal)
    events = sounding_notes("p", part, sorted(notes, key=lambda n: n.onset_s))
    line = Line("p", "Held", 0, tuple(events), pedal=pedal)
    data, proof = write_and_prove(plan([line], TempoMap(lone_bpm=100), HandOnSettings()), "Held")
    assert proof.same, proof.differences
    # By its keys alone the file is another: the pedal is what makes the notes long.
    keys, _ = notes_of_file(read_midi(data))
    assert all(
        k.offset_s <= n.offset_s + 0.002
        for k, n in zip(keys, notes_of_file(read_midi(data), pedal=True)[0], strict=True)
    )
