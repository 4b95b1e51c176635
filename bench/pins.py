"""A map of an hour with 8,000 pins: how long an edit waits, answered and fetched anew, and until the margin shows it.

python -m bench.pins
"""

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from bench.served import page, served
from honest_stave.core.beat.beat_map import Beat, BeatMap, MeterFrom
from honest_stave.demo.takes import as_wav
from honest_stave.service import at_once, beat_maps, folios
from honest_stave.service.opening import open_studio

PINS, HOUR_S, ROUNDS = 8000, 3600.0, 12
MAP = "pins"


def prepare(folder: Path) -> str:
    """A folio with a short take and a map of an hour on it, all of it pins, which rules its time; its id."""
    studio = open_studio(folder, workers=1)
    folio = folios.create(studio, "An hour of pins")
    take = at_once.bring_in(studio, folio, "short.wav", as_wav(np.zeros((44100, 1), np.float32)))
    times = np.linspace(0.5, HOUR_S, PINS)
    beats = tuple(Beat(float(t), float(t), 0.9, True) for t in times)
    beat_maps.put(
        studio, folio, MAP, BeatMap("pins", take, "", beats, (MeterFrom(0, 4, 4),)), "pins", None, rules=True
    )
    studio.close()
    return folio


def told(name: str, taken_ms: list[float]) -> None:
    print(f"{name}, ms: median {statistics.median(taken_ms):.0f}, most {max(taken_ms):.0f}")


def main() -> None:
    with tempfile.TemporaryDirectory() as data:
        folio = prepare(Path(data))
        with served(Path(data)) as (address, _), page() as opened:
            opened.goto(f"{address}folio/{folio}/beat")
            expect(opened.locator("[data-test=beats-found]")).to_contain_text("8000 beats")
            url = f"{address}api/folios/{folio}/beat-maps/{MAP}"
            edited, fetched, seen = [], [], []
            for number in range(ROUNDS):
                beat = 1000 + 500 * number
                moment_s = opened.request.get(url).json()["time_s"][beat]
                body = {"action": "move", "beats": [beat], "values": {"time_s": moment_s + 0.004}}
                began = time.perf_counter()
                assert opened.request.post(f"{url}/edits", data=body, headers={"origin": address[:-1]}).ok
                edited.append(1000 * (time.perf_counter() - began))
                began = time.perf_counter()
                opened.request.get(url).body()
                fetched.append(1000 * (time.perf_counter() - began))
            opened.keyboard.press("ArrowRight")
            map_says = opened.get_by_label("Findings").get_by_text("map says").locator("..")
            for _ in range(ROUNDS):
                before = map_says.inner_text()
                began = time.perf_counter()
                opened.keyboard.press("Alt+Shift+ArrowRight")
                expect(map_says).not_to_have_text(before)
                seen.append(1000 * (time.perf_counter() - began))
            told("an edit answered", edited)
            told("the map fetched", fetched)
            told("a key until the margin shows it", seen)


if __name__ == "__main__":
    main()
