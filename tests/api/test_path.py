"""The path of a line through the API: brought in, read, accepted, mended, handed on, undone."""

import io
import zipfile
from typing import Any

import mido
import pytest

from honest_stave.service import part_notes
from honest_stave.service.codec import note_from_body
from honest_stave.store import changed_notes
from tests.api.conftest import App
from tests.made import Note, f1, line, tune, wav


def test_the_whole_path(app: App) -> None:
    job = app.bring_in(wav(line(tune())), "bass 96bpm Am.wav")
    take = job["result"]["take"]
    facts = app.get()["takes"][take]["facts"]
    assert (facts["rate"], facts["channels"], facts["hints"]["tempo_bpm"]) == (44100, 1, 96.0)
    assert facts["silence_before_s"] == pytest.approx(0.4, abs=0.01)

    reading = app.read(take)
    found = app.get(f"/readings/{reading}/candidates")
    counted = [i for i, c in enumerate(found["confidence"]) if c >= 0.5]
    truth = [(n.onset_s, n.pitch) for n in tune()]
    assert f1([(found["onset_s"][i], found["pitch"][i]) for i in counted], truth) == 1.0

    part = app.send("POST", "/parts", {"reading": reading})["part"]
    assert app.get()["parts"][part]["left_out"] == len(found["confidence"]) - len(counted)
    app.send("PUT", "/time", {"bpm": 147, "downbeat_s": 0.4})

    described = app.send("POST", "/hand-ons/describe", {"parts": [part]})
    made = app.send("POST", "/hand-ons", {"parts": [part]})
    assert "147" in " ".join(described["words"])
    assert made["proof"]["same"]
    assert made["proof"]["notes"] == len(counted)
    data = app.client.get(app.url(f"/hand-ons/{made['id']}/file"))
    assert "filename*=utf-8''The%20Lighthouse%20Goat" in data.headers["content-disposition"]
    file = mido.MidiFile(file=io.BytesIO(data.content))
    assert sum(m.type == "note_on" for t in file.tracks for m in t) == len(counted)

    heard = app.get("/parts/heard")["parts"][part]
    assert [(n["onset_s"], n["pitch"]) for n in heard] == [
        (n["onset_s"], n["pitch"]) for n in app.get(f"/parts/{part}/notes")
    ]


def test_edits_undo_redo_and_history(app: App) -> None:
    part = app.part()
    notes = app.get(f"/parts/{part}/notes")
    first, second = notes[0]["id"], notes[1]["id"]
    app.edit(part, "move", [first], semitones=12)
    app.edit(part, "join", [first, second])
    app.edit(part, "velocity", [first], value=33)
    assert len(app.get(f"/parts/{part}/notes")) == len(notes) - 1
    for _ in range(3):
        app.send("POST", "/undo")
    assert app.get(f"/parts/{part}/notes") == notes
    assert app.send("POST", "/redo")["label"] == "1 note moved"
    assert app.get(f"/parts/{part}/notes")[0]["pitch"] == notes[0]["pitch"] + 12
    labels = [entry["label"] for entry in app.get("/history")]
    assert labels[0] == "1 note velocity"
    app.edit(part, "delete", [second])
    assert app.get()["redo"] is None


