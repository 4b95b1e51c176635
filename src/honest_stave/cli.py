"""The command line: the application, and its verbs on files."""

import gc
import json
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from honest_stave import __version__
from honest_stave.core.errors import BadInput, StaveError
from honest_stave.core.words import how_many
from honest_stave.service.lone_files import (
    beat_map_of,
    midi_of_reading,
    notes_of_file,
    notes_of_score,
    recordings_in,
    samples_of,
    stems_of,
)

if TYPE_CHECKING:
    from honest_stave.service.studio import Studio

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
GRACEFUL_S = 2
# Each edit of a map of an hour makes tens of thousands of objects: to look through them for cycles as often as usual
# takes longer than the edit.
OBJECTS_BETWEEN_COLLECTIONS = 100_000


def default_data_folder() -> Path:
    """Where folios are kept unless told otherwise."""
    import platformdirs

    return Path(platformdirs.user_data_dir("honest-stave", appauthor=False))


@app.command()
def serve(
    demo: Annotated[bool, typer.Option(help="Open with the demo folio, in a folder of its own.")] = False,
    data: Annotated[Path | None, typer.Option(help="Folder that folios are kept in.")] = None,
    port: Annotated[int, typer.Option(help="Port to listen on.", min=1, max=65535)] = 8470,
    host: Annotated[
        str, typer.Option(help="Address to listen on; beyond this machine a key is needed.")
    ] = "127.0.0.1",
) -> None:
    """Start the application and print its address."""
    import secrets
    import socket

    import uvicorn

    from honest_stave.api.application import make_application
    from honest_stave.service.data_folder import held

    folder = data or (default_data_folder() / "demo" if demo else default_data_folder())
    key = None if host in LOCAL_HOSTS else secrets.token_urlsafe(24)
    shown = "127.0.0.1" if host in ("0.0.0.0", "::") else host
    address = f"http://{shown}:{port}/" + (f"?key={key}" if key else "")
    refusals: list[StaveError] = []

    def open_it() -> "Studio":
        from honest_stave.demo.folio import ensure_demo
        from honest_stave.service.opening import open_studio

        studio = open_studio(folder)
        if demo:
            ensure_demo(studio, application.app.opening)
        return studio

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
                gc.freeze()
                gc.set_threshold(OBJECTS_BETWEEN_COLLECTIONS)
                typer.echo(f"Honest Stave answers at {address}")
                if key:
                    typer.echo("It listens beyond this machine: whoever has this address with its key can open it.")

        async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
            application.app.hush()
            await super().shutdown(sockets)

    def on_refused(error: StaveError) -> None:
        refusals.append(error)
        server.should_exit = True

    with socket.socket() as probe:
        if probe.connect_ex((shown, port)) == 0:
            raise BadInput(f"Port {port} is in use.", f"Choose another with --port, such as {port + 1}.")
    hosts = {host, *_own_addresses()} if key else set()
    application = make_application(open_it, hosts=hosts, key=key, on_refused=on_refused)
    config = uvicorn.Config(
        application, host=host, port=port, log_level="warning", timeout_graceful_shutdown=GRACEFUL_S
    )
    server = Server(config)
    with held(folder):
        server.run()
    if refusals:
        raise refusals[0]


def _own_addresses() -> set[str]:
    """This machine's name and addresses."""
    import socket

    name = socket.gethostname()
    try:
        return {name, *(str(info[4][0]) for info in socket.getaddrinfo(name, None))}
    except OSError:
        return {name}


@app.command()
def notes(
    audio: Annotated[list[Path], typer.Argument(help="Recordings or folders of them.")],
    voices: Annotated[
        Literal["one", "many", "auto"],
        typer.Option(help="One voice at a time, many at once, or auto: decided by listening."),
    ] = "auto",
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the notes as JSON.")] = None,
    out: Annotated[Path | None, typer.Option(help="Write a MIDI file; a folder for several recordings.")] = None,
    tempo: Annotated[float, typer.Option(help="Tempo the file carries.")] = 120.0,
    doubt: Annotated[
        float | None,
        typer.Option(help="Doubt limit: candidates in more doubt are left out. Without it, the best expected."),
    ] = None,
    pedal: Annotated[bool, typer.Option(help="Read the sustain pedal as pedal.")] = False,
    bend: Annotated[int, typer.Option(help="Range of pitch bend in semitones, 0 for none.")] = 0,
    from_s: Annotated[float, typer.Option("--from", help="Read from this second.")] = 0.0,
    to_s: Annotated[float, typer.Option("--to", help="Read up to this second; 0 for the end.")] = 0.0,
) -> None:
    """Read the notes of recordings."""
    from honest_stave.core.pitch.reading import ReadSettings
    from honest_stave.core.signal.listen import ListenSettings

    if doubt is not None and not 0 <= doubt <= 1:
        raise BadInput(f"A doubt limit of {doubt:g} makes no sense.", "Give one from 0 to 1, such as 0.5.")
    settings = ReadSettings(pedal=pedal, listen=ListenSettings(from_s=from_s, to_s=to_s))
    inputs = recordings_in(audio)
    many = len(inputs) > 1 or any(p.is_dir() for p in audio)

    def read_one(path: Path, stem: str) -> str:
        body, reading = notes_of_file(path, voices, settings, None if doubt is None else 1.0 - doubt)
        if out is not None:
            data, proof = midi_of_reading(stem, reading, 1.0 - body["doubt"], tempo, bend)
            body |= {"proof": proof} if proof else {}
            _write(stem, data, out, ".mid", many)
        _write(stem, body, json_file, ".json", many)
        read_as = f"read as {body['voices']} voice{'s' if body['voices'] == 'many' else ''}"
        said = f"{how_many(len(body['notes']), 'note')}, {how_many(body['left_out'], 'candidate')} left out"
        return f"{path.name}: {read_as}, {said}"

    _each_file(inputs, many, read_one)


