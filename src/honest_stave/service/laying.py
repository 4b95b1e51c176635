"""A score laid anew on its recording between two pins, in a worker; what it says becomes a reading of its own."""

import io
import json
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import BeatMap, stops_of
from honest_stave.core.beat.between import SAME_S, laid_anew
from honest_stave.core.errors import BadInput, Progress
from honest_stave.service import beat_maps, readings, takes
from honest_stave.service.aligning import ENGINE, nearest_of, score_of
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.files import Files
from honest_stave.store.tables import Job

Values = NDArray[np.float64]

KIND = "lay"
# What is written this near a pin is the pin.
SAME_QUARTERS = 0.02


def ask(studio: Studio, folio_id: str, map_id: str, place: float) -> str:
    """Queues what is written between the pins around a place to be laid anew; returns the job's id.

    Args:
        place: in the map's list of beats, with the share of the way to the next one.

    Raises:
        BadInput: the map is of no score, or there are no two pins around the place.
    """
    beat_map = beat_maps.map_of(studio, folio_id, map_id)
    score_id = score_of(studio, folio_id, beat_map)
    if not score_id:
        raise BadInput("These beats were not laid by a score.", "Re-read them between pins instead.")
    row = readings.row(studio, folio_id, beat_map.reading)
    stops = stops_of(beat_map)
    before, after = np.flatnonzero(stops.pinned & (stops.place <= place)), stops.pinned & (stops.place > place)
    if not len(before) or not after.any():
        raise BadInput("There are no two pins around this beat.", "Pin a beat before it and one after it first.")
    pins = [int(before[-1]), int(np.flatnonzero(after)[0])]
    with np.load(studio.files.path(row.arrays), allow_pickle=False) as arrays:
        quarters = _quarters_at(beat_map, stops.place[pins], arrays["beat"], arrays["time_s"])
    take = takes.audio_take(studio, folio_id, beat_map.take)
    settings = {**row.settings, "quarters": quarters.tolist(), "ends_s": stops.time_s[pins].tolist()}
    arguments = takes.to_read(beat_map.take, take, settings)
    arguments |= {"map_id": map_id, "arrays": row.arrays, "said": list(row.summary.get("said", []))}
    arguments |= _score_of(studio, folio_id, score_id)
    return studio.jobs.add(folio_id, KIND, f"Laying the score on “{take['name']}” between two pins", arguments)


def _score_of(studio: Studio, folio_id: str, score_id: str) -> dict[str, str]:
    with studio.database.session() as session:
        score = history.entity(session, folio_id, "take", score_id)
    return {"content": score["content"], "once": score["facts"].get("once", "")}


def _quarters_at(beat_map: BeatMap, place: Values, beat: Values, time_s: Values) -> Values:
    """Positions in the score of places in the map, by what was heard where."""
    heard = [(float(i), b.heard_s) for i, b in enumerate(beat_map.beats) if b.heard_s is not None]
    heard += [(b.beat + b.share, b.heard_s) for b in beat_map.between if b.heard_s is not None]
    known = np.array(sorted(heard), float)
    nearest = nearest_of(known[:, 1], time_s)
    sure = np.abs(time_s[nearest] - known[:, 1]) <= SAME_S
    return np.asarray(np.interp(place, known[sure, 0], beat[nearest[sure]]))


def lay(files: Files, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Lays in a worker; the arrays go into a file, what was laid anew comes back with it."""
    from honest_stave.core.beat.align import written_notes
    from honest_stave.core.beat.laid_between import lay_between

    with np.load(files.path(arguments["arrays"]), allow_pickle=False) as kept:
        arrays = {name: kept[name].copy() for name in kept.files}
    scalars = json.loads(str(arrays["scalars"]))
    score = written_notes(files.path(arguments["once" if scalars["once"] else "content"]).read_bytes())
    sounding = [replace(n, pitch=n.pitch + scalars["semitones"]) for n in score]
    first, last = arguments["settings"]["quarters"]
    chosen = np.flatnonzero((arrays["beat"] > first + SAME_QUARTERS) & (arrays["beat"] < last - SAME_QUARTERS))
    beats = np.concatenate([[first], arrays["beat"][chosen], [last]])
    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    ends_s = arguments["settings"]["ends_s"]
    usual_s = float(np.median(np.diff(arrays["time_s"]) / np.diff(arrays["beat"])))
    found, moments = lay_between(
        sounding, beats, (ends_s[0], ends_s[1]), samples, arguments["rate"], usual_s, progress
    )
    rows = zip(arrays["time_s"][chosen].tolist(), found.time_s.tolist(), found.confidence.tolist(), strict=True)
    laid = [list(row) for row in rows]
    fresh = {"time_s": found.time_s, "confidence": found.confidence, "likeness": found.likeness, "moments": moments}
    for name, values in fresh.items():
        arrays[name][chosen] = values
    out = io.BytesIO()
    np.savez(out, **arrays)
    summary = {"engine": ENGINE, "said": arguments["said"]}
    return {"arrays": files.add(out.getvalue()), "summary": summary, "laid": laid}


def finish(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps what was laid as a reading, and puts it into the map as that is by now: pins stay."""
    kept = readings.finish_reading(studio, job, result)
    folio_id, map_id = job.folio_id, job.arguments["map_id"]
    beat_map = beat_maps.map_of(studio, folio_id, map_id)
    was_s, now_s, sure = np.array(result["laid"]).T
    fresh = replace(laid_anew(beat_map, was_s, now_s, sure), reading=kept["reading"])
    beat_maps.put(studio, folio_id, map_id, fresh, f"“{beat_map.name}”: laid anew between pins", None)
    return {**kept, "beat_map": map_id}
