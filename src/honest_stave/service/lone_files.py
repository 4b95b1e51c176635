"""Files on disk, read without a folio: what the command line does with them."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from honest_stave.core.errors import BadInput
from honest_stave.core.words import free_name

if TYPE_CHECKING:
    from honest_stave.core.beat.align import Written
    from honest_stave.core.beat.beat_map import BeatMap

AUDIO_ENDINGS = {".wav", ".flac", ".aif", ".aiff", ".mp3", ".ogg", ".opus", ".m4a", ".caf"}


def samples_of(path: Path) -> tuple[Any, int]:
    """Samples (frames, channels) of a recording, and its rate.

    Raises:
        BadInput: it cannot be decoded, or holds no samples.
    """
    import tempfile

    import numpy as np

    from honest_stave.core.formats.audio_read import open_audio
    from honest_stave.core.signal.measure import Measurer

    # Decoded into a file that has no name any more, so that an hour need not stay in memory.
    with path.open("rb") as file, tempfile.TemporaryFile() as decoded:
        info, blocks = open_audio(file)
        measurer = Measurer(info.rate)
        for block in blocks:
            decoded.write(np.ascontiguousarray(measurer.add(block), np.float32).data)
        decoded.flush()
        if decoded.tell() == 0:
            raise BadInput(f"{path.name} holds no samples.", "Give another recording.")
        return np.memmap(decoded, np.float32, "r").reshape(-1, info.channels), info.rate


def recordings_in(given: list[Path]) -> list[Path]:
    """Files as they are named, folders as the recordings in them.

    Raises:
        BadInput: one is not there, or a folder holds no recording.
    """
    found: list[Path] = []
    for path in given:
        if path.is_dir():
            found += sorted(p for p in path.iterdir() if p.suffix.lower() in AUDIO_ENDINGS)
        elif path.is_file():
            found.append(path)
        else:
            raise BadInput(f"There is no file {path}.", "Check its name.")
    if not found:
        raise BadInput("There is no recording in this folder.", "Name one, or another folder.")
    return found


def stems_of(recordings: list[Path]) -> list[str]:
    """What is written of each recording is called by its name, with a number where another was called so."""
    stems: list[str] = []
    for path in recordings:
        stems.append(free_name(path.stem, stems))
    return stems


def notes_of_score(path: Path) -> tuple[list["Written"], list["Written"]]:
    """Notes of a score, MIDI or MusicXML, as it is played; and without its repeats, none where it has none.

    Raises:
        BadInput: it cannot be read, or holds no notes.
    """
    from honest_stave.core.beat.align import written_notes
    from honest_stave.core.formats.musicxml_read import is_musicxml, read_musicxml, score_as_midi

    data = path.read_bytes()
    if not is_musicxml(data[:512]):
        return written_notes(data), []
    score = read_musicxml(data)
    once = score_as_midi(read_musicxml(data, repeated=False), path.stem) if score.repeats else b""
    return written_notes(score_as_midi(score, path.stem)), written_notes(once) if once else []


def beat_map_of(source: Path) -> tuple["BeatMap", float]:
    """The beat map of a recording or of a MIDI file, and its length (s).

    Raises:
        BadInput: no beat is heard in it, or it carries no tempo map.
    """
    from honest_stave.core.beat.map_of import map_of_reading, map_of_tempo

    if source.suffix.lower() in (".mid", ".midi"):
        from honest_stave.core.formats.midi_read import TickClock, read_midi
        from honest_stave.service.performances import map_of_file

        file = read_midi(source.read_bytes())
        tempo_map = map_of_file(file)
        if tempo_map is None:
            raise BadInput(f"{source.name} carries no tempo map we can use.", "Give one that counts in quarters.")
        ticks = [m.tick for t in file.tracks for m in t.messages] + [m.tick for t in file.tracks for m in t.metas]
        last = max(ticks, default=0)
        length_s = TickClock(file).seconds(last)
        return map_of_tempo(tempo_map, source.stem, length_s), length_s + 1.0
    from honest_stave.core.beat.beats_engine import read
    from honest_stave.core.signal.listen import ListenSettings

    samples, rate = samples_of(source)
    found = read(samples, rate, ListenSettings())
    if not len(found.time_s):
        raise BadInput(f"No beat is heard in {source.name}.", "Give a recording with a beat, or a tempo map.")
    return map_of_reading(found, source.stem, "", ""), len(samples) / rate


def notes_of_file(path: Path, voices: str, settings: Any, least: float | None) -> tuple[dict[str, Any], Any]:
    """What is read in a recording, for JSON, and the reading itself.

    Args:
        path: the recording.
        voices: one, many, or auto for what it seems to hold.
        settings: of the reading.
        least: notes less sure than this are left out; None for the limit with the best expected F1.

    Raises:
        BadInput: the file cannot be decoded, or holds no sound.
    """
    from dataclasses import replace

    from honest_stave.core.pitch.forming import form_candidates
    from honest_stave.core.pitch.limits import limit_of
    from honest_stave.core.pitch.notes_engine import read, read_as_it_seems
    from honest_stave.core.pitch.reading import FormSettings

    samples, rate = samples_of(path)
    if voices == "auto":
        reading, seems = read_as_it_seems(samples, rate, settings)
    else:
        reading, seems = read(samples, rate, replace(settings, voices=voices)), None
    least = limit_of(reading, FormSettings()) if least is None else least
    found = form_candidates(reading, FormSettings(), least)
    counted = [c for c in found if c.confidence >= least]
    body = {
        "notes": [
            {
                "onset_s": round(c.onset_s, 5),
                "offset_s": round(c.offset_s, 5),
                "pitch": c.pitch,
                "velocity": c.velocity,
                "confidence": round(c.confidence, 4),
            }
            for c in counted
        ],
        "left_out": len(found) - len(counted),
        "doubt": round(1.0 - least, 4),
        "voices": reading.voices,
        **({"seems": {"name": seems.name, "confidence": round(seems.confidence, 3)}} if seems else {}),
        "tuning_cents": round(reading.tuning_cents, 1),
    }
    return body, reading


def midi_of_reading(name: str, reading: Any, least: float, tempo: float, bend: int) -> tuple[bytes, dict[str, Any]]:
    """A reading as a MIDI file, and its proof; no bytes where there are no notes.

    Args:
        name: of the part.
        reading: of a recording.
        least: notes less sure than this are left out.
        tempo: of the file, in bpm.
        bend: range of the pitch bend in semitones, 0 for none.
    """
    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.part.accept import note_of
    from honest_stave.core.part.events import sounding_notes
    from honest_stave.core.part.handing_on import HandOnSettings, Line, plan, write_and_prove
    from honest_stave.core.part.notes import Part
    from honest_stave.core.pitch.forming import form_candidates
    from honest_stave.core.pitch.reading import FormSettings

    counted = [c for c in form_candidates(reading, FormSettings(), least) if c.confidence >= least]
    if not counted:
        return b"", {}
    spans = tuple((down + reading.starts_s, up + reading.starts_s) for down, up in reading.pedal)
    part = Part(name=name, bends=bend > 0, pedal=spans)
    events = sounding_notes("line", part, [note_of("file", reading, c) for c in counted])
    line = Line("line", name, None, tuple(events), pedal=spans)
    planned = plan([line], TempoMap(lone_bpm=tempo), HandOnSettings(bend_semitones=bend))
    data, proof = write_and_prove(planned, name)
    return data, {"same": proof.same, "greatest_ms": round(proof.greatest_ms, 4)}
