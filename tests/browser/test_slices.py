"""The Slices station in the browser: the whole way from a loop to a kit that is proven."""

import re
import zipfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from honest_stave.core.formats.kit_read import read_sf2
from honest_stave.core.hits.slice_sound import as_db
from honest_stave.demo.loops import boathouse_buckets
from tests.browser.conftest import number_in, wait_until
from tests.fluid import RISE_FRAMES, play_key, through_its_output


def slices(page: Page) -> int:
    return number_in(page.locator("[data-test=found]"))


def test_from_a_loop_to_a_kit(empty: Page, tmp_path: Path) -> None:
    page = empty
    loop = boathouse_buckets()
    source = tmp_path / "buckets.wav"
    source.write_bytes(loop.wav())
    page.locator("input[type=file]").first.set_input_files(source)
    row = page.locator("[data-take=buckets]")
    # The buckets ring, each at its own pitch: these are no notes.
    expect(row).to_contain_text("seems drums", timeout=60_000)
    row.get_by_role("button", name="Open").click()
    proposed = page.get_by_role("button", name="Hear its hits, in slices")
    expect(proposed).to_have_class(re.compile("main"))
    proposed.click()
    expect(page.locator("[data-test=null]")).to_have_text("exact", timeout=60_000)
    expect(page.locator("[data-test=loop-tempo]")).to_contain_text("4 bars of 4/4 at 118.0")
    before = slices(page)

    # A cut by hand in the middle of a slice stays when the threshold takes hits away and gives them back.
    strips = page.locator("[data-test=strips]")
    box = strips.bounding_box()
    assert box is not None
    page.mouse.dblclick(box["x"] + 96 + (box["width"] - 96) * 0.06, box["y"] + 60)
    expect(page.locator("[data-test=found]")).to_contain_text("1 by hand")
    assert slices(page) == before + 1
    threshold = page.locator("[data-test=threshold]")
    threshold.focus()
    for _ in range(9):
        page.keyboard.press("PageUp")
    expect(page.locator("[data-test=found]")).not_to_contain_text(f"{before + 1} slices")
    expect(page.locator("[data-test=found]")).to_contain_text("1 by hand")
    for _ in range(9):
        page.keyboard.press("PageDown")
    expect(page.locator("[data-test=found]")).to_contain_text(f"{before + 1} slices")
    expect(page.locator("[data-test=null]")).to_have_text("exact")
    page.evaluate("document.activeElement.blur()")

    # Walk to a slice, hear it, name its drum, turn it backwards: the null test says which differs.
    page.evaluate("() => { window.heard = []; addEventListener('stave:auditioned', (e) => heard.push(e.detail)) }")
    page.keyboard.press("Home")
    for _ in range(2):
        page.keyboard.press("ArrowRight")
    findings = page.get_by_label("Findings")
    expect(findings.get_by_role("heading").first).to_contain_text("Slice")
    page.keyboard.press("1")
    wait_until(page, "window.heard.length > 0")
    page.keyboard.press("7")
    expect(findings.get_by_role("heading").first).to_contain_text("tom")
    page.keyboard.press("v")
    expect(page.locator("[data-test=null]")).to_contain_text("1 differ")

    # A whole lane is called another drum by one key; what else sounds in its slices stays.
    page.get_by_label("Hits by drum").click(position={"x": 40, "y": 3 * 32 + 16})
    expect(page.locator("[data-test=lane]")).to_contain_text("All hits called hat")
    page.keyboard.press("8")
    expect(page.locator("[data-test=lane]")).to_contain_text("All hits called cymbal")
    page.keyboard.press("z")
    expect(page.get_by_text("a drum called another")).to_be_visible()
    page.keyboard.press("Escape")

    # In the playing mode letters play and do nothing else.
    page.keyboard.press("k")
    expect(page.get_by_text("Playing mode:")).to_be_visible()
    page.keyboard.press("x")
    page.keyboard.press("Escape")
    expect(page.get_by_text("Playing mode:")).to_be_hidden()
    assert slices(page) == before + 1

    # The kit is handed on, proven here, and opened by an independent library.
    page.keyboard.press("Shift+H")
    with page.expect_download() as download:
        page.locator("[data-test=write-kit]").click()
    expect(page.locator("[data-test=kit-proof]")).to_have_text("The same")
    archive = tmp_path / "kit.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as files:
        files.extract("buckets.sf2", tmp_path)
        assert {"buckets.sfz", "buckets.mid", "buckets.wav", "proof.txt"} <= set(files.namelist())
    for zone in read_sf2((tmp_path / "buckets.sf2").read_bytes())[:6]:
        played = play_key(tmp_path / "buckets.sf2", zone.key, len(zone.sound) + 64, 44100)[: len(zone.sound)]
        apart = np.abs(played - through_its_output(zone.sound, 44100))[RISE_FRAMES:]
        assert as_db(float(apart.max(initial=0.0))) < -80


