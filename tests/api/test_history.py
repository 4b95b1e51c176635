"""Undo and redo under any sequence of changes, and after the server was killed."""

import json
import os
import signal
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from honest_stave.store import history
from honest_stave.store.changed_notes import ChangedNotes
from honest_stave.store.database import CHANGED_NOTES
from honest_stave.store.patch import difference, patched
from honest_stave.store.tables import Base, Change, Folio
from tests.api.conftest import App

ids = st.sampled_from(["a", "b", "c", "d"])
values = st.recursive(
    st.none() | st.booleans() | st.integers(0, 3) | st.sampled_from(["", "added", "a"]),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from("ab"), inner),
    max_leaves=8,
)
bodies = st.dictionaries(st.sampled_from(["pitch", "name", "curve"]), values, min_size=1)
steps = st.one_of(
    st.tuples(st.just("put"), st.lists(st.tuples(ids, bodies), min_size=1, max_size=3)),
    st.tuples(st.just("remove"), st.lists(ids, min_size=1, max_size=2)),
    st.tuples(st.just("undo"), st.just([])),
    st.tuples(st.just("redo"), st.just([])),
    st.tuples(st.just("go"), st.integers(0, 25)),
)


@settings(max_examples=300)
@given(bodies, bodies)
def test_a_difference_leads_from_either_body_to_the_other(before: dict, after: dict) -> None:
    change = json.loads(json.dumps(difference(before, after)))
    assert patched(before, change, back=False) == after
    assert patched(after, change, back=True) == before


def test_a_difference_is_as_small_as_what_differs() -> None:
    before = {"time_s": [0.5 * i for i in range(4000)], "name": "curtain call"}
    after = {**before, "time_s": [*before["time_s"][:2000], 1000.02, *before["time_s"][2001:]]}
    assert len(json.dumps(difference(before, after))) < 80


def test_changes_that_hold_both_bodies_are_still_taken_back() -> None:
    engine = create_engine("sqlite://")
    Base.metadata.create_all(engine)
    with Session(engine, info={CHANGED_NOTES: ChangedNotes()}) as session:
        session.add(Folio(id="f", revision=0, created_at=0, changed_at=0, demo=False))
        session.flush()
        history.apply(session, "f", history.Edit("made", put=[("note", "p", "a", {"pitch": 2})]))
        row = ["note", "p", "a", {"pitch": 1}, {"pitch": 2}]
        session.add(Change(folio_id="f", label="by 0.34", at=0.0, deltas=[row], undone=False))
        session.flush()
        assert history.undo(session, "f") == "by 0.34"
        assert history.entities(session, "f", "note", "p") == {"a": {"pitch": 1}}
        assert history.redo(session, "f") == "by 0.34"
        assert history.entities(session, "f", "note", "p") == {"a": {"pitch": 2}}


@settings(max_examples=40)
@given(st.lists(steps, max_size=25))
def test_any_sequence_of_changes_undo_and_redo(sequence: list) -> None:
    engine = create_engine("sqlite://")
    Base.metadata.create_all(engine)
    states: list[dict] = [{}]
    at = 0
    with Session(engine, info={CHANGED_NOTES: ChangedNotes()}) as session:
        session.add(Folio(id="f", revision=0, created_at=0, changed_at=0, demo=False))
        session.flush()
        for kind, what in sequence:
            if kind in ("undo", "redo"):
                label = history.undo(session, "f") if kind == "undo" else history.redo(session, "f")
                possible = at > 0 if kind == "undo" else at < len(states) - 1
                assert (label is not None) == possible
                at += (1 if kind == "redo" else -1) * possible
            elif kind == "go":
                made = [0, *reversed([number for number, *_ in history.history(session, "f")])]
                to = what % len(made)
                assert history.go_to(session, "f", made[to]) == abs(to - at)
                at = to
            else:
                after = dict(states[at])
                edit = history.Edit("step")
                if kind == "put":
                    after |= dict(what)
                    edit.put = [("note", "p", i, body) for i, body in dict(what).items()]
                else:
                    after = {i: body for i, body in after.items() if i not in what}
                    edit.removed = [("note", "p", i) for i in dict.fromkeys(what)]
                history.apply(session, "f", edit)
                if after != states[at]:
                    states[at + 1 :] = [after]
                    at += 1
            assert history.entities(session, "f", "note", "p") == states[at]
    engine.dispose()


def start(folder: Path) -> tuple[subprocess.Popen[str], str]:
    """A server on a free port, and its address."""
    command = [sys.executable, "-m", "honest_stave.cli", "serve", "--data", str(folder), "--port"]
    for port in range(18470, 18500):
        process = subprocess.Popen([*command, str(port)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        assert process.stdout
        line = process.stdout.readline()
        if "answers at" in line:
            return process, f"http://127.0.0.1:{port}"
        process.communicate()
    raise AssertionError("no free port")


def ask(url: str, body: object = None, method: str | None = None) -> dict:
    data = json.dumps(body).encode() if body is not None else None
    request = urllib.request.Request(url, data, {"content-type": "application/json"}, method=method)
    with urllib.request.urlopen(request, timeout=20) as answer:
        return dict(json.load(answer))


@pytest.mark.parametrize("edits", [1, 7])
def test_killed_between_two_edits_nothing_is_lost(tmp_path: Path, edits: int) -> None:
    server, address = start(tmp_path)
    folio = ask(f"{address}/api/folios", {"title": "Goat"})["id"]
    for i in range(edits):
        ask(f"{address}/api/folios/{folio}", {"title": f"Goat {i}"}, "PATCH")
    os.kill(server.pid, signal.SIGKILL)
    server.communicate()

    server, address = start(tmp_path)
    try:
        assert ask(f"{address}/api/folios/{folio}")["settings"]["title"] == f"Goat {edits - 1}"
        for _ in range(edits):
            ask(f"{address}/api/folios/{folio}/undo", {}, "POST")
        assert ask(f"{address}/api/folios/{folio}")["settings"]["title"] == "Goat"
    finally:
        server.terminate()
        server.communicate()


def test_a_copy_of_a_folio_has_everything_and_goes_its_own_way(app: App) -> None:
    part = app.part()
    app.edit(part, "delete", [app.get(f"/parts/{part}/notes")[0]["id"]])
    app.send("POST", "/undo")
    copy = app.copy()
    first, second = (each.get(f"/parts/{part}/notes") for each in (app, copy))

    assert copy.get()["settings"]["title"] == "The Lighthouse Goat, copy"
    assert [(n["onset_s"], n["pitch"]) for n in first] == [(n["onset_s"], n["pitch"]) for n in second]
    copy.edit(part, "delete", [second[1]["id"]])
    assert len(copy.get(f"/parts/{part}/notes")) == len(second) - 1
    assert app.get(f"/parts/{part}/notes") == first
    # Readings are its own: they are there when the first folio is gone.
    app.send("DELETE", "")
    reading = copy.get("/readings")[0]["id"]
    assert {n["origin"]["reading"] for n in second} == {reading}
    accepted = copy.send("POST", "/parts", {"reading": reading})["part"]
    assert len(copy.get(f"/parts/{accepted}/notes")) == len(second)
    copy.send("POST", "/history/0")
    assert copy.get()["parts"] == {}
