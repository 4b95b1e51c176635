"""Kits handed on: slices, SFZ, SoundFont, MIDI, tables, in one ZIP with its proof."""

import csv
import io
import time
import uuid
from dataclasses import asdict, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select

from honest_stave.core.errors import BadInput
from honest_stave.core.formats.zones import Zone
from honest_stave.core.hits.kit import LEAD
from honest_stave.core.hits.kit_export import KitFiles, export_kit, kit_proof_text, plan_pattern
from honest_stave.core.hits.pattern import drum_notes
from honest_stave.core.hits.zones_of_kit import LOOP_NAME, at_length, name_of, stretched_tail, zones_of
from honest_stave.core.part.handing_on import words_of_doubt, write_and_prove
from honest_stave.core.words import free_name, how_many
from honest_stave.service import kit_parts, kit_tempo, kits, takes
from honest_stave.service.archive import keep_archive
from honest_stave.service.decoding import open_samples
from honest_stave.service.handing import file_stem, said
from honest_stave.service.kit_parts import PatternSettings
from honest_stave.service.kits import OpenKit
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import HandOn

FORMATS = ("wav", "sfz", "sf2", "lanes", "csv", "labels")


def zones(studio: Studio, folio_id: str, found: OpenKit, pace: float = 1.0) -> list[Zone]:
    """Zones of a kit, tails stretched where the kit says so and it plays slower, and the whole loop."""
    made = zones_of(found.kit, found.slices, found.keys, kits.samples_for(studio, folio_id, found), found.rate)
    if found.kit.tails == "stretch" and pace < 1:
        made = [
            Zone(z.key, z.name, stretched_tail(z.sound, found.rate, 1 / pace), z.choke, z.one_shot, z.release_s)
            for z in made
        ]
    key = found.loop_key
    if key is not None:
        # The whole loop goes at the folio's tempo, its pitch kept.
        times = 1 / kit_tempo.folio_pace(studio, folio_id, found.kit)
        facts = takes.audio_take(studio, folio_id, found.kit.take)["facts"]
        whole = _whole_loop(studio.files.path(facts["samples"]), facts["channels"], found.rate, times)
        made.append(Zone(key, LOOP_NAME, whole, one_shot=True))
    return made


# Edits of a kit leave its loop as it is: it is stretched once.
@lru_cache(maxsize=2)
def _whole_loop(samples: Path, channels: int, rate: int, times: float) -> NDArray[np.float32]:
    return at_length(open_samples(samples, channels), rate, times)


def exported(
    studio: Studio, folio_id: str, found: OpenKit, formats: list[str], settings: PatternSettings
) -> tuple[KitFiles, str]:
    """Files of a kit with their proof, and the name they carry."""
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise BadInput("No format was chosen.", f"Choose of {', '.join(FORMATS)}.")
    tempo_map = kit_tempo.map_of_loop(studio, folio_id, found.kit)
    notes = kit_parts.pattern_notes(studio, folio_id, found, settings)
    pace = 1.0
    if settings.bpm is not None:
        pace = settings.bpm / tempo_map.bpm_at(0.0)
        tempo_map = tempo_map.with_bpm(settings.bpm)
    name = file_stem("{part}", "", found.kit.name, 0)
    cues = [(s.first, name_of(s, i)) for i, s in enumerate(found.slices, 1) if s.id != LEAD]
    made = export_kit(
        name, zones(studio, folio_id, found, pace), found.samples, found.rate, cues, notes, tempo_map, formats
    )
    files, words, proof = list(made.files), list(made.words), made.proof
    if found.keyless:
        remark = (
            f"{how_many(found.keyless, 'slice')} beyond the highest key: in no instrument and not in the pattern. "
            "Raise the threshold, or lower the root."
        )
        proof = replace(proof, same=False, remarks=(remark, *proof.remarks))
    if "lanes" in formats:
        drums = drum_notes(found.kit, found.slices, found.rate)
        for drum in dict.fromkeys(s.drum for piece in found.slices for s in piece.strikes):
            own = [n for n in drums if n.id.endswith(f" {drum}")]
            if own:
                files.append(
                    (f"{name} {drum}.mid", write_and_prove(plan_pattern(drum, own, tempo_map, True), drum)[0])
                )
        if drums:
            data, written = write_and_prove(plan_pattern(name, drums, tempo_map, True), name)
            files.append((f"{name} drums.mid", data))
            words.append(f"{name} drums.mid holds {written.notes} drum notes, and each lane has a file of its own.")
            doubt = words_of_doubt(sum(n.doubt for n in drums), len(drums), "drum note")
            words += [f"{doubt}; those that were named by hand are not counted."] if doubt else []
    if "csv" in formats:
        files.append((f"{name}.csv", _table(found).encode()))
    if "labels" in formats:
        files.append((f"{name} labels.txt", _labels(found).encode()))
    return KitFiles(tuple(files), proof, tuple(words)), name


def _table(found: OpenKit) -> str:
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["slice", "starts_s", "ends_s", "key", "drum", "kind", "velocity", "confidence", "by_hand"])
    for number, piece in enumerate(found.slices, 1):
        begun = [number, f"{piece.first / found.rate:.6f}", f"{piece.last / found.rate:.6f}"]
        key = found.keys.get(piece.id, "")
        for s in piece.strikes or (None,):
            heard = [s.drum, s.kind, s.velocity, f"{s.confidence:.3f}"] if s else ["", "", "", ""]
            rows.writerow([*begun, key, *heard, int(piece.by_hand)])
    return out.getvalue()


def _labels(found: OpenKit) -> str:
    return "".join(
        f"{s.first / found.rate:.6f}\t{s.last / found.rate:.6f}\t{name_of(s, i)}\n"
        for i, s in enumerate(found.slices, 1)
    )


def hand_on(
    studio: Studio, folio_id: str, kit_id: str, formats: list[str], settings: PatternSettings
) -> dict[str, Any]:
    """Writes a kit, reads it back and keeps it; returns the hand-on with its proof."""
    found = kits.opened(studio, folio_id, kit_id)
    made, name = exported(studio, folio_id, found, formats, settings)
    with studio.database.session() as session:
        folio = history.entity(session, folio_id, "settings", "settings")["title"]
        taken = set(session.scalars(select(HandOn.name).where(HandOn.folio_id == folio_id)))
    stem = file_stem("{folio} {part} kit", folio, name, 0)
    title = free_name(stem, taken, ".zip")
    proof = made.proof
    body = {
        **asdict(proof.midi),
        "same": proof.same,
        "zones_db": proof.zones_db,
        "whole_db": proof.whole_db,
        "against": proof.against,
        "against_db": proof.against_db,
        "remarks": list(proof.remarks),
        "text": kit_proof_text(proof, name),
    }
    told = {"names": [title], "words": list(made.words), "left_out": [], "said": []}
    row = HandOn(
        id=uuid.uuid4().hex,
        folio_id=folio_id,
        at=time.time(),
        name=title,
        content=keep_archive(studio.files, made.files, made.words, None, kit_proof_text(proof, name)),
        settings={"kit": kit_id, "formats": formats, **asdict(settings), "told": told},
        proof=body,
    )
    with studio.database.session() as session:
        session.add(row)
    return said(row)
