"""The Beat station in the browser: a live take gets its time, and a score is laid on a recording."""

import io
import zipfile
from pathlib import Path
from typing import Any

import mido
import pytest
from playwright.sync_api import Page, expect

from honest_stave.demo.live import curtain_call, overture
from tests.browser.conftest import wait_until

# Of the overture's top voice the first note that lies between two beats, counted from the sixth.
EIGHTH_NOTE = 13


def shown(page: Page) -> dict[str, Any]:
    """The map in view, as the server keeps it."""
    _, folio = page.url.split("/folio/")
    base = f"{page.url.split('/folio/')[0]}/api/folios/{folio.split('/')[0]}"
    maps = page.request.get(base).json()["beat_maps"]
    found: dict[str, Any] = page.request.get(f"{base}/beat-maps/{list(maps)[-1]}").json()
    return found


def select(page: Page, steps: int) -> None:
    """Walks to a beat from the first one."""
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.locator("canvas.ruler").click(position={"x": 63, "y": 10})
    for _ in range(steps + 1):
        page.keyboard.press("ArrowRight")


def test_a_live_take_gets_its_time(empty: Page, tmp_path: Path) -> None:
    page = empty
    source = tmp_path / "curtain call.wav"
    source.write_bytes(curtain_call().wav())
    page.locator("[data-test=files]").set_input_files(source)
    page.locator("tr[data-take='curtain call']").get_by_role("button", name="Open").click()
    page.get_by_role("link", name="Beat").click()
    expect(page.locator("[data-test=find-beats]")).to_be_visible()
    page.keyboard.press("r")
    expect(page.locator("[data-test=beats-found]")).to_contain_text("of 4/4", timeout=60_000)
    expect(page.locator("[data-test=rules]")).to_be_visible()

    # The third downbeat is moved by 10 ms, which pins it, and is said to begin bar 7.
    first = shown(page)["meters"][0]["beat"]
    select(page, first + 8)
    findings = page.get_by_label("Findings")
    expect(findings.get_by_role("heading").first).to_contain_text("Bar 3, beat 1")
    for _ in range(2):
        with page.expect_response("**/edits"):
            page.keyboard.press("Alt+ArrowRight")
    expect(findings.get_by_role("heading").first).to_contain_text("pinned")
    page.keyboard.press("=")
    page.locator("[data-test=bar-number]").fill("7")
    page.keyboard.press("Enter")
    expect(findings.get_by_role("heading").first).to_contain_text("Bar 7, beat 1")

    expect(page.get_by_role("dialog")).to_have_count(0)

    # The weakest beat is walked to and pinned: all players stop there, so that no attack was measured.
    page.keyboard.press("n")
    expect(findings.get_by_role("heading").first).to_contain_text("laid")
    expect(findings.get_by_text("attack here").locator("..")).to_contain_text("none")
    page.keyboard.press("p")
    expect(findings.get_by_role("heading").first).to_contain_text("pinned")
    expect(page.get_by_label("The map as a whole")).to_contain_text("2 pins are law")

    # Click on: it sounds on the beats of the map; off: it does not.
    page.evaluate("() => { window.clicked = []; addEventListener('stave:clicked', (e) => clicked.push(e.detail)) }")
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.locator("canvas.ruler").click(position={"x": 63, "y": 10})
    page.keyboard.press("c")
    page.keyboard.press("Space")
    wait_until(page, "window.clicked.length > 3")
    page.get_by_role("button", name="Stop").click()
    view = shown(page)
    for click in page.evaluate("window.clicked"):
        assert min(abs(click["time_s"] - t) for t in view["time_s"]) < 1e-6
    page.keyboard.press("c")

    # A beat taken out leaves one that lasts twice as long: held, perhaps.
    select(page, first + 20)
    page.keyboard.press("Delete")
    seems_held = page.locator("[data-test=held]")
    expect(seems_held).to_contain_text("2.0 times")
    seems_held.get_by_role("button", name="Make it a hold").click()
    expect(seems_held).to_have_count(0)
    for _ in range(2):
        with page.expect_response("**/undo"):
            page.keyboard.press("z")

    # The map is handed on; an independent library hears its click where the screen shows the beats.
    page.keyboard.press("h")
    page.get_by_role("dialog").get_by_text("with the click as notes").click()
    with page.expect_download() as download:
        page.locator("[data-test=write-map]").click()
    expect(page.locator("[data-test=map-proof]")).to_have_text("The same")
    target = tmp_path / download.value.suggested_filename
    download.value.save_as(target)
    struck, now = [], 0.0
    for message in mido.MidiFile(target):
        now += message.time
        if message.type == "note_on" and message.velocity:
            struck.append(now)
    assert struck == pytest.approx(view["time_s"], abs=0.001)

    # Straightened so slowly that it takes a while, it can be stopped; at the music's own pace it is written.
    dialog = page.get_by_role("dialog")
    dialog.get_by_text("straightened to a steady tempo").click()
    dialog.get_by_label("straightened to", exact=False).last.fill("20")
    page.locator("[data-test=write-map]").click()
    dialog.get_by_role("button", name="Stop this").click()
    expect(page.locator("[data-test=write-map]")).to_have_text("Write and prove")
    dialog.get_by_label("straightened to", exact=False).last.fill("90")
    with page.expect_download() as download:
        page.locator("[data-test=write-map]").click()
    archive = tmp_path / "straight.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as files:
        assert any(name.endswith(" at 90.wav") for name in files.namelist())


