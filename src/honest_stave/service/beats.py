"""Readings of beats: asked for, kept, opened; a beat map is made of each."""

import io
import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_engine import BeatsReading
from honest_stave.core.beat.reread import HeardBefore
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.errors import BadInput, Progress
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.service import readings, takes
from honest_stave.service.decoding import open_samples
from honest_stave.service.studio import Studio
from honest_stave.store.files import Files

COLUMNS = ("time_s", "bar", "beat", "confidence", "heard", "downbeat_confidence", "odds", "begun")


@dataclass(frozen=True)
class KeptBeats:
    """What mending needs of a reading: what was heard, other ways to count, silences, clicks."""

    heard: HeardBefore
    runners_up: tuple[tuple[str, float], ...]
    silences: tuple[tuple[float, float], ...]
    clicks: tuple[tuple[float, float, float], ...] = ()


def ask(studio: Studio, folio_id: str, take_id: str, listen: dict[str, Any], even_bpm: float | None = None) -> str:
    """Queues a reading of a take's beats, of which a map is made; returns the job's id.

    Args:
        studio, folio_id, take_id: where the take is.
        listen: channels and stretch.
        even_bpm: of even beats that are laid on the take instead of those that are heard, in beats a minute.

    Raises:
        BadInput: the take holds no sound.
    """
    take = takes.audio_take(studio, folio_id, take_id)
    # The first even beat lies where the take begins to sound.
    settings = {"listen": listen, "even_bpm": even_bpm, "sounds_from_s": take["facts"].get("silence_before_s", 0.0)}
    arguments = takes.to_read(take_id, take, settings)
    return studio.jobs.add(folio_id, "beats", f"Finding the beats of “{take['name']}”", arguments)


def read_beats(files: Files, arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Reads beats in a worker; the arrays go into a file, the summary comes back.

    Raises:
        BadInput: the take has no beat, and none are to be laid on it.
    """
    from honest_stave.core.beat.beats_engine import read
    from honest_stave.core.beat.even import evenly

    samples = open_samples(files.path(arguments["samples"]), arguments["channels"])
    settings = arguments["settings"]
    listen = ListenSettings(**settings["listen"])
    reading = read(samples, arguments["rate"], listen, progress)
    if settings.get("even_bpm"):
        last_s = listen.to_s or len(samples) / arguments["rate"]
        reading = evenly(reading, settings["even_bpm"], max(listen.from_s, settings["sounds_from_s"]), last_s)
    if not len(reading.time_s):
        raise BadInput(
            "No beat is heard in this take.",
            "It may be a drone, noise or free speech. Lay even beats on it instead, and tap or pin them.",
        )
    scalars = {
        "meters": [asdict(m) for m in reading.meters],
        "starts_s": reading.starts_s,
        "runners_up": reading.runners_up,
        "silences": reading.silences,
        "clicks": reading.clicks,
        "engine": reading.engine,
    }
    out = io.BytesIO()
    np.savez(out, scalars=np.array(json.dumps(scalars)), **{name: getattr(reading, name) for name in COLUMNS})
    return {"arrays": files.add(out.getvalue()), "summary": {"engine": reading.engine, "starts_s": reading.starts_s}}


def reading_from_file(path: Path) -> BeatsReading:
    """A reading back from its file."""
    with np.load(path, allow_pickle=False) as data:
        scalars = json.loads(str(data["scalars"]))
        return BeatsReading(
            **{name: data[name] for name in COLUMNS if name != "begun"},
            begun=_begun(data),
            meters=tuple(Meter(**m) for m in scalars["meters"]),
            starts_s=scalars["starts_s"],
            runners_up=tuple((str(name), float(share)) for name, share in scalars["runners_up"]),
            silences=tuple((float(a), float(b)) for a, b in scalars.get("silences", [])),
            clicks=_clicks(scalars),
            engine=scalars["engine"],
        )


def kept_of(studio: Studio, folio_id: str, reading_id: str) -> KeptBeats:
    """What a reading keeps for mending."""
    return _kept(studio.files.path(readings.row(studio, folio_id, reading_id).arrays))


@lru_cache(maxsize=8)
def _kept(path: Path) -> KeptBeats:
    with np.load(path, allow_pickle=False) as data:
        scalars = json.loads(str(data["scalars"]))
        if "odds" not in data:
            # An aligned score has no other ways to count, and says nothing between its onsets.
            nothing = np.zeros(1, np.float32)
            return KeptBeats(HeardBefore(nothing - 9.0, nothing, 0.0), (), ())
        runners_up = tuple((str(name), float(share)) for name, share in scalars["runners_up"])
        silences = tuple((float(a), float(b)) for a, b in scalars.get("silences", []))
        heard = HeardBefore(data["odds"].astype(np.float32), _begun(data), scalars["starts_s"])
        return KeptBeats(heard, runners_up, silences, _clicks(scalars))


def _begun(data: Mapping[str, NDArray[Any]]) -> NDArray[np.float32]:
    """What begins by cell; readings of beats 13 and before did not tell beats on which nothing does."""
    return data["begun"] if "begun" in data else np.ones(len(data["odds"]), np.float32)


def _clicks(scalars: dict[str, Any]) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(bpm), float(a), float(b)) for bpm, a, b in scalars.get("clicks", []))
