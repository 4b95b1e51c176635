"""The score of a map as a file: the voices that follow it, in bars, with the recording's tempo."""

import numpy as np

from honest_stave.core.beat.align import written_notes
from honest_stave.core.beat.beat_map import BeatMap
from honest_stave.core.beat.score_of_map import (
    USUAL_PLACES,
    ScoreProof,
    Voice,
    places_within,
    prove_score,
    score_of_map,
)
from honest_stave.core.errors import BadInput
from honest_stave.core.formats.musicxml_write import write_musicxml
from honest_stave.service import aligning
from honest_stave.service.handing import lines_of
from honest_stave.service.studio import Studio
from honest_stave.store import history


def score_of(studio: Studio, folio_id: str, map_id: str, beat_map: BeatMap) -> tuple[bytes, ScoreProof]:
    """The voices that follow a map as MusicXML, with what it says when it is read back.

    Raises:
        BadInput: no voice follows the map.
    """
    with studio.database.session() as session:
        parts = history.entities(session, folio_id, "part")
        takes = history.entities(session, folio_id, "take")
    following = sorted((i for i, p in parts.items() if p.get("beat_map") == map_id), key=lambda i: parts[i]["at"])
    lines = lines_of(studio, folio_id, {"parts": following}, beat_map.take) if following else []
    voices = [Voice(line.name, line.program, line.events) for line in lines if line.events]
    if not voices:
        raise BadInput("No voice follows this map.", "Lay a score on its recording, or leave the score out.")
    # A score says itself on which places within a beat it writes notes.
    score = takes.get(aligning.score_of(studio, folio_id, beat_map))
    places: tuple[float, ...] = USUAL_PLACES
    if score:
        written = written_notes(studio.files.path(score["content"]).read_bytes())
        places = places_within(np.array([n.onset_beats for n in written]))
    made = score_of_map(beat_map, voices, places)
    data = write_musicxml(made.score, beat_map.name, first_bar_number=made.first_bar_number, pickup=made.pickup)
    return data, prove_score(made, beat_map, data)
