"""Long work as the producer sees it: a list with progress, kept across restarts."""

import time
import uuid
from collections.abc import Callable
from typing import Any

from sqlalchemy import select, update

from honest_stave.core.errors import StaveError, Stopped
from honest_stave.service.bus import Bus
from honest_stave.service.pool import Pool, Task
from honest_stave.store.database import Database
from honest_stave.store.tables import Job

# What becomes of a job's result, by its kind; runs in the pool's thread.
Finish = Callable[[Job, dict[str, Any]], dict[str, Any]]
LIST_LENGTH = 60
GONE = {"title": "The program was stopped in the middle of this.", "detail": "Start it again."}


class Jobs:
    """Queues jobs, follows them, keeps their state in the database."""

    def __init__(self, database: Database, pool: Pool, bus: Bus) -> None:
        self._database, self._pool, self._bus = database, pool, bus
        self._progress: dict[str, float] = {}
        self._finish: dict[str, Finish] = {}

    def on_result(self, kind: str, finish: Finish) -> None:
        """Says what is done with the results of a kind of job."""
        self._finish[kind] = finish

    def resume(self) -> None:
        """After a restart: queued jobs go on, those that were running are said to be gone."""
        with self._database.session() as session:
            session.execute(
                update(Job)
                .where(Job.state == "running")
                .values(
                    state="gone",
                    result={"title": "The program was stopped in the middle of this.", "detail": "Start it again."},
                )
            )
            queued = session.scalars(select(Job).where(Job.state == "queued").order_by(Job.at)).all()
        for job in queued:
            self._submit(job)

    def add(self, folio_id: str, kind: str, title: str, arguments: dict[str, Any]) -> str:
        """Queues a job; returns its id."""
        job = Job(
            id=uuid.uuid4().hex, folio_id=folio_id, kind=kind, title=title[:300], state="queued",
            at=time.time(), order=0, arguments=arguments, result={},
        )  # fmt: skip
        with self._database.session() as session:
            session.add(job)
        self._submit(job)
        return job.id

    def stop(self, job_id: str) -> None:
        """Stops a job."""
        self._pool.stop(job_id)

    def list(self, folio_id: str) -> list[dict[str, Any]]:
        """Jobs of a folio, newest first."""
        with self._database.session() as session:
            query = select(Job).where(Job.folio_id == folio_id).order_by(Job.at.desc()).limit(LIST_LENGTH)
            return [self._said(job) for job in session.scalars(query)]

    def dismiss(self, folio_id: str) -> None:
        """Takes finished jobs off the list."""
        with self._database.session() as session:
            for job in session.scalars(select(Job).where(Job.folio_id == folio_id)):
                if job.state not in ("queued", "running"):
                    session.delete(job)

    def _said(self, job: Job) -> dict[str, Any]:
        return {
            "id": job.id,
            "folio_id": job.folio_id,
            "kind": job.kind,
            "title": job.title,
            "state": job.state,
            "progress": 1.0 if job.state == "done" else self._progress.get(job.id, 0.0),
            "result": job.result or {},
        }

    def _submit(self, job: Job) -> None:
        self._bus.tell({"type": "job", "folio": job.folio_id, "job": self._said(job)})
        self._pool.submit(
            Task(
                id=job.id,
                kind=job.kind,
                arguments=job.arguments,
                on_start=lambda: self._set(job, "running", {}),
                on_progress=lambda share: self._on_progress(job, share),
                on_done=lambda result: self._on_done(job, result),
                on_failed=lambda error: self._on_failed(job, error),
            )
        )

    def _on_progress(self, job: Job, share: float) -> None:
        self._progress[job.id] = share
        self._bus.tell({"type": "job", "folio": job.folio_id, "job": self._said(job)})

    def _on_done(self, job: Job, result: dict[str, Any]) -> None:
        try:
            outcome = self._finish[job.kind](job, result)
        except StaveError as error:
            self._on_failed(job, error)
            return
        self._set(job, "done", outcome)

    def _on_failed(self, job: Job, error: StaveError) -> None:
        state = "stopped" if isinstance(error, Stopped) else "failed"
        self._set(job, state, {"title": error.title, "detail": error.detail})

    def _set(self, job: Job, state: str, result: dict[str, Any]) -> None:
        job.state, job.result = state, result
        if state != "running":
            self._progress.pop(job.id, None)
        with self._database.session() as session:
            session.execute(update(Job).where(Job.id == job.id).values(state=state, result=result))
        self._bus.tell({"type": "job", "folio": job.folio_id, "job": self._said(job)})
