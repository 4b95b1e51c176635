"""Keyboard alone, two windows, tables, contrast, and failing states."""

import re

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import dragged, number_in
from tests.made import line, tune, wav


def test_the_path_by_keyboard_alone(empty: Page) -> None:
    page = empty
    page.locator("[data-test=files]").set_input_files(
        {"name": "line.wav", "mimeType": "audio/wav", "buffer": wav(line(tune()))}
    )
    expect(page.locator("tr[data-take=line]")).to_be_visible()

    def tab_to(name: str) -> None:
        for _ in range(60):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.textContent.trim()") == name:
                return
        raise AssertionError(f"{name} is not reached with Tab")

    tab_to("Open")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Read it as one voice")).to_be_visible()
    page.keyboard.press("r")
    expect(page.get_by_role("dialog")).to_contain_text("lowest pitch")
    expect(page.locator("[data-test=voices]")).to_be_focused()
    tab_to("Read")
    expect(page.get_by_role("dialog").get_by_role("button", name="Read")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("[data-test=left-out]")).to_contain_text("candidates")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("a")
    expect(page.get_by_text("Accepted: 12 notes")).to_be_visible()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_label("Findings").get_by_role("heading").first).to_contain_text("D♯4")
    page.keyboard.press("h")
    expect(page.locator("[data-test=write]")).to_be_enabled()
    tab_to("Write and prove")
    page.keyboard.press("Enter")
    expect(page.locator("[data-test=proof]")).to_have_text("The same")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_a_folio_is_renamed_where_its_title_stands(empty: Page) -> None:
    empty.locator("h1 button").click()
    expect(empty.get_by_label("Title of the folio")).to_be_focused()
    # Letters are keys of the station elsewhere.
    empty.keyboard.type("Tide chart")
    empty.keyboard.press("Enter")
    expect(empty.locator("h1")).to_have_text("Tide chart")
    expect(empty).to_have_title(re.compile("^Tide chart"))
    empty.keyboard.press("y")
    empty.get_by_role("button", name="before all of these").click()
    expect(empty.locator("h1")).to_have_text("Tidewater")
    empty.get_by_role("button", name="Folio called “Tide chart”").click()
    expect(empty.locator("h1")).to_have_text("Tide chart")
    empty.keyboard.press("Escape")
    expect(empty.get_by_role("dialog")).to_have_count(0)


def test_files_dropped_where_no_folio_is_open_begin_one(empty: Page) -> None:
    page = empty
    page.get_by_role("link", name="Folios").click()
    expect(page.get_by_role("button", name="New folio")).to_be_visible()
    carried = dragged(page, "Tide 3.wav", wav(line(tune())))
    page.dispatch_event(".frame", "dragover", {"dataTransfer": carried})
    expect(page.get_by_text("Let go to begin a folio")).to_be_visible()
    page.dispatch_event(".frame", "drop", {"dataTransfer": carried})
    expect(page.locator("h1")).to_contain_text("Tide 3")
    expect(page.locator("tr[data-take='Tide 3']")).to_be_visible()
    # The one that was open before has nothing of it.
    page.get_by_role("link", name="Folios").click()
    page.get_by_role("link", name="Tidewater").click()
    expect(page.get_by_role("heading", name="Bring in a recording")).to_be_visible()


def test_a_folio_is_copied_in_the_list(empty: Page) -> None:
    empty.get_by_role("link", name="Folios").click()
    empty.get_by_role("row", name="Tidewater").get_by_role("button", name="Copy").click()
    empty.get_by_role("link", name="Tidewater, copy").click()
    expect(empty.locator("h1")).to_have_text("Tidewater, copy")
    empty.keyboard.press("y")
    expect(empty.get_by_role("button", name="Copied from “Tidewater”")).to_be_visible()


