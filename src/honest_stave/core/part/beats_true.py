"""Parts whose notes keep their place in the bars: when the folio's time changes, they move with it."""

from dataclasses import replace

import numpy as np

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.part.notes import SHORTEST_NOTE_S, Note, Part

# Moments that differ by less have not moved.
SAME_S = 1e-7


def moved_with_time(part: Part, notes: list[Note], before: TempoMap, now: TempoMap) -> tuple[Part, list[Note]]:
    """The part and those of its notes that moved, each on the beat it was on.

    Args:
        part: whose notes keep their beats; its pedal moves too.
        notes: its notes.
        before, now: the folio's time, as it was and as it shall be.

    Raises:
        BadInput: a note would begin before the folio does.
    """

    def carried(moments_s: list[float]) -> list[float]:
        beats = before.beats_at(np.array(moments_s, float))
        return [float(moment) for moment in np.atleast_1d(now.seconds_at(beats))]

    onset, offset = carried([n.onset_s for n in notes]), carried([n.offset_s for n in notes])
    if onset and min(onset) < -SAME_S:
        raise BadInput(
            f"“{part.name}” keeps its beats and would begin {-min(onset):.2f} s before the recording.",
            "Put bar 1 later, or let the part keep its seconds.",
        )
    moved = [
        replace(n, onset_s=max(on, 0.0), offset_s=max(off, max(on, 0.0) + SHORTEST_NOTE_S))
        for n, on, off in zip(notes, onset, offset, strict=True)
        if abs(on - n.onset_s) > SAME_S or abs(off - n.offset_s) > SAME_S
    ]
    down, up = carried([d for d, _ in part.pedal]), carried([u for _, u in part.pedal])
    return replace(part, pedal=tuple(zip(down, up, strict=True))), moved
