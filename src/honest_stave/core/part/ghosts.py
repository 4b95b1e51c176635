"""Notes that may be ghosts of lower ones that begin with them, and what sounds with every key."""

from collections.abc import Iterator, Sequence

import numpy as np

from honest_stave.core.harmony.companions import pairs_together
from honest_stave.core.harmony.together import TOGETHER_S
from honest_stave.core.part.notes import Note, Origin

GHOST_STEPS = (12, 19, 24)
# A ghost is this much less sure, or this much softer, than the note that throws it.
LESS_SURE, SOFTER_DB = 0.12, 6.0


def _thrown(notes: Sequence[Note], steps: tuple[int, ...]) -> Iterator[tuple[Note, Origin, Note, Origin]]:
    """Read notes and each lower read note that begins with them, so many semitones below; hands' work left out."""
    onset = np.array([n.onset_s for n in notes])
    for note in notes:
        if note.origin is None or note.touched:
            continue
        first, last = np.searchsorted(onset, [note.onset_s - TOGETHER_S, note.onset_s + TOGETHER_S])
        for lower in notes[first:last]:
            if lower.origin is not None and note.pitch - lower.pitch in steps:
                yield note, note.origin, lower, lower.origin


def ghosts(notes: Sequence[Note]) -> list[str]:
    """Ids of notes that a lower note may throw, those kept or mended by hand left out.

    Args:
        notes: in order of onset.
    """
    found = []
    for note, own, _, below in _thrown(notes, GHOST_STEPS):
        less_sure = own.confidence < below.confidence - LESS_SURE
        softer = own.level_db < below.level_db - SOFTER_DB and own.confidence < 0.9
        if less_sure or softer:
            found.append(note.id)
    return list(dict.fromkeys(found))


def sounding_with(notes: Sequence[Note], semitones: int) -> list[str]:
    """Ids of notes so far above another that begin, and end no later, with it; those mended by hand left out.

    Organs, harmoniums and guitars with double strings sound octaves with every key, bells other intervals, as loud
    and as surely as the key's own note.

    Args:
        notes: in order of onset.
        semitones: over the other note.
    """
    onset_s, offset_s = (np.array([getattr(n, name) for n in notes], float) for name in ("onset_s", "offset_s"))
    pitch = np.array([n.pitch for n in notes], np.int64)
    lower, upper = pairs_together(onset_s, offset_s, pitch)
    chosen = np.unique(upper[pitch[upper] - pitch[lower] == semitones])
    return [notes[i].id for i in chosen.tolist() if notes[i].origin is not None and not notes[i].touched]