def test_notes_are_built_anew_only_when_they_change(app: App, monkeypatch: pytest.MonkeyPatch) -> None:
    built: list[str] = []
    monkeypatch.setattr(part_notes, "note_from_body", lambda i, body: built.append(i) or note_from_body(i, body))
    part, other = app.part(), app.part(0.5)

    def seen() -> tuple[Any, Any]:
        return app.get(f"/parts/{part}/notes"), app.get()["parts"][part]["notes_changed"]

    app.get("/parts/heard")
    before, stamp = seen()
    built.clear()
    app.send("PATCH", f"/parts/{part}", {"name": "Called otherwise"})
    for path in ("/parts/heard", f"/evidence/part/{part}", "/takes/made"):
        app.get(path)
    assert not built
    app.edit(other, "velocity", [app.get(f"/parts/{other}/notes")[0]["id"]], value=99)
    assert seen() == (before, stamp)
    assert not built

    app.edit(part, "velocity", [before[0]["id"]], value=17)
    after, later = seen()
    assert (after[0]["velocity"], later) != (before[0]["velocity"], stamp)
    # Of the others nothing is asked again.
    assert built == [before[0]["id"]]
    # A change that was refused changes nothing.
    refused = {"action": "delete", "ids": [before[0]["id"]], "values": {}, "base_revision": 1}
    app.send("POST", f"/parts/{part}/edit", refused, 409)
    assert seen()[0] == after
    app.send("POST", "/undo")
    assert seen()[0] == before
    app.send("POST", "/redo")
    assert seen()[0] == after
    # Where more have changed than is kept, all are.
    monkeypatch.setattr(changed_notes, "MOST_IDS", 1)
    app.edit(part, "velocity", [n["id"] for n in before[:2]], value=18)
    built.clear()
    assert len(seen()[0]) == len(built) == len(before)


def test_moving_the_limit_later_leaves_edits_alone(app: App) -> None:
    part = app.part()
    notes = app.get(f"/parts/{part}/notes")
    app.edit(part, "move", [notes[0]["id"]], semitones=-5)
    app.edit(part, "delete", [notes[1]["id"]])
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 1.0})
    left = app.get(f"/parts/{part}/notes")
    assert [n["pitch"] for n in left] == [notes[0]["pitch"] - 5]
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 0.0})
    again = app.get(f"/parts/{part}/notes")
    assert notes[1]["id"] not in [n["id"] for n in again]
    assert len(again) >= len(notes) - 1


def test_a_note_put_back_is_as_it_was_read_bend_included(app: App) -> None:
    swaying = line([Note(0.3, 1.4, 60), Note(1.5, 2.4, 64)], vibrato_cents=40)
    take = app.bring_in(wav(swaying))["result"]["take"]
    part = str(app.send("POST", "/parts", {"reading": app.read(take)})["part"])
    before = app.get(f"/parts/{part}/notes")
    ids = [n["id"] for n in before]
    assert all(len(n["curve"]) > 4 for n in before)
    app.edit(part, "ends", ids, start_by_s=0.2, end_by_s=-0.1)
    app.edit(part, "runner-up", ids)
    app.edit(part, "restore", ids)
    again = app.get(f"/parts/{part}/notes")
    assert [{**n, "touched": False} for n in again] == before
    added = app.edit(part, "add", [], onset_s=3.0, offset_s=3.4, pitch=50)["put"][0]["id"]
    assert "not read" in app.edit(part, "restore", [added], expect=422)["title"]


def test_two_windows_do_not_overwrite_each_other(app: App) -> None:
    part = app.part()
    note = app.get(f"/parts/{part}/notes")[0]
    seen = app.get()["revision"]
    app.edit(part, "move", [note["id"]], semitones=1)
    body = {"action": "delete", "ids": [note["id"]], "base_revision": seen}
    problem = app.send("POST", f"/parts/{part}/edit", body, expect=409)
    assert "another window" in problem["title"]
    assert app.get(f"/parts/{part}/notes")[0]["pitch"] == note["pitch"] + 1


def test_two_readings_are_kept_and_compared(app: App) -> None:
    take = app.bring_in(wav(line(tune())))["result"]["take"]
    first = app.read(take)
    second = app.read(take, lowest=65)
    assert [r["number"] for r in app.get("/readings")] == [1, 2]
    found = app.get(f"/readings/{first}/differences?other={second}")
    assert found
    part = app.send("POST", "/parts", {"reading": second})["part"]
    before = len(app.get(f"/parts/{part}/notes"))
    onsets = [app.get(f"/readings/{first}/candidates")["onset_s"][d["first"]] for d in found if d["second"] < 0]
    app.send("POST", f"/parts/{part}/take-over", {"reading": first, "onsets_s": onsets})
    assert len(app.get(f"/parts/{part}/notes")) == before + len(onsets)


