"""Beat maps through the API: found, mended, made the folio's time, aligned, handed on."""

import io
import re
import zipfile
from typing import Any

import mido
import numpy as np
import pytest
import soundfile

from honest_stave.core.beat.align import written_notes
from honest_stave.core.formats.musicxml_read import read_musicxml
from honest_stave.demo.live import STOP_BAR, curtain_call, overture
from tests.api.conftest import App
from tests.core.test_musicxml import SCORE
from tests.made import RATE, Note, texture, wav


@pytest.fixture(scope="module")
def found_once(anywhere: App) -> tuple[App, str]:
    """A folio with the curtain call and the map of its beats, and the map's id."""
    app = anywhere.begin("Found once")
    take = app.bring_in(curtain_call().wav(), "curtain call.wav")["result"]["take"]
    job = app.watched.wait(app.send("POST", "/beat-maps", {"take": take})["jobs"][0])
    assert job["state"] == "done", job
    return app, str(job["result"]["beat_map"])


@pytest.fixture
def found(app: App, found_once: tuple[App, str]) -> str:
    """Id of the map of the curtain call's beats, in a folio that is a copy."""
    app.folio = found_once[0].copy().folio
    return found_once[1]


def edit(app: App, beat_map: str, action: str, chosen: list[int], expect: int = 200, **values: Any) -> Any:
    body = {"action": action, "beats": chosen, "values": values}
    return app.send("POST", f"/beat-maps/{beat_map}/edits", body, expect)


def test_a_performance_without_a_click_gets_beats_that_give_the_folio_its_time(app: App, found: str) -> None:
    view = app.get(f"/beat-maps/{found}")
    truth = np.array(curtain_call().beat_s)
    near = np.abs(np.array(view["time_s"])[:, None] - truth).min(axis=1)
    assert np.mean(near < 0.03) > 0.9
    # Nobody plays on three beats of the bar in which all stop: no attack is said to be there, and no drift.
    stopped = truth[1 + 4 * STOP_BAR + np.arange(1, 4)]
    silent = [t for t, heard in zip(view["time_s"], view["heard_s"], strict=True) if heard is None]
    assert silent == pytest.approx(stopped, abs=0.05)
    assert [drift is None for drift in view["drift_ms"]] == [heard is None for heard in view["heard_s"]]
    assert view["rules"]
    tempo = app.get("")["settings"]["tempo"]
    assert [k["time_s"] for k in tempo["knots"]] == pytest.approx(view["time_s"], abs=1e-6)
    assert app.get("")["beat_maps"][found]["beats"] == len(view["time_s"])


def test_the_folios_time_stays_on_the_recording_that_rules_it_when_that_begins_later(app: App, found: str) -> None:
    take = app.get(f"/beat-maps/{found}")["take"]
    app.send("PUT", f"/takes/{take}/place", {"begins_s": 8.0})
    view = app.get(f"/beat-maps/{found}")
    grid = app.get(f"/time/grid?from_s=0&to_s=20&take={take}")
    assert min(abs(t - view["time_s"][5]) for t in grid["time_s"]) < 1e-6
    edit(app, found, "move", [5], time_s=view["time_s"][5] + 0.02)
    tempo = app.get("")["settings"]["tempo"]
    assert tempo["knots"][5]["time_s"] == pytest.approx(view["time_s"][5] + 8.02, abs=1e-5)


def test_every_edit_is_one_step_of_history_and_moves_the_folios_time(app: App, found: str) -> None:
    before = app.get(f"/beat-maps/{found}")
    edit(app, found, "move", [10], time_s=before["time_s"][10] + 0.02)
    edit(app, found, "number", [9], bar=7, beat=1)
    after = app.get(f"/beat-maps/{found}")
    assert after["pinned"][10]
    assert (after["bar"][9], after["beat"][9]) == (7, 1)
    assert app.get("")["settings"]["tempo"]["first_bar_number"] == after["first_bar_number"]
    edit(app, found, "mark", [], time_s=12.0, name="bow")
    assert app.get(f"/beat-maps/{found}")["markers"] == [{"time_s": 12.0, "name": "bow"}]
    for _ in range(3):
        app.send("POST", "/undo")
    assert app.get(f"/beat-maps/{found}") == before


