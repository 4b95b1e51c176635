"""Handing on: described, written, proven, kept, repeated; one file or one a part in a ZIP."""

import re
import time
import uuid
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select

from honest_stave.core.errors import BadInput, NotFound
from honest_stave.core.formats.tables import notes_as_csv, notes_as_json, notes_as_labels
from honest_stave.core.hits.keys import names_of_keys
from honest_stave.core.part.events import Sounding
from honest_stave.core.part.handing_on import HandOnSettings, Line, Plan, names_of_pitches, plan, write_and_prove
from honest_stave.core.part.proof import Proof, proof_text
from honest_stave.core.signal.convert import pitch_name
from honest_stave.core.sound.instruments import instrument_names
from honest_stave.core.words import free_name
from honest_stave.service import folios, parts
from honest_stave.service.archive import keep_archive
from honest_stave.service.codec import part_from_body
from honest_stave.service.kits import maps_of_take
from honest_stave.service.places import places_of, tempo_of
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import HandOn, Preference

ENDINGS = {"midi": ".mid", "csv": ".csv", "json": ".json", "labels": ".txt"}
UNSAFE = re.compile(r'[\\/:*?"<>|\x00-\x1f]+')
LONGEST_FILE_NAME = 80
DEFAULT_PATTERN = "{folio} {part}"
NAMELESS = re.compile(r"^(?:|unknown|untitled|track \d+|part)$", re.IGNORECASE)


def file_stem(pattern: str, folio: str, part: str, bpm: float) -> str:
    """A file's name by a pattern with {folio}, {part} and {tempo}, safe on every system."""
    named = pattern.replace("{folio}", folio).replace("{part}", part).replace("{tempo}", f"{bpm:g}")
    safe = UNSAFE.sub(" ", named).strip(" .")
    return re.sub(r"\s+", " ", safe)[:LONGEST_FILE_NAME].strip(" .") or "notes"


def _settings(body: dict[str, Any]) -> HandOnSettings:
    known = {k: body[k] for k in HandOnSettings.__dataclass_fields__ if k in body}
    return HandOnSettings(**known)


def lines_of(studio: Studio, folio_id: str, body: dict[str, Any], seen_from: str = "") -> list[Line]:
    """Parts that are asked for, as they are handed on, in the seconds of a take or of the folio."""
    with studio.database.session() as session:
        takes = history.entities(session, folio_id, "take")
        bodies = folios.parts_in_order(history.entities(session, folio_id, "part"), takes)
    chosen = set(body.get("parts") or bodies)
    heard = parts.events(studio, folio_id, [i for i in bodies if i in chosen], seen_from)
    places = places_of(studio, folio_id)
    programs = instrument_names()
    lines = []
    for part_id, events in heard.items():
        part = part_from_body(bodies[part_id])
        name = (body.get("names") or {}).get(part_id) or part.name
        program = None if part.percussion or part.instrument not in programs else programs[part.instrument][1]
        by_s = places.get(part.take, 0.0) - places.get(seen_from, 0.0)
        pedal = tuple((down + by_s, up + by_s) for down, up in part.pedal)
        keys: dict[int, str] = {}
        if part.percussion:
            keys = names_of_keys({n.pitch for n in events}, maps_of_take(studio, folio_id, part.take))
        lines.append(Line(part_id, name, program, tuple(events), part.percussion, pedal, keys))
    return lines


def _planned(studio: Studio, folio_id: str, body: dict[str, Any]) -> list[Plan]:
    take_id = _shared_take(studio, folio_id, body.get("parts"))
    lines = lines_of(studio, folio_id, body, take_id)
    nameless = [line for line in lines if NAMELESS.match(line.name.strip())]
    if nameless:
        raise BadInput("A part has no name.", "Name it, so that the receiver knows what it is.")
    tempo_map = tempo_of(studio, folio_id, take_id)
    settings = _settings(body)
    places = places_of(studio, folio_id)
    origin = "recording" if places.get(take_id) or not any(places.values()) else "folio"
    if body.get("files") == "each" and any(line.events for line in lines):
        return [plan([line], tempo_map, settings, origin) for line in lines if line.events]
    return [plan(lines, tempo_map, settings, origin)]


