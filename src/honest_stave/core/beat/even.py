"""Even beats where none are heard, or none that are right: they are tapped over, pinned, moved."""

from dataclasses import replace

import numpy as np

from honest_stave.core.beat.beats_engine import BeatsReading
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.errors import BadInput

ENGINE = "even beats"
BAR_BEATS = 4
FEWEST_BEATS = 2


def evenly(reading: BeatsReading, bpm: float, from_s: float, to_s: float) -> BeatsReading:
    """Beats of one length in the place of those that were read, none of them sure.

    What was heard of beats is kept: taps are drawn to it, and stretches between pins are read with it.

    Args:
        reading: of the take.
        bpm: felt beats a minute.
        from_s, to_s: the first beat, and what none lies beyond.

    Raises:
        BadInput: two of them have no room.
    """
    time_s = np.arange(from_s, to_s, 60 / bpm)
    if len(time_s) < FEWEST_BEATS:
        raise BadInput(f"Two beats at {bpm:g} bpm are longer than this take.", "Give a quicker tempo.")
    place = np.arange(len(time_s))
    none = np.zeros(len(time_s))
    return replace(
        reading,
        time_s=time_s,
        bar=place // BAR_BEATS + 1,
        beat=place % BAR_BEATS + 1,
        confidence=none,
        heard=none.astype(bool),
        downbeat_confidence=none,
        meters=(Meter(1, BAR_BEATS, 4),),
        runners_up=(),
        clicks=(),
        engine=ENGINE,
    )
