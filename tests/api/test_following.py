"""What moves when the folio's time does, and what does not."""

import io

import mido
import pytest

from tests.api.conftest import App


def quarters(count: int, bpm: float = 120, lowest: int = 60) -> bytes:
    """A MIDI file of quarter notes."""
    file, out = mido.MidiFile(ticks_per_beat=480), io.BytesIO()
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm)))
    for i in range(count):
        track.append(mido.Message("note_on", note=lowest + i, velocity=80, time=0))
        track.append(mido.Message("note_off", note=lowest + i, time=480))
    file.tracks.append(track)
    file.save(file=out)
    return out.getvalue()


@pytest.fixture
def parts(app: App) -> tuple[str, str]:
    """Ids of two parts of the same notes: one keeps its beats, the other its seconds."""
    files = {"score.mid": quarters(4), "played.mid": quarters(4, bpm=120, lowest=48)}
    takes = [app.bring_in(data, name)["result"]["take"] for name, data in files.items()]
    app.send("PUT", "/time", {"map_of_take": takes[0]})
    by_take = {p["take"]: i for i, p in app.get()["parts"].items()}
    app.send("PATCH", f"/parts/{by_take[takes[0]]}", {"keeps_beats": True})
    return by_take[takes[0]], by_take[takes[1]]


def onsets(app: App, part: str) -> list[float]:
    return [n["onset_s"] for n in app.get(f"/parts/{part}/notes")]


def test_a_part_that_keeps_its_beats_moves_with_the_tempo_in_the_same_step(app: App, parts: tuple[str, str]) -> None:
    score, played = parts
    assert onsets(app, score) == pytest.approx([0.0, 0.5, 1.0, 1.5])
    app.send("PUT", "/time", {"bpm": 60, "downbeat_s": 1.0})
    assert onsets(app, score) == pytest.approx([1.0, 2.0, 3.0, 4.0])
    assert onsets(app, played) == pytest.approx([0.0, 0.5, 1.0, 1.5])
    app.send("POST", "/undo")
    assert onsets(app, score) == pytest.approx([0.0, 0.5, 1.0, 1.5])
    assert app.get()["settings"]["tempo"]["knots"] is not None


def test_a_tempo_that_would_push_notes_before_the_beginning_changes_nothing(app: App, parts: tuple[str, str]) -> None:
    score, _ = parts
    app.send("PUT", "/time", {"bpm": 60, "downbeat_s": 1.0})
    app.edit(score, "move", [app.get(f"/parts/{score}/notes")[0]["id"]], by_s=-0.8)
    before = app.get()["revision"]
    said = app.send("PUT", "/time", {"bpm": 30, "downbeat_s": 0.5}, expect=422)
    assert "before the recording" in said["title"] + said["detail"]
    assert app.get()["revision"] == before


def test_what_was_read_from_a_recording_keeps_its_seconds(app: App) -> None:
    said = app.send("PATCH", f"/parts/{app.part()}", {"keeps_beats": True}, expect=422)
    assert "read from a recording" in said["title"] + said["detail"]
