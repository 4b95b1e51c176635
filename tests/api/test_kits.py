"""Kits through the API: cut, tried, kept, edited, undone, nulled, handed on."""

import csv
import io
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest

from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.reading import HitSettings
from honest_stave.demo.loops import toy_cupboard
from honest_stave.service import hits
from tests.api.conftest import App
from tests.made import RATE, wav


@pytest.fixture(scope="module")
def cut(anywhere: App) -> tuple[App, str]:
    """A folio with a kit cut of the toy cupboard loop, and the kit's id."""
    app = anywhere.begin("Cut once")
    take = app.bring_in(toy_cupboard().wav(), "toy cupboard.wav")["result"]["take"]
    job = app.watched.wait(app.send("POST", "/kits", {"take": take})["jobs"][0])
    assert job["state"] == "done", job
    return app, str(job["result"]["kit"])


@pytest.fixture
def kit(app: App, cut: tuple[App, str]) -> str:
    """Id of a kit of the toy cupboard loop, in a folio that is a copy."""
    app.folio = cut[0].copy().folio
    return cut[1]


def edit(app: App, kit: str, action: str, ids: list[str], expect: int = 200, **values: Any) -> Any:
    return app.send("POST", f"/kits/{kit}/edits", {"action": action, "ids": ids, "values": values}, expect)


def test_a_loop_is_cut_heard_and_timed(app: App, kit: str) -> None:
    view = app.get(f"/kits/{kit}")
    truth = np.array(sorted(t for t, _, _ in toy_cupboard().hits))
    moments = truth[np.diff(truth, prepend=-1.0) > 0.02]
    assert [s["first_s"] for s in view["slices"]] == pytest.approx(moments.tolist(), abs=0.003)
    assert {s["drum"] for piece in view["slices"] for s in piece["strikes"]} == {"kick", "snare", "hat"}
    assert any(s["ghost"] for piece in view["slices"] for s in piece["strikes"])
    assert view["tempo"]["bpm"] == pytest.approx(96, abs=0.2)
    assert view["tempo"]["bars"] == 2
    assert view["grid"]["bar"][view["grid"]["time_s"].index(min(view["grid"]["time_s"], key=abs))] == 1
    assert app.get(f"/kits/{kit}/null") == {"exact": True, "residual_db": -150.0, "breaking": []}
    assert app.get("")["kits"][kit]["name"] == "toy cupboard"


def test_a_take_removed_while_it_is_heard_has_its_kit_all_the_same(app: App) -> None:
    take = app.bring_in(toy_cupboard().wav(), "toy cupboard.wav")["result"]["take"]
    asked = app.send("POST", "/kits", {"take": take})["jobs"][0]
    app.send("POST", "/takes/remove", {"takes": [take]})
    job = app.watched.wait(asked)
    assert job["state"] == "done", job
    assert app.get()["kits"][job["result"]["kit"]]["take"] == take


def test_thresholds_are_tried_without_being_kept_and_cuts_by_hand_stay(app: App, kit: str) -> None:
    before = app.get(f"/kits/{kit}")["slices"]
    edit(app, kit, "cut", [], at_s=0.2)
    tried = app.send("POST", f"/kits/{kit}/try", {"threshold_db": -8.0})["slices"]
    assert len(tried) < len(before)
    assert any(s["by_hand"] and s["first_s"] == pytest.approx(0.2, abs=1e-4) for s in tried)
    assert len(app.get(f"/kits/{kit}")["slices"]) == len(before) + 1
    app.send("PATCH", f"/kits/{kit}", {"threshold_db": -8.0})
    assert len(app.get(f"/kits/{kit}")["slices"]) == len(tried)
    app.send("POST", "/undo")
    assert len(app.get(f"/kits/{kit}")["slices"]) == len(before) + 1


