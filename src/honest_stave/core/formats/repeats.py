"""In which order the bars of a score are played: repeats with their endings, da capo and dal segno."""

from collections.abc import Sequence
from dataclasses import dataclass
from xml.etree import ElementTree

# A score that would be played longer than this has signs that do not fit together.
MOST_BARS = 20_000


@dataclass(frozen=True)
class _Signs:
    """What a bar says of what is played after it; ``endings``: on which times it is played, on all where empty."""

    begins: bool
    times: int
    endings: frozenset[int]
    goes_to: str
    marks: frozenset[str]


def played_order(measures: Sequence[ElementTree.Element]) -> list[int]:
    """Indices of the bars of one part of a MusicXML score in the order in which they are played.

    Args:
        measures: its ``measure`` elements.

    Returns:
        The indices; each bar once, as it stands, where the signs do not fit together.
    """
    signs = _signs_of(measures)
    order: list[int] = []
    at, start, time, after_jump = 0, 0, 1, False
    while at < len(signs):
        own = signs[at]
        if own.begins and at != start:
            start, time = at, 1
        # After da capo and dal segno only the last ending is played.
        wanted = _last_ending(signs, at) if after_jump else time
        if not own.endings or wanted in own.endings:
            order.append(at)
            if len(order) > MOST_BARS:
                return list(range(len(signs)))
            if after_jump and "fine" in own.marks:
                break
            if after_jump and "tocoda" in own.marks:
                at = next((i for i, s in enumerate(signs) if i > at and "coda" in s.marks), len(signs))
                continue
            if own.times and not after_jump and (own.endings or time < own.times):
                at, time = start, time + 1
                continue
            if own.goes_to and not after_jump:
                after_jump = True
                at = 0 if own.goes_to == "dacapo" else next((i for i, s in enumerate(signs) if "segno" in s.marks), 0)
                continue
            following = signs[at + 1].endings if at + 1 < len(signs) else frozenset()
            if own.times or (own.endings and not following):
                start, time = at + 1, 1
        at += 1
    return order


def _last_ending(signs: Sequence[_Signs], at: int) -> int:
    """The highest time of the endings that a bar stands among, 0 where it is in none."""
    highest = 0
    for step in (-1, 1):
        near = at
        while 0 <= near < len(signs) and signs[near].endings:
            highest, near = max(highest, *signs[near].endings), near + step
    return highest


def _signs_of(measures: Sequence[ElementTree.Element]) -> list[_Signs]:
    signs, endings = [], frozenset[int]()
    for measure in measures:
        repeats = {r.get("direction"): r for r in measure.iterfind("barline/repeat")}
        bounds = {e.get("type"): e for e in measure.iterfind("barline/ending")}
        if "start" in bounds:
            numbers = bounds["start"].get("number", "").replace(",", " ").split()
            endings = frozenset(int(n) for n in numbers if n.isdigit())
        sounds = [*measure.iterfind("sound"), *measure.iterfind("direction/sound")]
        said = {name for sound in sounds for name in sound.attrib}
        backward = repeats.get("backward")
        times = int(backward.get("times") or 2) if backward is not None else 0
        goes_to = next((name for name in ("dacapo", "dalsegno") if name in said), "")
        signs.append(_Signs("forward" in repeats, times, endings, goes_to, frozenset(said)))
        if bounds.keys() & {"stop", "discontinue"}:
            endings = frozenset()
    return signs
