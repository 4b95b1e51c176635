"""Tones recorded one by one, each alone in its file: is it found, and is it taken for several?

    python -m bench.lone_tones SAMPLES

SAMPLES holds instruments as the package registries do, a folder each, a file a tone named after its pitch. As one
voice: how many files have their pitch among what is read, how many have it and nothing else, and how often a tone
that is held is said to be struck again, in a minute of it. Of the violin several strokes are in each file.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
from pathlib import Path

import numpy as np
from training.recorded_notes import open_folders

from bench.counted_notes import notes_in

# A tone is struck again at the earliest so long after it was found to begin.
AGAIN_S = 0.25
SEVERAL_STROKES = ("violin",)
# Files of an instrument that are read: every so many, about this number in all.
FILES = 10


def figures_of(path: Path, pitch: int) -> tuple[int, int, int, float]:
    """Whether the pitch is found, whether nothing else is, how often it is struck again, and how long it is held."""
    notes = notes_in(path, "one")
    own = [c for c in notes if c.pitch == pitch]
    first_s = min((c.onset_s for c in own), default=0.0)
    again = sum(c.onset_s > first_s + AGAIN_S for c in own)
    return bool(own), len(own) == len(notes) == 1, again, sum(c.offset_s - c.onset_s for c in own)


def main() -> None:
    folders = sorted(p for p in Path(sys.argv[1]).iterdir() if p.name.startswith("tonejs-instrument-"))
    total = np.zeros(5)
    for folder in folders:
        name = folder.name.removeprefix("tonejs-instrument-").removesuffix("-mp3")
        files = sorted((pitch, path) for (pitch, _), path in open_folders(name, [folder], 0.1).files.items())
        files = [f for f in files if 21 <= f[0] <= 108]
        if not files or name in SEVERAL_STROKES:
            continue
        rows = np.array([(1, *figures_of(path, pitch)) for pitch, path in files[:: max(1, len(files) // FILES)]])
        sums = rows.sum(axis=0)
        total += sums
        print(line(name, sums), flush=True)
    print(line("all", total))


def line(name: str, sums: np.ndarray) -> str:
    """An instrument's figures in words."""
    files, found, alone, again, held_s = sums
    often = f"struck again {60 * again / max(held_s, 1e-6):5.1f} a minute of {held_s:5.0f} s"
    return f"{name:18}{files:4.0f} files, found {found:4.0f}, alone {alone:4.0f}, {often}"


if __name__ == "__main__":
    main()