def test_what_cannot_be_is_refused_with_the_reason_and_changes_nothing(app: App, found: str) -> None:
    before = app.get(f"/beat-maps/{found}")
    crossed = edit(app, found, "move", [10], 422, time_s=before["time_s"][12])
    assert "cross" in crossed["title"]
    assert "no two pins" in edit(app, found, "re-read", [10], 422)["title"]
    assert "no longer there" in edit(app, found, "pin", [5000], 422)["title"]
    assert "Nothing was heard" in edit(app, found, "pin", [43], 422, to_attack=True)["title"]
    assert "lacks beat" in edit(app, found, "number", [3], 422, bar=1)["title"]
    assert "7/0 is no meter" in edit(app, found, "meter", [3], 422, numerator=7, denominator=0)["title"]
    assert "4/3 is no meter" in edit(app, found, "meters", [], 422, meters=[[1, 4, 3]])["title"]
    assert "at least 1 item" in edit(app, found, "move between", [], 422, between=[], time_s=1.0)["title"]
    assert "valid number" in edit(app, found, "tap", [], 422, tap_s=["soon"])["title"]
    assert app.get(f"/beat-maps/{found}") == before


def test_stretches_are_read_anew_and_taps_refined(app: App, found: str) -> None:
    first = app.get(f"/beat-maps/{found}")
    times = first["time_s"]
    edit(app, found, "pin", [8, 16])
    edit(app, found, "re-read", [10])
    view = app.get(f"/beat-maps/{found}")
    assert view["time_s"][8:17] == pytest.approx(times[8:17], abs=0.002)
    assert view["confidence"][8:17] == pytest.approx(first["confidence"][8:17], abs=0.03)
    edit(app, found, "tap", [], tap_s=[t + 0.1 for t in times[20:28]])
    again = app.get(f"/beat-maps/{found}")["time_s"]
    assert len(again) == len(view["time_s"])
    assert again[20:28] == pytest.approx(times[20:28], abs=0.04)
    # Read anew or tapped over, a beat on which nobody plays has no attack.
    edit(app, found, "pin", [40, 48])
    edit(app, found, "re-read", [44])
    assert app.get(f"/beat-maps/{found}")["heard_s"][42:45] == [None] * 3


def test_other_ways_to_count_are_heard_before_they_are_taken(app: App, found: str) -> None:
    own = app.get(f"/beat-maps/{found}/ticks")["time_s"]
    twice = app.get(f"/beat-maps/{found}/ticks?runner_up=twice%20the%20tempo")["time_s"]
    assert len(twice) == 2 * len(own) - 1
    app.send("POST", f"/beat-maps/{found}/runner-up", {"name": "twice the tempo"})
    assert app.get(f"/beat-maps/{found}")["time_s"] == pytest.approx(twice)


def test_beats_that_were_heard_are_not_laid_by_a_score(app: App, found: str) -> None:
    assert "not laid by a score" in app.send("POST", f"/beat-maps/{found}/lay", {"place": 3.0}, 422)["title"]


