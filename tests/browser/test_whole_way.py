"""The whole way in the browser: a file in, a proven MIDI file out."""

import json
from pathlib import Path

import mido
from playwright.sync_api import Page, expect

from tests.browser.conftest import dragged, wait_until
from tests.made import line, tune, wav


def test_from_a_dropped_file_to_a_proven_one(nothing_yet: Page, tmp_path: Path) -> None:
    page = nothing_yet
    expect(page.get_by_text("There is no folio yet")).to_be_visible()
    page.get_by_label("Title of a new folio").fill("Tidewater")
    page.get_by_role("button", name="New folio").click()
    expect(page.get_by_role("heading", name="Bring in a recording")).to_be_visible()
    carried = dragged(page, "washtub 150bpm.wav", wav(line(tune())))
    for kind in ("dragover", "drop"):
        page.dispatch_event(".frame", kind, {"dataTransfer": carried})
    row = page.locator("tr[data-take='washtub 150bpm']")
    row.get_by_role("button", name="use tempo 150").click()
    row.get_by_role("button", name="Open").click()
    page.get_by_role("button", name="Read it as one voice").click()
    expect(page.locator("[data-test=left-out]")).to_contain_text("candidates")
    page.keyboard.press("a")
    expect(page.get_by_text("Accepted: 12 notes")).to_be_visible()

    # Step through the notes, hearing each.
    names = ["D4", "E4", "F♯4", "A4", "A4", "F♯4", "G4", "D5", "B4", "D4", "E4", "A3"]
    for place, name in enumerate(names, start=1):
        page.keyboard.press("ArrowRight")
        heading = page.get_by_label("Findings").get_by_role("heading").first
        expect(heading).to_have_text(f"{name} note {place} of 12")

    # Move the limit: everything goes, then comes back.
    limit = page.locator("[data-test=limit]")
    limit.focus()
    for _ in range(5):
        page.keyboard.press("PageUp")
    expect(page.get_by_role("link", name="Notes")).to_have_text("Notes")
    for _ in range(5):
        page.keyboard.press("PageDown")
    expect(page.get_by_role("link", name="Notes")).to_contain_text("12")

    # Mend three notes, undo one.
    page.locator("canvas.stave").click(position={"x": 4, "y": 4})
    page.keyboard.press("Home")
    page.keyboard.press("Escape")
    page.get_by_label("Stretch in view").focus()
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Shift+T")
    page.get_by_role("row").nth(1).get_by_role("button").click()
    page.keyboard.press("Escape")
    page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_label("Findings").get_by_role("heading").first).to_contain_text("D5")
    page.keyboard.press("j")
    expect(page.get_by_role("link", name="Notes")).to_contain_text("11")
    # Joined, two notes are one of either pitch.
    joined = page.get_by_label("Findings").get_by_role("heading").first.inner_text()
    page.keyboard.press("Delete")
    expect(page.get_by_role("link", name="Notes")).to_contain_text("10")
    page.keyboard.press("z")
    expect(page.get_by_role("link", name="Notes")).to_contain_text("11")

    page.keyboard.press("h")
    write = page.locator("[data-test=write]")
    expect(write).to_be_enabled()
    said = page.locator(".gets").inner_text()
    assert "11 notes" in said
    assert "150" in said
    with page.expect_download() as download:
        write.click()
    expect(page.locator("[data-test=proof]")).to_have_text("The same")
    target = tmp_path / download.value.suggested_filename
    download.value.save_as(target)

    file = mido.MidiFile(target)
    struck = [m for t in file.tracks for m in t if m.type == "note_on" and m.velocity]
    assert target.name == "Tidewater washtub 150bpm.mid"
    assert len(struck) == 11
    assert struck[0].note == {"D5": 74, "E4": 64}[joined.split()[0]]
    assert any(m.type == "set_tempo" and abs(m.tempo - 400_000) <= 1 for t in file.tracks for m in t)