@pytest.mark.parametrize(
    ("action", "ids", "values"),
    [
        ("cut", [], {}), ("drums", 1, {}), ("order", 1, {}), ("order", 1, {"by": [1]}), ("set", 1, {"key": 200}),
        ("set", 1, {"end": "nowhere"}), ("set", 1, {"muted": None}), ("set", ["not there"], {"muted": True}),
        ("replace", 1, {"kit": "none"}), ("fold", 1, {}), ("rename", 1, {"drums": ["hat"]}),
        ("rename", 1, {"was": "kick"}),
    ],
)  # fmt: skip
def test_edits_that_lack_something_are_refused_in_words(
    app: App, kit: str, action: str, ids: list[str] | int, values: dict[str, Any]
) -> None:
    chosen = [s["id"] for s in app.get(f"/kits/{kit}")["slices"]][:ids] if isinstance(ids, int) else ids
    before = app.get("")
    answer = app.client.post(app.url(f"/kits/{kit}/edits"), json={"action": action, "ids": chosen, "values": values})
    assert answer.status_code in (404, 422)
    assert answer.json()["title"].endswith(".")
    assert app.get("") == before


def test_edits_by_hand_break_the_null_test_and_undo_mends_it(app: App, kit: str) -> None:
    ids = [s["id"] for s in app.get(f"/kits/{kit}")["slices"]]
    edit(app, kit, "set", [ids[3]], reversed=True)
    assert [i for i, _ in app.get(f"/kits/{kit}/null")["breaking"]] == [ids[3]]
    edit(app, kit, "drums", [ids[5]], drums=["tom"])
    edit(app, kit, "nudge", [ids[2]], by_frames=7)
    view = app.get(f"/kits/{kit}")["slices"]
    assert [s["drum"] for s in view[5]["strikes"]] == ["tom"]
    assert view[2]["by_hand"]
    for _ in range(3):
        app.send("POST", "/undo")
    assert app.get(f"/kits/{kit}/null")["exact"]


def test_cuts_go_to_the_attack_and_to_zero_crossings_only_in_silence(app: App, kit: str) -> None:
    view = app.get(f"/kits/{kit}")["slices"]
    target = view[4]
    edit(app, kit, "nudge", [target["id"]], by_s=0.004)
    edit(app, kit, "attack", [target["id"]])
    mended = next(s for s in app.get(f"/kits/{kit}")["slices"] if s["id"] == target["id"])
    assert mended["first_s"] == pytest.approx(target["first_s"], abs=0.001)
    edit(app, kit, "nudge", [target["id"]], by_s=0.01)
    said = edit(app, kit, "zero", [target["id"]], expect=422)
    assert "not silent" in said["title"]
    assert "cannot pass" in edit(app, kit, "nudge", [target["id"]], expect=422, by_s=2.0)["title"]


def test_a_slice_plays_a_slice_of_another_take(app: App, kit: str) -> None:
    loud = np.random.default_rng(2).uniform(-0.5, 0.5, 2 * RATE).astype(np.float32)
    other = np.zeros(2 * RATE, np.float32)
    for start in (0.1, 0.6, 1.1, 1.6):
        first = round(start * RATE)
        other[first : first + 4000] = loud[:4000] * np.exp(-np.arange(4000) / 900)
    take = app.bring_in(wav(other), "other.wav")["result"]["take"]
    second = app.watched.wait(app.send("POST", "/kits", {"take": take})["jobs"][0])["result"]["kit"]
    source = next(s for s in app.get(f"/kits/{second}")["slices"] if s["id"] != "lead")
    own = app.get(f"/kits/{kit}")["slices"][2]["id"]
    values = {"kit": second, "slice": source["id"]}
    app.send("POST", f"/kits/{kit}/edits", {"action": "replace", "ids": [own], "values": values})
    sound = app.client.get(app.url(f"/kits/{kit}/slices/{own}/sound?rate={RATE}"))
    heard = np.frombuffer(sound.content, np.float32).reshape(2, -1)
    assert heard.shape[1] == round((source["last_s"] - source["first_s"]) * RATE)
    # Without that take it plays its own sound again, until undo brings the take back.
    assert app.send("POST", "/takes/remove", {"takes": [take]})["silent"] == []
    assert app.get(f"/kits/{kit}/null")["exact"]
    app.send("POST", "/undo")
    assert not app.get(f"/kits/{kit}/null")["exact"]


def test_tempo_typed_as_bars_and_given_to_the_folio(app: App, kit: str) -> None:
    app.send("PUT", f"/kits/{kit}/tempo", {"bars": 1})
    assert app.get(f"/kits/{kit}")["tempo"]["bpm"] == pytest.approx(48, abs=0.1)
    app.send("PUT", f"/kits/{kit}/tempo", {"bpm": 96})
    assert app.get(f"/kits/{kit}")["tempo"]["bars"] == pytest.approx(2, abs=0.01)
    app.send("POST", f"/kits/{kit}/tempo", {})
    assert app.get("")["settings"]["tempo"]["lone_bpm"] == pytest.approx(96)


