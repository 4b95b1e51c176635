"""What a worker does with an uploaded file: samples, peaks and facts of a recording; MIDI and scores passed on.

Files in, files and facts out; no database. Decoders and engines are imported when the work begins, so
that the web server, which names this work, starts without them.
"""

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput, Progress, TooLarge
from honest_stave.core.formats.hints import hints_from_name, timeline_of_wav
from honest_stave.core.signal.measure import Measurer
from honest_stave.core.signal.opposed import opposed_channels
from honest_stave.core.signal.peaks import PeakMaker
from honest_stave.store.files import Files

Result = dict[str, Any]
MIDI_BYTES = 32 << 20


def decode_take(files: Files, arguments: Result, progress: Progress) -> Result:
    """Decodes an uploaded file into samples and peaks, or passes a MIDI file on."""
    from honest_stave.core.formats.audio_read import open_audio, recognise
    from honest_stave.core.formats.musicxml_read import is_musicxml

    path = files.path(arguments["content"])
    tempo_bpm, key = hints_from_name(arguments["name"])
    hints: Result = {"tempo_bpm": tempo_bpm, "key": key, "timeline_s": None}
    with path.open("rb") as source:
        head = source.read(512)
        if is_musicxml(head):
            return _decode_score(files, path, arguments["take_name"], hints)
        if recognise(head[:64]) == "midi":
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
    decoded = open_samples(files.path(samples), info.channels) if frames else None
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
        "seems": None if decoded is None else _kind_of_take(decoded, info.rate),
        "opposed_channels": 0 if decoded is None else int(opposed_channels(decoded).sum()),
        **asdict(measurer.finish()),
    }
    return {"kind": "audio", "facts": facts}


def _decode_score(files: Files, path: Path, name: str, hints: Result) -> Result:
    """A score as the MIDI file of its strict performance; what is left out is told."""
    from honest_stave.core.formats.musicxml_read import LARGEST_BYTES, read_musicxml, score_as_midi

    if path.stat().st_size > LARGEST_BYTES:
        raise TooLarge("This score is too large.", f"At most {LARGEST_BYTES >> 20} MB can be read.")
    score = read_musicxml(path.read_bytes())
    remarks = []
    once = ""
    if score.repeats:
        once = files.add(score_as_midi(read_musicxml(path.read_bytes(), repeated=False), name))
        remarks.append("Its repeats are played as they are written; a recording without them is told from one with.")
    if score.fermatas:
        count = len(score.fermatas)
        remarks.append(f"{count} {'hold is' if count == 1 else 'holds are'} written over notes; none adds time here.")
    facts = {"hints": hints, "format": "musicxml", "remarks": remarks, "once": once}
    return {"kind": "midi", "facts": facts, "content": files.add(score_as_midi(score, name))}


def _kind_of_take(samples: NDArray[np.float32], rate: int) -> Result | None:
    """What a take seems to hold, nothing where the network is missing: it is brought in all the same."""
    from honest_stave.core.pitch.kind import judge_kind

    try:
        return asdict(judge_kind(samples, rate))
    except BadInput:
        return None


def open_samples(path: Path, channels: int) -> NDArray[np.float32]:
    """Samples of a decoded take (frames, channels), mapped and not read."""
    if path.stat().st_size == 0:
        raise BadInput("This take holds no samples.", "Bring another recording in.")
    return np.memmap(path, dtype=np.float32, mode="r").reshape(-1, channels)
