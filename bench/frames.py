"""Script time of a frame, of an edit and of its saving, with 10,000 notes and an hour of recording in view.

    python -m bench.frames [--notes 30000]

A folio is made with an hour of made-up recording and a part of so many notes. Every lane is
drawn many times while the view pans and zooms; the script time of each frame is taken by
the lanes themselves. An edit is timed from the key to the redrawn lane, and to the answer
of the server.
"""

import argparse
import io
import tempfile
from pathlib import Path

import mido
import numpy as np
import soundfile

from bench.served import page, served
from honest_stave.service import at_once, folios, parts
from honest_stave.service.opening import open_studio
from honest_stave.store import history

SECONDS = 3600


def hour_of_sound() -> bytes:
    random = np.random.default_rng(1)
    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", 44100, 1, "PCM_16", format="WAV") as file:
        for _ in range(60):
            file.write((0.3 * random.normal(size=60 * 44100)).clip(-1, 1))
    return out.getvalue()


def many_notes(count: int) -> bytes:
    random = np.random.default_rng(2)
    track = mido.MidiTrack()
    gap = round(SECONDS * 960 * 2 / count)
    for _ in range(count):
        pitch = int(random.integers(40, 84))
        velocity = int(random.integers(30, 120))
        track.append(mido.Message("note_on", note=pitch, velocity=velocity, time=gap // 4))
        track.append(mido.Message("note_off", note=pitch, time=gap - gap // 4))
    file = mido.MidiFile(ticks_per_beat=960)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def prepare(folder: Path, count: int) -> None:
    studio = open_studio(folder, workers=1)
    folio = folios.create(studio, "An hour")
    sound = at_once.bring_in(studio, folio, "hour.wav", hour_of_sound())
    at_once.bring_in(studio, folio, "notes.mid", many_notes(count))
    with studio.database.session() as session:
        (part_id, body), *_ = history.entities(session, folio, "part").items()
    edit = history.Edit("laid on the recording", put=[("part", "", part_id, {**body, "take": sound})])
    folios.change(studio, folio, edit, None)
    assert len(parts.notes_of(studio, folio, part_id)) == count
    studio.close()


EDIT = """async (index) => {
  const lanes = window.staveFrames
  lanes.stave.length = 0
  const answered = new Promise((done) => {
    const seen = new PerformanceObserver((list) => {
      const found = list.getEntries().find((e) => e.name.endsWith('/edit'))
      if (found) { seen.disconnect(); done(found.responseEnd - found.startTime) } })
    seen.observe({ type: 'resource', buffered: false })
  })
  const start = performance.now()
  const key = index % 2 ? 'ArrowDown' : 'ArrowUp'
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
  const shown = await new Promise((done) => {
    const look = () => lanes.stave.length ? done(performance.now() - start) : requestAnimationFrame(look)
    look()
  })
  return [shown, await answered]
}"""


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--notes", type=int, default=10_000)
    count = parser.parse_args().notes
    with tempfile.TemporaryDirectory() as data:
        prepare(Path(data), count)
        with served(Path(data)) as (address, _), page() as opened:
            opened.goto(address)
            opened.locator("canvas.stave").wait_for()
            opened.get_by_label("Stations").get_by_text(str(count)).wait_for()
            opened.wait_for_timeout(1500)
            opened.evaluate("for (const lane in window.staveFrames) window.staveFrames[lane].length = 0")
            for _ in range(30):
                opened.evaluate("() => new Promise((done) => requestAnimationFrame(done))")
                opened.keyboard.press("-")
            box = opened.locator("canvas.stave").bounding_box()
            assert box
            opened.mouse.move(box["x"] + 400, box["y"] + 100)
            for step in range(120):
                if step % 30 == 0:
                    opened.keyboard.down("Control")
                    opened.mouse.wheel(0, -60)
                    opened.keyboard.up("Control")
                opened.mouse.wheel(0, 12 if step % 2 else -12)
                opened.evaluate("() => new Promise((done) => requestAnimationFrame(done))")
            frames = opened.evaluate("window.staveFrames")
            print(f"{'lane':10}{'frames':>8}{'median ms':>12}{'95 % ms':>10}{'most ms':>10}")
            total = np.zeros(min(len(v) for k, v in frames.items() if k in ("ruler", "wave", "stave")))
            for lane, times in frames.items():
                if times:
                    print(
                        f"{lane:10}{len(times):8}{np.median(times):12.2f}"
                        f"{np.percentile(times, 95):10.2f}{max(times):10.2f}"
                    )
                if lane in ("ruler", "wave", "stave"):
                    total = total + np.array(times[-len(total) :])
            figures = f"{np.median(total):12.2f}{np.percentile(total, 95):10.2f}{total.max():10.2f}"
            print(f"{'together':10}{len(total):8}{figures}")
            opened.keyboard.press("Home")
            opened.keyboard.press("ArrowRight")
            opened.wait_for_timeout(500)
            measured = []
            for i in range(12):
                measured.append(opened.evaluate(EDIT, i))
                # As a person would: the next edit comes when the last one has been heard.
                opened.wait_for_timeout(700)
            edits = np.array(measured)
            opened.wait_for_timeout(500)
            print(f"edit shown  {np.median(edits[:, 0]):6.0f} ms median, {edits[:, 0].max():6.0f} ms at most")
            print(f"edit saved  {np.median(edits[:, 1]):6.0f} ms median, {edits[:, 1].max():6.0f} ms at most")


if __name__ == "__main__":
    main()