def test_pattern_and_drums_become_parts(app: App, kit: str) -> None:
    part = app.send("POST", f"/kits/{kit}/pattern", {"times": 2, "shuffle_seed": 4})["part"]
    drums = app.send("POST", f"/kits/{kit}/drums", {})["part"]
    state = app.get("")
    assert state["parts"][part]["instrument"] == f"kit:{kit}"
    assert state["parts"][drums]["percussion"]
    notes = app.get(f"/parts/{drums}/notes")
    assert {36, 38} <= {n["pitch"] for n in notes}
    assert len({n["velocity"] for n in notes}) > 5
    assert all(0 < n["origin"]["confidence"] <= 1 for n in notes)
    # Keys of drums and slices are no pitches: they have no key. Those of drums have names, one's own first.
    assert [app.get(f"/evidence/part/{each}")["key"] for each in (part, drums)] == [None, None]
    assert app.get(f"/evidence/part/{part}")["keys"] == {}
    assert app.get(f"/evidence/part/{drums}")["keys"]["38"] == "snare"
    app.send("PATCH", f"/kits/{kit}", {"notes": {"snare": 40}})
    assert app.get(f"/evidence/part/{drums}")["keys"]["40"] == "snare"
    made = app.send("POST", "/hand-ons", {"parts": [drums], "format": "csv"})
    rows = list(csv.DictReader(io.StringIO(app.get_bytes(f"/hand-ons/{made['id']}/file").decode())))
    assert {r["name"] for r in rows} >= {"kick", "hat, closed"}
    assert all(0 < float(r["sure"]) < 1 for r in rows)
    instrument = app.get(f"/kits/{kit}/instrument?rate=48000")
    assert instrument["flat"]
    samples = app.client.get(app.url(f"/kits/{kit}/instrument/samples?rate=48000")).content
    assert len(samples) == 8 * sum(s["frames"] for s in instrument["samples"])


def test_drums_among_stems_are_read_as_drums(app: App, kit: str) -> None:
    take = next(t for t, body in app.get()["takes"].items() if body["facts"]["seems"]["name"] == "drums")
    for job in app.send("POST", "/readings/batch", {"takes": [take]})["jobs"]:
        app.watched.wait(job)
    (part,) = app.get()["parts"].values()
    assert part["percussion"]
    # The kit that was there stays, cut by the new reading.
    assert list(app.get()["kits"]) == [kit]


def test_heard_anew_by_one_channel_a_kit_keeps_what_was_done_by_hand(app: App, kit: str) -> None:
    before = app.get(f"/kits/{kit}")["slices"]
    edit(app, kit, "remove", [before[3]["id"]])
    edit(app, kit, "set", [before[5]["id"]], reversed=True)
    app.send("PUT", f"/kits/{kit}/tempo", {"which": 1})
    tempo = app.get(f"/kits/{kit}")["tempo"]
    mended = app.get(f"/kits/{kit}")["slices"]
    take = app.get()["kits"][kit]["take"]
    asked = app.send("POST", "/kits", {"take": take, "channels": "left"})["jobs"][0]
    assert app.watched.wait(asked)["state"] == "done"
    again = app.get(f"/kits/{kit}")
    assert again["heard_by"] == {"engine": again["heard_by"]["engine"], "channels": "left"}
    assert [s["first_s"] for s in again["slices"]] == pytest.approx([s["first_s"] for s in mended], abs=0.005)
    assert {s["id"] for s in again["slices"]} != {s["id"] for s in mended}
    assert [s["settings"] for s in again["slices"]] == [s["settings"] for s in mended]
    assert again["tempo"]["bpm"] == pytest.approx(tempo["bpm"], rel=0.005)


