"""Chords through the API: proposed, read, parted into lines, mended, their evidence."""

import csv
import io

import mido
import numpy as np
import pytest

from tests.api.conftest import App
from tests.made import CHORDS, RATE, Note, chords, line, texture, tune, wav


@pytest.fixture(scope="module")
def read_once(anywhere: App) -> tuple[App, str, str]:
    """A folio with a take of chords and a part read from it, and their ids."""
    app = anywhere.begin("Read once")
    take = app.bring_in(wav(texture(chords(), struck=False)), "chords.wav")["result"]["take"]
    return app, take, str(app.send("POST", "/parts", {"reading": app.read(take)})["part"])


@pytest.fixture
def harmony(read_once: tuple[App, str, str]) -> tuple[App, str, str]:
    """The application with a copy of that folio, the take and the part."""
    app, *ids = read_once
    return app.copy(), *ids


def test_the_reading_that_suits_is_proposed_and_taken(harmony: tuple[App, str, str]) -> None:
    app, take, _ = harmony
    assert app.get()["takes"][take]["facts"]["seems"]["name"] == "many"
    assert app.get("/readings")[0]["summary"]["voices"] == "many"
    alone = app.bring_in(wav(line(tune())), "line.wav")["result"]["take"]
    assert app.get()["takes"][alone]["facts"]["seems"]["name"] == "one"
    reading = app.read(alone)
    assert next(r for r in app.get("/readings") if r["id"] == reading)["summary"]["voices"] == "one"


def test_lines_are_selected_corrected_and_sent(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    notes = {n["id"]: n for n in app.get(f"/parts/{part}/notes")}
    top = app.get(f"/parts/{part}/pick?rule=top")["ids"]
    assert [notes[i]["pitch"] for i in top] == [max(c) for c in CHORDS]
    inner = next(i for i, n in notes.items() if n["pitch"] == 64)
    app.edit(part, "line", [inner], line="top")
    corrected = app.get(f"/parts/{part}/pick?rule=top")["ids"]
    assert inner in corrected
    assert top[0] not in corrected

    sent = app.send("POST", f"/parts/{part}/send", {"ids": top, "name": "Top"})["part"]
    assert [n["id"] for n in app.get(f"/parts/{sent}/notes")] == top
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 0.2})
    assert not set(top) & {n["id"] for n in app.get(f"/parts/{part}/notes")}
    app.send("POST", "/undo")
    app.send("POST", "/undo")
    assert sent not in app.get()["parts"]
    assert set(top) <= {n["id"] for n in app.get(f"/parts/{part}/notes")}


def test_a_reading_is_accepted_at_the_limit_with_the_best_expected_f1(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    reading = app.get()["parts"][part]["reading"]
    found = app.get(f"/readings/{reading}/candidates")
    best = found["limits"]["best"]
    assert app.get()["parts"][part]["least_confidence"] == best
    assert len(app.get(f"/parts/{part}/notes")) == sum(sure >= best for sure in found["confidence"])


def test_candidates_are_shown_as_they_are_accepted_at_each_limit(app: App) -> None:
    """What counts cuts what sounds before it on its pitch: a lower limit ends notes earlier."""
    held = texture([Note(0.2, 4.2, pitch) for pitch in (60, 64, 67)], struck=False)
    time_s = np.arange(len(held)) / RATE
    # Every 0.8 s it falls by 4 dB for a moment: it may be struck again, or not.
    held[:, 0] *= 1 - 0.4 * np.clip(1 - np.abs((time_s - 0.2) % 0.8 - 0.75) / 0.05, 0, 1)
    reading = app.read(app.bring_in(wav(held), "held.wav")["result"]["take"], voices="many")
    shown = []
    for least in (0.3, 0.9):
        found = app.get(f"/readings/{reading}/candidates?least={least}")
        rows = zip(found["onset_s"], found["offset_s"], found["pitch"], found["confidence"], strict=True)
        counted = [(onset, offset, pitch) for onset, offset, pitch, sure in rows if sure >= least]
        part = app.send("POST", "/parts", {"reading": reading, "least_confidence": least})["part"]
        notes = [(n["onset_s"], n["offset_s"], n["pitch"]) for n in app.get(f"/parts/{part}/notes")]
        np.testing.assert_allclose(sorted(counted), sorted(notes), atol=1e-4)
        shown.append({(onset, pitch): offset for onset, offset, pitch in counted})
    low, high = shown
    assert any(low.get(key, end) < end for key, end in high.items())


def test_what_is_expected_to_be_wrong_of_a_take_is_told_until_a_hand_has_kept_it(app: App) -> None:
    # Driven hard, chords sound tones that nobody played.
    driven = np.clip(20 * texture(chords(), struck=False), -1, 1)
    take = app.bring_in(wav(driven), "driven.wav")["result"]["take"]
    accepted = {"reading": app.read(take, voices="many"), "least_confidence": 0.0}
    part = app.send("POST", "/parts", accepted)["part"]
    notes = app.get(f"/parts/{part}/notes")
    doubts = sum(1 - n["origin"]["confidence"] for n in notes)
    assert doubts > 1
    assert app.get("/takes/made") == {take: {"notes": len(notes), "wrong": round(doubts)}}
    app.edit(part, "keep", [n["id"] for n in notes])
    assert app.get("/takes/made")[take]["wrong"] == 0


def test_the_limit_leaves_a_chord_whole_round_a_mended_note(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    before = app.get(f"/parts/{part}/notes")
    app.edit(part, "velocity", [before[0]["id"]], value=99)
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 0.55})
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 0.5})
    assert {n["id"] for n in app.get(f"/parts/{part}/notes")} == {n["id"] for n in before}