def test_the_time_is_handed_on_and_proven(app: App, found: str) -> None:
    formats = ["map", "click", "click track", "bar", "straight", "csv", "labels"]
    problem = app.send("POST", f"/beat-maps/{found}/hand-on", {"formats": formats}, 422)
    assert "has not been straightened" in problem["title"]
    job = app.watched.wait(app.send("POST", f"/beat-maps/{found}/straighten", {"bpm": 100})["jobs"][0])
    made = app.send("POST", f"/beat-maps/{found}/hand-on", {"formats": formats, "straightened": job["id"]})
    assert made["proof"]["same"], made["proof"]["text"]
    found_again, strokes = map(int, re.search(r"(\d+) of (\d+) strokes", made["proof"]["text"]).groups())
    assert strokes > 50
    assert found_again > 0.95 * strokes
    with zipfile.ZipFile(io.BytesIO(app.get_bytes(f"/hand-ons/{made['id']}/file"))) as files:
        names = files.namelist()
        midi = mido.MidiFile(file=io.BytesIO(files.read("curtain call.mid")))
        click, rate = soundfile.read(io.BytesIO(files.read("curtain call click.wav")))
        rows = files.read("curtain call beats.csv").decode().splitlines()
        steady, steady_rate = soundfile.read(io.BytesIO(files.read("curtain call at 100.wav")))
    assert len(click) / rate == pytest.approx(len(curtain_call().samples) / RATE, abs=0.001)
    view = app.get(f"/beat-maps/{found}")
    struck, now = [], 0.0
    for message in midi:
        now += message.time
        if message.type == "note_on" and message.velocity:
            struck.append(now)
    assert struck == pytest.approx(view["time_s"], abs=0.001)
    assert len(rows) == len(view["time_s"]) + 1
    assert len(steady) / steady_rate == pytest.approx(0.6 * (len(view["time_s"]) - 1), abs=0.01)
    assert all(any(not m.is_meta for m in track) or track is midi.tracks[0] for track in midi.tracks)
    assert {"proof.txt", "what was written.txt"} <= set(names)
    weak = len(view["walk"])
    assert weak > 0
    assert f"{weak} beat" in made["told"]["words"][0]


def test_a_map_that_no_voice_follows_has_no_score(app: App, found: str) -> None:
    problem = app.send("POST", f"/beat-maps/{found}/hand-on", {"formats": ["score"]}, 422)
    assert "No voice follows" in problem["title"]


def test_a_take_without_any_beat_says_so(app: App) -> None:
    drone = (0.3 * np.sin(2 * np.pi * 220 * np.arange(6 * RATE) / RATE)).astype(np.float32)
    take = app.bring_in(wav(drone), "drone.wav")["result"]["take"]
    job = app.watched.wait(app.send("POST", "/beat-maps", {"take": take})["jobs"][0])
    assert job["state"] == "failed"
    assert "No beat is heard" in job["result"]["title"]


def test_even_beats_are_laid_where_none_is_heard_and_tapped_over(app: App) -> None:
    drone = np.concatenate([np.zeros(RATE), 0.3 * np.sin(2 * np.pi * 220 * np.arange(11 * RATE) / RATE)])
    take = app.bring_in(wav(drone.astype(np.float32)), "drone.wav")["result"]["take"]
    job = app.watched.wait(app.send("POST", "/beat-maps", {"take": take, "even_bpm": 60})["jobs"][0])
    found = job["result"]["beat_map"]
    view = app.get(f"/beat-maps/{found}")
    # They begin where the sound does, and nobody is sure of them.
    assert view["time_s"] == pytest.approx(np.arange(1, 12), abs=0.02)
    assert view["bar"][:5] == [1, 1, 1, 1, 2]
    assert not any(view["confidence"])
    assert not any(view["heard_s"])
    tapped = [4.1, 5.2, 6.2, 7.1]
    edit(app, found, "tap", [], tap_s=tapped)
    now = np.array(app.get(f"/beat-maps/{found}")["time_s"])
    assert np.abs(now[:, None] - tapped).min(axis=0).max() < 0.1
    slow = app.send("POST", "/beat-maps", {"take": take, "even_bpm": 1}, 422)
    assert slow["title"]


