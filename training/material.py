"""What a network hears of each clip, kept by recipe and seed.

    python -m training.material CACHE --clips 1200 --workers 2

Goes on where it was interrupted. Levels are kept in half decibels, a byte each.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import HOP_SAMPLES, Bands, measure_bands
from honest_stave.core.signal.listen import ANALYSIS_RATE
from training import clips, drums, high_clips, lively_clips, oscillator_clips, varied_clips, wide_clips
from training.borrowed import KEPT_OUT_EVERY, load_pieces
from training.sampled import RATE

LOWEST_DB = -110.0
# Clips of these seeds are kept from the first network: from them those learn that weigh what it says.
UNHEARD_SEEDS = range(2000, 55_000)
STEP_DB = 0.5


@dataclass(frozen=True)
class Heard:
    """One clip as the network hears it: bytes (frames, bands) and truth rows.

    Args:
        long, short: levels, half decibels above ``LOWEST_DB``.
        notes: onset_s, offset_s, sounding_off_s, pitch, velocity; (notes, 5).
        kind, instrument: as in ``clips.Clip``.
    """

    long: NDArray[np.uint8]
    short: NDArray[np.uint8]
    notes: NDArray[np.float64]
    kind: str
    instrument: str


def as_bytes(levels_db: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Levels as half decibels above the lowest, in a byte."""
    return np.clip(np.round((levels_db - LOWEST_DB) / STEP_DB), 0, 255).astype(np.uint8)


def hear(clip: clips.Clip) -> Heard:
    """The clip's bands and truth."""
    mono = soxr.resample(clip.sound, RATE, ANALYSIS_RATE).astype(np.float32)
    frames = len(mono) // HOP_SAMPLES
    blocks = [measure_bands(mono, first, min(256, frames - first)) for first in range(0, frames, 256)]
    bands = Bands(np.concatenate([b.long_db for b in blocks]), np.concatenate([b.short_db for b in blocks]))
    notes = np.stack([clip.onset_s, clip.offset_s, clip.sounding_off_s, clip.pitch, clip.velocity], axis=1)
    return Heard(as_bytes(bands.long_db), as_bytes(bands.short_db), notes, clip.kind, clip.instrument)


def _path(cache: Path, seed: int, tuning: bool) -> Path:
    return cache / f"notes-{clips.RECIPE}-{'tuning' if tuning else 'train'}-{seed:05d}.npz"


def make(cache: Path, seed: int, tuning: bool) -> Path:
    """Makes the clip of a seed unless it is there."""
    path = _path(cache, seed, tuning)
    if not path.exists():
        pieces = load_pieces(cache)
        kept_out = [p for i, p in enumerate(pieces) if (i % KEPT_OUT_EVERY == 0) == tuning]
        if seed >= drums.FIRST_SEED:
            heard = hear(drums.make_unpitched(seed, tuning=tuning))
        elif wide_clips.is_wide(seed) and not tuning:
            heard = hear(wide_clips.make_wide(seed, kept_out))
        elif high_clips.is_high(seed) and not tuning:
            heard = hear(high_clips.make_high(seed, kept_out))
        elif oscillator_clips.is_oscillated(seed) and not tuning:
            heard = hear(oscillator_clips.make_oscillated(seed, kept_out))
        elif lively_clips.is_lively(seed) and not tuning:
            heard = hear(lively_clips.make_lively(seed, kept_out))
        elif varied_clips.is_varied(seed) and not tuning:
            heard = hear(varied_clips.make_varied(seed, kept_out))
        else:
            heard = hear(clips.make_clip(seed, kept_out, tuning=tuning))
        part = path.with_suffix(".part.npz")
        np.savez_compressed(
            part, long=heard.long, short=heard.short, notes=heard.notes, kind=heard.kind, instrument=heard.instrument
        )
        part.rename(path)
    return path


def load(path: Path) -> Heard:
    """A clip that was made before."""
    with np.load(path) as kept:
        return Heard(kept["long"], kept["short"], kept["notes"], str(kept["kind"]), str(kept["instrument"]))


def seed_of(path: Path) -> int:
    """Seed of a clip."""
    return int(path.stem.rsplit("-", 1)[1])


def is_unheard(path: Path) -> bool:
    """Whether a clip is kept from the first network."""
    return seed_of(path) in UNHEARD_SEEDS


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("cache", type=Path)
    parser.add_argument("--clips", type=int, default=1200)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--tuning", action="store_true")
    parser.add_argument(
        "--kind", choices=clips.KINDS, help="of these seeds only clips of one kind, without the tuning set"
    )
    parser.add_argument("--workers", type=int, default=1)
    options = parser.parse_args()
    load_pieces(options.cache)
    every = range(options.first, options.first + options.clips)
    seeds = [seed for seed in every if options.kind in (None, clips.kind_of(seed))]
    with ProcessPoolExecutor(options.workers) as pool:
        made = pool.map(make, [options.cache] * len(seeds), seeds, [options.tuning] * len(seeds), chunksize=8)
        for count, _ in enumerate(made, 1):
            if count % 100 == 0:
                print(f"{count} of {len(seeds)} clips", flush=True)


if __name__ == "__main__":
    main()
