"""Takes the pictures in docs/screenshots from the demo: ``python bench/shots.py FOLDER``."""

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page

from bench.served import page, served


def shoot(opened: Page, folder: Path, name: str) -> None:
    opened.locator(".notice").evaluate_all("all => all.forEach((n) => n.remove())")
    opened.mouse.move(700, 330)
    opened.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    opened.wait_for_load_state("networkidle")
    opened.screenshot(path=folder / f"{name}.png", animations="disabled")


def main() -> None:
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, served(Path(data), "--demo") as (address, _), page() as opened:
        # Event streams never let the network fall idle; the page is told to do without.
        opened.add_init_script("window.EventSource = class { close() {} }")
        opened.goto(address)
        opened.locator("[data-test=limit]").wait_for()
        shoot(opened, folder, "notes-day")
        opened.get_by_role("button", name="Put this away").click()
        for _ in range(4):
            opened.keyboard.press("+")
        for _ in range(4):
            opened.keyboard.press("ArrowRight")
        shoot(opened, folder, "note-day")
        opened.keyboard.press("h")
        opened.locator("[data-test=write]:not([disabled])").wait_for()
        shoot(opened, folder, "hand-on-day")
        opened.locator("[data-test=write]").click()
        opened.locator("[data-test=proof]").wait_for()
        shoot(opened, folder, "proof-day")
        opened.keyboard.press("Escape")
        opened.get_by_role("dialog").wait_for(state="detached")
        opened.keyboard.press("PageUp")
        opened.get_by_role("heading", name="Takes").wait_for()
        shoot(opened, folder, "takes-day")
        opened.keyboard.press("PageDown")
        opened.locator("[data-test=limit]").wait_for()
        opened.keyboard.press("Shift+N")
        shoot(opened, folder, "notes-night")
        opened.keyboard.press("t")
        opened.locator("[data-test=proposal]").first.wait_for()
        shoot(opened, folder, "time-night")


if __name__ == "__main__":
    main()
