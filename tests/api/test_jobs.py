"""Long work: stopped within a second, crashes survived, the queue kept across a restart."""

import os
import signal
import threading
import time
from pathlib import Path

import numpy as np
from starlette.testclient import TestClient

from honest_stave.api.application import make_application
from honest_stave.service import folios, readings, takes
from honest_stave.service.opening import open_studio
from honest_stave.service.studio import Studio
from honest_stave.store.tables import Job
from tests.api.conftest import App
from tests.conftest import LONGEST_JOB_S, Watched
from tests.made import RATE, line, tune, wav


def long_take(app: App) -> str:
    noise = np.random.default_rng(1).normal(0, 0.1, (240 * RATE, 1)).astype(np.float32)
    return str(app.bring_in(wav(noise))["result"]["take"])


def running(job: dict) -> bool:
    return bool(job["state"] == "running" and job["progress"] > 0.05)


def test_a_reading_is_stopped_within_a_second(app: App) -> None:
    take = long_take(app)
    job = app.send("POST", "/readings", {"take": take})["jobs"][0]
    app.watched.wait(job, running)
    asked = time.monotonic()
    app.send("DELETE", f"/jobs/{job}")
    assert app.watched.wait(job)["state"] == "stopped"
    assert time.monotonic() - asked < 1.0
    assert app.get("/readings") == []


def test_a_crashed_worker_is_reported_and_replaced(app: App) -> None:
    take = long_take(app)
    job = app.send("POST", "/readings", {"take": take})["jobs"][0]
    app.watched.wait(job, running)
    os.kill(app.watched.studio.pool._workers[0].process.pid, signal.SIGKILL)
    ended = app.watched.wait(job)
    assert ended["state"] == "failed"
    assert "died" in ended["result"]["title"]
    assert app.bring_in(wav(line(tune())), "next.wav")["state"] == "done"


def test_the_queue_survives_a_restart_and_what_ran_is_said_to_be_gone(tmp_path: Path) -> None:
    studio = open_studio(tmp_path, workers=1)
    watched = Watched(studio)
    folio = folios.create(studio, "Goat")
    job = takes.bring_in(studio, folio, "line.wav", __import__("io").BytesIO(wav(line(tune()))))
    take = watched.wait(job)["result"]["take"]
    studio.pool.close()
    queued = readings.ask(_without_pool(studio), folio, take, {})
    with studio.database.session() as session:
        session.add(
            Job(id="ran", folio_id=folio, kind="notes", title="", state="running", at=0, order=0, arguments={})
        )
    studio.database.close()

    again = open_studio(tmp_path, workers=1)
    try:
        watched = Watched(again)
        states = {j["id"]: j["state"] for j in again.jobs.list(folio)}
        assert states["ran"] == "gone"
        if states[queued] != "done":
            watched.wait(queued)
        assert [r["number"] for r in readings.listed(again, folio)] == [1]
    finally:
        again.close()


def _without_pool(studio):
    studio.pool.submit = lambda task: None
    return studio


def test_finished_jobs_can_be_cleared(app: App) -> None:
    app.bring_in(wav(line(tune())))
    assert len(app.get("/jobs")) == 1
    app.send("DELETE", "/jobs")
    assert app.get("/jobs") == []


def test_while_a_data_folder_is_opened_it_is_said_how_far(tmp_path: Path) -> None:
    half_way, go_on = threading.Event(), threading.Event()

    def open_it() -> Studio:
        application.app.opening(0.5)
        half_way.set()
        assert go_on.wait(LONGEST_JOB_S)
        return open_studio(tmp_path, workers=1)

    application = make_application(open_it)
    with TestClient(application, base_url="http://127.0.0.1:8470") as client:
        assert half_way.wait(LONGEST_JOB_S)
        assert client.get("/api/health").json()["opened"] == 0.5
        go_on.set()
        assert client.get("/api/folios").json() == []
        assert client.get("/api/health").json()["opened"] == 1