def test_a_score_is_laid_on_the_overture(empty: Page, tmp_path: Path) -> None:
    page = empty
    night = overture()
    page.locator("[data-test=files]").set_input_files(
        [
            {"name": "first night.wav", "mimeType": "audio/wav", "buffer": night.wav()},
            {"name": "overture.mid", "mimeType": "audio/midi", "buffer": night.score},
        ]
    )
    expect(page.locator("tr[data-take='overture']")).to_be_visible()
    page.locator("tr[data-take='first night']").get_by_role("button", name="Open").click()
    page.get_by_role("link", name="Beat").click()
    page.locator("[data-test=lay-score]").click()
    expect(page.locator("[data-test=beats-found]")).to_contain_text("6/4 from 3", timeout=60_000)
    expect(page.get_by_label("Stations").get_by_role("button", name="Whistle, aligned")).to_be_visible()

    # Written holds become holds, one after the other; two pins are set; the voices stay with the recording.
    offered = page.get_by_role("button", name="Make it a hold")
    expect(offered).to_have_count(3)
    for left in (2, 1):
        offered.first.click()
        expect(offered).to_have_count(left)
    for steps in (1, 5):
        select(page, steps)
        with page.expect_response("**/edits"):
            page.keyboard.press("p")
    expect(page.get_by_label("The map as a whole")).to_contain_text("2 pins are law")

    # The voices are muted together and heard again, as those of the strict performance stay muted.
    muted, together = page.get_by_label("Stations").get_by_text("muted"), page.locator("[data-test=mute-voices]")
    for said, count in (("Hear them all", 4), ("Mute them all", 2)):
        together.click()
        expect(together).to_have_text(said)
        expect(muted).to_have_count(count)

    # Among the notes, what is written between two beats is pinned where its pitch stands: the map goes through it.
    page.get_by_label("Stations").get_by_role("button", name="Whistle, aligned").click()
    page.get_by_role("link", name="Notes").click()
    findings = page.get_by_label("Findings")
    # The first step goes to the note at the cursor, which stands where the last pin was set.
    for _ in range(EIGHTH_NOTE):
        page.keyboard.press("ArrowRight")
    expect(findings).to_contain_text("bar 5, beat 2½")
    with page.expect_response("**/edits"):
        findings.locator(".finding", has_text="pitch stands").get_by_role("button").click()
    expect(findings.locator("[data-test=pin-onset]")).to_have_text("Release it")
    page.get_by_role("link", name="Beat").click()
    expect(page.get_by_label("The map as a whole")).to_contain_text("3 pins are law")
    between = shown(page)["between"]
    assert between["pinned"] == [True, False, False]
    assert between["time_s"][0] == pytest.approx(between["moments"][0][1], abs=1e-4)

    page.keyboard.press("Escape")
    page.keyboard.press("h")
    page.get_by_role("dialog").get_by_text("with the parts").click()
    page.get_by_role("dialog").get_by_text("label text").click()
    with page.expect_download() as download:
        page.locator("[data-test=write-map]").click()
    expect(page.locator("[data-test=map-proof]")).to_have_text("The same")
    archive = tmp_path / "time.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as files:
        name = next(n for n in files.namelist() if n.endswith(".mid"))
        midi = mido.MidiFile(file=io.BytesIO(files.read(name)))
    names = [track.name for track in midi.tracks]
    assert {"Whistle, aligned", "Harmonium, aligned"} <= set(names)
    struck, now = [], 0.0
    for message in midi:
        now += message.time
        if message.type == "note_on" and message.velocity:
            struck.append(now)
    # Every beat that was played is heard to begin in the file, where it was played.
    truth = list(night.beat_s)
    assert sum(min(abs(s - t) for s in struck) < 0.05 for t in truth) >= len(truth) - 1
