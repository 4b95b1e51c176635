"""Edits by hand: notes in, notes out. Each returns what is changed, added and removed."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from honest_stave.core.errors import BadInput
from honest_stave.core.part.notes import SHORTEST_NOTE_S, Note, check_note, in_order

# Seconds after the onset, and cents from the pitch.
Curve = tuple[tuple[float, float], ...]
# A note struck again closer than this to its own ends would be a click.
APART_S = 0.04


@dataclass(frozen=True)
class Change:
    """Result of an edit.

    Args:
        put: notes changed or added.
        removed: notes taken away.
    """

    put: tuple[Note, ...] = ()
    removed: tuple[Note, ...] = ()


def _each(notes: Sequence[Note], edit: Callable[[Note], Note]) -> Change:
    return Change(put=tuple(edit(n) for n in notes))


def _clamp_velocity(value: float) -> int:
    return int(np.clip(round(value), 1, 127))


def move(notes: Sequence[Note], *, by_s: float = 0.0, semitones: int = 0) -> Change:
    """Moves notes in time and pitch; none before the recording's start."""
    earliest = min((n.onset_s for n in notes), default=0.0)
    by_s = max(by_s, -earliest)
    return _each(
        notes,
        lambda n: n.edited(onset_s=n.onset_s + by_s, offset_s=n.offset_s + by_s, pitch=n.pitch + semitones),
    )


def set_ends(notes: Sequence[Note], *, start_by_s: float = 0.0, end_by_s: float = 0.0) -> Change:
    """Moves the beginnings or the ends of notes; each stays long enough to sound."""

    def edit(n: Note) -> Note:
        onset = min(max(n.onset_s + start_by_s, 0.0), n.offset_s - SHORTEST_NOTE_S)
        offset = max(n.offset_s + end_by_s, onset + SHORTEST_NOTE_S)
        shift = onset - n.onset_s
        curve = tuple((t - shift, c) for t, c in n.curve if t >= shift) if shift else n.curve
        return n.edited(onset_s=onset, offset_s=offset, curve=curve)

    return _each(notes, edit)


def split(notes: Sequence[Note], *, at_s: float, new_id: Callable[[], str]) -> Change:
    """Splits every note that sounds at ``at_s`` into two.

    Raises:
        BadInput: no note is long enough there.
    """
    put: list[Note] = []
    for n in notes:
        if n.onset_s + SHORTEST_NOTE_S <= at_s <= n.offset_s - SHORTEST_NOTE_S:
            into = at_s - n.onset_s
            put.append(n.edited(offset_s=at_s, curve=tuple(p for p in n.curve if p[0] < into)))
            later = tuple((t - into, c) for t, c in n.curve if t >= into)
            put.append(check_note(replace(n, id=new_id(), onset_s=at_s, curve=later, origin=None, touched=True)))
    if not put:
        raise BadInput("No selected note sounds there.", "Put the place of the split inside a note.")
    return Change(put=tuple(put))


def join(notes: Sequence[Note]) -> Change:
    """Joins notes into one long note with the pitch of the longest and the first's velocity.

    Raises:
        BadInput: fewer than two notes.
    """
    if len(notes) < 2:
        raise BadInput("There is nothing to join.", "Select two notes or more.")
    ordered = in_order(list(notes))
    first = ordered[0]
    longest = max(ordered, key=lambda n: n.duration_s)
    curve: list[tuple[float, float]] = []
    for n in ordered:
        away = n.onset_s - first.onset_s
        curve += [(t + away, c + 100.0 * (n.pitch - longest.pitch)) for t, c in n.curve]
    rising = [p for i, p in enumerate(curve) if i == 0 or p[0] > curve[i - 1][0]]
    joined = first.edited(offset_s=max(n.offset_s for n in ordered), pitch=longest.pitch, curve=tuple(rising))
    return Change(put=(joined,), removed=tuple(ordered[1:]))


def delete(notes: Sequence[Note]) -> Change:
    """Takes notes away."""
    return Change(removed=tuple(notes))