def test_a_score_is_laid_on_a_recording_and_its_voices_follow_the_map(app: App) -> None:
    night = overture()
    take = app.bring_in(night.wav(), "overture.wav")["result"]["take"]
    score = app.bring_in(night.score, "overture score.mid")["result"]["take"]
    assert "is a recording" in app.send("POST", "/beat-maps/align", {"score": take, "take": take}, 422)["title"]
    job = app.watched.wait(app.send("POST", "/beat-maps/align", {"score": score, "take": take})["jobs"][0])
    assert job["state"] == "done", job
    aligned = job["result"]["beat_map"]
    view = app.get(f"/beat-maps/{aligned}")
    truth = np.array(night.beat_s)
    struck = np.array([t for t in view["heard_s"] if t is not None])
    assert np.abs(struck[:, None] - truth).min(axis=1).max() < 0.05
    assert len(view["written_out"]) == 3
    assert view["said"] == []
    # The first map of a folio whose tempo nobody has set gives it its time.
    assert app.get("")["settings"]["beat_map"] == aligned
    parts = {i: p for i, p in app.get("")["parts"].items() if p["beat_map"] == aligned}
    assert sorted(p["name"] for p in parts.values()) == ["Harmonium, aligned", "Whistle, aligned"]
    whistle = next(i for i, p in parts.items() if p["name"].startswith("Whistle"))
    lies_anew_between_pins(app, aligned, night.beat_s)
    before = sorted(n["onset_s"] for n in app.get(f"/parts/{whistle}/notes"))
    edit(app, aligned, "pin", [4, 8])
    edit(app, aligned, "move", [6], time_s=view["time_s"][6] + 0.1)
    after = sorted(n["onset_s"] for n in app.get(f"/parts/{whistle}/notes"))
    moved = [i for i, (a, b) in enumerate(zip(before, after, strict=True)) if abs(a - b) > 1e-4]
    # Between the neighbouring beats the voice bends; beyond them nothing moves.
    assert moved == [6]
    pins_between(app, aligned, whistle, view["between"], night.between_s)
    edit(app, aligned, "as hold", [view["written_out"][0][0]], beats=2)
    assert app.get(f"/beat-maps/{aligned}")["holds"][0]["written_beats"] == 3
    edit(app, aligned, "hold", [1, 2], written_beats=1)
    assert [h["beat"] for h in app.get(f"/beat-maps/{aligned}")["holds"]][:2] == [1, 2]
    edit(app, aligned, "hold", [1, 2])
    made = app.send("POST", f"/beat-maps/{aligned}/hand-on", {"formats": ["map", "score"]})
    assert made["proof"]["same"], made["proof"]["text"]
    with zipfile.ZipFile(io.BytesIO(app.get_bytes(f"/hand-ons/{made['id']}/file"))) as files:
        back = read_musicxml(files.read(next(n for n in files.namelist() if n.endswith(".musicxml"))))
    wanted = sorted((n.onset_beats, n.pitch) for n in written_notes(night.score))
    found = sorted((n.onset, n.pitch) for part in back.parts for n in part.notes)
    assert [p for _, p in found] == [p for _, p in wanted]
    first = found[0][0] - wanted[0][0]
    assert [q - first for q, _ in found] == pytest.approx([q for q, _ in wanted], abs=0.01)


