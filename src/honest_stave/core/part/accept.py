"""From candidates to notes: accepting a reading, and moving the doubt limit afterwards."""

from collections.abc import Iterable, Sequence

import numpy as np

from honest_stave.core.part.notes import Note, Origin
from honest_stave.core.pitch.pitch_line import HOP_S
from honest_stave.core.pitch.reading import Candidate, NotesReading

# A curve is kept only as finely as this, in cents.
CURVE_TOLERANCE_CENTS = 4.0
# Curves that never leave the note by more than this are no bend.
FLAT_WITHIN_CENTS = 12.0
FARTHEST_CENTS = 190.0


def candidate_key(reading: str, candidate: Candidate) -> str:
    """Name of a candidate that survives a change of the limits: its moment and pitch."""
    return f"{reading}:{round(candidate.onset_s * 1000)}:{candidate.pitch}"


def sparse_curve(points: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """The fewest of ``points`` that stay within tolerance (Ramer 1972, Douglas and Peucker 1973)."""
    if len(points) < 3:
        return tuple(points)
    time = np.array([t for t, _ in points])
    cents = np.array([c for _, c in points])
    keep = {0, len(points) - 1}
    spans = [(0, len(points) - 1)]
    while spans:
        first, last = spans.pop()
        if last - first < 2:
            continue
        inner = slice(first + 1, last)
        line = np.interp(time[inner], time[[first, last]], cents[[first, last]])
        off = np.abs(cents[inner] - line)
        worst = int(np.argmax(off))
        if off[worst] > CURVE_TOLERANCE_CENTS:
            keep.add(first + 1 + worst)
            spans += [(first, first + 1 + worst), (first + 1 + worst, last)]
    return tuple((round(float(time[i]), 4), round(float(cents[i]), 1)) for i in sorted(keep))


def curve_of(reading: NotesReading, candidate: Candidate | Note) -> tuple[tuple[float, float], ...]:
    """Measured bend of a candidate or a note as it was read: (s after the onset, cents), sparse; empty if flat."""
    first = int(np.ceil((candidate.onset_s - reading.starts_s) / HOP_S))
    last = int(np.floor((candidate.offset_s - reading.starts_s) / HOP_S)) + 1
    line = reading.line.pitch[max(first, 0) : last].astype(np.float64)
    cents = 100.0 * (line - candidate.pitch) - reading.tuning_cents
    known = np.flatnonzero(~np.isnan(cents) & (np.abs(cents) < FARTHEST_CENTS))
    if len(known) < 3 or np.ptp(cents[known]) < FLAT_WITHIN_CENTS:
        return ()
    start_s = candidate.onset_s - reading.starts_s
    points = [((max(first, 0) + int(i)) * HOP_S - start_s, float(cents[i])) for i in known]
    return sparse_curve([(0.0, points[0][1]), *[p for p in points if p[0] > 0.001]])


def note_of(reading_id: str, reading: NotesReading, candidate: Candidate) -> Note:
    """The note a candidate becomes; its id is its key."""
    key = candidate_key(reading_id, candidate)
    origin = Origin(
        reading=reading_id,
        key=key,
        onset_s=candidate.onset_s,
        offset_s=candidate.offset_s,
        pitch=candidate.pitch,
        velocity=candidate.velocity,
        confidence=candidate.confidence,
        onset_tolerance_s=candidate.onset_tolerance_s,
        offset_tolerance_s=candidate.offset_tolerance_s,
        level_db=candidate.level_db,
        centre_cents=candidate.centre_cents,
        runner_up=candidate.runner_up,
        runner_up_share=candidate.runner_up_share,
    )
    return Note(
        id=key,
        onset_s=candidate.onset_s,
        offset_s=candidate.offset_s,
        pitch=candidate.pitch,
        velocity=candidate.velocity,
        curve=curve_of(reading, candidate),
        origin=origin,
    )


def renew(
    notes: Sequence[Note], fresh: Iterable[Note], *, reading_id: str, dropped: frozenset[str], many: bool = False
) -> list[Note]:
    """The part's notes after a limit was moved.

    Only untouched candidates of ``reading_id`` come and go; edited and added notes stay, and
    so does what was dropped by hand. A fresh candidate that would sound in the place of a
    touched note of the same origin is left out.

    Args:
        notes: notes of the part now.
        fresh: notes that the candidates over the new limit become.
        reading_id: the reading the limit belongs to.
        dropped: keys of candidates deleted by hand.
        many: the reading is of many voices; a touched note then only keeps its own pitch free.
    """
    kept = [n for n in notes if n.touched or n.origin is None or n.origin.reading != reading_id]
    held = {n.origin.key for n in kept if n.origin is not None and n.origin.reading == reading_id}
    spans = [
        (n.origin.onset_s, n.origin.offset_s, n.origin.pitch)
        for n in kept
        if n.origin is not None and n.origin.reading == reading_id
    ]

    def is_free(note: Note) -> bool:
        middle = (note.onset_s + note.offset_s) / 2
        return not any(first <= middle < last and (not many or pitch == note.pitch) for first, last, pitch in spans)

    return kept + [n for n in fresh if n.id not in held and n.id not in dropped and is_free(n)]