def test_what_is_scheduled_is_what_is_written(demo: Page, tmp_path: Path) -> None:
    page = demo
    page.evaluate(
        """() => { window.scheduled = []
        window.addEventListener('stave:scheduled', (e) => window.scheduled.push(e.detail)) }"""
    )
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    wait_until(page, "window.scheduled.length >= 6")
    page.get_by_role("button", name="Stop").click()
    scheduled = page.evaluate("window.scheduled")
    page.keyboard.press("h")
    with page.expect_download() as download:
        page.locator("[data-test=write]").click()
    target = tmp_path / "goat.mid"
    download.value.save_as(target)
    written = []
    now = 0.0
    for message in mido.MidiFile(target):
        now += message.time
        if message.type == "note_on" and message.velocity:
            written.append((now, message.note, message.velocity))
    written.sort(key=lambda note: (round(note[0], 3), note[1]))
    scheduled.sort(key=lambda event: (round(event["onset_s"], 3), event["pitch"]))
    start = scheduled[0]["at"] - scheduled[0]["onset_s"]
    for event, (moment, pitch, velocity) in zip(scheduled, written, strict=False):
        assert (event["pitch"], event["velocity"]) == (pitch, velocity), json.dumps(event)
        # Within a tick of the file, and sounded at that very moment of the audio clock.
        assert abs(event["onset_s"] - moment) < 0.001
        assert abs(event["at"] - start - event["onset_s"]) < 0.001


def test_the_browser_sounds_what_the_renderer_renders(demo: Page) -> None:
    """An offline rendering in the browser against the renderer in the core."""
    import numpy as np

    from honest_stave.core.part.events import Sounding
    from honest_stave.core.sound.instruments import RATE, instrument
    from honest_stave.core.sound.render import render_note

    note = Sounding("p", 0.1, 0.9, 62, 100, ((0.1, 0.0), (0.5, 60.0)))
    samples = demo.evaluate(
        """async () => {
        const info = await (await fetch('/api/instruments/reed')).json()
        const all = new Float32Array(await (await fetch('/api/instruments/reed/samples')).arrayBuffer())
        const context = new OfflineAudioContext(1, 44100, 44100)
        const wanted = 440 * 2 ** ((62 - 69) / 12)
        const far = (s) => Math.abs(Math.log2(s.root_hz / wanted))
        const s = info.samples.reduce((a, b) => (far(b) < far(a) ? b : a))
        const buffer = context.createBuffer(1, s.frames, 44100)
        buffer.copyToChannel(all.subarray(s.first, s.first + s.frames), 0)
        const source = context.createBufferSource()
        source.buffer = buffer
        source.playbackRate.value = wanted / s.root_hz
        source.loop = true
        source.loopStart = s.loop_start / 44100
        source.loopEnd = s.loop_end / 44100
        source.detune.setValueAtTime(0, 0.1)
        source.detune.setValueAtTime(60, 0.5)
        const gain = context.createGain()
        const loud = (100 / 127) ** 2
        gain.gain.setValueAtTime(0, 0.1)
        gain.gain.linearRampToValueAtTime(loud, 0.1 + info.attack_s)
        gain.gain.setValueAtTime(loud, 0.9)
        gain.gain.linearRampToValueAtTime(0, 0.9 + info.release_s)
        source.connect(gain).connect(context.destination)
        source.start(0.1)
        return [...(await context.startRendering()).getChannelData(0)]
        }"""
    )
    heard = np.array(samples)
    rendered = np.zeros(RATE)
    sound = render_note(instrument("reed"), note)
    first = round(0.1 * RATE)
    rendered[first : first + len(sound)] = sound[: RATE - first]
    # The browser changes detune in steps of 128 frames; up to the bend both are the same.
    before = slice(first, round(0.49 * RATE))
    assert np.abs(heard[before] - rendered[before]).max() < 0.01
    assert abs(np.std(heard) / np.std(rendered) - 1) < 0.02
