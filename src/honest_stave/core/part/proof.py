"""The proof: a written file, read back, against what is heard, note by note, bend by bend."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from honest_stave.core.formats.midi_notes import FileNote
from honest_stave.core.part.events import Sounding
from honest_stave.core.signal.convert import pitch_name

# Deviations up to a tick of rounding on either side are the file's own grain.
GRAIN_TICKS = 1.0
# A bend value is one of 8192 steps either way.
BEND_STEPS = 8191


@dataclass(frozen=True)
class Difference:
    """One difference, at a moment of the recording, in words."""

    time_s: float
    text: str


@dataclass(frozen=True)
class Proof:
    """What comparing found.

    Args:
        same: no difference.
        notes, bends: how many were compared.
        greatest_ms: greatest deviation of a moment.
        greatest_cents: greatest deviation of a bend.
        differences: all of them, in order.
    """

    same: bool
    notes: int
    bends: int
    greatest_ms: float
    greatest_cents: float
    differences: tuple[Difference, ...]


def prove(
    heard: Sequence[Sounding],
    written: Sequence[FileNote],
    *,
    start_s: float,
    tick_s: float,
    bend_semitones: int,
    name_of: Callable[[int], str] = pitch_name,
) -> Proof:
    """Compares what is heard with what the file says.

    Args:
        heard: the player's events that were to be written.
        written: notes of the file, read back.
        start_s: moment of the recording at the file's beginning.
        tick_s: longest tick of the file, the grain of its moments.
        bend_semitones: range of bend that was to be written, 0 for none.
        name_of: what a pitch is called.
    """
    differences: list[Difference] = []
    tolerance_s = GRAIN_TICKS * tick_s + 1e-6
    expected, found = _in_step(heard, written, start_s, tolerance_s)
    worst_s, worst_cents, bends = 0.0, 0.0, 0
    i = j = 0
    while i < len(expected) or j < len(found):
        a = expected[i] if i < len(expected) else None
        b = found[j] if j < len(found) else None
        if a is not None and b is not None and a.pitch == b.pitch:
            apart = b.onset_s + start_s - a.onset_s
            if abs(apart) <= tolerance_s + 0.05:
                worst_s, worst_cents, count = _compare(
                    a, b, start_s, tolerance_s, bend_semitones, name_of(a.pitch), differences, worst_s, worst_cents
                )
                bends += count
                i, j = i + 1, j + 1
                continue
        missing = b is None or (a is not None and (a.pitch, a.onset_s) < (b.pitch, b.onset_s + start_s))
        if missing and a is not None:
            differences.append(Difference(a.onset_s, f"{name_of(a.pitch)} is heard but not in the file."))
            i += 1
        elif b is not None:
            moment = b.onset_s + start_s
            differences.append(Difference(moment, f"{name_of(b.pitch)} is in the file but not heard."))
            j += 1
    differences.sort(key=lambda d: d.time_s)
    return Proof(
        same=not differences,
        notes=len(expected),
        bends=bends,
        greatest_ms=1000 * worst_s,
        greatest_cents=worst_cents,
        differences=tuple(differences),
    )


def _in_step(
    heard: Sequence[Sounding], written: Sequence[FileNote], start_s: float, tolerance_s: float
) -> tuple[list[Sounding], list[FileNote]]:
    """Both in order of pitch and onset; notes of one pitch that begin together by velocity and end."""
    both: list[Sounding | FileNote] = [*heard, *written]
    pitch = np.array([n.pitch for n in both])
    onset_s = np.array([n.onset_s for n in heard] + [n.onset_s + start_s for n in written])
    order = np.lexsort((onset_s, pitch))
    begins = (np.diff(pitch[order], prepend=-1) != 0) | (np.diff(onset_s[order], prepend=-np.inf) > tolerance_s)
    together = np.empty(len(both), int)
    together[order] = np.cumsum(begins)

    def place(i: int) -> tuple[int, int, float]:
        return int(together[i]), both[i].velocity, both[i].offset_s

    expected = [heard[i] for i in sorted(range(len(heard)), key=place)]
    return expected, [written[i - len(heard)] for i in sorted(range(len(heard), len(both)), key=place)]


def all_together(proofs: Iterable[Proof]) -> Proof:
    """One proof of several."""
    several = list(proofs)
    differences = sorted((d for p in several for d in p.differences), key=lambda d: d.time_s)
    return Proof(
        same=not differences,
        notes=sum(p.notes for p in several),
        bends=sum(p.bends for p in several),
        greatest_ms=max((p.greatest_ms for p in several), default=0.0),
        greatest_cents=max((p.greatest_cents for p in several), default=0.0),
        differences=tuple(differences),
    )


def _compare(
    a: Sounding,
    b: FileNote,
    start_s: float,
    tolerance_s: float,
    semitones: int,
    name: str,
    differences: list[Difference],
    worst_s: float,
    worst_cents: float,
) -> tuple[float, float, int]:
    start_off = b.onset_s + start_s - a.onset_s
    end_off = b.offset_s + start_s - max(a.offset_s, a.onset_s + tolerance_s)
    for what, off in (("begins", start_off), ("ends", end_off)):
        if abs(off) > tolerance_s:
            late = "later" if off > 0 else "earlier"
            differences.append(Difference(a.onset_s, f"{name} {what} {abs(off) * 1000:.2f} ms {late} in the file."))
    worst_s = max(worst_s, abs(start_off), abs(end_off))
    if a.velocity != b.velocity:
        text = f"{name} has velocity {b.velocity} in the file and {a.velocity} in the part."
        differences.append(Difference(a.onset_s, text))
    steps = a.bends if semitones else ()
    if not steps:
        if any(abs(c) > 0.5 for _, c in b.bends):
            differences.append(Difference(a.onset_s, f"{name} is bent in the file but not heard bent."))
        return worst_s, worst_cents, 0
    range_cents = 100.0 * semitones
    grain = range_cents / BEND_STEPS
    times = np.array([t + start_s for t, _ in b.bends])
    values = np.array([c for _, c in b.bends])
    for moment, cents in steps:
        # The value in force just after the moment, allowing for the grain of the ticks.
        place = int(np.searchsorted(times, moment + tolerance_s, "right")) - 1
        got = float(values[place]) if place >= 0 else 0.0
        near = values[(times > moment - tolerance_s) & (times <= moment + tolerance_s)]
        wanted = float(np.clip(cents, -range_cents, range_cents))
        off = min([abs(got - wanted), *np.abs(near - wanted)])
        worst_cents = max(worst_cents, off)
        if off > grain + 0.1:
            text = f"{name} is bent by {got:+.1f} cents in the file and by {cents:+.1f} in the part."
            differences.append(Difference(moment, text))
            break
    return worst_s, worst_cents, len(steps)


def proof_text(proof: Proof, title: str) -> str:
    """The proof as plain text to keep beside the file."""
    lines = [title, ""]
    if proof.same:
        lines.append("The same: what the file says is what is heard.")
    else:
        lines.append(f"{len(proof.differences)} differences between the file and what is heard.")
    lines += [
        f"notes compared      {proof.notes}",
        f"bends compared      {proof.bends}",
        f"greatest deviation  {proof.greatest_ms:.3f} ms, {proof.greatest_cents:.2f} cents",
    ]
    lines += [f"{d.time_s:10.3f} s  {d.text}" for d in proof.differences]
    return "\n".join(lines) + "\n"
