"""Parts that keep their place in the bars when the folio's time changes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from honest_stave.core.beat.tempo_map import Knot, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.part.beats_true import moved_with_time
from honest_stave.core.part.notes import Note, Part

PART = Part("choir", keeps_beats=True, pedal=((1.0, 2.0),))
NOTES = [Note(str(i), 0.5 + 0.4 * i, 0.5 + 0.4 * i + 0.3, 60 + i, 90) for i in range(8)]


def through(moments: list[float]) -> TempoMap:
    """A map with a quarter note at each moment."""
    return TempoMap(tuple(Knot(float(i), t) for i, t in enumerate(moments)))


moments = st.lists(st.floats(0.15, 2.0), min_size=3, max_size=9).map(lambda gaps: np.cumsum([0.4, *gaps]).tolist())


@given(moments, moments)
def test_there_and_back_is_where_it_was_and_every_note_keeps_its_beat(old: list[float], new: list[float]) -> None:
    before, now = through(old), through(new)
    late = [Note(n.id, n.onset_s + 40.0, n.offset_s + 40.0, n.pitch, n.velocity) for n in NOTES]
    part, moved = moved_with_time(PART, late, before, now)
    by_id = {n.id: n for n in late} | {n.id: n for n in moved}
    for note in late:
        there = by_id[note.id]
        assert float(now.beats_at(there.onset_s)) == pytest.approx(float(before.beats_at(note.onset_s)), abs=1e-6)
    home, back = moved_with_time(part, list(by_id.values()), now, before)
    by_id |= {n.id: n for n in back}
    # Beats far beyond the last knot are seconds apart at another tempo: what is lost is rounding.
    assert [by_id[n.id].onset_s for n in late] == pytest.approx([n.onset_s for n in late], abs=1e-6)
    assert np.ravel(home.pedal) == pytest.approx(np.ravel(PART.pedal), abs=1e-6)


def test_what_has_not_moved_is_not_told() -> None:
    same = through([0.5, 1.0, 1.5])
    assert moved_with_time(PART, NOTES, same, through([0.5, 1.0, 1.5]))[1] == []


def test_a_note_before_the_folio_begins_is_refused_with_the_reason() -> None:
    with pytest.raises(BadInput, match="would begin"):
        moved_with_time(PART, NOTES, through([2.0, 2.5, 3.0]), through([0.0, 0.5, 1.0]))
