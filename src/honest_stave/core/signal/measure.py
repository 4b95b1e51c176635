"""What is said of a recording before anything is read: level, clipping, silence."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.convert import amplitude_to_db

# Two neighbouring samples at or above this are clipped; a single one may be a true peak.
CLIPPING = 0.9999
# Sound begins where a block of 10 ms exceeds this level.
SILENT_BELOW_DB = -60.0


def level_reached(values: NDArray[np.floating], share: float) -> float:
    """The value that this share of ``values`` stay under, between neighbours where it falls between them.

    What numpy calls a quantile; numpy's own loads masked arrays first, a fiftieth of the time of a short reading.

    Args:
        values: any shape, at least one.
        share: 0 to 1.
    """
    place = share * (values.size - 1)
    low = int(place)
    high = min(low + 1, values.size - 1)
    found = np.partition(values, (low, high), axis=None)
    return float(found[low]) + (place - low) * (float(found[high]) - float(found[low]))


@dataclass(frozen=True)
class Measures:
    """Loudest sample (dB re full scale), clipped samples, silence at the ends (s), repaired samples."""

    loudest_db: float
    clipped_samples: int
    silence_before_s: float
    silence_after_s: float
    repaired_samples: int


class Measurer:
    """Collects the measures block by block."""

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._frames = 0
        self._loudest = 0.0
        self._clipped = 0
        self._repaired = 0
        self._first_sound: int | None = None
        self._last_sound = 0
        self._threshold = 10 ** (SILENT_BELOW_DB / 20)

    def add(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """Measures the next block (frames, channels); returns it with NaN and infinity as silence."""
        broken = ~np.isfinite(block)
        if broken.any():
            self._repaired += int(broken.sum())
            block = np.where(broken, np.float32(0.0), block)
        loudness = np.abs(block)
        self._loudest = max(self._loudest, float(loudness.max(initial=0.0)))
        full = loudness >= CLIPPING
        self._clipped += int((full[1:] & full[:-1]).sum())
        heard = np.flatnonzero(loudness.max(axis=1, initial=0.0) > self._threshold)
        if len(heard):
            if self._first_sound is None:
                self._first_sound = self._frames + int(heard[0])
            self._last_sound = self._frames + int(heard[-1]) + 1
        self._frames += len(block)
        return block

    def finish(self) -> Measures:
        """The measures of everything added."""
        first = self._frames if self._first_sound is None else self._first_sound
        return Measures(
            loudest_db=float(amplitude_to_db(self._loudest)),
            clipped_samples=self._clipped,
            silence_before_s=first / self._rate,
            silence_after_s=(self._frames - self._last_sound) / self._rate if self._last_sound else 0.0,
            repaired_samples=self._repaired,
        )