def _shared_take(studio: Studio, folio_id: str, part_ids: list[str] | None) -> str:
    """The take whose seconds a file counts in: that of the parts where they have one place, else none."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "part")
    of_parts = {bodies[i]["take"] for i in part_ids or bodies if i in bodies}
    places = places_of(studio, folio_id)
    return min(of_parts) if len({places.get(take_id, 0.0) for take_id in of_parts}) == 1 else ""


def _titles(studio: Studio, folio_id: str, body: dict[str, Any], plans: list[Plan]) -> tuple[list[str], list[str]]:
    """Names of the files, and what has to be said of them."""
    with studio.database.session() as session:
        folio = history.entity(session, folio_id, "settings", "settings")["title"]
        taken = set(session.scalars(select(HandOn.name).where(HandOn.folio_id == folio_id)))
    ending = ENDINGS[body.get("format", "midi")]
    pattern = body.get("pattern") or DEFAULT_PATTERN
    names: list[str] = []
    said: list[str] = []
    for each in plans:
        part = each.lines[0].name if len(each.lines) == 1 else ""
        bpm = each.tempo_map.bpm_at(float(each.tempo_map.beats_at(each.start_s)))
        stem = file_stem(pattern, folio, part, round(bpm, 2))
        name = free_name(stem, [*names, *([] if body.get("overwrite") else taken)], ending)
        if name != stem + ending:
            said.append(f"“{stem}{ending}” was handed on before; this one is called “{name}”.")
        names.append(name)
    return names, said


def describe(studio: Studio, folio_id: str, body: dict[str, Any]) -> dict[str, Any]:
    """What the receiver will get, in words, before anything is written."""
    return _told(studio, folio_id, body, _planned(studio, folio_id, body))


def _told(studio: Studio, folio_id: str, body: dict[str, Any], plans: list[Plan]) -> dict[str, Any]:
    names, said = _titles(studio, folio_id, body, plans)
    midi = body.get("format", "midi") == "midi"
    words: list[str] = []
    for name, each in zip(names, plans, strict=True):
        doubts = [each.in_doubt] if each.in_doubt else []
        if len(plans) > 1:
            words.append(" ".join((f"{name}: {each.words[0]}", *doubts)))
        else:
            words += [*each.words, *(each.midi_words if midi else ()), *doubts]
    if not midi:
        words.append("Moments count from the file's beginning in seconds.")
    left_out = [text for each in plans for text in each.left_out]
    return {"names": names, "words": words, "left_out": left_out, "said": said}


def _table(each: Plan, kind: str) -> str:
    events = sorted((n for line in each.lines for n in line.events), key=lambda n: (n.onset_s, n.pitch))
    lines = {line.id: line for line in each.lines}
    octave, called = each.settings.middle_c_octave, names_of_pitches(each)

    def name_of(note: Sounding) -> str:
        return lines[note.part].keys.get(note.pitch) or pitch_name(note.pitch, octave, called)

    if kind == "labels":
        return notes_as_labels(events, each.start_s, name_of)
    as_rows = notes_as_csv if kind == "csv" else notes_as_json
    return as_rows(events, {i: line.name for i, line in lines.items()}, each.tempo_map, each.start_s, name_of)


def _proof_body(proof: Proof) -> dict[str, Any]:
    return asdict(proof)


def hand_on(studio: Studio, folio_id: str, body: dict[str, Any]) -> dict[str, Any]:
    """Writes, reads back and keeps; returns the hand-on with its proof."""
    kind = body.get("format", "midi")
    if kind not in ENDINGS:
        raise BadInput(f"There is no format {kind!r}.", f"Choose one of {', '.join(ENDINGS)}.")
    plans = _planned(studio, folio_id, body)
    told = _told(studio, folio_id, body, plans)
    files: list[tuple[str, bytes]] = []
    proofs: list[tuple[str, Proof]] = []
    with studio.database.session() as session:
        folio = history.entity(session, folio_id, "settings", "settings")["title"]
    for name, each in zip(told["names"], plans, strict=True):
        if kind == "midi":
            title = each.lines[0].name if len(each.lines) == 1 else folio
            data, proof = write_and_prove(each, title)
            proofs.append((name, proof))
        else:
            data = _table(each, kind).encode()
        files.append((name, data))
    name = files[0][0]
    if len(files) > 1:
        name = file_stem("{folio} parts", folio, "", 0) + ".zip"
        text = "\n".join(proof_text(proof, file) for file, proof in proofs)
        content = keep_archive(studio.files, files, told["words"], told["left_out"], text)
    else:
        content = studio.files.add(files[0][1])
    proof_body = _joined_proof(proofs)
    row = HandOn(
        id=uuid.uuid4().hex,
        folio_id=folio_id,
        at=time.time(),
        name=name,
        content=content,
        settings={**body, "told": told},
        proof=proof_body,
    )
    with studio.database.session() as session:
        session.add(row)
        session.merge(Preference(key="hand-on", value={k: v for k, v in body.items() if k not in ("parts", "names")}))
    return said(row)


def _joined_proof(proofs: list[tuple[str, Proof]]) -> dict[str, Any]:
    if not proofs:
        return {}
    text = "\n".join(proof_text(p, name) for name, p in proofs)
    joined = Proof(
        same=all(p.same for _, p in proofs),
        notes=sum(p.notes for _, p in proofs),
        bends=sum(p.bends for _, p in proofs),
        greatest_ms=max(p.greatest_ms for _, p in proofs),
        greatest_cents=max(p.greatest_cents for _, p in proofs),
        differences=tuple(d for _, p in proofs for d in p.differences),
    )
    return {**_proof_body(joined), "text": text}


def said(row: HandOn) -> dict[str, Any]:
    """A hand-on as the interface shows it."""
    told = row.settings.get("told", {})
    return {
        "id": row.id,
        "name": row.name,
        "at": row.at,
        "settings": {k: v for k, v in row.settings.items() if k != "told"},
        "told": told,
        "proof": row.proof,
    }


def listed(studio: Studio, folio_id: str) -> list[dict[str, Any]]:
    """What was handed on from a folio, newest first."""
    with studio.database.session() as session:
        query = select(HandOn).where(HandOn.folio_id == folio_id).order_by(HandOn.at.desc()).limit(50)
        return [said(row) for row in session.scalars(query)]


def file_of(studio: Studio, folio_id: str, hand_on_id: str) -> tuple[str, Path]:
    """Name and file of what was handed on.

    Raises:
        NotFound: it is not there.
    """
    with studio.database.session() as session:
        row = session.get(HandOn, hand_on_id)
    if row is None or row.folio_id != folio_id:
        raise NotFound("This file is no longer here.", "Hand it on again.")
    return row.name, studio.files.path(row.content)


def remembered(studio: Studio) -> dict[str, Any]:
    """The settings used last."""
    with studio.database.session() as session:
        row = session.get(Preference, "hand-on")
        return dict(row.value) if row else {}
