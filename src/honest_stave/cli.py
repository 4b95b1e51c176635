"""The command line: the application, and its verbs on files."""

import json
import secrets
import socket
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from honest_stave import __version__
from honest_stave.core.errors import BadInput, StaveError

if TYPE_CHECKING:
    from honest_stave.service.studio import Studio

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
AUDIO_ENDINGS = {".wav", ".flac", ".aif", ".aiff", ".mp3", ".ogg", ".opus", ".m4a", ".caf"}
GRACEFUL_S = 2


def default_data_folder() -> Path:
    """Where folios are kept unless told otherwise."""
    import platformdirs

    return Path(platformdirs.user_data_dir("honest-stave", appauthor=False))


@app.command()
def serve(
    demo: Annotated[bool, typer.Option(help="Open with the demo folio, in a folder of its own.")] = False,
    data: Annotated[Path | None, typer.Option(help="Folder that folios are kept in.")] = None,
    port: Annotated[int, typer.Option(help="Port to listen on.")] = 8470,
    host: Annotated[
        str, typer.Option(help="Address to listen on; beyond this machine a key is needed.")
    ] = "127.0.0.1",
) -> None:
    """Start the application and print its address."""
    import uvicorn

    from honest_stave.api.application import make_application

    folder = data or (default_data_folder() / "demo" if demo else default_data_folder())
    key = None if host in LOCAL_HOSTS else secrets.token_urlsafe(24)
    shown = "127.0.0.1" if host in ("0.0.0.0", "::") else host
    address = f"http://{shown}:{port}/" + (f"?key={key}" if key else "")
    refusals: list[StaveError] = []

    def open_it() -> "Studio":
        from honest_stave.demo.folio import ensure_demo
        from honest_stave.service.studio import open_studio

        studio = open_studio(folder)
        if demo:
            ensure_demo(studio)
        return studio

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
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
    hosts = {host, socket.gethostname(), *_own_addresses()} if key else set()
    application = make_application(open_it, hosts=hosts, key=key, on_refused=on_refused)
    config = uvicorn.Config(
        application, host=host, port=port, log_level="warning", timeout_graceful_shutdown=GRACEFUL_S
    )
    server = Server(config)
    server.run()
    if refusals:
        raise refusals[0]


def _own_addresses() -> set[str]:
    try:
        return {str(info[4][0]) for info in socket.getaddrinfo(socket.gethostname(), None)}
    except OSError:
        return set()


@app.command()
def notes(
    audio: Annotated[list[Path], typer.Argument(help="Recordings or folders of them.")],
    voices: Annotated[str, typer.Option(help="How many voices: one.")] = "one",
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the notes as JSON.")] = None,
    out: Annotated[Path | None, typer.Option(help="Write a MIDI file; a folder for several recordings.")] = None,
    tempo: Annotated[float, typer.Option(help="Tempo the file carries.")] = 120.0,
    doubt: Annotated[float, typer.Option(help="Doubt limit: candidates in more doubt are left out.")] = 0.5,
    bend: Annotated[int, typer.Option(help="Range of pitch bend in semitones, 0 for none.")] = 0,
    from_s: Annotated[float, typer.Option("--from", help="Read from this second.")] = 0.0,
    to_s: Annotated[float, typer.Option("--to", help="Read up to this second; 0 for the end.")] = 0.0,
) -> None:
    """Read the notes of recordings."""
    from honest_stave.core.pitch.reading import OneVoiceSettings
    from honest_stave.core.signal.listen import ListenSettings

    if voices != "one":
        raise BadInput(f"--voices {voices} is not here yet.", "Use --voices one.")
    if not 0 <= doubt <= 1:
        raise BadInput(f"A doubt limit of {doubt:g} makes no sense.", "Give one from 0 to 1, such as 0.5.")
    settings = OneVoiceSettings(listen=ListenSettings(from_s=from_s, to_s=to_s))
    inputs = _inputs(audio)
    many = len(inputs) > 1 or any(p.is_dir() for p in audio)
    failed = 0
    for path in inputs:
        try:
            body, data = _read_file(path, settings, tempo, 1.0 - doubt, bend)
            _write(path, body, json_file, ".json", many)
            _write(path, data, out, ".mid", many)
            typer.echo(f"{path.name}: {len(body['notes'])} notes, {body['left_out']} candidates left out")
        except StaveError as error:
            if not many:
                raise
            failed += 1
            typer.echo(f"{path.name}: {error}", err=True)
    if failed == len(inputs):
        raise BadInput("None of these could be read.", "See the lines above.")


def _inputs(given: list[Path]) -> list[Path]:
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


def _read_file(path: Path, settings: Any, tempo: float, least: float, bend: int) -> tuple[dict[str, Any], bytes]:
    import numpy as np

    from honest_stave.core.beat.tempo_map import TempoMap
    from honest_stave.core.formats.audio_read import open_audio
    from honest_stave.core.part.accept import note_of
    from honest_stave.core.part.events import sounding_notes
    from honest_stave.core.part.handing_on import HandOnSettings, Line, plan, write_and_prove
    from honest_stave.core.part.notes import Part
    from honest_stave.core.pitch.forming import form_candidates
    from honest_stave.core.pitch.one_voice import read
    from honest_stave.core.pitch.reading import FormSettings
    from honest_stave.core.signal.measure import Measurer

    with path.open("rb") as file:
        info, blocks = open_audio(file)
        measurer = Measurer(info.rate)
        samples = np.concatenate([measurer.add(block) for block in blocks])
    reading = read(samples, info.rate, settings)
    found = form_candidates(reading, FormSettings())
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
        "tuning_cents": round(reading.tuning_cents, 1),
    }
    if not counted:
        return body, b""
    part = Part(name=path.stem, bends=bend > 0)
    events = sounding_notes("line", part, [note_of("file", reading, c) for c in counted])
    line = Line("line", path.stem, None, tuple(events))
    planned = plan([line], TempoMap(lone_bpm=tempo), HandOnSettings(bend_semitones=bend))
    data, proof = write_and_prove(planned, path.stem)
    body["proof"] = {"same": proof.same, "greatest_ms": round(proof.greatest_ms, 4)}
    return body, data


def _write(source: Path, content: Any, target: Path | None, ending: str, many: bool) -> None:
    if target is None:
        return
    if isinstance(content, bytes) and not content:
        typer.echo(f"{source.name}: no notes, so no MIDI file", err=True)
        return
    try:
        if many:
            target.mkdir(parents=True, exist_ok=True)
            target = target / (source.stem + ending)
        data = content if isinstance(content, bytes) else (json.dumps(content, indent=1) + "\n").encode()
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


if __name__ == "__main__":
    main()
