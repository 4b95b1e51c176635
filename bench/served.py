"""Starts the application for a measurement and opens it in Chromium."""

import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

CHROMIUM = os.environ.get("STAVE_CHROMIUM", "/usr/bin/chromium")
FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --autoplay-policy=no-user-gesture-required"
)


@contextmanager
def served(folder: Path, *options: str) -> Iterator[tuple[str, float]]:
    """The address of a running application, and after how many seconds it answered."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "honest_stave.cli", "serve", "--data", str(folder), "--port", str(port)]
    started = time.perf_counter()
    process = subprocess.Popen([*command, *options], stdout=subprocess.PIPE, text=True)
    address = f"http://127.0.0.1:{port}/"
    while True:
        try:
            urllib.request.urlopen(address + "api/health", timeout=1).read()
            break
        except OSError:
            time.sleep(0.01)
    answered_s = time.perf_counter() - started
    try:
        urllib.request.urlopen(address + "api/folios", timeout=120).read()
        yield address, answered_s
    finally:
        process.terminate()
        process.communicate(timeout=10)


@contextmanager
def page(width: int = 1280, height: int = 800) -> Iterator[Page]:
    """A fresh page of Debian's Chromium."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS.split())
        opened = browser.new_page(viewport={"width": width, "height": height})
        opened.set_default_timeout(60_000)
        yield opened
        browser.close()