@pytest.mark.parametrize("level", [1.0, 0.001])
def test_ends_are_trimmed_to_the_sound(app: App, level: float) -> None:
    part = app.part(level)
    notes = app.get(f"/parts/{part}/notes")
    app.edit(part, "ends", [notes[0]["id"]], end_by_s=0.06)
    app.edit(part, "trim", [notes[0]["id"]])
    trimmed = app.get(f"/parts/{part}/notes")[0]
    assert trimmed["offset_s"] == pytest.approx(tune()[0].offset_s, abs=0.04)


def test_ends_are_trimmed_to_the_pedal(app: App) -> None:
    part = app.part()
    notes = app.get(f"/parts/{part}/notes")
    first, second, third = notes[:3]
    refused = app.edit(part, "trim", [first["id"]], expect=422, to="pedal")
    assert "No pedal is heard" in refused["title"]
    lift_s = third["onset_s"] + 0.3
    app.send("PATCH", f"/parts/{part}", {"pedal": [[first["onset_s"] + 0.1, lift_s]]})
    app.edit(part, "ends", [first["id"]], end_by_s=lift_s + 0.5 - first["offset_s"])
    app.edit(part, "trim", [first["id"], second["id"]], to="pedal")
    ends = {n["id"]: n["offset_s"] for n in app.get(f"/parts/{part}/notes")}
    assert ends[first["id"]] == pytest.approx(lift_s)
    assert ends[second["id"]] == second["offset_s"]


def test_select_by_rule_and_set_the_part(app: App) -> None:
    part = app.part()
    notes = app.get(f"/parts/{part}/notes")
    picked = app.get(f"/parts/{part}/pick?rule=pitch&value={notes[0]['pitch']}")["ids"]
    assert picked == [n["id"] for n in notes if n["pitch"] == notes[0]["pitch"]]
    app.send("PATCH", f"/parts/{part}", {"name": "Washtub", "octave": 1, "muted": True, "instrument": "bass"})
    assert app.get()["parts"][part]["name"] == "Washtub"
    assert app.get("/parts/heard")["parts"] == {}
    assert app.send("PATCH", f"/parts/{part}", {"instrument": "kazoo"}, expect=404)["title"].startswith("There is no")


def test_what_a_part_is_not_told_stays_as_it_is(app: App) -> None:
    """A null changes nothing, and a pedal is pairs of moments: neither may leave a folio that cannot be opened."""
    part = app.part()
    before = app.get()["parts"][part]
    app.send("PATCH", f"/parts/{part}", {"solo": None, "keeps_beats": None, "muted": True, "pedal": [[0.5, 1.0]]})
    assert app.get()["parts"][part] == {**before, "muted": True, "pedal": [[0.5, 1.0]]}
    for pedal in ([[0.5]], [[0.5, 1.0, 2.0]], [[0.5, 1e300]]):
        app.send("PATCH", f"/parts/{part}", {"pedal": pedal}, expect=422)
    assert app.get()["parts"][part]["pedal"] == [[0.5, 1.0]]


def test_the_same_file_twice_is_noticed(app: App) -> None:
    data = wav(line(tune()))
    app.bring_in(data, "one.wav")
    second = app.bring_in(data, "two.wav")
    assert "here already, as “one”" in second["result"]["notice"]
    assert len(app.get()["takes"]) == 1


def test_takes_that_come_with_one_name_are_told_apart(app: App) -> None:
    for softer in (1, 2):
        app.bring_in(wav(line(tune()) / softer), "hymn.wav")
    app.bring_in(whistle_and_drums(), "hymn.mid")
    assert sorted(take["name"] for take in app.get()["takes"].values()) == ["hymn", "hymn 2", "hymn, MIDI"]


