"""What a reading of hits is made of."""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.engines import engines_since
from honest_stave.core.signal.listen import ListenSettings

ENGINE = "hits 17"
# Readings of these engines are kept in the same way.
READABLE = engines_since(ENGINE, 2)
Drum = Literal["kick", "snare", "hat", "tom", "cymbal", "other"]
DRUMS: tuple[Drum, ...] = ("kick", "snare", "hat", "tom", "cymbal", "other")
# Candidates this sure or more count unless the producer sets the limit elsewhere.
DEFAULT_LEAST_CONFIDENCE = 0.5


@dataclass(frozen=True)
class HitSettings:
    """How the hits of a take are read.

    Args:
        listen: channels, filter and stretch.
    """

    listen: ListenSettings = field(default_factory=ListenSettings)


@dataclass(frozen=True)
class HitsReading:
    """Candidates for hits in order of time; two drums at one moment are two candidates, all (hits,).

    Args:
        time_s: attack, in the take's time.
        within_s: so far to either side four of five such attacks are off; NaN where an older engine did not say.
        drum: index into ``DRUMS``.
        velocity: 1 to 127.
        confidence: 0 to 1.
        runner_up: index of the drum it could also be.
        runner_up_share: how likely that is.
        level_db: level of the 20 ms after the attack.
        kind: the drum more finely where the sound tells, such as ``hat open``.
    """

    time_s: NDArray[np.float64]
    within_s: NDArray[np.float64]
    drum: NDArray[np.int64]
    velocity: NDArray[np.float64]
    confidence: NDArray[np.float64]
    runner_up: NDArray[np.int64]
    runner_up_share: NDArray[np.float64]
    level_db: NDArray[np.float64]
    kind: tuple[str, ...]
    engine: str = ENGINE
