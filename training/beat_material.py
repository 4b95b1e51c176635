"""Clips with beats as the networks for beats hear them, made once and kept by recipe.

python -m training.beat_material CACHE [--clips 820] [--songs 500] [--unheard-clips 700] [--wider-clips 1180]
    [--alone 500] [--unheard-alone 700]
"""

import argparse
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from honest_stave.core.beat.beats_engine import listen_to
from training.beat_borrowed import load_scores
from training.beat_clips import (
    FIRST_ALONE_SEED,
    FIRST_SONGS_SEED,
    FIRST_TUNES_SEED,
    FIRST_UNHEARD_ALONE_SEED,
    FIRST_UNHEARD_SEED,
    make_clip,
)
from training.beat_tunes import wider_scores

RECIPE = 4
RATE = 44100


@dataclass(frozen=True)
class Made:
    """A clip as heard, with its beats."""

    columns: np.ndarray
    chroma: np.ndarray
    notes: np.ndarray
    time_s: np.ndarray
    place: np.ndarray
    length: np.ndarray
    compound: bool
    texture: str
    tempo: str


def material(cache: Path, count: int, *, first: int = 0, tuning: bool = False) -> list[Made]:
    """So many clips from a seed on; those not yet there are made."""
    folder = cache / f"beats-{RECIPE}-{'tuning' if tuning else 'train'}"
    folder.mkdir(parents=True, exist_ok=True)
    made, borrowed, wider = [], None, None
    for seed in range(first, first + count):
        path = folder / f"{seed}.npz"
        if not path.exists():
            borrowed = borrowed if borrowed is not None else load_scores(cache, tuning=tuning)
            if FIRST_TUNES_SEED <= seed < FIRST_SONGS_SEED or seed >= FIRST_ALONE_SEED:
                wider = wider or wider_scores(cache)
            clip = make_clip(seed, borrowed, tuning=tuning, wider=wider)
            heard = listen_to(clip.sound[:, None], RATE)
            part = path.with_suffix(".part.npz")
            np.savez_compressed(
                part, columns=heard.columns.astype(np.float16), chroma=heard.chroma.astype(np.float16),
                notes=heard.notes,
                time_s=clip.time_s, place=clip.place, length=clip.length,
                words=np.array([clip.texture, clip.tempo, str(int(clip.compound))]),
            )  # fmt: skip
            part.rename(path)
            if seed % 50 == 49:
                print(f"{seed + 1 - first} of {count}", flush=True)
        with np.load(path) as kept:
            texture, tempo, compound = kept["words"].tolist()
            arrays = [kept[name] for name in ("columns", "chroma", "notes", "time_s", "place", "length")]
        if len(arrays[3]) >= 8:
            made.append(Made(*arrays, compound == "1", texture, tempo))
    return made


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=820)
    parser.add_argument("--songs", type=int, default=0)
    parser.add_argument("--unheard-clips", type=int, default=700)
    parser.add_argument("--wider-clips", type=int, default=1180)
    parser.add_argument("--alone", type=int, default=0)
    parser.add_argument("--unheard-alone", type=int, default=0)
    parser.add_argument("--tuning-clips", type=int, default=180)
    options = parser.parse_args()
    material(options.cache, options.tuning_clips, tuning=True)
    material(options.cache, options.unheard_clips, first=FIRST_UNHEARD_SEED)
    material(options.cache, options.wider_clips, first=FIRST_TUNES_SEED)
    material(options.cache, options.clips)
    material(options.cache, options.songs, first=FIRST_SONGS_SEED)
    material(options.cache, options.alone, first=FIRST_ALONE_SEED)
    material(options.cache, options.unheard_alone, first=FIRST_UNHEARD_ALONE_SEED)


if __name__ == "__main__":
    main()
