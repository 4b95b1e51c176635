"""The real application in Debian's Chromium, on the demo or on an empty folder."""

import base64
import json
import os
import re
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import JSHandle, Locator, Page, expect

from honest_stave.demo.folio import ensure_demo
from honest_stave.service.opening import open_studio

# Slow machines take their time; a test that waits longer than this has failed.
LONGEST_WAIT_MS = 20_000
expect.set_options(timeout=LONGEST_WAIT_MS)

CHROMIUM = os.environ.get("STAVE_CHROMIUM", "/usr/bin/chromium")
FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --autoplay-policy=no-user-gesture-required"
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """A browser on a crowded machine gets a second go, which the summary tells; what fails twice has failed."""
    for item in items:
        if Path(__file__).parent in item.path.parents:
            item.add_marker(pytest.mark.flaky(reruns=1))


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return {"executable_path": CHROMIUM, "args": FLAGS.split()}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, Any]:
    return {"viewport": {"width": 1280, "height": 800}, "accept_downloads": True}


def serve(folder: Path, *options: str) -> Iterator[str]:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [
        sys.executable,
        "-m",
        "honest_stave.cli",
        "serve",
        "--data",
        str(folder),
        "--port",
        str(port),
        *options,
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout
    assert "answers at" in process.stdout.readline()
    yield f"http://127.0.0.1:{port}/"
    process.terminate()
    process.communicate(timeout=10)


def number_in(place: Locator) -> int:
    """The first number that a place shows, once it shows one."""
    expect(place).to_have_text(re.compile(r"\d"))
    return int(re.search(r"\d+", place.inner_text()).group())


def dragged(page: Page, name: str, data: bytes) -> JSHandle:
    """What a drag from outside carries: one file."""
    return page.evaluate_handle(
        """([name, text]) => { const carried = new DataTransfer()
          carried.items.add(new File([Uint8Array.from(atob(text), c => c.charCodeAt(0))], name)); return carried }""",
        [name, base64.b64encode(data).decode()],
    )


def wait_until(page: Page, holds: str) -> None:
    """Waits for an expression of the page, frame by frame, as long as ``expect`` waits."""
    look = f"""() => new Promise((done, fail) => {{
      const late = performance.now() + {LONGEST_WAIT_MS}
      const look = () => ({holds}) ? done()
        : performance.now() > late ? fail(new Error({json.dumps(holds)} + ' never came true'))
        : requestAnimationFrame(look)
      look() }})"""
    page.evaluate(look)


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Address of an application with the demo, for all tests: starting one takes seconds."""
    folder = tmp_path_factory.mktemp("served") / "data"
    studio = open_studio(folder)
    ensure_demo(studio)
    studio.close()
    yield from serve(folder, "--demo")


@pytest.fixture
def nothing_yet(page: Page, tmp_path: Path) -> Iterator[Page]:
    """An application of the test's own, as it is before the first folio."""
    for address in serve(tmp_path / "data"):
        page.goto(address)
        yield page


@pytest.fixture
def demo(page: Page, served: str) -> Iterator[Page]:
    """The Notes station of a copy of the demo, so that no test meets what another has left."""
    page.set_default_timeout(30_000)
    folios = f"{served}api/folios"
    original = next(folio for folio in page.request.get(folios).json() if folio["demo"])
    copy = page.request.post(f"{folios}/{original['id']}/copy").json()
    page.goto(f"{served}folio/{copy['id']}/notes")
    page.locator("[data-test=limit]").wait_for()
    number_in(page.get_by_role("link", name="Notes"))
    yield page
    page.request.delete(f"{folios}/{copy['id']}")


@pytest.fixture
def empty(page: Page, served: str) -> Iterator[Page]:
    """A new folio with nothing in it."""
    page.set_default_timeout(30_000)
    made = page.request.post(f"{served}api/folios", data={"title": "Tidewater"}).json()
    page.goto(f"{served}folio/{made['id']}/takes")
    page.get_by_role("heading", name="Bring in a recording").wait_for()
    yield page
    page.request.delete(f"{served}api/folios/{made['id']}")
