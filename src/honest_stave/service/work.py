"""What worker processes do: decode a take, read a take. Files in, files and facts out; no database.

Decoders and engines are imported when the work begins, so that the web server, which names
this work, starts without them.
"""

import io
import json
from collections.abc import Callable
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput, Progress, TooLarge
from honest_stave.core.formats.hints import hints_from_name, timeline_of_wav
from honest_stave.core.pitch.reading import OneVoiceReading, OneVoiceSettings, Pieces
from honest_stave.core.pitch.track import Track
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.core.signal.measure import Measurer
from honest_stave.core.signal.peaks import PeakMaker
from honest_stave.store.files import Files

Result = dict[str, Any]
MIDI_BYTES = 32 << 20


def decode_take(files: Files, arguments: Result, progress: Progress) -> Result:
    """Decodes an uploaded file into samples and peaks, or passes a MIDI file on."""
    from honest_stave.core.formats.audio_read import open_audio, recognise

    path = files.path(arguments["content"])
    tempo_bpm, key = hints_from_name(arguments["name"])
    hints: Result = {"tempo_bpm": tempo_bpm, "key": key, "timeline_s": None}
    with path.open("rb") as source:
        if recognise(source.read(64)) == "midi":
            if path.stat().st_size > MIDI_BYTES:
                raise TooLarge("This MIDI file is too large.", "At most 32 MB can be read.")
            return {"kind": "midi", "facts": {"hints": hints, "format": "midi"}}
        source.seek(0)
        info, blocks = open_audio(source)
        measurer, peaks, frames = Measurer(info.rate), PeakMaker(), 0
        with files.writing() as out:
            for block in blocks:
                clean = measurer.add(np.ascontiguousarray(block, np.float32))
                peaks.add(clean)
                out.file.write(clean.tobytes())
                frames += len(clean)
                progress(min(0.97, frames / info.frames if info.frames else 0.5))
            samples = out.keep()
    with path.open("rb") as source:
        hints["timeline_s"] = timeline_of_wav(source, info.rate)
    facts = {
        "format": info.kind,
        "rate": info.rate,
        "channels": info.channels,
        "frames": frames,
        "duration_s": frames / info.rate,
        "samples": samples,
        "peaks": [files.add(level.tobytes()) for level in peaks.finish().levels],
        "hints": hints,
        **asdict(measurer.finish()),
    }
    return {"kind": "audio", "facts": facts}


def open_samples(path: Path, channels: int) -> NDArray[np.float32]:
    """Samples of a decoded take (frames, channels), mapped and not read."""
    if path.stat().st_size == 0:
        raise BadInput("This take holds no samples.", "Bring another recording in.")
    return np.memmap(path, dtype=np.float32, mode="r").reshape(-1, channels)


def settings_from_json(body: Result) -> OneVoiceSettings:
    """Engine settings from what the interface sent."""
    listen = ListenSettings(**body.get("listen", {}))
    own = {f.name: body[f.name] for f in fields(OneVoiceSettings) if f.name in body and f.name != "listen"}
    return OneVoiceSettings(**own, listen=listen)


def read_one_voice(files: Files, arguments: Result, progress: Progress) -> Result:
    """Reads one voice; the arrays go into a file, the summary comes back."""
    from honest_stave.core.pitch.one_voice import read

    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    reading = read(samples, arguments["rate"], settings_from_json(arguments["settings"]), progress)
    return {"arrays": files.add(reading_to_bytes(reading)), "summary": _summary(reading)}


_SCALARS = (
    "starts_s", "tuning_cents", "tuning_agreement", "character", "character_confidence",
    "wander_semitones", "split_price", "reference_db", "floor_db", "engine",
)  # fmt: skip


def _summary(reading: OneVoiceReading) -> Result:
    return {name: getattr(reading, name) for name in _SCALARS}


def reading_to_bytes(reading: OneVoiceReading) -> bytes:
    """A reading as one file of arrays."""
    arrays = {f"track_{f.name}": getattr(reading.track, f.name) for f in fields(Track)}
    arrays |= {f"pieces_{f.name}": getattr(reading.pieces, f.name) for f in fields(Pieces)}
    out = io.BytesIO()
    np.savez(out, scalars=np.array(json.dumps(_summary(reading))), **arrays)
    return out.getvalue()


def reading_from_file(path: Path) -> OneVoiceReading:
    """A reading back from its file."""
    with np.load(path, allow_pickle=False) as data:
        scalars = json.loads(str(data["scalars"]))
        track = Track(**{f.name: data[f"track_{f.name}"] for f in fields(Track)})
        pieces = Pieces(**{f.name: data[f"pieces_{f.name}"] for f in fields(Pieces)})
    return OneVoiceReading(track=track, pieces=pieces, **scalars)


TASKS: dict[str, Callable[[Files, Result, Progress], Result]] = {
    "decode": decode_take,
    "one voice": read_one_voice,
}
