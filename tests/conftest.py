"""What all tests share."""

import os
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from honest_stave.service.opening import open_studio
from honest_stave.service.studio import Studio

settings.register_profile("steady", deadline=None, derandomize=True, max_examples=60)
settings.load_profile("steady")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
LONGEST_JOB_S = 60
ENDED = ("done", "failed", "stopped", "gone")


class Watched:
    """A studio whose jobs can be waited for."""

    def __init__(self, studio: Studio) -> None:
        self.studio = studio
        self._ended: dict[str, dict[str, Any]] = {}
        self._changed = threading.Condition()
        tell = studio.bus.tell

        def hear(news: dict[str, Any]) -> None:
            tell(news)
            if news["type"] == "job":
                with self._changed:
                    self._ended[news["job"]["id"]] = news["job"]
                    self._changed.notify_all()

        studio.bus.tell = hear

    def wait(self, job_id: str, until: Callable[[dict[str, Any]], bool] | None = None) -> dict[str, Any]:
        """The job once it has ended, or once ``until`` holds of it."""
        until = until or (lambda job: job["state"] in ENDED)
        with self._changed:
            met = self._changed.wait_for(
                lambda: job_id in self._ended and until(self._ended[job_id]), timeout=LONGEST_JOB_S
            )
            assert met, f"job {job_id} did not end: {self._ended.get(job_id)}"
            return self._ended[job_id]


@pytest.fixture
def watched(tmp_path: Path) -> Iterator[Watched]:
    studio = open_studio(tmp_path / "data", workers=1)
    yield Watched(studio)
    studio.close()
