"""Which slices deserve a look: what was heard there is unsure, or where it begins is."""

from collections.abc import Iterable

from honest_stave.core.hits.kit import LEAD, Slice

# Drums less sure than this are in doubt: of those said with .7 to .8 a quarter is wrong, over .9 one in twenty.
SURE = 0.75
# Attacks that may lie further off than this: later than that two drums are heard one after the other.
LOOSE_MS = 5.0


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
