"""Note lists as CSV and JSON, and label text: start, end, text a line."""

import csv
import io
import json
from collections.abc import Callable, Sequence

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.part.events import Sounding

# ``sure`` is 1 for what a hand has added, kept or mended.
COLUMNS = ("part", "onset_s", "offset_s", "bar", "beat", "pitch", "name", "velocity", "sure")
NameOf = Callable[[Sounding], str]


def _rows(
    notes: Sequence[Sounding], parts: dict[str, str], tempo_map: TempoMap, start_s: float, name_of: NameOf
) -> list[dict[str, object]]:
    rows = []
    for n in notes:
        place = tempo_map.bar_position(float(tempo_map.beats_at(n.onset_s)))
        values = (
            parts[n.part],
            round(n.onset_s - start_s, 6),
            round(n.offset_s - start_s, 6),
            place.bar,
            round(place.beat, 4),
            n.pitch,
            name_of(n),
            n.velocity,
            round(1 - n.doubt, 3),
        )
        rows.append(dict(zip(COLUMNS, values, strict=True)))
    return rows


def notes_as_csv(
    notes: Sequence[Sounding], parts: dict[str, str], tempo_map: TempoMap, start_s: float, name_of: NameOf
) -> str:
    """One row a note.

    Args:
        notes: in the order of the rows.
        parts: name of each part by its id.
        tempo_map: says bar and beat.
        start_s: moment from which the rows count.
        name_of: what a note is called.
    """
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows(_rows(notes, parts, tempo_map, start_s, name_of))
    return out.getvalue()


def notes_as_json(
    notes: Sequence[Sounding], parts: dict[str, str], tempo_map: TempoMap, start_s: float, name_of: NameOf
) -> str:
    """The same rows under ``notes``."""
    rows = _rows(notes, parts, tempo_map, start_s, name_of)
    return json.dumps({"notes": rows}, indent=1, ensure_ascii=False) + "\n"


def notes_as_labels(notes: Sequence[Sounding], start_s: float, name_of: NameOf) -> str:
    """Start, end and name of each note, tab separated."""
    return "".join(f"{n.onset_s - start_s:.6f}\t{n.offset_s - start_s:.6f}\t{name_of(n)}\n" for n in notes)
