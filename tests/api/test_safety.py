"""Bad input gets one clear line and loses nothing; strangers get nothing at all."""

import errno
import io
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from starlette.testclient import TestClient

from honest_stave.api.application import make_application
from honest_stave.core.errors import NewerData
from honest_stave.service.opening import open_studio
from tests.api.conftest import App
from tests.made import RATE, line, tune, wav

BROKEN = {
    "empty": (b"", "empty.wav"),
    "text": (b"dear goat, " * 50, "letter.wav"),
    "cut": (wav(line(tune()))[:40], "cut.wav"),
    "renamed": (b"%PDF-1.4 nothing to hear", "song.flac"),
    "broken midi": (b"MThd\0\0\0\6\0\1\0\1\1\xe0MTrk\0\0\xff\xff\x00\x90", "play.mid"),
}


@pytest.mark.parametrize("kind", BROKEN)
def test_files_that_cannot_be_read_are_said_to_be_so(app: App, kind: str) -> None:
    data, name = BROKEN[kind]
    job = app.bring_in(data, name)
    assert job["state"] == "failed"
    assert job["result"]["title"].endswith(".")
    assert job["result"]["detail"]
    assert app.get()["takes"] == {}


@pytest.mark.parametrize(
    ("samples", "rate", "subtype"),
    [
        (np.zeros((RATE, 1), np.float32), RATE, "PCM_16"),
        (np.zeros((1, 1), np.float32), RATE, "PCM_16"),
        (line(tune(), 8000), 8000, "PCM_16"),
        (np.repeat(line(tune()), 12, axis=1), RATE, "PCM_16"),
        (np.full((RATE, 1), np.nan, np.float32), RATE, "FLOAT"),
        (np.full((RATE, 1), np.inf, np.float32), RATE, "FLOAT"),
    ],
)
def test_strange_recordings_come_in_and_are_read(app: App, samples: np.ndarray, rate: int, subtype: str) -> None:
    job = app.bring_in(wav(samples, rate, subtype))
    assert job["state"] == "done"
    reading = app.read(job["result"]["take"])
    assert "onset_s" in app.get(f"/readings/{reading}/candidates")


def test_a_limit_with_nothing_over_it_says_so(app: App) -> None:
    take = app.bring_in(wav(np.zeros((RATE, 1), np.float32)))["result"]["take"]
    problem = app.send("POST", "/parts", {"reading": app.read(take)}, expect=422)
    assert "No candidate is over the doubt limit" in problem["title"]


def test_a_file_over_the_limit(app: App, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(app.watched.studio, "most_upload_bytes", 1000)
    answer = app.client.post(app.url("/takes"), files=[("files", ("big.wav", bytes(2000)))])
    assert answer.status_code == 413
    assert "larger than" in answer.json()["title"]
    assert not list((app.watched.studio.folder / "files").glob("incoming-*"))


@pytest.mark.parametrize(
    "name", ["../../etc/passwd", "x" * 300 + ".wav", "🐐.wav", "a\x00b.wav", "..", "C:\\goat.wav"]
)
def test_names_are_names_and_never_paths(app: App, name: str) -> None:
    job = app.bring_in(wav(line(tune())), name)
    assert job["state"] == "done"
    take = next(iter(app.get()["takes"].values()))
    assert 0 < len(take["name"]) <= 120
    assert "/" not in take["name"]
    assert {p.name for p in app.watched.studio.folder.iterdir()} <= {
        "files", "folios.sqlite", "folios.sqlite-wal", "folios.sqlite-shm",
    }  # fmt: skip


def test_a_full_disk_is_said_and_changes_nothing(app: App, monkeypatch: pytest.MonkeyPatch) -> None:
    class Full(io.BytesIO):
        def write(self, _data: object) -> int:
            raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("honest_stave.store.files.os.fdopen", lambda handle, mode: Full())
    answer = app.client.post(app.url("/takes"), files=[("files", ("line.wav", wav(line(tune()))))])
    assert answer.status_code == 507
    assert "no room" in answer.json()["title"]
    assert app.get()["takes"] == {}


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "evil.example"}, 403),
        ({"host": "127.0.0.1:8470", "origin": "http://evil.example"}, 403),
        ({"host": "127.0.0.1:8470", "origin": "null"}, 403),
        ({"host": "127.0.0.1:8470", "sec-fetch-site": "cross-site"}, 403),
        ({"host": "localhost:8470", "origin": "http://localhost:8470"}, 200),
    ],
)
def test_strangers_are_refused(app: App, headers: dict[str, str], status: int) -> None:
    answer = app.client.get("/api/folios", headers=headers)
    assert answer.status_code == status
    if status == 403:
        assert answer.headers["content-type"].startswith("application/problem+json")


def test_beyond_this_machine_a_key_is_needed(tmp_path: Path) -> None:
    application = make_application(lambda: open_studio(tmp_path, workers=1), hosts={"studio.local"}, key="secret")
    with TestClient(application, base_url="http://studio.local") as client:
        assert client.get("/api/folios").status_code == 403
        assert client.get("/api/folios?key=wrong").status_code == 403
        assert client.get("/api/folios?key=secret").status_code == 200
        assert client.get("/api/folios").status_code == 200, "the key is remembered in a cookie"


def test_data_of_a_newer_version_is_left_untouched(tmp_path: Path) -> None:
    open_studio(tmp_path, workers=1).close()
    with sqlite3.connect(tmp_path / "folios.sqlite") as connection:
        connection.execute("update alembic_version set version_num = '9999'")
    before = (tmp_path / "folios.sqlite").read_bytes()
    with pytest.raises(NewerData, match="newer version"):
        open_studio(tmp_path, workers=1)
    assert (tmp_path / "folios.sqlite").read_bytes() == before


def test_every_error_is_a_problem_document(app: App) -> None:
    for path in ("/api/nothing", "/api/folios/none", app.url("/parts/none/notes") + "x"):
        answer = app.client.get(path)
        assert answer.status_code == 404
        assert {"title", "detail", "code", "status"} <= set(answer.json())
    bad = app.client.post("/api/folios", json={"title": ""})
    assert (bad.status_code, bad.json()["title"]) == (422, "The title is empty.")
    assert app.client.post("/api/folios", json={"name": 1}).status_code == 422


def test_pages_never_lead_out_of_their_folder(app: App) -> None:
    answer = app.client.get("/..%2f..%2f..%2fpyproject.toml")
    assert "build-backend" not in answer.text