def set_velocity(notes: Sequence[Note], *, value: int | None = None, scale: float = 1.0, even: float = 0.0) -> Change:
    """Sets velocities, scales them, or evens them towards their mean by ``even`` from 0 to 1."""
    mean = float(np.mean([n.velocity for n in notes])) if notes else 0.0

    def edit(n: Note) -> Note:
        level = float(value) if value is not None else n.velocity * scale
        return n.edited(velocity=_clamp_velocity(level + even * (mean - level)))

    return _each(notes, edit)


def trim_ends(notes: Sequence[Note], measured_end_s: Callable[[Note], float]) -> Change:
    """Ends each note where its sound, or the pedal, ends it in the recording; none grows longer.

    Raises:
        BadInput: all of them end there, or before.
    """
    ends = [(n, min(n.offset_s, max(measured_end_s(n), n.onset_s + 0.02))) for n in notes]
    shorter = tuple(n.edited(offset_s=end) for n, end in ends if end < n.offset_s - 1e-4)
    if not shorter:
        raise BadInput("There is nothing to trim.", "What is selected ends there, or before.")
    return Change(put=shorter)


def paste(notes: Sequence[Note], *, at_s: float, new_id: Callable[[], str]) -> Change:
    """Copies of ``notes`` that begin at ``at_s``, their distances kept."""
    if not notes:
        raise BadInput("There is nothing to paste.", "Copy some notes first.")
    earliest = min(n.onset_s for n in notes)
    return Change(
        put=tuple(
            check_note(
                replace(
                    n,
                    id=new_id(),
                    onset_s=n.onset_s - earliest + at_s,
                    offset_s=n.offset_s - earliest + at_s,
                    origin=None,
                    touched=True,
                )
            )
            for n in notes
        )
    )


def take_runner_up(notes: Sequence[Note]) -> Change:
    """Gives notes the pitch they could also be; the curve stays with the old pitch and is dropped."""
    put = [
        n.edited(pitch=n.origin.runner_up, curve=()) for n in notes if n.origin is not None and n.origin.runner_up > 0
    ]
    if not put:
        raise BadInput("These notes have no runner-up.", "Only notes that were read carry one.")
    return Change(put=tuple(put))


def restore(notes: Sequence[Note], curve_of: Callable[[Note], Curve]) -> Change:
    """Puts notes back to what was read.

    Args:
        notes: some of them read.
        curve_of: the measured bend of one that was read, as it is read.

    Raises:
        BadInput: none of them was read.
    """
    put = []
    for note in notes:
        read = note.origin
        if read is not None:
            again = note.edited(
                onset_s=read.onset_s, offset_s=read.offset_s, pitch=read.pitch, velocity=read.velocity
            )
            put.append(replace(again, curve=curve_of(again)))
    if not put:
        raise BadInput("These notes were not read.", "Undo takes back what was done to them.")
    return Change(put=tuple(put))


def set_line(notes: Sequence[Note], line: str) -> Change:
    """Puts notes into a line of the texture; an empty name leaves them to the rule again."""
    return _each(notes, lambda n: n.edited(line=line))


def restrike(
    notes: Sequence[Note], moments_of: Callable[[Note], Sequence[float]], new_id: Callable[[], str]
) -> Change:
    """Strikes long notes again at the moments given for each; the first piece stays the note it was.

    Args:
        notes: to be struck again.
        moments_of: moments (s) for a note, in order.
        new_id: gives a fresh id.

    Raises:
        BadInput: no moment lies inside any of the notes.
    """
    put: list[Note] = []
    for note in notes:
        inside = [m for m in moments_of(note) if note.onset_s + APART_S < m < note.offset_s - APART_S]
        if not inside:
            continue
        bounds = [note.onset_s, *inside, note.offset_s]
        put.append(note.edited(offset_s=bounds[1], curve=()))
        put += [
            replace(note, id=new_id(), onset_s=a, offset_s=b, curve=(), origin=None, touched=True)
            for a, b in pairwise(bounds[1:])
        ]
    if not put:
        raise BadInput("There is nothing to strike again here.", "No beat or attack lies inside these notes.")
    return Change(put=tuple(put))