def test_a_pattern_plays_on_what_it_played_when_the_kit_is_cut_otherwise(app: App, kit: str) -> None:
    part = app.send("POST", f"/kits/{kit}/pattern", {})["part"]

    def plays() -> list[str]:
        """The slice that each note plays, in order of time."""
        id_of = {s["key"]: s["id"] for s in app.get(f"/kits/{kit}")["slices"]}
        return [id_of.get(n["pitch"], "") for n in app.get(f"/parts/{part}/notes")]

    before = plays()
    first = app.get(f"/kits/{kit}")["slices"][0]
    edit(app, kit, "cut", [], at_s=(first["first_s"] + first["last_s"]) / 2)
    app.send("PATCH", f"/kits/{kit}", {"root": 48})
    assert plays() == before
    gone = app.get(f"/kits/{kit}")["slices"][4]["id"]
    edit(app, kit, "remove", [gone])
    assert plays() == ["" if i == gone else i for i in before]
    take = app.get()["kits"][kit]["take"]
    assert app.send("POST", "/takes/remove", {"takes": [take]})["silent"] == ["toy cupboard"]
    app.send("POST", "/undo")
    assert app.send("DELETE", f"/kits/{kit}")["silent"] == ["toy cupboard"]
    app.send("POST", "/undo")
    (told,) = app.get(f"/kits/{kit}/parts")["played"]
    assert (told["part"], told["slices"], told["silent"]) == (part, len(before) - 1, 1)
    app.send("POST", "/undo")
    assert plays() == before


def test_a_part_of_drums_is_brought_in_step_and_keeps_what_a_hand_has_touched(app: App, kit: str) -> None:
    part = app.send("POST", f"/kits/{kit}/drums", {})["part"]
    before = app.get(f"/parts/{part}/notes")
    hats = [n for n in before if n["pitch"] == 42]
    app.edit(part, "velocity", [hats[0]["id"]], value=5)
    app.edit(part, "delete", [hats[-1]["id"]])
    app.edit(part, "add", [], onset_s=4.9, offset_s=4.95, pitch=56)
    told = app.get(f"/kits/{kit}/parts")["drums"]
    assert told == [{"part": part, "name": "toy cupboard, drums", "behind": 0}]
    snare = next(s for s in app.get(f"/kits/{kit}")["slices"] if "snare" in [x["drum"] for x in s["strikes"]])
    edit(app, kit, "drums", [snare["id"]], drums=["tom"])
    told = app.get(f"/kits/{kit}/parts")["drums"][0]
    assert told["behind"] >= 2
    app.send("POST", f"/kits/{kit}/drums/{part}", {})
    assert app.get(f"/kits/{kit}/parts")["drums"][0]["behind"] == 0
    now = {n["id"]: n for n in app.get(f"/parts/{part}/notes")}
    assert f"{snare['id']} tom" in now
    assert f"{snare['id']} snare" not in now
    assert now[hats[0]["id"]]["velocity"] == 5
    assert hats[-1]["id"] not in now
    assert 56 in [n["pitch"] for n in now.values()]
    app.send("POST", "/undo")
    assert f"{snare['id']} snare" in {n["id"] for n in app.get(f"/parts/{part}/notes")}
    other = app.send("POST", f"/kits/{kit}/pattern", {})["part"]
    assert "not made of this kit" in app.send("POST", f"/kits/{kit}/drums/{other}", {}, 422)["title"]


