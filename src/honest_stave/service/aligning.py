"""A score laid on a recording: asked for, kept as a beat map and as parts that follow it."""

import io
import json
import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import Beat, BeatMap, Between, check_map, places_of
from honest_stave.core.engines import engines_since
from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.formats.midi_read import read_midi
from honest_stave.core.part.notes import Note, Origin, Part
from honest_stave.service import beat_maps, folios, performances, readings, takes
from honest_stave.service.codec import note_to_body, part_from_body, part_to_body
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.files import Files
from honest_stave.store.tables import Job

if TYPE_CHECKING:
    from honest_stave.core.beat.align import Alignment

ENGINE = "align 6"
READABLE = engines_since(ENGINE, 1)
SHORTEST_S = 0.02


def ask(studio: Studio, folio_id: str, score_id: str, take_id: str) -> str:
    """Queues the alignment of a score with a take; returns the job's id.

    Raises:
        BadInput: the first is no score, or the second no recording.
    """
    take = takes.audio_take(studio, folio_id, take_id)
    with studio.database.session() as session:
        score = history.entity(session, folio_id, "take", score_id)
    if score["kind"] != "midi":
        raise BadInput(f"“{score['name']}” is a recording.", "Choose a MIDI file that holds the score.")
    arguments = takes.to_read(take_id, take, {"score": score_id})
    arguments |= {"score": score_id, "content": score["content"], "once": score["facts"].get("once", "")}
    return studio.jobs.add(folio_id, "align", f"Laying “{score['name']}” on “{take['name']}”", arguments)


