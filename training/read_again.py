"""Clips read by the shipped networks, with what is true of each strike."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.hearing import hear
from honest_stave.core.pitch.notes_engine import weighed_strikes
from honest_stave.core.pitch.strikes import Strikes
from training import clips as recipes
from training.material import Heard
from training.strikes_heard import bands_of, note_of


@dataclass(frozen=True)
class Example:
    """A clip with what was heard in it; ``note`` is the true note of each strike, -1 for none."""

    clip: Heard
    bands: Bands
    activity: Activity
    strikes: Strikes
    score: NDArray[np.float64]
    note: NDArray[np.int64]
    passage: NDArray[np.int64]

    @property
    def right(self) -> NDArray[np.bool_]:
        """Which strikes are notes."""
        return self.note >= 0

    @property
    def voices(self) -> str:
        """How the clip is read."""
        return "many" if self.clip.kind in recipes.MANY_KINDS else "one"


def example(clip: Heard) -> Example:
    """What the shipped networks hear in a clip, and which strikes are right."""
    bands = bands_of(clip)
    activity = hear(bands)
    one_voice = clip.kind not in recipes.MANY_KINDS
    found = weighed_strikes(bands, activity, one_voice=one_voice)
    note = note_of(found.strikes, clip.notes, found.score)
    return Example(clip, bands, activity, found.strikes, found.score, note, found.passage)
