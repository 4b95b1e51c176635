"""An hour of mono audio: import to a visible waveform, reading, peak memory; start and first screen.

    python -m bench.hour

The hour is the demo's goat song, sung over and over. Peak memory is that of the server and
its workers together, as the kernel counts it, shared pages once.
"""

import io
import json
import tempfile
import threading
import time
import urllib.request
from pathlib import Path

import numpy as np
import soundfile

from bench.served import page, served
from honest_stave.demo.takes import goat_song

RATE = 44100
SECONDS = 3600


def hour_file(path: Path) -> None:
    song = goat_song().samples
    with soundfile.SoundFile(path, "w", RATE, 1, "PCM_16", format="WAV") as file:
        for _ in range(SECONDS * RATE // len(song)):
            file.write(song)


def memory_mb() -> float:
    """Proportional memory of all processes of the application."""
    total = 0.0
    for process in Path("/proc").glob("[0-9]*"):
        try:
            command = (process / "cmdline").read_bytes()
            if b"honest_stave" in command or b"multiprocessing.spawn" in command:
                rows = (process / "smaps_rollup").read_text().splitlines()
                total += sum(int(row.split()[1]) for row in rows if row.startswith("Pss:")) / 1024
        except OSError:
            continue
    return total


class Memory(threading.Thread):
    """Watches the peak until it is told to stop."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.peak_mb, self._over = 0.0, threading.Event()

    def run(self) -> None:
        while not self._over.wait(0.25):
            self.peak_mb = max(self.peak_mb, memory_mb())

    def stop(self) -> float:
        self._over.set()
        self.join()
        return self.peak_mb


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        sound = Path(folder) / "hour.wav"
        hour_file(sound)
        with served(Path(folder) / "data") as (address, answered_s), page() as opened:
            print(f"answers after {answered_s:.2f} s")
            opened.goto(address)
            opened.get_by_label("Title of a new folio").fill("An hour")
            opened.get_by_role("button", name="New folio").click()
            chooser = opened.locator("[data-test=files]")
            chooser.wait_for(state="attached")
            memory = Memory()
            memory.start()
            started = time.perf_counter()
            chooser.set_input_files(sound)
            opened.locator("tr[data-take=hour]").get_by_role("button", name="Open").click()
            drawn = "() => window.staveFrames.wave?.length > 1"
            while not opened.evaluate(drawn):
                time.sleep(0.05)
            print(f"import to waveform {time.perf_counter() - started:.1f} s")
            started = time.perf_counter()
            opened.get_by_role("button", name="Read it as one voice").click()
            slowest = 0.0
            while not opened.locator("[data-test=left-out]").is_visible():
                asked = time.perf_counter()
                opened.evaluate("() => new Promise((done) => requestAnimationFrame(done))")
                slowest = max(slowest, time.perf_counter() - asked)
                time.sleep(0.2)
            print(f"reading {time.perf_counter() - started:.0f} s; slowest frame meanwhile {1000 * slowest:.0f} ms")
            print(f"peak memory {memory.stop():.0f} MB")
            first = opened.context.browser.new_page()
            started = time.perf_counter()
            first.goto(opened.url)
            first.locator("canvas.stave").wait_for()
            print(f"first screen of that folio {time.perf_counter() - started:.2f} s")
            sizes = first.evaluate(
                "() => performance.getEntriesByType('resource').filter((e) => e.name.endsWith('.js'))"
                ".map((e) => e.encodedBodySize)"
            )
            print(f"scripts fetched {np.sum(sizes) / 1000:.0f} kB as sent")
            with urllib.request.urlopen(address + "api/folios", timeout=60) as answer:
                print(f"folios {len(json.load(io.TextIOWrapper(answer)))}")


if __name__ == "__main__":
    main()
