"""The one list of events: the player sounds it, the writers write it, the proof compares with it."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from honest_stave.core.part.notes import SHORTEST_NOTE_S, Note, Part

# Bends are stepped at most this often and this finely: under what the ear hears as steps.
BEND_STEP_S = 0.008
BEND_STEP_CENTS = 3.0
# A key is held this long at least, and a moment beyond the pedal's going down, which else would not catch it.
LEAST_HELD_S, KEY_AFTER_PEDAL_S = 0.06, 0.02


@dataclass(frozen=True)
class Sounding:
    """One note as heard.

    Args:
        part: id of its part.
        onset_s, offset_s: moments in the recording's time.
        pitch, velocity: MIDI, the part's octave counted in.
        bends: (moment s, cents from the pitch), stepped; the first at the onset; empty for none.
        key_off_s: where the key is let go while the pedal holds the note to its end; None without pedal.
        doubt: of its note.
    """

    part: str
    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    bends: tuple[tuple[float, float], ...] = ()
    key_off_s: float | None = None
    doubt: float = 0.0

    def later(self, by_s: float) -> "Sounding":
        """The same note ``by_s`` later."""
        return replace(
            self,
            onset_s=self.onset_s + by_s,
            offset_s=self.offset_s + by_s,
            bends=tuple((at_s + by_s, cents) for at_s, cents in self.bends),
            key_off_s=None if self.key_off_s is None else self.key_off_s + by_s,
        )


def stepped_bends(note: Note) -> tuple[tuple[float, float], ...]:
    """The note's curve as steps (moment s, cents), as they are played and written."""
    if not note.curve:
        return ()
    time = np.array([t for t, _ in note.curve])
    cents = np.array([c for _, c in note.curve])
    count = max(1, int(min(note.duration_s, time[-1]) / BEND_STEP_S) + 1)
    at = np.arange(count) * BEND_STEP_S
    values = np.round(np.interp(at, time, cents), 1)
    kept: list[tuple[float, float]] = [(note.onset_s, float(values[0]))]
    for moment, value in zip(at[1:], values[1:], strict=True):
        if abs(value - kept[-1][1]) >= BEND_STEP_CENTS and note.onset_s + moment < note.offset_s:
            kept.append((note.onset_s + float(moment), float(value)))
    return tuple(kept)


def sounding_notes(part_id: str, part: Part, notes: Sequence[Note]) -> list[Sounding]:
    """Events of one part in order of onset; notes that its octave puts out of range are left out."""
    found = []
    for note in notes:
        pitch = note.pitch + 12 * part.octave
        if 0 <= pitch <= 127:
            bends = stepped_bends(note) if part.bends else ()
            sounding = Sounding(part_id, note.onset_s, note.offset_s, pitch, note.velocity, bends, doubt=note.doubt)
            found.append(sounding)
    events = without_overlaps(_held(sorted(found, key=lambda n: (n.onset_s, n.pitch)), part.pedal))
    return _let_go(events, part.pedal)


def _span_over(moment_s: float, pedal: Sequence[tuple[float, float]]) -> tuple[float, float] | None:
    """The span of the pedal in which ``moment_s`` lies, its end counted in."""
    place = bisect_left(pedal, moment_s, key=lambda span: span[1])
    return pedal[place] if place < len(pedal) and pedal[place][0] < moment_s else None


def _held(events: Sequence[Sounding], pedal: Sequence[tuple[float, float]]) -> list[Sounding]:
    """Events that the pedal holds until it is lifted."""
    spans = [_span_over(n.offset_s, pedal) for n in events]
    return [replace(n, offset_s=span[1]) if span else n for n, span in zip(events, spans, strict=True)]


def _let_go(events: list[Sounding], pedal: Sequence[tuple[float, float]]) -> list[Sounding]:
    """The same events with the moment at which a hand that goes on lets go of each held key."""
    onsets = [n.onset_s for n in events]
    found = []
    for note in events:
        span = _span_over(note.offset_s, pedal)
        if span is None:
            found.append(note)
            continue
        place = bisect_left(onsets, note.onset_s + LEAST_HELD_S)
        goes_on = onsets[place] if place < len(onsets) else note.offset_s
        earliest = max(note.onset_s + LEAST_HELD_S, span[0] + KEY_AFTER_PEDAL_S)
        found.append(replace(note, key_off_s=min(max(goes_on, earliest), note.offset_s)))
    return found


def without_overlaps(events: Sequence[Sounding]) -> list[Sounding]:
    """Events in order, a note ended where the same pitch of its part is struck again.

    One key cannot sound twice: neither the player nor a file can tell two such notes apart.
    Of two that begin together the longer stays.
    """
    kept: list[Sounding] = []
    last: dict[tuple[str, int], int] = {}
    for event in events:
        key = (event.part, event.pitch)
        before = last.get(key)
        if before is not None and kept[before].offset_s > event.onset_s:
            if event.onset_s - kept[before].onset_s < SHORTEST_NOTE_S:
                kept[before] = replace(kept[before], offset_s=max(kept[before].offset_s, event.offset_s))
                continue
            bends = tuple(b for b in kept[before].bends if b[0] < event.onset_s)
            kept[before] = replace(kept[before], offset_s=event.onset_s, bends=bends)
        last[key] = len(kept)
        kept.append(event)
    return kept


def heard_parts(parts: dict[str, Part]) -> list[str]:
    """Ids of the parts that sound: the soloed ones if any is, else all that are not muted."""
    solo = [i for i, p in parts.items() if p.solo and not p.muted]
    return solo or [i for i, p in parts.items() if not p.muted]
