"""The real application in Debian's Chromium, on the demo or on an empty folder."""

import json
import os
import re
import shutil
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

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
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo as it is when nobody has touched it yet."""
    folder = tmp_path_factory.mktemp("demo") / "untouched"
    studio = open_studio(folder)
    ensure_demo(studio)
    studio.close()
    return folder


@pytest.fixture
def demo_address(demo_folder: Path, tmp_path: Path) -> Iterator[str]:
    """A demo of the test's own, so that no test meets what another has left."""
    folder = tmp_path / "demo"
    shutil.copytree(demo_folder, folder)
    yield from serve(folder, "--demo")


@pytest.fixture
def empty_address(tmp_path: Path) -> Iterator[str]:
    yield from serve(tmp_path / "data")


@pytest.fixture
def demo(page: Page, demo_address: str) -> Page:
    """The demo's Notes station."""
    page.set_default_timeout(30_000)
    page.goto(demo_address)
    page.locator("[data-test=limit]").wait_for()
    number_in(page.get_by_role("link", name="Notes"))
    return page


@pytest.fixture
def empty(page: Page, empty_address: str) -> Page:
    """A new folio with nothing in it."""
    page.set_default_timeout(30_000)
    page.goto(empty_address)
    page.get_by_label("Title of a new folio").fill("Tidewater")
    page.get_by_role("button", name="New folio").click()
    page.get_by_role("heading", name="Bring in a recording").wait_for()
    return page
