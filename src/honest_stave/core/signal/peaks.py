"""Multi-resolution peaks of a recording, for drawing it at any zoom."""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# Samples a peak covers at each level; closer than the first the samples themselves are drawn.
LEVELS = (64, 512, 4096, 32768)
FULL_SCALE = 32767


@dataclass(frozen=True)
class Peaks:
    """Lowest and highest value of each bucket, one int16 array (buckets, 2) a level."""

    levels: tuple[NDArray[np.int16], ...]


class PeakMaker:
    """Collects peaks block by block, so that an hour never lies in memory twice."""

    def __init__(self) -> None:
        self._rest = np.zeros(0, np.float32)
        self._finest: list[NDArray[np.int16]] = []

    def add(self, block: NDArray[np.float32]) -> None:
        """Takes the next block, (frames, channels); the widest swing counts, the first channel's of those alike."""
        widest = block[:, 0]
        for channel in block.T[1:]:
            widest = np.where(np.abs(channel) > np.abs(widest), channel, widest)
        joined = np.concatenate([self._rest, widest])
        whole = len(joined) // LEVELS[0] * LEVELS[0]
        self._rest = joined[whole:]
        self._finest.append(_extremes(joined[:whole].reshape(-1, LEVELS[0])))

    def finish(self) -> Peaks:
        """The peaks of everything added."""
        if len(self._rest):
            self._finest.append(_extremes(self._rest[None, :]))
        finest = np.concatenate(self._finest) if self._finest else np.zeros((0, 2), np.int16)
        levels = [finest]
        for finer, coarser in itertools.pairwise(LEVELS):
            levels.append(_merge(levels[-1], coarser // finer))
        return Peaks(tuple(levels))


def _extremes(buckets: NDArray[np.float32]) -> NDArray[np.int16]:
    pair = np.stack([buckets.min(axis=1), buckets.max(axis=1)], axis=1) if len(buckets) else np.zeros((0, 2))
    return np.asarray(np.clip(np.round(pair * FULL_SCALE), -FULL_SCALE, FULL_SCALE), np.int16)


def _merge(peaks: NDArray[np.int16], factor: int) -> NDArray[np.int16]:
    missing = -len(peaks) % factor
    padded = np.concatenate([peaks, np.repeat(peaks[-1:], missing, axis=0)]) if missing and len(peaks) else peaks
    grouped = padded.reshape(-1, factor, 2)
    return np.stack([grouped[:, :, 0].min(axis=1), grouped[:, :, 1].max(axis=1)], axis=1) if len(grouped) else peaks
