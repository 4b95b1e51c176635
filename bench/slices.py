"""Five minutes of a loop in 2,000 slices: how long thresholds, edits, the null test and frames take.

python bench/slices.py
"""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.served import page, served
from honest_stave.demo.loops import boathouse_buckets
from honest_stave.demo.takes import as_wav
from honest_stave.service import at_once, folios, kits
from honest_stave.service.opening import open_studio

MINUTES, SLICES = 5, 2000
ROUNDS = 12


def prepare(folder: Path) -> tuple[str, str]:
    """A folio with the long loop, cut into 2,000 slices; its id and the kit's."""
    loop = boathouse_buckets().samples
    times = int(np.ceil(MINUTES * 60 * 44100 / len(loop)))
    studio = open_studio(folder, workers=1)
    folio = folios.create(studio, "Long loop")
    take = at_once.bring_in(studio, folio, "long loop.wav", as_wav(np.tile(loop, (times, 1))))
    kit = at_once.cut(studio, folio, take)
    found = kits.opened(studio, folio, kit)
    known = {s.first for s in found.slices}
    more = np.linspace(1000, len(found.samples) - 1000, SLICES - len(found.slices), dtype=int)
    hand = tuple((f"h{i}", int(f)) for i, f in enumerate(more) if int(f) not in known)
    kits.change_kit(studio, folio, kit, {"hand": hand}, None)
    studio.close()
    return folio, kit


def timed_ms(act: Callable[[], object]) -> tuple[float, float]:
    """Median and longest time of several rounds."""
    taken = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        act()
        taken.append(1000 * (time.perf_counter() - began))
    return statistics.median(taken), max(taken)


def main() -> None:
    with tempfile.TemporaryDirectory() as data:
        folio, kit = prepare(Path(data))
        studio = open_studio(Path(data), workers=1)
        levels = iter(np.linspace(-40, -5, 1000))
        print(
            "try a threshold, ms", timed_ms(lambda: kits.opened(studio, folio, kit, {"threshold_db": next(levels)}))
        )
        print("null test, ms", timed_ms(lambda: kits.null_of(studio, folio, kit)))
        studio.close()
        with served(Path(data)) as (address, _), page() as opened:
            opened.goto(f"{address}folio/{folio}/slices")
            opened.locator("[data-test=strips]").wait_for()
            url = f"/api/folios/{folio}/kits/{kit}"
            told = opened.evaluate(
                """async (url) => {
                const taken = []
                for (let db = -40; db < -16; db += 2) {
                  const began = performance.now()
                  const answer = await fetch(`${url}/try`, {
                    method: 'POST', headers: { 'content-type': 'application/json' },
                    body: JSON.stringify({ threshold_db: db }),
                  })
                  await answer.json()
                  taken.push(performance.now() - began)
                }
                return taken.sort((a, b) => a - b)
              }""",
                url,
            )
            print("threshold answered, ms: median", round(told[len(told) // 2]), "most", round(told[-1]))
            for _ in range(20):
                opened.keyboard.press("-")
                opened.keyboard.press("+")
            opened.keyboard.press("Home")
            frames = opened.evaluate("() => window.staveFrames")
            for lane in ("strips", "hits"):
                own = sorted(frames[lane])
                print(f"{lane} drawn, ms: median {statistics.median(own):.1f}, most {own[-1]:.1f}")


if __name__ == "__main__":
    main()