def lies_anew_between_pins(app: App, aligned: str, truth: tuple[float, ...]) -> None:
    """What is written between two pins is heard again, kept as a reading of its own, and pins stay."""
    view = app.get(f"/beat-maps/{aligned}")
    path = f"/beat-maps/{aligned}/lay"
    assert "no two pins" in app.send("POST", path, {"place": 6.0}, 422)["title"]
    edit(app, aligned, "pin", [2, 11])
    assert app.watched.wait(app.send("POST", path, {"place": 6.0})["jobs"][0])["state"] == "done"
    now = app.get(f"/beat-maps/{aligned}")
    assert now["reading"] != view["reading"]
    assert now["pinned"] == [i in (2, 11) for i in range(len(now["pinned"]))]
    struck = [t for t, heard in zip(now["time_s"][:12], now["heard_s"], strict=False) if heard is not None]
    assert np.abs(np.array(struck)[:, None] - truth).min(axis=1).max() < 0.05
    assert min(now["confidence"][3:11]) > 0.8
    assert now["moments"][5][1] == pytest.approx(view["moments"][5][1], abs=0.06)
    # Its notes are as sure as it is now, and lie where it does.
    part = next(i for i, p in app.get("")["parts"].items() if p["beat_map"] == aligned)
    notes = [n for n in app.get(f"/parts/{part}/notes") if abs(n["onset_s"] - now["time_s"][5]) < 1e-4]
    assert {n["origin"]["reading"] for n in notes} == {now["reading"]}
    assert notes[0]["origin"]["confidence"] == pytest.approx(now["confidence"][5], abs=1e-3)
    for _ in range(2):
        app.send("POST", "/undo")
    assert app.get(f"/beat-maps/{aligned}")["time_s"] == view["time_s"]


def pins_between(app: App, aligned: str, part: str, between: dict[str, Any], truth: tuple[float, ...]) -> None:
    """What is written between beats has a doubt and moments, and a pin that its notes follow and that is let go."""
    assert between["time_s"] == pytest.approx(truth, abs=0.03)
    assert between["share"] == [0.5] * 3

    def note() -> dict[str, Any]:
        notes = app.get(f"/parts/{part}/notes")
        return next(n for n in notes if n["origin"]["onset_s"] == pytest.approx(between["heard_s"][1], abs=1e-4))

    assert note()["origin"]["confidence"] == pytest.approx(between["confidence"][1], abs=1e-3)
    stands = between["moments"][1][1]
    assert abs(stands - truth[1]) < 0.06
    edit(app, aligned, "move between", [], between=[1], time_s=stands + 0.05)
    assert app.get(f"/beat-maps/{aligned}")["between"]["pinned"] == [False, True, False]
    assert note()["onset_s"] == pytest.approx(stands + 0.05, abs=1e-6)
    assert note()["touched"]
    assert "would cross" in edit(app, aligned, "move between", [], 422, between=[1], time_s=0.1)["title"]
    # A bar's last beat lasts to the next bar: its end is written there.
    view = app.get(f"/beat-maps/{aligned}")
    assert view["ends_at"][0] == pytest.approx(1.0, abs=0.1)
    edit(app, aligned, "release between", [], between=[1])
    assert note()["onset_s"] == pytest.approx(between["heard_s"][1], abs=1e-6)
    assert not note()["touched"]


def test_a_score_in_musicxml_comes_in_as_voices_that_can_be_aligned(app: App) -> None:
    job = app.bring_in(SCORE, "overture.musicxml")
    assert job["state"] == "done", job
    assert "repeats are played as they are written" in job["result"]["notice"]
    state = app.get("")
    assert state["takes"][job["result"]["take"]]["kind"] == "midi"
    assert sorted(p["name"] for p in state["parts"].values()) == ["Harmonium", "Whistle"]
    # The recording leaves the repeat out.
    sung = [
        Note(0.5 + n.onset / 2, 0.5 + (n.onset + n.duration) / 2, n.pitch, 0.4)
        for part in read_musicxml(SCORE, repeated=False).parts
        for n in part.notes
    ]
    take = app.bring_in(wav(texture(sung)), "sung.wav")["result"]["take"]
    asked = app.send("POST", "/beat-maps/align", {"score": job["result"]["take"], "take": take})
    laid = app.watched.wait(asked["jobs"][0])
    view = app.get(f"/beat-maps/{laid['result']['beat_map']}")
    assert "repeats are not played" in view["said"][0]
    assert [(m["beat"], m["numerator"]) for m in view["meters"]] == [(1, 4), (5, 3)]
    whistle = next(i for i, p in app.get("")["parts"].items() if p["name"] == "Whistle, aligned")
    assert len(app.get(f"/parts/{whistle}/notes")) == 5