def test_in_a_small_window_everything_is_in_reach(demo: Page) -> None:
    demo.set_viewport_size({"width": 1024, "height": 640})
    # What scrolls beside the lanes may lie lower; all else has to be under the pointer where it is drawn.
    covered = """() => [...document.querySelectorAll('.station button, .station input, .station select, footer *')]
      .filter(e => e.checkVisibility() && e.matches('button, input, select') && !e.closest('.margin'))
      .filter(e => { const r = e.getBoundingClientRect()
        return ![r.left + 2, r.right - 2].every(x =>
          document.elementFromPoint(x, (r.top + r.bottom) / 2)?.closest('button, input, select, label') ===
          (e.closest('button') ?? e.closest('label') ?? e) ||
          e.contains(document.elementFromPoint(x, (r.top + r.bottom) / 2))) })
      .map(e => e.getAttribute('aria-label') ?? e.textContent)"""
    for station, drawn in (("Notes", "[data-test=limit]"), ("Slices", "[data-test=loop-tempo]"), ("Beat", ".lanes")):
        demo.get_by_role("link", name=station).click()
        demo.locator(drawn).first.wait_for()
        assert demo.evaluate(covered) == [], station


def test_a_station_shows_the_take_that_was_chosen(demo: Page) -> None:
    # As long as nobody chose a take, one with beats is shown.
    demo.get_by_role("link", name="Beat").click()
    expect(demo.locator("[data-test=beats-found]")).to_be_visible()
    demo.locator("[data-test=take]").select_option(label="washtub bass 112bpm")
    expect(demo.get_by_role("heading", name="Find the beats of “washtub bass 112bpm”")).to_be_visible()
    demo.get_by_role("link", name="Slices").click()
    expect(demo.get_by_role("heading", name="Cut “washtub bass 112bpm”")).to_be_visible()
    # Another one that has what this one lacks is a press away.
    demo.get_by_role("main").get_by_role("button", name="toy cupboard loop 96bpm").click()
    expect(demo.locator("[data-test=loop-tempo]")).to_be_visible()
    demo.get_by_role("link", name="Takes").click()
    demo.locator("tr[data-take='harmonium verse 80bpm']").get_by_role("button", name="Open").click()
    demo.get_by_role("link", name="Beat").click()
    expect(demo.locator("[data-test=find-beats]")).to_be_visible()


def test_takes_are_found_by_words_and_handed_on_by_themselves(demo: Page) -> None:
    page = demo
    page.get_by_role("link", name="Takes").click()
    rows = page.locator("[data-take]")
    some = rows.count()
    wanted = page.get_by_label("Words of a name, or of what a take holds")
    wanted.fill("one voice")
    expect(rows.filter(has_text="seems drums")).to_have_count(0)
    assert 0 < rows.count() < some
    wanted.fill("goat hummed")
    expect(rows).to_have_count(1)
    page.get_by_label("Choose all takes").check()
    page.get_by_role("button", name="Hand 1 on").click()
    chosen = page.get_by_role("dialog").get_by_role("checkbox", checked=True)
    expect(chosen).to_have_count(1)
    page.keyboard.press("Escape")
    wanted.fill("")
    expect(rows).to_have_count(some)


def test_where_a_take_was_removed_another_is_shown(demo: Page) -> None:
    demo.locator("[data-test=take]").select_option(label="curtain call, live")
    demo.get_by_role("link", name="Takes").click()
    expect(demo.locator('tr[data-take="goat\'s song, hummed"]')).to_contain_text("1 part, 35 notes")
    for name in ("curtain call, live", "whistle theme 112bpm D major"):
        demo.get_by_label(f"Choose {name}").check()
    demo.get_by_role("button", name="Remove 2").click()
    expect(demo.locator("[data-test=take] option:checked")).to_have_text("goat's song, hummed")
    demo.get_by_role("link", name="Beat").click()
    expect(demo.get_by_role("heading", name="Find the beats of “goat's song, hummed”")).to_be_visible()
    demo.keyboard.press("z")
    demo.get_by_role("button", name="curtain call, live").click()
    expect(demo.locator("[data-test=beats-found]")).to_be_visible()


