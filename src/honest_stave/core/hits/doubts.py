"""What deserves a look: slices where what was heard is unsure, or where it begins; lanes that may be another drum."""

from collections.abc import Iterable
from dataclasses import dataclass

from honest_stave.core.hits.kit import LEAD, Slice

# Drums less sure than this are in doubt: of those said with .7 to .8 a quarter is wrong, over .9 one in twenty.
SURE = 0.75
# Attacks that may lie further off than this: later than that two drums are heard one after the other.
LOOSE_MS = 5.0
# Fewer strokes are no lane. Of 158 lanes less sure than ``SURE`` in the mean 52 were mostly another drum, of 1,013
# others 32 (loops of the practice set and of kits that only the registries hold).
FEWEST_STROKES = 4


@dataclass(frozen=True)
class LaneDoubt:
    """A drum that may be another one throughout.

    Args:
        drum: as it is called.
        strokes: how many were read as it and named by nobody.
        sure: how sure they are in the mean.
    """

    drum: str
    strokes: int
    sure: float


def doubts_of(slices: Iterable[Slice]) -> list[str]:
    """Ids of the slices in doubt, in their order; what was set by hand is no longer in doubt.

    Args:
        slices: of one kit, in order of time.
    """
    return [
        piece.id
        for piece in slices
        if piece.id != LEAD
        and not piece.by_hand
        and ((piece.within_ms or 0.0) > LOOSE_MS or any(strike.confidence < SURE for strike in piece.strikes))
    ]


def lanes_in_doubt(slices: Iterable[Slice]) -> list[LaneDoubt]:
    """Drums that may be another one throughout, those most in doubt first.

    Args:
        slices: of one kit.
    """
    sure: dict[str, list[float]] = {}
    for piece in slices:
        if piece.settings.drums is None:
            for strike in piece.strikes:
                sure.setdefault(strike.drum, []).append(strike.confidence)
    lanes = [LaneDoubt(drum, len(each), sum(each) / len(each)) for drum, each in sure.items()]
    doubted = [lane for lane in lanes if lane.strokes >= FEWEST_STROKES and lane.sure < SURE]
    return sorted(doubted, key=lambda lane: lane.sure)