def test_takes_are_renamed_and_removed_undoably(app: App) -> None:
    take, other = (app.bring_in(wav(line(tune()) / softer))["result"]["take"] for softer in (1, 2))
    app.send("PATCH", f"/takes/{take}", {"name": "Boathouse"})
    app.send("POST", "/takes/remove", {"takes": [take, other]})
    assert app.get()["takes"] == {}
    assert app.get()["undo"] == "2 takes removed"
    app.send("POST", "/undo")
    assert app.get()["takes"][take]["name"] == "Boathouse"
    app.send("POST", "/takes/remove", {"takes": [take, "none"]}, expect=404)
    assert set(app.get()["takes"]) == {take, other}


def test_folios_of_one_title_are_told_apart(app: App) -> None:
    made = [app.client.post("/api/folios", json={"title": "Untitled piece"}).json()["id"] for _ in range(2)]
    titles = {f["id"]: f["title"] for f in app.client.get("/api/folios").json()}
    assert [titles[i] for i in made] == ["Untitled piece", "Untitled piece 2"]


def whistle_and_drums() -> bytes:
    """A MIDI file of a tune and of drums, one of whose notes hangs."""
    file = mido.MidiFile(ticks_per_beat=96)
    for name, channel, pitch in (("whistle", 0, 74), ("snare", 9, 38)):
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
        if name == "whistle":
            track.append(mido.MetaMessage("set_tempo", tempo=500000))
        track.append(mido.Message("program_change", channel=channel, program=74))
        track.append(mido.Message("note_on", channel=channel, note=pitch, velocity=80, time=96))
        track.append(mido.Message("note_off", channel=channel, note=pitch, time=96 if name == "whistle" else 1))
        track.append(mido.Message("note_on", channel=channel, note=pitch, velocity=80, time=48))
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_a_midi_file_becomes_parts_at_once(app: App) -> None:
    job = app.bring_in(whistle_and_drums(), "play.mid")
    parts = app.get()["parts"]
    told = [(p["name"], p["instrument"], p["percussion"]) for p in parts.values()]
    assert told == [("whistle", "reed", False), ("snare", "drums", True)]
    assert "stuck" in job["result"]["notice"]
    take = job["result"]["take"]
    app.send("PUT", "/time", {"map_of_take": take})
    assert app.get()["settings"]["tempo"]["lone_bpm"] == pytest.approx(120)
    assert app.get(f"/parts/{next(iter(parts))}/notes")[0]["onset_s"] == pytest.approx(0.5)


def test_batch_reads_accepts_and_hands_on_one_file_a_part(app: App) -> None:
    takes = [
        app.bring_in(wav(line(tune(start))), f"line {i}.wav")["result"]["take"] for i, start in enumerate((0.3, 0.5))
    ]
    answer = app.send("POST", "/readings/batch", {"takes": [*takes, "nothing"]})
    assert len(answer["passed_over"]) == 1
    for job in answer["jobs"]:
        app.watched.wait(job)
    parts = app.get()["parts"]
    assert sorted(p["name"] for p in parts.values()) == ["line 0", "line 1"]
    made = app.send("POST", "/hand-ons", {"files": "each"})
    data = app.client.get(app.url(f"/hand-ons/{made['id']}/file")).content
    names = zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert len([n for n in names if n.endswith(".mid")]) == 2
    assert "what was written.txt" in names
    assert made["proof"]["same"]


def test_parts_stand_in_the_order_of_their_takes_whichever_was_ready_first(app: App) -> None:
    takes = [app.bring_in(wav(line(tune(s))), f"line {s}.wav")["result"]["take"] for s in (0.3, 0.4, 0.5)]
    readings = {take: app.read(take) for take in takes}
    for take in (takes[1], takes[2], takes[0]):
        app.send("POST", "/parts", {"reading": readings[take]})
    wanted = ["line 0.3", "line 0.4", "line 0.5"]
    parts = app.get()["parts"]
    assert [p["name"] for p in parts.values()] == wanted
    made = app.send("POST", "/hand-ons", {"parts": list(reversed(parts))})
    file = mido.MidiFile(file=io.BytesIO(app.get_bytes(f"/hand-ons/{made['id']}/file")))
    assert [t.name for t in file.tracks if any(m.type == "note_on" for m in t)] == wanted


