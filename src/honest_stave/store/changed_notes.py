"""Which notes of which parts have changed, and at which revision of their folio, since a data folder was opened."""

from collections import defaultdict, deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from threading import Lock

# Of a part so many ids are kept; where more change, all of its notes count as changed.
MOST_IDS = 2000


@dataclass
class _Told:
    """Changes of one part: the revision of the last one, the one up to which they are forgotten, and their ids."""

    last: int = 0
    forgotten: int = 0
    changes: deque[tuple[int, frozenset[str]]] = field(default_factory=deque)


class ChangedNotes:
    """Changes by folio and part, those of a transaction that failed among them."""

    def __init__(self) -> None:
        self._parts: defaultdict[tuple[str, str], _Told] = defaultdict(_Told)
        self._lock = Lock()

    def tell(self, folio_id: str, part_id: str, revision: int, ids: Iterable[str]) -> None:
        """Notes of a part are being changed, which makes this revision of the folio."""
        with self._lock:
            told = self._parts[folio_id, part_id]
            told.last = max(told.last, revision)
            told.changes.append((revision, frozenset(ids)))
            while sum(len(each) for _, each in told.changes) > MOST_IDS:
                told.forgotten = max(told.forgotten, told.changes.popleft()[0])

    def last(self, folio_id: str, part_id: str) -> int | None:
        """The revision that last changed notes of a part, None where none has."""
        with self._lock:
            told = self._parts.get((folio_id, part_id))
            return told.last if told else None

    def since(self, folio_id: str, part_id: str, revision: int) -> frozenset[str] | None:
        """Ids of notes that have changed after a revision, None where that is no longer known."""
        with self._lock:
            told = self._parts.get((folio_id, part_id))
            if told is None:
                return frozenset()
            if revision < told.forgotten:
                return None
            return frozenset().union(*(ids for at, ids in told.changes if at > revision))
