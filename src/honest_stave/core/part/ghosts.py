"""Notes that may be ghosts: an octave, a twelfth or two octaves above a louder note that begins with them."""

from collections.abc import Sequence

import numpy as np

from honest_stave.core.harmony.together import TOGETHER_S
from honest_stave.core.part.notes import Note

GHOST_STEPS = (12, 19, 24)
# A ghost is this much less sure, or this much softer, than the note that throws it.
LESS_SURE, SOFTER_DB = 0.12, 6.0


def ghosts(notes: Sequence[Note]) -> list[str]:
    """Ids of notes that a lower note may throw, those kept or mended by hand left out.

    Args:
        notes: in order of onset.
    """
    onset = np.array([n.onset_s for n in notes])
    found = []
    for note in notes:
        if note.origin is None or note.touched:
            continue
        first, last = np.searchsorted(onset, [note.onset_s - TOGETHER_S, note.onset_s + TOGETHER_S])
        for other in notes[first:last]:
            if other is note or other.origin is None or note.pitch - other.pitch not in GHOST_STEPS:
                continue
            less_sure = note.origin.confidence < other.origin.confidence - LESS_SURE
            softer = note.origin.level_db < other.origin.level_db - SOFTER_DB and note.origin.confidence < 0.9
            if less_sure or softer:
                found.append(note.id)
                break
    return found
