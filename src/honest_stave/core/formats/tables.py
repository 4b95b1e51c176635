"""Note lists as CSV and JSON, and label text: start, end, text a line."""

import csv
import io
import json
from collections.abc import Sequence

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.part.events import Sounding
from honest_stave.core.signal.convert import pitch_name

COLUMNS = ("part", "onset_s", "offset_s", "bar", "beat", "pitch", "name", "velocity")


def _rows(
    notes: Sequence[Sounding],
    names: dict[str, str],
    tempo_map: TempoMap,
    start_s: float,
    middle_c_octave: int,
    called: Sequence[str],
) -> list[dict[str, object]]:
    rows = []
    for n in notes:
        place = tempo_map.bar_position(float(tempo_map.beats_at(n.onset_s)))
        values = (
            names[n.part],
            round(n.onset_s - start_s, 6),
            round(n.offset_s - start_s, 6),
            place.bar,
            round(place.beat, 4),
            n.pitch,
            pitch_name(n.pitch, middle_c_octave, called),
            n.velocity,
        )
        rows.append(dict(zip(COLUMNS, values, strict=True)))
    return rows


def notes_as_csv(
    notes: Sequence[Sounding],
    names: dict[str, str],
    tempo_map: TempoMap,
    start_s: float,
    middle_c_octave: int,
    called: Sequence[str],
) -> str:
    """One row a note; moments from ``start_s``; ``called`` names the twelve pitches, C first."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows(_rows(notes, names, tempo_map, start_s, middle_c_octave, called))
    return out.getvalue()


def notes_as_json(
    notes: Sequence[Sounding],
    names: dict[str, str],
    tempo_map: TempoMap,
    start_s: float,
    middle_c_octave: int,
    called: Sequence[str],
) -> str:
    """The same rows under ``notes``."""
    rows = _rows(notes, names, tempo_map, start_s, middle_c_octave, called)
    return json.dumps({"notes": rows}, indent=1, ensure_ascii=False) + "\n"


def notes_as_labels(notes: Sequence[Sounding], start_s: float, middle_c_octave: int, called: Sequence[str]) -> str:
    """Start, end and pitch of each note, tab separated."""
    return "".join(
        f"{n.onset_s - start_s:.6f}\t{n.offset_s - start_s:.6f}\t{pitch_name(n.pitch, middle_c_octave, called)}\n"
        for n in notes
    )
