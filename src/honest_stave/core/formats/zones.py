"""A zone: one sound on one key, as samplers know it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Zone:
    """One sound on one key; it plays at its own pitch whatever the velocity.

    Args:
        key: MIDI note.
        name: what it is called, a file name without its ending.
        sound: (frames, channels), full scale 1.
        choke: zones of the same number above 0 end each other.
        one_shot: sounds to its end, however short the note.
        release_s: fades over this time when the note ends.
    """

    key: int
    name: str
    sound: NDArray[np.float32]
    choke: int = 0
    one_shot: bool = False
    release_s: float = 0.005
