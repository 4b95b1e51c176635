"""Entities of a folio as JSON bodies and back."""

import json
from dataclasses import asdict
from typing import Any

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.part.notes import Note, Origin, Part

Body = dict[str, Any]


def note_to_body(note: Note) -> Body:
    """JSON body of a note; its id is the entity's."""
    body = asdict(note)
    del body["id"]
    if not note.cut:
        del body["cut"]
    return json_like(body)


def note_from_body(id: str, body: Body) -> Note:
    """A note from its body."""
    origin = Origin(**body["origin"]) if body.get("origin") else None
    curve = tuple((float(t), float(c)) for t, c in body.get("curve", ()))
    return Note(id=id, **{**body, "origin": origin, "curve": curve})


def part_to_body(part: Part) -> Body:
    """JSON body of a part."""
    return json_like(asdict(part))


def part_from_body(body: Body) -> Part:
    """A part from its body."""
    pedal = tuple((float(down), float(up)) for down, up in body.get("pedal", ()))
    return Part(**{**body, "dropped": tuple(body.get("dropped", ())), "pedal": pedal})


def tempo_to_body(tempo_map: TempoMap) -> Body:
    """JSON body of a tempo map."""
    return {
        "knots": [dict(vars(k)) for k in tempo_map.knots],
        "meters": [dict(vars(m)) for m in tempo_map.meters],
        "first_bar_number": tempo_map.first_bar_number,
        "lone_bpm": tempo_map.lone_bpm,
    }


def tempo_from_body(body: Body) -> TempoMap:
    """A tempo map from its body.

    Raises:
        BadInput: knots or meters that cannot be.
    """
    return TempoMap(
        knots=tuple(Knot(**k) for k in body["knots"]),
        meters=tuple(Meter(**m) for m in body["meters"]),
        first_bar_number=body["first_bar_number"],
        lone_bpm=body["lone_bpm"],
    )


def json_like(body: Body) -> Body:
    """The body as it comes back from JSON, so that it compares equal with what is stored."""
    return dict(json.loads(json.dumps(body)))
