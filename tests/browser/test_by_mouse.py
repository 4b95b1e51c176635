"""Notes mended with the mouse, the ruler scrubbed, two readings compared, a file dragged out."""

import re
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.made import line, tune, wav

PLACE = (620, 70)


@pytest.fixture(scope="session")
def line_accepted(browser: Browser, served: str) -> str:
    """Id of a folio with a part of twelve notes, laid over its recording."""
    page = browser.new_page()
    folio = page.request.post(f"{served}api/folios", data={"title": "A line"}).json()["id"]
    page.goto(f"{served}folio/{folio}/takes")
    page.locator("[data-test=files]").set_input_files(
        {"name": "line.wav", "mimeType": "audio/wav", "buffer": wav(line(tune()))}
    )
    page.locator("tr[data-take=line]").get_by_role("button", name="Open").click()
    page.get_by_role("button", name="Read it as one voice").click()
    expect(page.locator("[data-test=left-out]")).to_contain_text("candidates")
    page.keyboard.press("a")
    expect(page.get_by_text("Accepted: 12 notes")).to_be_visible()
    page.close()
    return str(folio)


@pytest.fixture
def part(page: Page, served: str, line_accepted: str) -> Page:
    """That part, in a folio that is a copy."""
    copy = page.request.post(f"{served}api/folios/{line_accepted}/copy").json()["id"]
    page.goto(f"{served}folio/{copy}/notes")
    expect(page.get_by_role("link", name="Notes")).to_contain_text("12")
    return page


def notes_of(page: Page) -> list[dict[str, Any]]:
    """Notes of the one part, as the server keeps them."""
    address = re.sub("/folio/([^/]+)/.*", r"/api/folios/\1", page.url)
    (part,) = page.request.get(address).json()["parts"]
    found: list[dict[str, Any]] = page.request.get(f"{address}/parts/{part}/notes").json()
    return found


def on_stave(page: Page, x: float, y: float) -> tuple[float, float]:
    box = page.locator("canvas.stave").bounding_box()
    assert box
    return box["x"] + x, box["y"] + y


def note_under(page: Page, x: float) -> tuple[float, float]:
    """Where the topmost note at ``x`` is touched: the pointer says so."""
    stave = page.locator("canvas.stave")
    for y in range(2, 400, 3):
        page.mouse.move(*on_stave(page, x, y))
        if stave.evaluate("(element) => element.style.cursor") == "pointer":
            return on_stave(page, x, y + 2)
    raise AssertionError("no note is there")


def drag(page: Page, start: tuple[float, float], by: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] + by[0] / 2, start[1] + by[1] / 2)
    page.mouse.move(start[0] + by[0], start[1] + by[1])
    page.mouse.up()


def test_a_note_is_added_moved_and_stretched_where_the_pointer_is(part: Page) -> None:
    part.locator("canvas.stave").dblclick(position={"x": PLACE[0], "y": PLACE[1]})
    expect(part.get_by_role("link", name="Notes")).to_contain_text("13")
    (added,) = [n for n in notes_of(part) if n["touched"]]
    start = note_under(part, PLACE[0] + 30)
    with part.expect_response("**/edit"):
        drag(part, start, (3, 60))
    (lowered,) = [n for n in notes_of(part) if n["id"] == added["id"]]
    assert lowered["pitch"] < added["pitch"]
    # A drag up and down moves no timing, whatever the hand does sideways.
    assert lowered["onset_s"] == added["onset_s"]
    with part.expect_response("**/edit"):
        drag(part, note_under(part, PLACE[0] + 30), (50, 0))
    (moved,) = [n for n in notes_of(part) if n["id"] == added["id"]]
    assert moved["onset_s"] > lowered["onset_s"] + 0.1
    assert moved["pitch"] == lowered["pitch"]
    length = moved["offset_s"] - moved["onset_s"]
    assert length == pytest.approx(added["offset_s"] - added["onset_s"])
    part.keyboard.press("z")
    part.keyboard.press("z")
    expect(part.get_by_text("Undone").first).to_be_visible()


def test_a_frame_drawn_round_notes_selects_them(part: Page) -> None:
    drag(part, on_stave(part, 60, 2), (1000, 400))
    expect(part.get_by_label("Findings").get_by_role("heading").first).to_contain_text("notes selected")
    part.keyboard.press("Delete")
    expect(part.get_by_role("link", name="Notes")).not_to_contain_text("12")
    part.keyboard.press("z")
    expect(part.get_by_role("link", name="Notes")).to_contain_text("12")


def test_the_ruler_is_scrubbed_and_the_recording_heard_there(part: Page) -> None:
    part.evaluate(
        """() => { window.grains = []
        const start = AudioBufferSourceNode.prototype.start
        AudioBufferSourceNode.prototype.start = function (...at) {
          window.grains.push(at)
          return start.apply(this, at)
        } }"""
    )
    box = part.locator("canvas.ruler").bounding_box()
    assert box
    part.mouse.move(box["x"] + 300, box["y"] + 10)
    part.mouse.down()
    for step in range(5):
        part.mouse.move(box["x"] + 300 + 40 * step, box["y"] + 10)
        part.wait_for_function(f"() => window.grains.length > {step}")
    part.mouse.up()
    offsets = [offset for _, offset, _ in part.evaluate("window.grains")]
    assert offsets == sorted(offsets)
    assert offsets[-1] > offsets[0] + 0.3


def test_two_readings_are_laid_over_each_other_and_walked(part: Page) -> None:
    part.keyboard.press("r")
    part.get_by_role("dialog").get_by_label("lowest pitch").select_option(label="A4")
    part.get_by_role("dialog").get_by_role("button", name="Read", exact=True).click()
    expect(part.get_by_role("dialog")).to_have_count(0)
    findings = part.get_by_label("Findings")
    findings.get_by_role("button", name="Lay over").click()
    expect(findings).to_contain_text("drawn in plum")
    findings.get_by_role("button", name="Lay over").click()
    expect(findings).not_to_contain_text("drawn in plum")


def test_the_written_file_can_be_dragged_out(part: Page) -> None:
    part.keyboard.press("h")
    with part.expect_download():
        part.locator("[data-test=write]").click()
    dragged = part.get_by_role("dialog").locator("[draggable=true]")
    given = dragged.evaluate(
        """(element) => { const transfer = new DataTransfer()
        element.dispatchEvent(new DragEvent('dragstart', { dataTransfer: transfer, bubbles: true }))
        return transfer.getData('DownloadURL') }"""
    )
    kind, name, address = given.split(":", 2)
    assert (kind, name) == ("audio/midi", f"{part.locator('h1').inner_text()} line.mid")
    assert part.request.get(address).body()[:4] == b"MThd"


def test_a_take_put_on_a_later_bar_is_counted_from_there(part: Page) -> None:
    part.keyboard.press("t")
    part.locator("[data-test=bpm]").fill("120")
    part.get_by_role("button", name="Set").first.click()
    part.locator("[data-test=place-bar]").fill("3")
    part.locator("[data-test=put-at-bar]").click()
    # Two bars of four beats at 120 lie before it.
    expect(part.locator("[data-test=begins]")).to_have_value("4")
    part.keyboard.press("Escape")
    expect(part.get_by_label("Position in bars and beats")).to_contain_text("3.1")
    part.get_by_role("link", name="Takes").click()
    expect(part.locator("tr[data-take=line]")).to_contain_text("from 0:04.0")
    part.keyboard.press("z")
    expect(part.locator("tr[data-take=line]")).not_to_contain_text("from")
