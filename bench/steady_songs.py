"""Produced songs, which are made to a click as a rule: how much of what is counted lies on one even grid.

python -m bench.steady_songs FOLDER

Nothing but that they are even is known of most of them. Where a song has a chart beside it (``notes.mid``, of one
tempo), its beats are counted against the chart. Music that is not made to a click has low figures whatever is heard.
"""

import argparse
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_engine import BeatsReading, read
from honest_stave.core.signal.listen import ListenSettings
from honest_stave.service.lone_files import samples_of

Values = NDArray[np.float64]

SONG, CHART = "song", "notes.mid"
ENDINGS = (".ogg", ".mp3", ".flac", ".wav")
NEAR_S = 0.05
LONGEST_S = 240
FEWEST_BEATS = 16
# A chart's moments may lie this far before or after those of its recording.
CHART_OFF_S = 0.06
# Even lengths are looked for this far from the usual one.
AROUND = 0.03


@dataclass(frozen=True)
class Even:
    """Of a reading: tempo, F1 against the best even grid, share of bars that begin on one of its places."""

    bpm: float
    f: float
    bars: float


def f_measure(beat_s: Values, true_s: Values) -> float:
    """F1 of moments within ``NEAR_S``."""
    if not len(beat_s) or not len(true_s):
        return 0.0
    apart = np.abs(beat_s[:, None] - true_s)
    near = min((apart.min(axis=1) <= NEAR_S).sum(), (apart.min(axis=0) <= NEAR_S).sum())
    return float(2 * near / (len(beat_s) + len(true_s)))


def evenness(reading: BeatsReading) -> Even:
    """How even what was read is."""
    beat_s = reading.time_s
    usual_s = float(np.median(np.diff(beat_s)))
    count = int(2 * AROUND * (beat_s[-1] - beat_s[0]) / usual_s * 16)
    lengths = usual_s * np.exp(np.linspace(-AROUND, AROUND, count))
    turned = np.array([np.exp(2j * np.pi * beat_s / length_s).mean() for length_s in lengths])
    best = int(np.abs(turned).argmax())
    length_s, first_s = lengths[best], np.angle(turned[best]) / (2 * np.pi) * lengths[best]
    place = np.round((beat_s - first_s) / length_s).astype(int)
    f = f_measure(beat_s, first_s + length_s * np.arange(place[0], place[-1] + 1))
    bar = int(np.bincount(np.diff(place[reading.beat == 1]).clip(0)).argmax()) if (reading.beat == 1).sum() > 1 else 1
    on = np.bincount(place[reading.beat == 1] % max(bar, 1))
    return Even(60 / length_s, f, float(on.max() / max(on.sum(), 1)))


def of_chart(reading: BeatsReading, chart: Path) -> tuple[float, float]:
    """The tempo of a chart, and F1 of what was read against its beats."""
    tempos = [m.tempo for track in mido.MidiFile(chart).tracks for m in track if m.type == "set_tempo"]
    beat_s = reading.time_s
    step_s = tempos[0] / 1e6
    grid = step_s * np.arange(int(beat_s[-1] / step_s) + 2)
    moved = (grid + off_s for off_s in np.arange(-CHART_OFF_S, CHART_OFF_S, 0.004))
    within = ([m for m in row.tolist() if beat_s[0] - NEAR_S < m < beat_s[-1] + NEAR_S] for row in moved)
    return 60 / step_s, max(f_measure(beat_s, np.array(row)) for row in within)


def songs_in(folder: Path) -> list[Path]:
    """Recordings of a folder; beside a chart the song itself, not its stems."""
    found = sorted(p for p in folder.rglob("*") if p.suffix in ENDINGS)
    return [p for p in found if p.stem == SONG or not (p.parent / CHART).exists()]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    found: list[Even] = []
    charted: list[float] = []
    for path in songs_in(parser.parse_args().folder):
        samples, rate = samples_of(path)
        reading = read(samples[: LONGEST_S * rate], rate, ListenSettings())
        if len(reading.time_s) < FEWEST_BEATS:
            print(f"{path.parent.name}/{path.stem}: no beats")
            continue
        even = evenness(reading)
        found.append(even)
        said = f"{path.parent.name}/{path.stem}: {even.bpm:.2f} bpm, even {even.f:.3f}, bars {even.bars:.3f}"
        if (path.parent / CHART).exists():
            bpm, f = of_chart(reading, path.parent / CHART)
            charted.append(f)
            said += f"; chart {bpm:.2f} bpm, {f:.3f}"
        print(said, flush=True)
    if found:
        over = sum(e.f > 0.9 for e in found)
        print(f"{len(found)} recordings, even {np.mean([e.f for e in found]):.3f}, {over} over .9,", end=" ")
        print(f"bars {np.mean([e.bars for e in found]):.3f}, charts {np.mean(charted) if charted else np.nan:.3f}")


if __name__ == "__main__":
    main()
