"""The command line does the same job as the application, and fails in one line."""

import json
import re
import subprocess
import sys
from pathlib import Path

import mido
import numpy as np
import pytest
from typer.main import get_command

from honest_stave.cli import app, main
from honest_stave.demo.live import overture
from tests.made import chords, drums, f1, line, texture, tune, wav

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


def test_what_writes_no_file_proves_none(recording: Path, tmp_path: Path) -> None:
    target = tmp_path / "notes.json"
    assert run("notes", recording, "--voices", "one", "--json", target).returncode == 0
    body = json.loads(target.read_text())
    assert len(body["notes"]) == 12
    assert "proof" not in body


def test_a_folder_is_a_batch_and_one_bad_file_does_not_stop_it(recording: Path, tmp_path: Path) -> None:
    (tmp_path / "bad.wav").write_bytes(b"no sound in here")
    done = run("notes", tmp_path, "--out", tmp_path / "out", "--from", 0.2, "--to", 3)
    assert done.returncode == 0
    assert "bad.wav" in done.stderr
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["line.mid"]


def test_recordings_of_one_name_are_written_beside_each_other(recording: Path, tmp_path: Path) -> None:
    others = [tmp_path / name / "Line.wav" for name in ("first", "second")]
    for other in others:
        other.parent.mkdir()
        other.write_bytes(recording.read_bytes())
    done = run("notes", recording, *others, "--out", tmp_path / "out")
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["Line 2.mid", "Line 3.mid", "line.mid"]
    assert "called “Line 2”" in done.stdout


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["notes", "nowhere.wav"], "There is no file"),
        (["notes", str(ROOT / "README.md")], "no sound we can read"),
        (["notes", str(ROOT / "README.md"), "--doubt", "7"], "makes no sense"),
        (["serve", "--data", str(ROOT / "README.md")], "cannot be written"),
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
    for name, command in get_command(app).commands.items():
        if name == "version":
            continue
        assert f"honest-stave {name}" in text, name
        for parameter in command.params:
            for option in getattr(parameter, "opts", []):
                if option.startswith("--"):
                    assert re.search(re.escape(option), text), f"{name} {option}"


def test_hits_of_a_loop_as_json(tmp_path: Path) -> None:
    (tmp_path / "loop.wav").write_bytes(wav(drums()))
    done = run("hits", tmp_path / "loop.wav", "--json", tmp_path / "out.json")
    assert done.returncode == 0, done.stderr
    found = json.loads((tmp_path / "out.json").read_text())["hits"]
    assert {h["drum"] for h in found} <= {"kick", "snare", "hat", "tom", "cymbal", "other"}
    assert sorted({round(h["time_s"], 2) for h in found}) == [round(0.2 + 0.45 * k, 2) for k in range(8)]
    assert all(1 <= h["velocity"] <= 127 for h in found)


def test_voices_are_decided_by_listening(recording: Path, tmp_path: Path) -> None:
    (tmp_path / "chords.wav").write_bytes(wav(texture(chords())))
    for path, voices in ((recording, "one"), (tmp_path / "chords.wav", "many")):
        done = run("notes", path, "--json", tmp_path / "out.json")
        assert done.returncode == 0, done.stderr
        body = json.loads((tmp_path / "out.json").read_text())
        assert (body["voices"], body["seems"]["name"]) == (voices, voices)


def test_a_loop_is_sliced_into_a_kit_that_is_proven(tmp_path: Path) -> None:
    from honest_stave.demo.loops import toy_cupboard

    source, out, told = tmp_path / "cupboard.wav", tmp_path / "kit", tmp_path / "slices.json"
    source.write_bytes(toy_cupboard().wav())
    done = run("slice", source, "--out", out, "--sfz", "--sf2", "--bars", 2, "--json", told)
    assert done.returncode == 0, done.stderr
    assert "null test exact, 2 bars at 96" in done.stdout
    assert "proven" in done.stdout
    body = json.loads(told.read_text())
    assert len(list((out / "slices").glob("*.wav"))) == len(body["slices"])
    assert {p.suffix for p in out.iterdir() if p.is_file()} == {".mid", ".sf2", ".sfz", ".txt", ".wav"}
    bars = mido.MidiFile(out / "cupboard.mid").length / (60 / body["tempo_bpm"] * 4)
    assert bars == pytest.approx(2, abs=0.01)


def test_what_cannot_be_sliced_is_said_in_one_line(tmp_path: Path) -> None:
    source = tmp_path / "silence.wav"
    source.write_bytes(wav(np.zeros(44100, np.float32)))
    done = run("slice", source, "--out", tmp_path / "kit")
    assert done.returncode == 2
    assert done.stderr.strip().count("\n") == 0
    assert "No hit was found" in done.stderr
    assert run("slice", source, "--out", tmp_path / "kit", "--bars", -1).returncode == 2


def test_a_score_is_laid_on_a_recording_and_a_shorter_one_is_told(tmp_path: Path) -> None:
    night = overture()
    sound, score, shorter, target = (tmp_path / n for n in ("night.wav", "score.mid", "shorter.mid", "moments.json"))
    sound.write_bytes(night.wav())
    score.write_bytes(night.score)
    done = run("align", score, sound, "--json", target)
    assert done.returncode == 0, done.stderr
    assert "fits to its end" in done.stdout
    moments = np.array([b["time_s"] for b in json.loads(target.read_text())["beats"]])
    assert np.abs(moments[:, None] - np.array(night.beat_s + night.between_s)).min(axis=1).max() < 0.05
    file = mido.MidiFile(score)
    for track in file.tracks:
        track[:] = track[: len(track) // 2]
    file.save(shorter)
    assert "a repeat that is played and not written?" in run("align", shorter, sound, "--json", target).stdout
