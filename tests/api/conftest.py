"""The application in a test client, with its jobs waited for."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import pytest
from starlette.testclient import TestClient

from honest_stave.api.application import make_application
from honest_stave.service.opening import open_studio
from tests.conftest import Watched
from tests.made import line, tune, wav


@dataclass
class App:
    """The application as a client sees it."""

    client: TestClient
    watched: Watched
    folio: str

    def begin(self, title: str) -> "App":
        """The same application with another folio."""
        made = self.client.post("/api/folios", json={"title": title}).json()
        return replace(self, folio=made["id"])

    def copy(self) -> "App":
        """The same application with a copy of this folio."""
        return replace(self, folio=self.send("POST", "/copy")["id"])

    def url(self, path: str = "") -> str:
        return f"/api/folios/{self.folio}{path}"

    def get(self, path: str = "") -> Any:
        answer = self.client.get(self.url(path))
        assert answer.status_code == 200, answer.text
        return answer.json()

    def get_bytes(self, path: str) -> bytes:
        answer = self.client.get(self.url(path))
        assert answer.status_code == 200, answer.text
        return answer.content

    def send(self, method: str, path: str, body: Any = None, expect: int = 200) -> Any:
        answer = self.client.request(method, self.url(path), json=body)
        assert answer.status_code == expect, answer.text
        return answer.json()

    def bring_in(self, data: bytes, name: str = "line.wav") -> dict[str, Any]:
        """The finished job of a file brought in."""
        answer = self.client.post(self.url("/takes"), files=[("files", (name, data))])
        assert answer.status_code == 200, answer.text
        return self.watched.wait(answer.json()["jobs"][0])

    def read(self, take: str, **settings: Any) -> str:
        """Id of a new reading."""
        jobs = self.send("POST", "/readings", {"take": take, "settings": settings})["jobs"]
        job = self.watched.wait(jobs[0])
        assert job["state"] == "done", job
        return str(job["result"]["reading"])

    def part(self, level: float = 1.0) -> str:
        """Id of a part read from a made line, as loud as made or softer."""
        take = self.bring_in(wav(level * line(tune())))["result"]["take"]
        return str(self.send("POST", "/parts", {"reading": self.read(take)})["part"])

    def edit(self, part: str, action: str, ids: list[str], expect: int = 200, **values: Any) -> Any:
        body = {"action": action, "ids": ids, "values": values}
        return self.send("POST", f"/parts/{part}/edit", body, expect)


@pytest.fixture(scope="session")
def anywhere(tmp_path_factory: pytest.TempPathFactory) -> Iterator[App]:
    """The one application of all tests here, with no folio open: starting it and its worker takes seconds."""
    watched = Watched(open_studio(tmp_path_factory.mktemp("studio"), workers=1))
    with TestClient(make_application(lambda: watched.studio), base_url="http://127.0.0.1:8470") as client:
        yield App(client, watched, "")


@pytest.fixture
def app(anywhere: App) -> Iterator[App]:
    """The application with a folio of the test's own, in which nothing is yet."""
    own = anywhere.begin("The Lighthouse Goat")
    empty = own.url()
    yield own
    anywhere.client.delete(empty)