def test_the_demo_kit_makes_parts_and_plays_itself(demo: Page) -> None:
    page = demo
    page.get_by_role("link", name="Slices").click()
    page.locator("[data-test=strips]").wait_for()
    page.evaluate(
        "() => { window.scheduled = []; addEventListener('stave:scheduled', (e) => scheduled.push(e.detail)) }"
    )
    page.keyboard.press("3")
    wait_until(page, "window.scheduled.length >= 4")
    keys = page.evaluate("window.scheduled.map((n) => n.pitch)")
    assert keys[:4] == [36, 37, 38, 39]
    page.get_by_role("button", name="Stop").click()
    page.keyboard.press("p")
    expect(page.get_by_role("group", name="Pads of the kit").get_by_role("button")).to_have_count(22)
    page.keyboard.press("p")
    page.locator("[data-test=to-drums]").click()
    expect(page.get_by_label("Stations").get_by_role("button", name="toy cupboard loop 96bpm, drums")).to_be_visible()
    expect(page.get_by_role("link", name="Notes")).to_contain_text(re.compile(r"\d\d"))
    page.keyboard.press("z")
    expect(page.get_by_text("Undone: Drums of")).to_be_visible()

    # Its hits are heard again, in one channel; the kit is removed, and undo brings it back as it was.
    page.get_by_role("link", name="Slices").click()
    channels = page.get_by_label("Channels in which the hits are heard")
    channels.select_option("left")
    expect(channels).to_be_enabled(timeout=30_000)
    expect(channels).to_have_value("left")
    page.locator("[data-test=remove-kit]").click()
    expect(page.locator("[data-test=cut]")).to_be_visible()
    page.keyboard.press("z")
    expect(channels).to_have_value("left")


# A pad box that is plugged in after the page was opened.
PAD_BOX = """() => {
  class Box extends EventTarget { inputs = new Map() }
  const box = new Box(), input = new EventTarget()
  navigator.requestMIDIAccess = async () => box
  window.plugIn = () => { box.inputs.set('box', input); box.dispatchEvent(new Event('statechange')) }
  window.hitPad = (key) => {
    input.dispatchEvent(Object.assign(new Event('midimessage'), { data: [0x99, key, 90] }))
    input.dispatchEvent(Object.assign(new Event('midimessage'), { data: [0x89, key, 0] }))
  }
}"""


def test_a_pad_box_plays_the_kit(served: str, page: Page) -> None:
    page.add_init_script(f"({PAD_BOX})()")
    page.goto(served)
    page.get_by_role("link", name="Slices").click()
    page.locator("[data-test=strips]").wait_for()
    page.keyboard.press("p")
    pads = page.get_by_role("group", name="Pads of the kit").get_by_role("button")
    expect(pads).to_have_count(22)
    page.evaluate("window.plugIn()")
    page.evaluate("window.hitPad(38)")
    expect(pads.nth(2)).to_have_attribute("aria-pressed", "true")
    expect(pads.nth(1)).to_have_attribute("aria-pressed", "false")
    page.evaluate("window.hitPad(37)")
    expect(pads.nth(1)).to_have_attribute("aria-pressed", "true")
