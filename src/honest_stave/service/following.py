"""Notes that move when time does: those of parts that keep their beats, and of voices that follow a beat map."""

from dataclasses import replace
from typing import Any

import numpy as np

from honest_stave.core.beat.beat_map import Beat, BeatMap, Between, moved_with
from honest_stave.core.beat.between import moved_by
from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.part.beats_true import moved_with_time
from honest_stave.core.part.notes import SHORTEST_NOTE_S, Origin
from honest_stave.service.codec import note_from_body, note_to_body, part_from_body, part_to_body
from honest_stave.service.studio import Studio
from honest_stave.store import history

Rows = list[tuple[str, str, str, Any]]
# Moments that differ by less have not moved.
SAME_S = 1e-7
# A note this near a written onset is of that onset: maps keep their moments to a tenth of a microsecond.
SAME_ONSET_S = 1e-4


def rows_moved_with_time(studio: Studio, folio_id: str, before: TempoMap, now: TempoMap) -> Rows:
    """Parts that keep their beats and their notes, where the folio's new time has them.

    Raises:
        BadInput: a note would begin before the folio does.
    """
    rows: Rows = []
    if before == now:
        return rows
    with studio.database.session() as session:
        places = history.entity(session, folio_id, "settings", "settings").get("places", {})
        for part_id, body in history.entities(session, folio_id, "part").items():
            part = part_from_body(body)
            if not part.keeps_beats:
                continue
            place_s = places.get(part.take, 0.0)
            notes = [note_from_body(i, n) for i, n in history.entities(session, folio_id, "note", part_id).items()]
            fresh, moved = moved_with_time(part, notes, before.seen_from(place_s), now.seen_from(place_s))
            rows.append(("part", "", part_id, part_to_body(fresh)))
            rows += [("note", part_id, n.id, note_to_body(n)) for n in moved]
    return rows


def rows_moved_with_map(studio: Studio, folio_id: str, map_id: str, before: BeatMap, now: BeatMap) -> Rows:
    """Notes of the voices that follow a beat map, where the map has them now; all others keep their seconds.

    Notes at an onset that has been pinned are the producer's; released, they are in doubt again. Where an onset was
    laid anew they are as sure as it is now.
    """
    moved = moved_by(before, now)
    if moved is None:
        return []
    changed = np.flatnonzero(moved.old_pinned != moved.new_pinned)
    heard = _heard_anew(before, now)
    if not len(changed) and not heard and np.array_equal(moved.old_s, moved.new_s):
        return []
    laid = np.flatnonzero(np.isin(moved.place, list(heard)))
    rows: Rows = []
    with studio.database.session() as session:
        following = [i for i, p in history.entities(session, folio_id, "part").items() if p.get("beat_map") == map_id]
    for part_id in following:
        notes = studio.part_notes.of(folio_id, part_id)
        ends_s = np.array([(n.onset_s, n.offset_s) for n in notes]).reshape(-1, 2)
        moved_s = moved_with(moved.old_s, moved.new_s, ends_s)
        moved_s[:, 0] = np.maximum(moved_s[:, 0], 0.0)
        moved_s[:, 1] = np.maximum(moved_s[:, 1], moved_s[:, 0] + SHORTEST_NOTE_S)
        stays = np.abs(moved_s - ends_s).max(axis=1, initial=0.0) <= SAME_S
        for i, note in enumerate(notes):
            there = changed[np.abs(moved.old_s[changed] - note.onset_s) <= SAME_ONSET_S]
            touched = bool(moved.new_pinned[there[0]]) if len(there) else note.touched
            anew = moved.place[laid[np.abs(moved.old_s[laid] - note.onset_s) <= SAME_ONSET_S]].tolist()
            if not stays[i] or touched != note.touched or anew:
                onset_s, offset_s = moved_s[i].tolist()
                origin = _heard_at(note.origin, heard[anew[0]], now.reading) if anew and note.origin else note.origin
                fresh = replace(note, onset_s=onset_s, offset_s=offset_s, touched=touched, origin=origin)
                rows.append(("note", part_id, note.id, note_to_body(fresh)))
    return rows


def _heard_anew(before: BeatMap, now: BeatMap) -> dict[float, Beat | Between]:
    """By their place beats and onsets between them that are heard elsewhere than before, or otherwise sure."""

    def of(beat_map: BeatMap) -> dict[float, Beat | Between]:
        between = {b.beat + b.share: b for b in beat_map.between}
        return {**{float(i): b for i, b in enumerate(beat_map.beats)}, **between}

    if before.reading == now.reading:
        return {}
    was = of(before)
    told = {place: onset for place, onset in of(now).items() if place in was and onset.heard_s is not None}
    return {p: o for p, o in told.items() if (o.heard_s, o.confidence) != (was[p].heard_s, was[p].confidence)}


def _heard_at(origin: Origin, onset: Beat | Between, reading: str) -> Origin:
    by_s = 0.0 if onset.heard_s is None else onset.heard_s - origin.onset_s
    return replace(
        origin,
        reading=reading,
        onset_s=origin.onset_s + by_s,
        offset_s=origin.offset_s + by_s,
        confidence=onset.confidence,
    )
