"""Takes: brought in, described, renamed, removed, heard."""

import uuid
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput, NotFound, TooLarge
from honest_stave.core.signal.listen import heard_channels
from honest_stave.core.signal.peaks import LEVELS
from honest_stave.core.sound.pace import played_piece
from honest_stave.core.words import free_name, how_many
from honest_stave.service import folios, performances
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import Job, Recording

COPY_BYTES = 1 << 20
LONGEST_NAME = 120
# The browser asks for sound in pieces of a few seconds.
LONGEST_PIECE_S = 30.0
SLOWEST_PACE = 0.25
MOST_PEAKS = 20_000
# What a take is called after its name where that is another's.
CALLED = {"midi": "MIDI", "musicxml": "score"}


def name_of_file(filename: str) -> str:
    """A take's name from a file's name: its last piece, without its ending, printable and not too long."""
    last = filename.replace("\\", "/").rsplit("/", 1)[-1]
    stem = last.rsplit(".", 1)[0] if "." in last[1:] else last
    clean = "".join(c for c in stem if c.isprintable()).strip()
    return clean[:LONGEST_NAME] or "Take"


def bring_in(studio: Studio, folio_id: str, filename: str, source: BinaryIO) -> str:
    """Keeps a file and queues its decoding; returns the job's id.

    Raises:
        TooLarge: over the limit of bytes.
        NoRoom: the disk is full.
        NotFound: no such folio.
    """
    with studio.database.session() as session:
        history.folio_row(session, folio_id)
    size = 0
    with studio.files.writing() as incoming:
        while block := source.read(COPY_BYTES):
            size += len(block)
            if size > studio.most_upload_bytes:
                raise TooLarge(
                    f"“{name_of_file(filename)}” is larger than {studio.most_upload_bytes >> 20} MB.",
                    "Cut it, or export it at a lower depth.",
                )
            incoming.file.write(block)
        content = incoming.keep()
    name = name_of_file(filename)
    arguments = {"content": content, "name": filename[-300:], "take_name": name}
    return studio.jobs.add(folio_id, "decode", f"Bringing in “{name}”", arguments)


def finish_decoding(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Makes a take of a decoded file, or a part of a MIDI file; says so where it is here already."""
    # A score is kept as the MIDI file of its strict performance.
    content, name = result.get("content") or job.arguments["content"], job.arguments["take_name"]
    with studio.database.session() as session:
        have = history.entities(session, job.folio_id, "take").values()
        for take in have:
            if take["content"] == content:
                return {"notice": f"“{name}” is here already, as “{take['name']}”. It was not added twice."}
        name = _free_name(name, result["facts"]["format"], {take["name"]: take["facts"]["format"] for take in have})
        if session.get(Recording, content) is None:
            session.add(Recording(content=content, kind=result["kind"], facts=result["facts"]))
    take_id = uuid.uuid4().hex
    take = {"name": name, "content": content, "kind": result["kind"], "facts": result["facts"], "at": job.at}
    edit = history.Edit(f"“{name}” brought in", put=[("take", "", take_id, take)])
    outcome: dict[str, Any] = {"take": take_id}
    if result["kind"] == "midi":
        added, remarks, facts = performances.parts_of_midi(studio, take_id, name, content)
        take["facts"] = {**take["facts"], **facts}
        edit.put += added
        outcome["notice"] = " ".join([*result["facts"].get("remarks", []), *remarks])
    folios.change(studio, job.folio_id, edit, None)
    return outcome


def _free_name(name: str, file_format: str, taken: dict[str, str]) -> str:
    """A name that no other take has: a score often has that of its recording.

    Args:
        name: as the file has it.
        file_format: of the file.
        taken: names of the other takes, and their formats.
    """
    own, others = (CALLED.get(each, "recording") for each in (file_format, taken.get(name, file_format)))
    return free_name(name if own == others else f"{name}, {own}", taken)


def rename(studio: Studio, folio_id: str, take_id: str, name: str, base: int | None) -> int:
    """Gives a take another name."""
    name = folios.clean_title(name, "name")
    with studio.database.session() as session:
        take = history.entity(session, folio_id, "take", take_id)
    edit = history.Edit(f"Take called “{name}”", put=[("take", "", take_id, {**take, "name": name})])
    return folios.change(studio, folio_id, edit, base)


def remove(studio: Studio, folio_id: str, take_ids: list[str], base: int | None) -> int:
    """Takes one or several takes out of the folio; undo brings them back, their parts stay.

    Raises:
        NotFound: one of them is not in the folio.
    """
    with studio.database.session() as session:
        names = [history.entity(session, folio_id, "take", i)["name"] for i in take_ids]
    what = f"“{names[0]}”" if len(names) == 1 else how_many(len(names), "take")
    edit = history.Edit(f"{what} removed", removed=[("take", "", i) for i in take_ids])
    return folios.change(studio, folio_id, edit, base)


def audio_take(studio: Studio, folio_id: str, take_id: str) -> dict[str, Any]:
    """A take that is a recording.

    Raises:
        NotFound: it is not in the folio.
        BadInput: it is a performance.
    """
    with studio.database.session() as session:
        take = history.entity(session, folio_id, "take", take_id)
    if take["kind"] != "audio":
        raise BadInput(f"“{take['name']}” is a performance and holds no sound.", "Choose a recording.")
    return take


def samples_of(studio: Studio, take: dict[str, Any]) -> tuple[NDArray[np.float32], int]:
    """Samples (frames, channels), mapped, and the rate of a recording."""
    facts = take["facts"]
    return open_samples(studio.files.path(facts["samples"]), facts["channels"]), facts["rate"]


def peaks(studio: Studio, folio_id: str, take_id: str, level: int, first: int, count: int) -> bytes:
    """Peaks of a level as int16 pairs, from bucket ``first``; level -1 gives samples as float32."""
    take = audio_take(studio, folio_id, take_id)
    count = min(max(count, 0), MOST_PEAKS)
    if level == -1:
        samples, _ = samples_of(studio, take)
        there = samples[first : first + count]
        if take["facts"].get("opposed_channels"):
            heard, weights = heard_channels(samples, "sum")
            return np.asarray(there[:, heard] @ np.array(weights), np.float32).tobytes()
        return np.ascontiguousarray(there.mean(axis=1), np.float32).tobytes()
    if not 0 <= level < len(LEVELS):
        raise NotFound(f"There is no peak level {level}.", f"Levels go from 0 to {len(LEVELS) - 1}.")
    with studio.files.path(take["facts"]["peaks"][level]).open("rb") as file:
        file.seek(max(first, 0) * 4)
        return file.read(count * 4)


def sound(
    studio: Studio, folio_id: str, take_id: str, from_s: float, to_s: float, pace: float, played_rate: int
) -> bytes:
    """Float32 stereo of a stretch, played at ``pace`` with its pitch kept, at a rate."""
    take = audio_take(studio, folio_id, take_id)
    if to_s - from_s > LONGEST_PIECE_S or not SLOWEST_PACE <= pace <= 1.0:
        raise BadInput("This stretch of sound is too long.", f"Ask for at most {LONGEST_PIECE_S:g} s.")
    samples, rate = samples_of(studio, take)
    return played_piece(samples, rate, from_s, to_s, pace, played_rate).tobytes()


def to_read(take_id: str, take: dict[str, Any], settings: dict[str, Any]) -> dict[str, Any]:
    """What a worker needs to read a take: where its samples lie, and how it is to be read."""
    facts = {name: take["facts"][name] for name in ("samples", "channels", "rate")}
    return {"take": take_id, **facts, "settings": settings}
