"""A loop of seven hits as if it had been read, and how it is cut."""

import numpy as np

from honest_stave.core.hits.kit import Kit, Slice
from honest_stave.core.hits.reading import DRUMS, HitsReading
from honest_stave.core.hits.slicing import moments_of, slices_of
from tests.made import RATE

FRAMES = 4 * RATE
KIT = Kit("kit", "take")
SAMPLES = np.random.default_rng(1).normal(0, 0.1, (FRAMES, 2)).astype(np.float32)


def reading(rows: list[tuple[float, str, float, float]]) -> HitsReading:
    """Hits of (time_s, drum, velocity, level_db), all sure."""
    time_s, drum, velocity, level_db = zip(*rows, strict=True)
    count = len(rows)
    return HitsReading(
        time_s=np.array(time_s),
        within_s=np.full(count, 0.0014),
        drum=np.array([DRUMS.index(d) for d in drum]),
        velocity=np.array(velocity, float),
        confidence=np.full(count, 0.9),
        runner_up=np.full(count, 3),
        runner_up_share=np.full(count, 0.05),
        level_db=np.array(level_db, float),
        kind=tuple(drum),
    )


LOOP = reading(
    [
        (0.1, "kick", 100, -10.0), (0.1, "hat", 60, -10.0), (0.6, "hat", 60, -24.0), (1.1, "snare", 110, -9.0),
        (1.6, "snare", 25, -30.0), (2.1, "kick", 90, -11.0), (3.1, "tom", 90, -14.0),
    ]
)  # fmt: skip
MOMENTS = moments_of(LOOP, RATE)


def cut(kit: Kit = KIT) -> tuple[Slice, ...]:
    return slices_of(MOMENTS, kit, RATE, FRAMES, 0)