def test_every_reading_of_a_take_with_slices_is_in_reach(demo: Page) -> None:
    # The loop has slices, and a part of its drums: a part, and no reading, is what comes into view first.
    demo.locator("[data-test=take]").select_option(label="toy cupboard loop 96bpm")
    demo.get_by_role("button", name="Read it as many voices").click()
    expect(demo.get_by_label("Findings").get_by_role("heading").first).to_have_text("Reading 1")
    demo.get_by_role("link", name="Slices").click()
    demo.locator("[data-test=to-drums]").click()
    expect(demo.locator("[data-test=shown] option:checked")).to_have_text("part “toy cupboard loop 96bpm, drums”")
    demo.locator("[data-test=shown]").select_option(label="many voices, reading 1")
    expect(demo.get_by_label("Findings").get_by_role("heading").first).to_have_text("Reading 1")


def test_two_windows_on_one_folio(demo: Page, browser: Browser) -> None:
    other = browser.new_page()
    other.goto(demo.url)
    other.locator("[data-test=limit]").wait_for()
    count = number_in(demo.get_by_role("link", name="Notes"))
    demo.keyboard.press("ArrowRight")
    demo.keyboard.press("Delete")
    expect(demo.get_by_role("link", name="Notes")).to_contain_text(str(count - 1))
    # The second window is shown the newer state without being asked.
    expect(other.get_by_role("link", name="Notes")).to_contain_text(str(count - 1))
    other.keyboard.press("z")
    expect(demo.get_by_role("link", name="Notes")).to_contain_text(str(count))
    other.close()


def test_the_table_holds_what_the_lanes_hold(demo: Page) -> None:
    count = number_in(demo.get_by_role("link", name="Notes"))
    demo.keyboard.press("Shift+T")
    rows = demo.get_by_role("dialog").get_by_role("row")
    expect(rows.nth(count)).to_be_visible()
    expect(demo.get_by_role("dialog")).to_contain_text("Recording: 0:28.976")


def test_keys_can_be_changed_and_turned_off(demo: Page) -> None:
    demo.keyboard.press("?")
    demo.get_by_label("single keys act").uncheck()
    demo.keyboard.press("Escape")
    demo.keyboard.press("h")
    expect(demo.get_by_role("dialog")).to_have_count(0)
    demo.keyboard.press("?")
    demo.get_by_label("single keys act").check()
    demo.get_by_label("Key for Hand on").click()
    demo.keyboard.press("u")
    expect(demo.get_by_label("Key for Hand on")).to_have_text("U")
    demo.keyboard.press("Escape")
    expect(demo.get_by_role("dialog")).to_have_count(0)
    demo.keyboard.press("u")
    expect(demo.get_by_role("dialog")).to_contain_text("The receiver gets")


def test_zoom_and_pan_keep_the_moment_under_the_pointer(demo: Page) -> None:
    lanes = demo.locator("canvas.stave")
    box = lanes.bounding_box()
    assert box
    demo.mouse.move(box["x"] + 400, box["y"] + 100)

    def pointed() -> float:
        expect(demo.locator(".pointer")).to_have_text(re.compile(r"\d+:[\d.]+ s"))
        text = demo.locator(".pointer").inner_text()
        minutes, seconds = re.search(r"(\d+):([\d.]+) s", text).groups()
        return 60 * int(minutes) + float(seconds)

    before = pointed()
    demo.keyboard.down("Control")
    demo.mouse.wheel(0, -400)
    demo.keyboard.up("Control")
    demo.mouse.move(box["x"] + 401, box["y"] + 100)
    assert abs(pointed() - before) < 0.1
    demo.keyboard.press("Home")


def test_a_file_that_cannot_be_read_says_so(empty: Page) -> None:
    empty.locator("[data-test=files]").set_input_files(
        {"name": "letter.wav", "mimeType": "audio/wav", "buffer": b"dear goat, how are you"}
    )
    expect(empty.locator(".notice.problem")).to_contain_text("no sound we can read")
    expect(empty.locator(".notice.problem")).to_contain_text("Try WAV")


