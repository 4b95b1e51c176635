"""A reading of notes: made by a worker, kept as one file of arrays."""

import io
import json
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np

from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.pitch.reading import READABLE, NotesReading, PitchLine, ReadSettings
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.service.decoding import open_samples
from honest_stave.store.files import Files

Result = dict[str, Any]


def settings_from_json(body: Result) -> ReadSettings:
    """Engine settings from what the interface sent."""
    listen = ListenSettings(**body.get("listen", {}))
    own = {f.name: body[f.name] for f in fields(ReadSettings) if f.name in body and f.name != "listen"}
    own["drawn"] = tuple(tuple(piece) for piece in body.get("drawn", ()))
    return ReadSettings(**own, listen=listen)


def read_notes(files: Files, arguments: Result, progress: Progress) -> Result:
    """Reads notes; the arrays go into a file, the summary comes back."""
    from honest_stave.core.pitch.notes_engine import read

    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])

    reading = read(samples, arguments["rate"], settings_from_json(arguments["settings"]), progress)
    return {"arrays": files.add(reading_to_bytes(reading)), "summary": summary_of(reading)}


_SCALARS = (
    "voices", "starts_s", "tuning_cents", "tuning_agreement",
    "character", "character_confidence", "dying_share", "octave_stop_share", "pedal", "bare_bass", "engine",
)  # fmt: skip
_COLUMNS = ("score", "continuing", "centre", "level_db", "rival", "rival_share")


def summary_of(reading: NotesReading) -> Result:
    """What a reading says of the whole take."""
    return {name: getattr(reading, name) for name in _SCALARS}


def reading_to_bytes(reading: NotesReading) -> bytes:
    """A reading as one file of arrays."""
    arrays = {f"line_{f.name}": getattr(reading.line, f.name) for f in fields(PitchLine)}
    arrays |= {f"strikes_{f.name}": getattr(reading.strikes, f.name) for f in fields(Strikes)}
    arrays |= {name: getattr(reading, name) for name in _COLUMNS}
    out = io.BytesIO()
    np.savez(out, scalars=np.array(json.dumps(summary_of(reading))), **arrays)
    return out.getvalue()


def reading_from_file(path: Path) -> NotesReading:
    """A reading back from its file.

    Raises:
        BadInput: an engine that is no longer here made it.
    """
    with np.load(path, allow_pickle=False) as data:
        scalars = json.loads(str(data["scalars"]))
        if scalars["engine"] not in READABLE:
            raise BadInput(
                f"This reading was made by an older engine, {scalars['engine']}.",
                "Parts made of it are whole. Read the take again to move limits.",
            )
        scalars["pedal"] = tuple((down, up) for down, up in scalars["pedal"])
        line = PitchLine(**{f.name: data[f"line_{f.name}"] for f in fields(PitchLine)})
        strikes = Strikes(**{f.name: data[f"strikes_{f.name}"] for f in fields(Strikes)})
        return NotesReading(strikes=strikes, line=line, **{name: data[name] for name in _COLUMNS}, **scalars)
