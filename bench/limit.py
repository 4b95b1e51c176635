"""The live doubt limit, a selection and the lanes with a reading of 30,000 candidates.

    python -m bench.limit [--candidates 30000]

A reading is made up of strikes at random. The limit is moved by its arrow key, and timed from
the key to the lane drawn anew; so is the selection of everything. Forming the candidates and
answering with them are timed apart.
"""

import argparse
import io
import tempfile
import time
import urllib.request
from pathlib import Path

import numpy as np
import soundfile

from bench.served import page, served
from honest_stave.core.pitch.reading import NotesReading, PitchLine
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.service import at_once, folios, readings
from honest_stave.service.notes_reading import reading_to_bytes, summary_of
from honest_stave.service.opening import open_studio
from honest_stave.store.tables import Job

SECONDS = 1800
MOVED = """async (key) => {
  const lanes = window.staveFrames
  const slider = document.querySelector('[data-test=limit]')
  lanes.stave.length = 0
  const start = performance.now()
  const target = key === 'a' ? document.body : slider
  target.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey: key === 'a', bubbles: true }))
  return await new Promise((done) => {
    const look = () => lanes.stave.length ? done(performance.now() - start) : requestAnimationFrame(look)
    look()
  })
}"""


def made_up(count: int) -> NotesReading:
    """A reading of so many strikes at random."""
    random = np.random.default_rng(4)
    onset_s = np.sort(random.uniform(0, SECONDS - 2, count))
    held_s = random.uniform(0.08, 0.9, count)
    some = random.uniform(0, 1, count)
    strikes = Strikes(
        cell=(onset_s / 0.0232).astype(np.int64), pitch=random.integers(36, 90, count), onset_s=onset_s,
        end_s=onset_s + held_s, onset=some, sounding=some, before=some, dip=some, let_go=some, held_s=held_s,
        velocity=random.uniform(20, 120, count),
    )  # fmt: skip
    frames = np.full(round(SECONDS / 0.0116), np.nan, np.float32)
    return NotesReading(
        voices="many", strikes=strikes, score=random.normal(0.5, 2.5, count), continuing=some,
        centre=np.full(count, np.nan), level_db=random.uniform(-60, -10, count), rival=strikes.pitch + 12,
        rival_share=some, line=PitchLine(frames, np.zeros_like(frames), np.full_like(frames, -60)), starts_s=0.0,
        tuning_cents=0.0, tuning_agreement=0.5, character="struck", character_confidence=0.8, dying_share=0.0,
    )  # fmt: skip


def prepare(folder: Path, count: int) -> tuple[str, str]:
    studio = open_studio(folder, workers=1)
    folio = folios.create(studio, "Many")
    out = io.BytesIO()
    soundfile.write(out, np.zeros(SECONDS * 8000, np.float32), 8000, format="WAV")
    take = at_once.bring_in(studio, folio, "long.wav", out.getvalue())
    reading = made_up(count)
    arguments = {"take": take, "settings": {"voices": "many"}}
    job = Job(id="now", folio_id=folio, kind="notes", title="", state="done", at=time.time(), arguments=arguments)
    result = {"arrays": studio.files.add(reading_to_bytes(reading)), "summary": summary_of(reading)}
    made = readings.finish_reading(studio, job, result)["reading"]
    studio.close()
    return folio, made


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--candidates", type=int, default=30_000)
    count = parser.parse_args().candidates
    with tempfile.TemporaryDirectory() as data:
        folio, reading = prepare(Path(data), count)
        with served(Path(data)) as (address, _), page() as opened:
            url = f"{address}api/folios/{folio}/readings/{reading}/candidates"
            for name in ("first", "again"):
                start = time.perf_counter()
                urllib.request.urlopen(url).read()
                print(f"candidates asked for, {name}: {1000 * (time.perf_counter() - start):.0f} ms")
            opened.goto(f"{address}folio/{folio}/takes")
            opened.get_by_role("button", name="Open").click()
            opened.locator("[data-test=left-out]").get_by_text("candidates").wait_for()
            opened.wait_for_timeout(2000)
            for name, key in (("limit moved", "PageDown"), ("limit moved", "PageUp"), ("everything selected", "a")):
                times = []
                for _ in range(8):
                    times.append(opened.evaluate(MOVED, key))
                    opened.wait_for_timeout(400)
                    if key != "a":
                        opened.evaluate(MOVED, "PageUp" if key == "PageDown" else "PageDown")
                    else:
                        opened.keyboard.press("Escape")
                    opened.wait_for_timeout(400)
                print(f"{name} ({key}): {np.median(times):.0f} ms median, {max(times):.0f} ms at most")


if __name__ == "__main__":
    main()
