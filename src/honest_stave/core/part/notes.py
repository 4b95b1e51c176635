"""Notes of a part, and what each was when it was read."""

from dataclasses import dataclass, field, replace
from typing import Any

from honest_stave.core.errors import BadInput

SHORTEST_NOTE_S = 0.005
LATEST_S = 8 * 3600.0
MOST_NOTES = 50_000


@dataclass(frozen=True)
class Origin:
    """The candidate a note was accepted from, with its evidence, kept for comparison.

    Args:
        reading: id of the reading.
        key: names the candidate whatever the limits are set to.
        onset_s, offset_s, pitch, velocity, confidence: as read.
        onset_tolerance_s, offset_tolerance_s, level_db, centre_cents: as measured.
        runner_up, runner_up_share: what else it could be.
    """

    reading: str
    key: str
    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    confidence: float
    onset_tolerance_s: float = 0.0
    offset_tolerance_s: float = 0.0
    level_db: float = 0.0
    centre_cents: float = 0.0
    runner_up: int = 0
    runner_up_share: float = 0.0


@dataclass(frozen=True)
class Note:
    """One note of a part.

    Args:
        id: unique in the part.
        onset_s, offset_s: moments in the recording.
        pitch, velocity: MIDI.
        curve: (s after the onset, cents from the pitch), the measured bend, sparse.
        origin: what was read, None for a note added by hand.
        touched: edited by hand; the doubt limit leaves it alone.
        line: the line of a texture that the producer has put it into, empty where lines are found by rule.
        cut: in a part that a kit plays, whose slice it plays as soon as a key does again; empty while one does.
    """

    id: str
    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    curve: tuple[tuple[float, float], ...] = ()
    origin: Origin | None = None
    touched: bool = False
    line: str = ""
    cut: str = ""

    @property
    def duration_s(self) -> float:
        return self.offset_s - self.onset_s

    @property
    def doubt(self) -> float:
        """How likely it is wrong as it was read, 0 to 1; 0 for one that a hand has added, kept or mended."""
        return 0.0 if self.origin is None or self.touched else 1.0 - self.origin.confidence

    def edited(self, **changes: Any) -> "Note":
        """The note with ``changes``, marked as touched and kept within what MIDI can hold."""
        # Put on another key, it waits for no cut any more.
        cut = self.cut if changes.get("pitch", self.pitch) == self.pitch else ""
        return check_note(replace(self, touched=True, cut=cut, **changes))


@dataclass(frozen=True)
class Part:
    """A line of music: its instrument, how it is heard, where its notes came from, when it was made.

    ``beat_map`` names the map that a part from a score follows. The notes of other parts keep their seconds, or,
    with ``keeps_beats``, their place in the folio's bars.
    ``kit`` names the kit whose drums it was made of.
    ``pedal`` holds spans (down s, up s) in which the sustain pedal holds what sounds.
    """

    name: str
    instrument: str = "reed"
    octave: int = 0
    level_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    solo: bool = False
    bends: bool = True
    percussion: bool = False
    take: str = ""
    reading: str = ""
    beat_map: str = ""
    keeps_beats: bool = False
    kit: str = ""
    least_confidence: float = 0.5
    split: float = 0.5
    shortest_s: float = 0.05
    left_out: int = 0
    at: float = 0.0
    dropped: tuple[str, ...] = field(default=())
    pedal: tuple[tuple[float, float], ...] = field(default=())


def check_note(note: Note) -> Note:
    """The note itself, or an error of ours where it cannot be played.

    Raises:
        BadInput: pitch, velocity or moments out of range.
    """
    if not 0 <= note.pitch <= 127:
        raise BadInput(f"Pitch {note.pitch} is out of MIDI's range.", "Pitches go from 0 to 127.")
    if not 1 <= note.velocity <= 127:
        raise BadInput(f"Velocity {note.velocity} is out of range.", "Velocities go from 1 to 127.")
    if not 0.0 <= note.onset_s <= LATEST_S or not note.offset_s <= LATEST_S:
        raise BadInput("The note would lie outside the recording's time.", "Notes begin at 0 s or later.")
    if note.offset_s - note.onset_s < SHORTEST_NOTE_S:
        raise BadInput("The note would be too short to sound.", "Leave it at least 5 ms.")
    return note


def in_order(notes: list[Note]) -> list[Note]:
    """Notes by onset, then pitch."""
    return sorted(notes, key=lambda n: (n.onset_s, n.pitch, n.id))