@app.command()
def hits(
    audio: Annotated[list[Path], typer.Argument(help="Loops, or a folder of them.")],
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the hits as JSON.")] = None,
    doubt: Annotated[float, typer.Option(help="Doubt limit: candidates in more doubt are left out.")] = 0.5,
) -> None:
    """Read the hits of drum loops."""
    from honest_stave.core.hits.hits_engine import read
    from honest_stave.core.hits.reading import DRUMS, HitSettings

    if not 0 <= doubt <= 1:
        raise BadInput(f"A doubt limit of {doubt:g} makes no sense.", "Give one from 0 to 1, such as 0.5.")

    def read_one(path: Path, stem: str) -> str:
        samples, rate = samples_of(path)
        reading = read(samples, rate, HitSettings())
        counted = [i for i, sure in enumerate(reading.confidence) if sure >= 1 - doubt]
        found = [
            {
                "time_s": round(float(reading.time_s[i]), 6),
                "within_ms": round(1000 * float(reading.within_s[i]), 1),
                "drum": DRUMS[reading.drum[i]],
                "velocity": round(float(reading.velocity[i])),
                "confidence": round(float(reading.confidence[i]), 4),
            }
            for i in counted
        ]
        _write(stem, {"hits": found}, json_file, ".json", many)
        left_out = how_many(len(reading.confidence) - len(found), "candidate")
        return f"{path.name}: {how_many(len(found), 'hit')}, {left_out} left out"

    inputs = recordings_in(audio)
    many = len(inputs) > 1 or any(p.is_dir() for p in audio)
    _each_file(inputs, many, read_one)


@app.command("slice")
def slice_loop(
    audio: Annotated[list[Path], typer.Argument(help="Loops, or a folder of them.")],
    out: Annotated[Path, typer.Option(help="Folder for the files; one folder a loop inside.")],
    sfz: Annotated[bool, typer.Option(help="Write an SFZ instrument.")] = False,
    sf2: Annotated[bool, typer.Option(help="Write a SoundFont 2 bank.")] = False,
    bars: Annotated[float | None, typer.Option(help="Length of the loop in bars; sets its tempo.")] = None,
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the slices as JSON.")] = None,
) -> None:
    """Cut loops into slices, with a kit and the MIDI that plays it."""
    from honest_stave.core.hits.kit_of_file import cut_file

    if bars is not None and bars <= 0:
        raise BadInput(f"A loop of {bars:g} bars makes no sense.", "Give a number above 0, such as 2.")
    formats = ["wav", *(["sfz"] if sfz else []), *(["sf2"] if sf2 else [])]

    def cut_one(path: Path, stem: str) -> str:
        samples, rate = samples_of(path)
        made = cut_file(samples, rate, stem, formats, bars)
        folder = out / stem if many else out
        for name, data in made.files:
            _save(folder / name, data)
        _write(stem, {"slices": made.slices, "tempo_bpm": made.bpm, "bars": made.bars}, json_file, ".json", many)
        return f"{path.name}: {made.told}"

    inputs = recordings_in(audio)
    many = len(inputs) > 1 or any(p.is_dir() for p in audio)
    _each_file(inputs, many, cut_one)