def test_handing_on_with_nothing_there_says_what_is_needed(empty: Page) -> None:
    empty.keyboard.press("h")
    expect(empty.get_by_role("dialog")).to_contain_text("There is no part to hand on yet")


CONTRAST = """() => {
  const probe = document.createElement('canvas').getContext('2d')
  const rgb = (c) => { probe.fillStyle = '#000'; probe.fillStyle = c; probe.clearRect(0, 0, 1, 1)
    probe.fillRect(0, 0, 1, 1); return [...probe.getImageData(0, 0, 1, 1).data] }
  const light = (c) => { const [r, g, b] = c.map((v) => { v /= 255
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4 }); return 0.2126 * r + 0.7152 * g + 0.0722 * b }
  const ground = (e) => { for (; e; e = e.parentElement) { const c = rgb(getComputedStyle(e).backgroundColor)
    if (c[3] > 200) return c } return [255, 255, 255] }
  const poor = []
  for (const e of document.querySelectorAll('body *')) {
    const own = [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim())
    if (!own || !e.checkVisibility() || e.matches(':disabled')) continue
    const style = getComputedStyle(e)
    const [a, b] = [light(rgb(style.color).slice(0, 3)), light(ground(e).slice(0, 3))]
    const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05)
    if (ratio < 4.5) poor.push(`${e.textContent.trim().slice(0, 30)}: ${ratio.toFixed(2)}`)
    if (parseFloat(style.fontSize) < 11) poor.push(`${e.textContent.trim().slice(0, 30)}: ${style.fontSize}`)
  }
  return poor
}"""


@pytest.mark.parametrize("theme", ["day", "night"])
def test_text_can_be_read_in_both_themes(demo: Page, theme: str) -> None:
    demo.evaluate(f"localStorage.setItem('stave-theme', '{theme}')")
    demo.reload()
    demo.locator("[data-test=limit]").wait_for()
    demo.keyboard.press("ArrowRight")
    assert demo.evaluate(CONTRAST) == []
    for key in ("h", "t", "?"):
        demo.keyboard.press(key)
        demo.get_by_role("dialog").get_by_role("button").first.wait_for()
        assert demo.evaluate(CONTRAST) == []
        demo.keyboard.press("Escape")
        expect(demo.get_by_role("dialog")).to_have_count(0)


def test_a_limit_that_comes_late_stays_off_a_part(demo: Page) -> None:
    limit = demo.locator("[data-test=limit]")
    part = demo.get_by_label("Stations").get_by_role("button", name="Goat, hummed")
    of_part = limit.get_attribute("aria-valuenow")
    held: list[Route] = []

    def hold(route: Route) -> None:
        # The first answer is that of the reading.
        if held:
            route.continue_()
        else:
            held.append(route)

    demo.route(re.compile("/candidates"), hold)
    demo.keyboard.press("PageUp")
    demo.locator("[data-take^='toy piano']").get_by_role("button", name="Open").click()
    part.click()
    expect(demo.locator("[data-test=shown]")).to_contain_text("part “Goat, hummed”")
    late = held[0].fetch()
    body = late.json()
    body["limits"]["best"] = 0.31
    with demo.expect_response(held[0].request.url):
        held[0].fulfill(response=late, json=body)
    demo.keyboard.press("y")
    expect(demo.get_by_role("dialog")).to_be_visible()
    assert limit.get_attribute("aria-valuenow") == of_part


def test_nothing_is_asked_of_other_machines(demo: Page) -> None:
    asked: list[str] = []
    demo.on("request", lambda request: asked.append(request.url))
    demo.reload()
    demo.locator("[data-test=limit]").wait_for()
    host = re.match(r"https?://[^/]+", demo.url)
    assert host
    assert [url for url in asked if not url.startswith((host[0], "data:", "blob:"))] == []
