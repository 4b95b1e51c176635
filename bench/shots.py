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


READ_HARMONIUM = """async () => {
  const folio = location.pathname.split('/')[2]
  const base = `/api/folios/${folio}`
  const state = await (await fetch(base)).json()
  const take = Object.entries(state.takes).find(([, t]) => t.name.startsWith('harmonium'))[0]
  const before = (await (await fetch(`${base}/readings`)).json()).length
  const headers = { 'content-type': 'application/json' }
  const body = JSON.stringify({ take, settings: { voices: 'auto' } })
  await fetch(`${base}/readings`, { method: 'POST', headers, body })
  while ((await (await fetch(`${base}/readings`)).json()).length === before) {
    await new Promise((done) => setTimeout(done, 100))
  }
}"""


def many_voices(opened: Page, folder: Path) -> None:
    """The harmonium verse: the reading proposed, and the reading with its spectrum."""
    opened.keyboard.press("PageUp")
    opened.locator("[data-take^=harmonium]").get_by_role("button", name="Open").click()
    opened.get_by_role("button", name="Read it as many voices").wait_for()
    shoot(opened, folder, "proposed-day")
    opened.evaluate(READ_HARMONIUM)
    opened.reload()
    opened.locator("[data-test=limit]").wait_for()
    opened.keyboard.press("PageUp")
    opened.locator("[data-take^=harmonium]").get_by_role("button", name="Open").click()
    opened.get_by_role("heading", name="Together").wait_for()
    opened.keyboard.press("u")
    for _ in range(3):
        opened.keyboard.press("+")
    for _ in range(3):
        opened.keyboard.press("ArrowRight")
    opened.locator("canvas.partials").wait_for()
    shoot(opened, folder, "many-day")


def slices(opened: Page, folder: Path) -> None:
    """The toy cupboard loop in slices, and its kit handed on."""
    opened.locator("[data-test=take]").select_option(label="toy cupboard loop 96bpm")
    opened.get_by_role("link", name="Slices").click()
    opened.locator("[data-test=strips]").wait_for()
    for _ in range(8):
        opened.keyboard.press("ArrowRight")
    opened.get_by_text("differ").first.wait_for()
    shoot(opened, folder, "slices-day")
    opened.keyboard.press("Shift+h")
    opened.locator("[data-test=write-kit]").click()
    opened.locator("[data-test=kit-proof]").wait_for()
    shoot(opened, folder, "kit-day")


def beats(opened: Page, folder: Path) -> None:
    """The curtain call's beats with a pin, and the overture's score laid on its recording."""
    opened.locator("[data-test=take]").select_option(label="curtain call, live")
    opened.get_by_role("link", name="Beat").click()
    opened.locator("[data-test=stems]").wait_for()
    for _ in range(9):
        opened.keyboard.press("ArrowRight")
    with opened.expect_response("**/edits"):
        opened.keyboard.press("p")
    opened.get_by_text("1 pin is law").wait_for()
    shoot(opened, folder, "beat-night")
    opened.keyboard.press("Shift+N")
    opened.get_by_role("link", name="Folios").click()
    opened.get_by_text("The Lighthouse Goat, overture").click()
    opened.get_by_role("link", name="Beat").click()
    opened.get_by_role("button", name="Make it a hold").first.wait_for()
    opened.keyboard.press("ArrowRight")
    shoot(opened, folder, "score-day")


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
        many_voices(opened, folder)
        slices(opened, folder)
        opened.keyboard.press("Escape")
        opened.get_by_role("dialog").wait_for(state="detached")
        opened.get_by_label("Stations").get_by_role("button", name="Goat, hummed").click()
        opened.locator("[data-test=limit]").wait_for()
        opened.keyboard.press("Shift+N")
        shoot(opened, folder, "notes-night")
        opened.keyboard.press("t")
        opened.locator("[data-test=proposal]").first.wait_for()
        shoot(opened, folder, "time-night")
        opened.keyboard.press("Escape")
        opened.get_by_role("dialog").wait_for(state="detached")
        beats(opened, folder)


if __name__ == "__main__":
    main()