def test_a_long_note_is_struck_again_at_the_beats(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    app.send("PUT", "/time", {"bpm": 240, "downbeat_s": 0.0})
    note = app.get(f"/parts/{part}/notes")[0]
    put = app.edit(part, "restrike", [note["id"]], at="beats")["put"]
    assert [n["onset_s"] for n in put][1:] == pytest.approx([0.5, 0.75], abs=0.01)
    assert put[0]["id"] == note["id"]
    assert put[-1]["offset_s"] == pytest.approx(note["offset_s"])
    app.edit(part, "restrike", [put[0]["id"]], expect=422, at="beats")


def test_key_strokes_partials_and_spectrum_are_shown(harmony: tuple[App, str, str]) -> None:
    app, take, part = harmony
    found = app.get(f"/evidence/part/{part}")
    assert (found["key"]["name"], found["other_key"] is None) == ("C major", False)
    assert found["strokes"]["size"] == [len(c) for c in CHORDS]
    assert found["strokes"]["low"] == [min(c) for c in CHORDS]
    reading = app.get("/readings")[0]["id"]
    assert app.get(f"/evidence/reading/{reading}?least=0.5")["strokes"] == found["strokes"]
    asked = f"/evidence/take/{take}/partials?onset_s=0.3&offset_s=1&pitch=72&part={part}"
    assert {p["explained_by"] for p in app.get(asked)} >= {60}

    url = app.url(f"/evidence/take/{take}/spectrum?from_s=0&column_s={128 / 22050}&columns=256")
    tile = np.frombuffer(app.client.get(url).content, np.uint8).reshape(256, 312)
    band = 3 * (60 - 21) + 1
    sounding, silent = int(0.6 / (128 / 22050)), int(0.1 / (128 / 22050))
    assert tile[sounding, band] > tile[silent, band] + 60
    far = app.url(f"/evidence/take/{take}/spectrum?from_s=0&column_s=0.5&columns=8")
    assert np.frombuffer(app.client.get(far).content, np.uint8).reshape(8, 312)[1, band] > 100


def test_chords_are_handed_on_and_proven(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    made = app.send("POST", "/hand-ons", {"parts": [part]})
    assert made["proof"]["same"]
    file = mido.MidiFile(file=io.BytesIO(app.client.get(app.url(f"/hand-ons/{made['id']}/file")).content))
    assert sum(m.type == "note_on" for t in file.tracks for m in t) == made["proof"]["notes"]


def test_a_file_calls_notes_as_they_are_called_on_the_screen(harmony: tuple[App, str, str]) -> None:
    app, _, part = harmony
    # Every chord a semitone lower: from C major to B major, where nothing is flat.
    app.edit(part, "move", [n["id"] for n in app.get(f"/parts/{part}/notes")], semitones=-1)
    found = app.get(f"/evidence/part/{part}")
    assert found["key"]["name"] == "B major"
    assert found["pitches"][0] == "B"
    made = app.send("POST", "/hand-ons", {"parts": [part], "format": "csv"})
    rows = csv.DictReader(io.StringIO(app.client.get(app.url(f"/hand-ons/{made['id']}/file")).text))
    assert {row["name"].rstrip("0123456789") for row in rows} == set(found["pitches"])


def test_a_hummed_line_is_followed_in_the_chords(harmony: tuple[App, str, str]) -> None:
    app, take, part = harmony
    top = app.get(f"/parts/{part}/pick?rule=bass")["ids"]
    drawn = app.send("POST", f"/parts/{part}/send", {"ids": top, "name": "Hummed"})["part"]
    reading = app.read(take, voices="many", follow="line", follow_part=drawn)
    found = app.get(f"/readings/{reading}/candidates")
    counted = [p for p, c in zip(found["pitch"], found["confidence"], strict=True) if c >= 0.5]
    assert counted == [min(c) for c in CHORDS]
    jobs = {"take": take, "settings": {"follow": "line", "follow_part": "nowhere"}}
    app.send("POST", "/readings", jobs, expect=404)