@pytest.mark.parametrize(
    ("kind", "head"),
    [("csv", "part,onset_s"), ("json", '{\n "notes"'), ("labels", "0.4")],
)
def test_other_formats(app: App, kind: str, head: str) -> None:
    part = app.part()
    made = app.send("POST", "/hand-ons", {"parts": [part], "format": kind, "middle_c_octave": 3})
    text = app.client.get(app.url(f"/hand-ons/{made['id']}/file")).text
    assert text.startswith(head)
    assert made["proof"] is None
    assert ("D3" if kind != "json" else '"D3"') in text


def test_a_name_is_never_reused_in_silence(app: App) -> None:
    part = app.part()
    first = app.send("POST", "/hand-ons", {"parts": [part], "pattern": "goat {tempo}"})
    second = app.send("POST", "/hand-ons", {"parts": [part], "pattern": "goat {tempo}"})
    assert (first["name"], second["name"]) == ("goat 120.mid", "goat 120 2.mid")
    assert "handed on before" in second["told"]["said"][0]
    assert app.get("/hand-ons/remembered")["pattern"] == "goat {tempo}"


def test_a_part_without_a_name_is_asked_for_one(app: App) -> None:
    part = app.part()
    problem = app.send("POST", "/hand-ons", {"parts": [part], "names": {part: "unknown"}}, expect=422)
    assert "no name" in problem["title"]


@pytest.mark.parametrize("files", ["one", "each"])
def test_nothing_is_handed_on_of_parts_without_notes(app: App, files: str) -> None:
    part = app.part()
    app.send("PUT", f"/parts/{part}/limit", {"least_confidence": 1.0})
    for chosen in ([part], ["a part that was taken away"]):
        for path in ("/hand-ons/describe", "/hand-ons"):
            problem = app.send("POST", path, {"parts": chosen, "files": files}, expect=422)
            assert "nothing to hand on" in problem["title"]
    assert app.get("/hand-ons") == []


def test_time_is_typed_tapped_and_proposed(app: App) -> None:
    part = app.part()
    found = app.get(f"/time/proposals?part={part}")
    # The tune's notes are 0.4 s apart.
    assert any(abs(p["bpm"] / (150 * f) - 1) < 0.02 for p in found for f in (0.5, 1.0))
    assert app.send("POST", "/time/taps", {"tap_s": [0, 0.5, 1.0, 1.5]})["bpm"] == 120
    assert "Tap at least 3" in app.send("POST", "/time/taps", {"tap_s": [0]}, expect=422)["detail"]
    app.send("PUT", "/time", {"numerator": 6, "denominator": 8, "first_bar_number": 5, "bpm": 90})
    grid = app.get("/time/grid?from_s=0&to_s=3")
    assert grid["bar"][0] == 5
    assert grid["time_s"][:2] == [0.0, 1.0]


def test_peaks_samples_and_paced_sound(app: App) -> None:
    take = app.bring_in(wav(line(tune())))["result"]["take"]
    peaks = app.client.get(app.url(f"/takes/{take}/peaks?level=1&first=0&count=100")).content
    samples = app.client.get(app.url(f"/takes/{take}/peaks?level=-1&first=0&count=100")).content
    assert (len(peaks), len(samples)) == (400, 400)
    slow = app.client.get(app.url(f"/takes/{take}/sound?from_s=0&to_s=1&pace=0.5&rate=44100"))
    assert len(slow.content) == 2 * 2 * 44100 * 4
    assert app.client.get(app.url(f"/takes/{take}/sound?from_s=0&to_s=100&rate=44100")).status_code == 422
