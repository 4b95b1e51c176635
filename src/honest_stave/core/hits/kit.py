"""A kit: where a loop is cut, what was done to each slice, which keys play them."""

from dataclasses import dataclass, field
from typing import Literal

from honest_stave.core.errors import BadInput

End = Literal["next", "sound"]
Layout = Literal["rising", "drums"]
Tails = Literal["cut", "ring", "fade", "stretch"]
# More than two hours of drums that never rest; of an hour of them every change is drawn within two seconds.
MOST_SLICES = 40_000
# A kit has keys from the root up to the highest MIDI note.
HIGHEST_KEY = 127


@dataclass(frozen=True)
class SliceSettings:
    """What the producer did to one slice.

    Args:
        gain_db: louder or softer.
        fade_s: the end fades over this time.
        reversed: plays backwards.
        muted: keeps its place and is silent.
        end: up to the next cut, or as far as it sounds.
        drums: drums set by hand, None for those that were read.
        key: a key of its own, None to follow the layout.
        take, first_frame, last_frame: sound of another take in its place; an empty take for its own.
    """

    gain_db: float = 0.0
    fade_s: float = 0.0
    reversed: bool = False
    muted: bool = False
    end: End = "next"
    drums: tuple[str, ...] | None = None
    key: int | None = None
    take: str = ""
    first_frame: int = 0
    last_frame: int = 0


@dataclass(frozen=True)
class Kit:
    """Slices of a take laid out on keys.

    Args:
        name: how it is called.
        take, reading: where it was cut, and by which hits.
        least_confidence: hits less sure make no cut.
        threshold_db: hits softer than this against the loudest make no cut.
        lane_thresholds_db: the same for single drums, over the common one.
        hand: cuts by hand, (id, frame).
        moved: cuts that were read and moved by hand, (id, frame).
        away: ids of cuts that were read and taken away by hand.
        slices: what was done to slices, by the id of their cut.
        root: lowest key of a rising layout.
        layout: keys rising by semitones, or drums on the drum notes.
        order: ids in the order of the keys; those that are not named follow in order of time.
        choke_hats: a hat ends the hat that sounds.
        notes: a note map of its own, drum to MIDI note, empty for the General MIDI drum notes.
        tails: what becomes of ends at another tempo.
        tempo: which of the proposed tempi is the loop's.
        bpm: a tempo typed in its place, None for the proposed one.
    """

    name: str
    take: str
    reading: str = ""
    least_confidence: float = 0.5
    threshold_db: float = -60.0
    lane_thresholds_db: dict[str, float] = field(default_factory=dict)
    hand: tuple[tuple[str, int], ...] = ()
    moved: tuple[tuple[str, int], ...] = ()
    away: tuple[str, ...] = ()
    slices: dict[str, SliceSettings] = field(default_factory=dict)
    root: int = 36
    layout: Layout = "rising"
    order: tuple[str, ...] = ()
    choke_hats: bool = True
    notes: dict[str, int] = field(default_factory=dict)
    tails: Tails = "cut"
    tempo: int = 0
    bpm: float | None = None


@dataclass(frozen=True)
class Strike:
    """A drum heard at a cut: its kind (``hat open``), velocity, confidence, what else it could be."""

    drum: str
    kind: str
    velocity: int
    confidence: float
    ghost: bool = False
    runner_up: str = ""
    runner_up_share: float = 0.0


@dataclass(frozen=True)
class Slice:
    """A slice of the loop.

    Args:
        id: of its cut; ``lead`` for what lies before the first.
        first, last: frames in the take, the last not counted in.
        read_frame: where the attack was read, -1 for a cut by hand.
        within_ms: so far to either side four of five such attacks are off; None where that was not said.
        level_db: level after its attack, dB re full scale.
        strikes: drums in it.
        by_hand: the cut was set or moved by hand.
        settings: what was done to it.
    """

    id: str
    first: int
    last: int
    read_frame: int
    within_ms: float | None
    level_db: float
    strikes: tuple[Strike, ...]
    by_hand: bool
    settings: SliceSettings

    @property
    def frames(self) -> int:
        """Its length in the loop."""
        return self.last - self.first


LEAD = "lead"


def check_kit(kit: Kit) -> Kit:
    """The kit itself, or an error of ours where it cannot be.

    Raises:
        BadInput: the root is no key, a gain or fade is out of range.
    """
    if not 0 <= kit.root <= HIGHEST_KEY:
        raise BadInput(f"There is no key {kit.root}.", "Keys go from 0 to 127.")
    for settings in kit.slices.values():
        if not -60 <= settings.gain_db <= 24:
            raise BadInput("This gain is out of range.", "A slice can be made 60 dB softer to 24 dB louder.")
        if not 0 <= settings.fade_s <= 10:
            raise BadInput("This fade is out of range.", "Fades last up to ten seconds.")
    return kit