def test_a_passage_of_the_pattern_is_repeated_on_the_grid(app: App, kit: str) -> None:
    part = app.send("POST", f"/kits/{kit}/pattern", {"from_bar": 2, "to_bar": 2, "times": 3})["part"]
    onsets = [n["onset_s"] for n in app.get(f"/parts/{part}/notes")]
    assert len(onsets) % 3 == 0
    again = [t - 2.5 for t in onsets[len(onsets) // 3 :]]
    assert again == pytest.approx(onsets[: -(len(onsets) // 3)], abs=0.002)
    assert "run backwards" in app.send("POST", f"/kits/{kit}/pattern", {"from_bar": 2, "to_bar": 1}, 422)["title"]


def test_note_maps_are_kept_under_a_name(app: App, kit: str) -> None:
    app.send("PUT", "/kits/note-maps", {"maps": {"puppets": {"kick": 24}}})
    kept = app.get("/kits/note-maps")
    assert kept["maps"] == {"puppets": {"kick": 24}}
    assert (kept["plain"]["kick"], kept["plain"]["hat open"]) == (36, 46)
    app.send("PATCH", f"/kits/{kit}", {"notes": {"kick": 24}})
    drums = app.send("POST", f"/kits/{kit}/drums", {})["part"]
    pitches = {n["pitch"] for n in app.get(f"/parts/{drums}/notes")}
    assert 24 in pitches
    assert 36 not in pitches


def test_a_kit_is_handed_on_with_its_proof(app: App, kit: str) -> None:
    formats = ["wav", "sfz", "sf2", "lanes", "csv", "labels"]
    made = app.send("POST", f"/kits/{kit}/hand-on", {"formats": formats})
    assert made["proof"]["same"], made["proof"]
    assert made["proof"]["zones_db"]["sf2"] < -80
    data = app.client.get(app.url(f"/hand-ons/{made['id']}/file")).content
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        names = archive.namelist()
        drums = mido.MidiFile(file=io.BytesIO(archive.read("toy cupboard drums.mid")))
    assert {"toy cupboard.sfz", "toy cupboard.sf2", "toy cupboard.csv", "proof.txt"} <= set(names)
    channels = {m.channel for t in drums.tracks for m in t if m.type == "note_on"}
    assert channels == {9}
    again = app.send("POST", f"/kits/{kit}/hand-on", {"formats": ["sf2"], "bpm": 120, "times": 2})
    assert again["name"] != made["name"]
    assert "120" in " ".join(again["told"]["words"])
    assert not any("may be wrong" in words for words in made["told"]["words"])
    app.send("PATCH", f"/kits/{kit}", {"least_confidence": 0.1})
    doubtful = app.send("POST", f"/kits/{kit}/hand-on", {"formats": ["lanes"]})
    assert any("drum notes may be wrong" in words for words in doubtful["told"]["words"])


def test_slices_beyond_the_highest_key_are_told(app: App, kit: str) -> None:
    slices = [s for s in app.get(f"/kits/{kit}")["slices"] if s["id"] != "lead"]
    app.send("PATCH", f"/kits/{kit}", {"root": 120})
    beyond = sum(s["key"] is None for s in app.get(f"/kits/{kit}")["slices"] if s["id"] != "lead")
    assert beyond == app.get(f"/kits/{kit}")["keyless"] == len(slices) - 8
    proof = app.send("POST", f"/kits/{kit}/hand-on", {"formats": ["sfz"]})["proof"]
    assert not proof["same"]
    assert f"{beyond} slices beyond the highest key" in proof["remarks"][0]


ONE_HIT = np.r_[np.zeros(4410), np.exp(-np.arange(8000) / 900) * np.sin(np.arange(8000) / 8)].astype(np.float32)
TONE = (0.3 * np.sin(2 * np.pi * 440 * np.arange(2 * RATE) / RATE)).astype(np.float32)


@pytest.mark.parametrize(
    ("name", "sound"), [("silence", np.zeros(RATE, np.float32)), ("a tone", TONE), ("one hit", ONE_HIT)]
)
def test_recordings_that_are_no_loops_are_cut_sensibly(app: App, name: str, sound: np.ndarray) -> None:
    take = app.bring_in(wav(sound), f"{name}.wav")["result"]["take"]
    job = app.watched.wait(app.send("POST", "/kits", {"take": take})["jobs"][0])
    assert job["state"] == "done"
    view = app.get(f"/kits/{job['result']['kit']}")
    cuts = [s for s in view["slices"] if s["id"] != "lead"]
    assert len(cuts) <= 1
    assert view["tempi"] == []
    assert app.get(f"/kits/{job['result']['kit']}/null")["exact"]
    if not cuts:
        said = app.send("POST", f"/kits/{job['result']['kit']}/hand-on", {"formats": ["sfz"]}, 422)
        assert "No slice" in said["title"]


def test_hits_of_an_engine_that_did_not_say_how_well_they_are_placed_are_opened(tmp_path: Path) -> None:
    reading = read(toy_cupboard().samples, RATE, HitSettings())
    with np.load(io.BytesIO(hits.to_bytes(replace(reading, engine="hits 12")))) as kept:
        np.savez(tmp_path / "before.npz", **{name: kept[name] for name in kept if name != "within_s"})
    opened = hits.from_file(tmp_path / "before.npz")
    assert np.isnan(opened.within_s).all()
    assert opened.time_s.tolist() == reading.time_s.tolist()
