"""The harmonium verse in the browser: proposed, read, limited, parted, walked, handed on, proven."""

import re
from pathlib import Path

import mido
from playwright.sync_api import Page, expect

from tests.browser.conftest import number_in


def test_the_harmonium_verse(demo: Page, tmp_path: Path) -> None:
    page = demo
    page.keyboard.press("PageUp")
    row = page.locator("[data-take^=harmonium]")
    expect(row).to_contain_text("seems many voices")
    row.get_by_role("button", name="Open").click()
    proposed = page.get_by_role("button", name="Read it as many voices")
    expect(proposed).to_have_class(re.compile("main"))
    expect(page.get_by_role("button", name="Read it as one voice")).not_to_have_class(re.compile("main"))
    # What is proposed stands in one line beside its buttons, under the lanes.
    told = page.get_by_text("This take seems to hold").bounding_box()
    assert told is not None
    assert told["height"] < 30
    proposed.click()
    left_out = page.locator("[data-test=left-out]")
    expect(left_out).to_contain_text("candidates")

    before = left_out.text_content() or ""
    page.locator("[data-test=limit]").focus()
    # Hardly a note of the verse is doubtful; what is left out lies far below.
    for _ in range(4):
        page.keyboard.press("PageDown")
    expect(left_out).not_to_have_text(before)
    expect(page.get_by_text("wrong: ")).to_be_visible()
    # One press brings back the limit that was proposed, and is no longer offered there.
    page.locator("[data-test=best-limit]").click()
    expect(left_out).to_have_text(before)
    expect(page.locator("[data-test=best-limit]")).to_be_hidden()
    expect(page.get_by_text("A minor").first).to_be_visible()

    with page.expect_response(re.compile("/spectrum")):
        page.keyboard.press("u")
    page.keyboard.press("a")
    expect(page.get_by_text("Accepted: ")).to_be_visible()
    all_notes = number_in(page.get_by_role("link", name="Notes"))

    page.get_by_label("Line of the texture").select_option("top")
    page.get_by_role("button", name="Select it").click()
    heading = page.get_by_label("Findings").get_by_role("heading").first
    expect(heading).to_contain_text("selected")
    top = number_in(heading)
    assert 15 <= top <= 30
    page.locator("[data-test=send]").click()
    expect(page.get_by_text(f"{top} notes sent to")).to_be_visible()
    expect(page.get_by_role("link", name="Notes")).to_contain_text(str(top))

    page.get_by_label("Stations").get_by_role("button", name="harmonium verse 80bpm", exact=True).click()
    expect(page.get_by_role("link", name="Notes")).to_contain_text(str(all_notes - top))
    page.keyboard.press("Shift+G")
    expect(
        page.get_by_text(re.compile(r"^May be ghosts of louder notes below: \d+|^No note looks like a ghost"))
    ).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("n")
    expect(page.locator("canvas.partials")).to_be_visible()

    page.keyboard.press("h")
    with page.expect_download() as download:
        page.locator("[data-test=write]:not([disabled])").click()
    expect(page.locator("[data-test=proof]")).to_have_text("The same")
    target = tmp_path / download.value.suggested_filename
    download.value.save_as(target)
    struck = [m for t in mido.MidiFile(target).tracks for m in t if m.type == "note_on" and m.velocity]
    assert len(struck) >= all_notes - top