@app.command()
def beats(
    audio: Annotated[list[Path], typer.Argument(help="Recordings, or a folder of them.")],
    json_file: Annotated[Path | None, typer.Option("--json", help="Write beats and meters as JSON.")] = None,
) -> None:
    """Read the beats, bars and meters of recordings."""
    from honest_stave.core.beat.beats_engine import read
    from honest_stave.core.signal.listen import ListenSettings

    def read_one(path: Path, stem: str) -> str:
        samples, rate = samples_of(path)
        found = read(samples, rate, ListenSettings())
        rows = [
            {"time_s": round(float(t), 6), "bar": int(bar), "beat": int(beat)}
            for t, bar, beat in zip(found.time_s, found.bar, found.beat, strict=True)
        ]
        meters = [{"bar": m.bar, "numerator": m.numerator, "denominator": m.denominator} for m in found.meters]
        _write(stem, {"beats": rows, "meters": meters}, json_file, ".json", many)
        if not rows:
            return f"{path.name}: no beat"
        told = ", ".join(f"{m.numerator}/{m.denominator} from bar {m.bar}" for m in found.meters)
        return f"{path.name}: {how_many(len(rows), 'beat')}, {how_many(int(found.bar[-1]), 'bar')}, {told}"

    inputs = recordings_in(audio)
    many = len(inputs) > 1 or any(p.is_dir() for p in audio)
    _each_file(inputs, many, read_one)


@app.command()
def align(
    score: Annotated[Path, typer.Argument(help="The score, MIDI or MusicXML.")],
    audio: Annotated[Path, typer.Argument(help="A recording of it.")],
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the moments as JSON.")] = None,
) -> None:
    """Lay a score on a recording of it."""
    from honest_stave.core.beat.align import align_with_moments
    from honest_stave.core.beat.aligned_map import misfits

    written, once = notes_of_score(score)
    samples, rate = samples_of(audio)
    found, _, sounding_s = align_with_moments(written, samples, rate, once=once)
    pairs = list(zip(found.beat.tolist(), found.time_s.tolist(), strict=True))
    rows = [{"beat": round(beat, 6), "time_s": round(time_s, 6)} for beat, time_s in pairs]
    _write(audio.stem, {"beats": rows}, json_file, ".json", many=False)
    said = " ".join(misfits(found, sounding_s)) or "The score fits to its end."
    typer.echo(f"{audio.name}: {len(rows)} written onsets. {said}")


@app.command()
def click(
    source: Annotated[Path, typer.Argument(help="A recording, or a tempo map as a MIDI file.")],
    out: Annotated[Path, typer.Option("--out", help="The click as a WAV file.")],
    subdivision: Annotated[int, typer.Option(help="Clicks a felt beat.", min=1, max=8)] = 1,
    sound: Annotated[str, typer.Option(help="wood, tick or bell.")] = "wood",
) -> None:
    """Write the click of a recording or of a tempo map."""
    from honest_stave.core.beat.beat_map import ClickFrom
    from honest_stave.core.beat.click import check_click, ticks_of
    from honest_stave.core.beat.map_files import click_as_wav

    beat_map, length_s = beat_map_of(source)
    beat_map = replace(beat_map, clicks=(check_click(ClickFrom(0, subdivision, True, sound)),))
    _save(out, click_as_wav(beat_map, length_s))
    typer.echo(f"{out}: {len(ticks_of(beat_map))} clicks over {length_s:.1f} s")


def _each_file(inputs: list[Path], many: bool, do: Callable[[Path, str], str]) -> None:
    """Does the same with every file; in a batch a bad one is told and does not stop the rest.

    Args:
        do: of a file and what is written of it is called; returns what is told.
    """
    failed = 0
    for path, stem in zip(inputs, stems_of(inputs), strict=True):
        try:
            called = "" if stem == path.stem else f", called “{stem}”"
            typer.echo(f"{do(path, stem)}{called}")
        except StaveError as error:
            if not many:
                raise
            failed += 1
            typer.echo(f"{path.name}: {error}", err=True)
    if failed == len(inputs):
        raise BadInput("None of these could be read.", "See the lines above.")


def _write(stem: str, content: Any, target: Path | None, ending: str, many: bool) -> None:
    if target is None:
        return
    if isinstance(content, bytes) and not content:
        typer.echo(f"{stem}: no notes, so no MIDI file", err=True)
        return
    data = content if isinstance(content, bytes) else (json.dumps(content, indent=1) + "\n").encode()
    _save(target / (stem + ending) if many else target, data)


def _save(target: Path, data: bytes) -> None:
    """Writes a file, making its folder if needed."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    except OSError as error:
        raise BadInput(f"{target} cannot be written: {error.strerror}.", "Name another place.") from None


@app.command()
def version() -> None:
    """Print the version."""
    typer.echo(__version__)


def main() -> None:
    """Runs the command line; bad input ends it with one line and exit code 2."""
    try:
        app(standalone_mode=True)
    except StaveError as error:
        typer.echo(str(error), err=True)
        sys.exit(2)
    finally:
        # All that was loaded goes with the process: to look through it for cycles first takes 20 to 40 ms.
        gc.freeze()


if __name__ == "__main__":
    main()
