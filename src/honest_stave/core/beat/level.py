"""At which level the beats of a recording are counted: as they were tracked, or half, twice, thrice, shifted.

A row of beats is the better the surer the second network is that the music is counted so, the clearer
bars lie over it, the likelier its length is to the first network, the more is heard on its beats, and
the nearer its tempo is to the usual one.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.bar_features import bar_features
from honest_stave.core.beat.bars import Bars, find_bars
from honest_stave.core.beat.beats_hearing import SHORTEST_LOG2, SLOWEST_LOG2, TEMPO_CLASSES, BeatActivity, hear_bars
from honest_stave.core.beat.heard import Heard
from honest_stave.core.beat.track import odds_near, other_levels

Values = NDArray[np.float64]

# Weights in what a level is worth; the level that was tracked has an advance.
TRACKED, LENGTH, CLEARNESS, METER, HEARD, USUAL, COUNTED = 0.9, 0.5, 0.5, 0.5, 0.1, 0.5, 0.4
# A beat as long as this is likeliest, in seconds (Parncutt, 1994).
USUAL_S = 0.58
MOST_ODDS = 4.0
NEAR_CLASSES = 1.5


@dataclass(frozen=True)
class Level:
    """Beats at a level, with their bars and what the level is worth, in log-odds."""

    beat_s: Values
    bars: Bars
    worth: float


def choose_level(heard: Heard, activity: BeatActivity, beat_s: Values) -> Level:
    """The best of the levels at which a row of beats can be counted.

    Args:
        heard: of the recording.
        activity: what the first network says of it.
        beat_s: beats as they were tracked, at least four.
    """
    rows = [beat_s, *other_levels(beat_s)]
    return max((_level(heard, activity, row, number == 0) for number, row in enumerate(rows)), key=lambda x: x.worth)


def length_share(activity: BeatActivity, length_s: float) -> float:
    """How likely the first network finds beats of this length, over the whole recording."""
    place = (np.log2(length_s) - SHORTEST_LOG2) / (SLOWEST_LOG2 - SHORTEST_LOG2) * (TEMPO_CLASSES - 1)
    near = np.abs(np.arange(TEMPO_CLASSES) - place) <= NEAR_CLASSES
    return float(np.exp(activity.length)[:, near].sum(axis=1).mean())


def _level(heard: Heard, activity: BeatActivity, beat_s: Values, tracked: bool) -> Level:
    said = hear_bars(bar_features(heard, activity, beat_s))
    length_s = float(np.median(np.diff(beat_s)))
    worth = TRACKED * tracked + LENGTH * np.log(length_share(activity, length_s) + 0.01)
    worth += CLEARNESS * float(np.abs(said.downbeat).mean()) + METER * float(said.meter.mean(axis=0).max())
    worth += HEARD * float(np.clip(odds_near(activity, beat_s), -MOST_ODDS, MOST_ODDS).mean())
    worth += COUNTED * float(said.counted.mean())
    worth -= USUAL * np.log2(length_s / USUAL_S) ** 2
    return Level(beat_s, find_bars(said.downbeat.astype(float), said.meter.astype(float)), float(worth))
