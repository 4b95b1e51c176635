"""The command line does the same job as the application, and fails in one line."""

import json
import re
import subprocess
import sys
from pathlib import Path

import mido
import pytest
from typer.main import get_command

from honest_stave.cli import app, main
from tests.made import f1, line, tune, wav

ROOT = Path(__file__).parents[2]


def run(*arguments: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "honest_stave.cli", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, timeout=60)


@pytest.fixture
def recording(tmp_path: Path) -> Path:
    path = tmp_path / "line.wav"
    path.write_bytes(wav(line(tune())))
    return path


def test_notes_of_a_recording(recording: Path, tmp_path: Path) -> None:
    target, midi = tmp_path / "notes.json", tmp_path / "line.mid"
    done = run("notes", recording, "--voices", "one", "--json", target, "--out", midi, "--tempo", 147, "--bend", 2)
    assert done.returncode == 0, done.stderr
    assert "12 notes" in done.stdout
    body = json.loads(target.read_text())
    assert f1([(n["onset_s"], n["pitch"]) for n in body["notes"]], [(n.onset_s, n.pitch) for n in tune()]) == 1.0
    assert set(body["notes"][0]) == {"onset_s", "offset_s", "pitch", "velocity", "confidence"}
    assert body["proof"]["same"]
    tempos = [m.tempo for t in mido.MidiFile(midi).tracks for m in t if m.type == "set_tempo"]
    assert tempos[0] == pytest.approx(60e6 / 147, abs=1)


def test_a_folder_is_a_batch_and_one_bad_file_does_not_stop_it(recording: Path, tmp_path: Path) -> None:
    (tmp_path / "bad.wav").write_bytes(b"no sound in here")
    done = run("notes", tmp_path, "--out", tmp_path / "out", "--from", 0.2, "--to", 3)
    assert done.returncode == 0
    assert "bad.wav" in done.stderr
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["line.mid"]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["notes", "nowhere.wav"], "There is no file"),
        (["notes", str(ROOT / "README.md")], "no sound we can read"),
        (["notes", str(ROOT / "README.md"), "--voices", "many"], "not here yet"),
        (["notes", str(ROOT / "README.md"), "--doubt", "7"], "makes no sense"),
    ],
)
def test_bad_input_is_one_line_and_exit_code_2(
    arguments: list[str], words: str, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "argv", ["honest-stave", *arguments])
    with pytest.raises(SystemExit) as ended:
        main()
    assert ended.value.code == 2
    told = capsys.readouterr().err.strip()
    assert words in told
    assert "\n" not in told


def test_every_command_and_option_is_in_the_readme() -> None:
    text = (ROOT / "README.md").read_text()
    for name, command in get_command(app).commands.items():  # type: ignore[attr-defined]
        if name == "version":
            continue
        assert f"honest-stave {name}" in text, name
        for parameter in command.params:
            for option in getattr(parameter, "opts", []):
                if option.startswith("--"):
                    assert re.search(re.escape(option), text), f"{name} {option}"