def align_take(files: Files, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Aligns in a worker; the arrays go into a file, the summary comes back.

    Raises:
        BadInput: the score has too few notes, nothing sounds, or it is another piece.
    """
    from honest_stave.core.beat.align import align_with_moments, lasting_quarters, written_notes
    from honest_stave.core.beat.aligned_map import misfits

    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    score, once = (
        written_notes(files.path(name).read_bytes()) if name else []
        for name in (arguments["content"], arguments.get("once", ""))
    )
    found, moments, sounding_s = align_with_moments(score, samples, arguments["rate"], progress, once=once)
    said = misfits(found, sounding_s)
    if found.stops_fitting == 0:
        raise BadInput(said[0], "Is it the score of this piece? Bring in the right one.")
    scalars = {name: getattr(found, name) for name in ("stops_fitting", "semitones", "once")}
    scalars |= {"said": said, "engine": ENGINE}
    out = io.BytesIO()
    np.savez(
        out, scalars=np.array(json.dumps(scalars)), beat=found.beat, time_s=found.time_s,
        confidence=found.confidence, likeness=found.likeness, moments=moments,
        lasts=lasting_quarters(once if found.once else score, found.beat),
    )  # fmt: skip
    return {"arrays": files.add(out.getvalue()), "summary": {"engine": ENGINE, "said": list(said)}}


def finish(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps an alignment: a beat map of the take, and the score's voices as parts that follow it."""
    from honest_stave.core.beat.align import Alignment, written_notes
    from honest_stave.core.beat.aligned_map import map_of_alignment

    kept = readings.finish_reading(studio, job, result)
    folio_id, take_id, score_id = job.folio_id, job.arguments["take"], job.arguments["score"]
    with np.load(studio.files.path(result["arrays"]), allow_pickle=False) as arrays:
        scalars = json.loads(str(arrays["scalars"]))
        found = Alignment(
            arrays["beat"],
            arrays["time_s"],
            arrays["confidence"],
            arrays["likeness"],
            scalars["stops_fitting"],
            scalars["semitones"],
            scalars["once"],
        )
    data = studio.files.path(job.arguments["once" if found.once else "content"]).read_bytes()
    file = read_midi(data)
    written, pickup = performances.map_of_file(file), performances.pickup_quarters(file)
    if written is None:
        raise BadInput("The score carries no tempo map that can be used.", "Save it with a tempo and a meter.")
    score = [replace(n, onset_beats=n.onset_beats - pickup) for n in written_notes(data)]
    made = map_of_alignment(replace(found, beat=found.beat - pickup), score, written)
    with studio.database.session() as session:
        have = history.entities(session, folio_id, "take")
    name = f"{have[score_id]['name']} on {have[take_id]['name']}" if score_id in have else "Aligned score"
    beat_map = check_map(
        BeatMap(
            name[:110],
            take_id,
            kept["reading"],
            made.beats,
            made.meters,
            made.first_bar_number,
            written_out=made.written_out,
            between=made.between,
        )
    )
    map_id, now = uuid.uuid4().hex[:12], time.time()
    put: list[tuple[str, str, str, Any]] = [(folios.BEAT_MAP, "", map_id, beat_maps.map_to_body(beat_map, now))]
    if beat_maps.is_first(studio, folio_id):
        put += beat_maps.rows_of_rule(studio, folio_id, map_id, beat_map)
    with studio.database.session() as session:
        strict = {i: p for i, p in history.entities(session, folio_id, "part").items() if p["take"] == score_id}
    # Both at once would only blur; one key compares them.
    moved = {part_id: body for kind, _, part_id, body in put if kind == "part"}
    put = [row for row in put if row[0] != "part" or row[2] not in strict]
    put += [("part", "", i, {**moved.get(i, p), "muted": True}) for i, p in strict.items()]
    voices = _voices(studio, folio_id, score_id, take_id, (map_id, kept["reading"]), data, found)
    for number, (part, notes) in enumerate(voices):
        part_id = uuid.uuid4().hex
        put.append(("part", "", part_id, part_to_body(part) | {"at": now + number * 1e-3}))
        put += [("note", part_id, n.id, note_to_body(n)) for n in notes]
    folios.change(studio, folio_id, history.Edit(f"“{name}” aligned", put=put), None)
    said = scalars["said"]
    return {**kept, "beat_map": map_id, **({"notice": " ".join(said)} if said else {})}


def _voices(
    studio: Studio,
    folio_id: str,
    score_id: str,
    take_id: str,
    made_by: tuple[str, str],
    data: bytes,
    found: "Alignment",
) -> list[tuple[Part, list[Note]]]:
    """The score's voices with their notes where the recording has them, and how sure that is.

    Args:
        studio, folio_id, score_id, take_id: where score and recording are.
        made_by: ids of the map they follow and of the reading.
        data: the score's file.
        found: where its onsets lie.
    """
    from honest_stave.core.formats.midi_notes import notes_of_file

    map_id, reading_id = made_by
    file = read_midi(data)
    quarter = file.ticks_a_quarter
    with studio.database.session() as session:
        have = history.entities(session, folio_id, "part").values()
    strict = sorted((p for p in have if p["take"] == score_id and not p.get("beat_map")), key=lambda p: p["at"])
    made = []
    tail_s = _tail_tempo_s(found)
    for number, (name, members) in enumerate(performances.split_notes(file, notes_of_file(file)[0])):
        look = part_from_body(strict[number]) if number < len(strict) else Part(name or "Voice")
        notes = []
        for n in members:
            beat = n.onset_tick / quarter
            on, off = (float(_at(at, found, tail_s)) for at in (beat, n.offset_tick / quarter))
            on_s, off_s = max(on, 0.0), max(off, on + SHORTEST_S, SHORTEST_S)
            pitch = min(max(n.pitch + found.semitones, 0), 127)
            sure = float(found.confidence[np.abs(found.beat - beat).argmin()])
            origin = Origin(reading_id, f"{beat:g} {pitch}", on_s, off_s, pitch, n.velocity, sure)
            notes.append(Note(uuid.uuid4().hex[:12], on_s, off_s, pitch, n.velocity, origin=origin))
        title = f"{look.name}, aligned"[:120]
        # What is written was played, however unsure its moment: no limit leaves it out.
        part = Part(title, look.instrument, take=take_id, percussion=look.percussion, beat_map=map_id)
        made.append((replace(part, least_confidence=0.0), notes))
    return made


def _tail_tempo_s(found: "Alignment") -> float:
    span = float(found.beat[-1] - found.beat[max(0, len(found.beat) - 5)])
    return float(found.time_s[-1] - found.time_s[max(0, len(found.beat) - 5)]) / span if span > 0 else 0.5


def _at(beat: float, found: "Alignment", tail_s: float) -> float:
    if beat > found.beat[-1]:
        return float(found.time_s[-1] + (beat - found.beat[-1]) * tail_s)
    return float(np.interp(beat, found.beat, found.time_s))


def score_of(studio: Studio, folio_id: str, beat_map: BeatMap) -> str:
    """Id of the take whose score a map was aligned with, empty for a map of beats that were heard."""
    if not beat_map.reading:
        return ""
    return str(readings.row(studio, folio_id, beat_map.reading).settings.get("score", ""))


def said_of(studio: Studio, folio_id: str, beat_map: BeatMap) -> list[str]:
    """Where score and recording do not go together, as it was told when a map was aligned."""
    if not beat_map.reading:
        return []
    return list(readings.row(studio, folio_id, beat_map.reading).summary.get("said", []))


@dataclass(frozen=True)
class SungAt:
    """What was measured where something is written to begin.

    Args:
        moments: its noise begins, its pitch stands, it is let go (s), nothing where it was not aligned.
        ends_at: where its end is written, in the list of beats with the share of the way to the next one.
    """

    moments: list[float | None]
    ends_at: float | None


NOT_SUNG = SungAt([], None)


def sung_at(studio: Studio, folio_id: str, beat_map: BeatMap) -> tuple[list[SungAt], list[SungAt]]:
    """What was measured on each beat, and between beats."""
    row = readings.row(studio, folio_id, beat_map.reading) if beat_map.reading else None
    if row is None or row.engine not in READABLE:
        return [NOT_SUNG] * len(beat_map.beats), [NOT_SUNG] * len(beat_map.between)
    with np.load(studio.files.path(row.arrays), allow_pickle=False) as arrays:
        time_s, moments = arrays["time_s"], arrays["moments"]
        # Alignments of earlier versions do not tell how long notes are written.
        lasts = arrays["lasts"] if "lasts" in arrays else np.full(len(time_s), np.nan)
    beats = np.arange(len(beat_map.beats))
    position = places_of(beat_map).position

    def of(onsets: Sequence[Beat | Between], place: NDArray[np.float64]) -> list[SungAt]:
        heard_s = np.array([-1.0 if each.heard_s is None else each.heard_s for each in onsets])
        nearest = nearest_of(heard_s, time_s)
        near = np.abs(time_s[nearest] - heard_s) < SHORTEST_S
        ends = np.interp(place, beats, position) + lasts[nearest]
        at = np.interp(ends, position, beats, right=np.nan)
        rows = zip(moments[nearest].tolist(), at.tolist(), near.tolist(), strict=True)
        return [
            SungAt([_known(m, 4) for m in measured], _known(ends_at, 6)) if there else NOT_SUNG
            for measured, ends_at, there in rows
        ]

    between = np.array([b.beat + b.share for b in beat_map.between])
    return of(beat_map.beats, beats.astype(float)), of(beat_map.between, between)


def nearest_of(moments_s: NDArray[np.float64], time_s: NDArray[np.float64]) -> NDArray[np.int64]:
    """Which of the aligned onsets lies nearest to each moment; pins may have put those out of order."""
    order = np.argsort(time_s, kind="stable")
    sorted_s = time_s[order]
    after = np.clip(np.searchsorted(sorted_s, moments_s), 1, len(time_s) - 1)
    return np.asarray(
        order[np.where(moments_s - sorted_s[after - 1] < sorted_s[after] - moments_s, after - 1, after)]
    )


def _known(value: float, decimals: int) -> float | None:
    return None if np.isnan(value) else round(value, decimals)
