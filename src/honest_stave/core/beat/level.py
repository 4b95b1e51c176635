"""How beats are counted: as they were tracked, or half, twice, thrice as quick, two in three, shifted.

A row may have changed its level on the way, and then no level of it is right: quick beats and slow ones are
tracked for themselves, too.

A row of beats is the better the surer the second network is that the music is counted so, the clearer
bars lie over it, the likelier its length is to the first network, the more is heard on its beats, and
the nearer its tempo is to the usual one.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.bar_features import PATTERNS, bar_features
from honest_stave.core.beat.bars import Bars, find_bars
from honest_stave.core.beat.beats_hearing import (
    SHORTEST_LOG2,
    SLOWEST_LOG2,
    TEMPO_CLASSES,
    BarActivity,
    BeatActivity,
    hear_bars,
)
from honest_stave.core.beat.begun import begins_at, played, up_to_last
from honest_stave.core.beat.heard import Heard
from honest_stave.core.beat.repeated import repeated
from honest_stave.core.beat.steady import Click, find_clicks, on_clicks, steadied
from honest_stave.core.beat.track import FEWEST_BEATS, LONGEST_S, SHORTEST_S, odds_near, other_levels, track_beats
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S

Values = NDArray[np.float64]

# Weights in what a level is worth; the level that was tracked has an advance.
TRACKED, LENGTH, CLEARNESS, METER, HEARD, USUAL, COUNTED = 0.9, 0.5, 0.5, 0.5, 0.1, 0.5, 0.4
# What coming again after some bars is worth for a meter, in log-odds a beat. Chosen among 16, 22 and 30 after a look
# at 180 clips held out (one is better with 30, none with the others) and 94 recordings without truth.
REPEATED = 30.0
# A beat as long as this is likeliest, in seconds (Parncutt, 1994).
USUAL_S = 0.58
MOST_ODDS = 4.0
# Beats that are tracked for themselves: up to this long, and from this long on. F1 of beats held out is .956 so, .952
# with .65 and .55 s, .955 with .95 and .5 s.
QUICK_S, SLOW_S = 0.75, 0.5
# The best row is tracked once more, so many times as strictly, with beats up to so many times as long and as short: a
# row that is right in its later part has often changed its level in the first.
STRICTER, AROUND = 16.0, 1.5
# What sounds before the first beat and after the last costs this much, if it is all.
LEFT_OUT, SILENT = 3.0, 1e-6
# Rows are the same where so much of either lies this near to the other.
SAME_SHARE, SAME_S = 0.9, 0.07
NEAR_CLASSES = 1.5


@dataclass(frozen=True)
class Level:
    """Beats at a level.

    Args:
        beat_s: their moments, (beats,).
        bars: that they form.
        clicks: that they were made to.
        laid: whether each was laid on a click where none was tracked, (beats,).
        begins: whether something begins on it, (beats,).
    """

    beat_s: Values
    bars: Bars
    clicks: tuple[Click, ...]
    laid: NDArray[np.bool_]
    begins: NDArray[np.bool_]


@dataclass(frozen=True)
class _Counted:
    """A row of beats, what begins within each, what the second network says of it, and what it is worth."""

    beat_s: Values
    patterns: NDArray[np.float32]
    said: BarActivity
    worth: float


def choose_level(heard: Heard, activity: BeatActivity, beat_s: Values) -> Level:
    """The best of the levels at which a row of beats can be counted.

    Args:
        heard: of the recording.
        activity: what the first network says of it.
        beat_s: beats as they were tracked, at least four.
    """
    sounding = heard.columns[:, -1].astype(np.float64)
    tracked = [beat_s, *_tracked_anew(activity, sounding)]
    beat_s, *anew = (steadied(activity, row) for row in tracked)
    rows = [beat_s, *other_levels(beat_s)]
    for row in anew:
        if not any(_same(row, known) for known in rows):
            rows += [row, *other_levels(row)]
    rows = [up_to_last(row, heard.begun, activity.beat) for row in rows]
    counted = [_counted(heard, activity, row) for row in rows]
    counted[0] = replace(counted[0], worth=counted[0].worth + TRACKED)
    best = max(counted, key=lambda c: c.worth)
    for row in _tracked_strictly(activity, sounding, best.beat_s):
        tracked.append(row)
        best = max([best, _counted(heard, activity, steadied(activity, row))], key=lambda c: c.worth)
    begins = begins_at(heard.begun, best.beat_s)
    inside = played(begins, FEWEST_BEATS)
    beat_s, begins = best.beat_s[inside], begins[inside]
    meter = best.said.meter + REPEATED * repeated(best.patterns)
    clicks = tuple(find_clicks(beat_s))
    clicked = on_clicks(beat_s, clicks)
    bars = find_bars(best.said.downbeat[inside].astype(float), meter[inside], clicked)
    laid = clicked & ~_near(beat_s, np.sort(np.concatenate(tracked)))
    return Level(beat_s, bars, clicks, laid, begins)


def _counted(heard: Heard, activity: BeatActivity, beat_s: Values) -> _Counted:
    features = bar_features(heard, activity, beat_s)
    said = hear_bars(features)
    worth = _worth(activity, beat_s, said) - LEFT_OUT * _left_out(heard.columns[:, -1], beat_s)
    return _Counted(beat_s, features[:, PATTERNS], said, worth)


def _left_out(sounding: NDArray[np.floating], beat_s: Values) -> float:
    """Share of what sounds that lies before the first beat or after the last."""
    first, last = np.round((beat_s[[0, -1]] - FIRST_CELL_S) / CELL_S).astype(int).clip(0).tolist()
    return 1 - float(sounding[first : last + 1].sum() / max(float(sounding.sum()), SILENT))


def length_share(activity: BeatActivity, length_s: float) -> float:
    """How likely the first network finds beats of this length, over the whole recording."""
    place = (np.log2(length_s) - SHORTEST_LOG2) / (SLOWEST_LOG2 - SHORTEST_LOG2) * (TEMPO_CLASSES - 1)
    near = np.abs(np.arange(TEMPO_CLASSES) - place) <= NEAR_CLASSES
    return float(np.exp(activity.length)[:, near].sum(axis=1).mean())


def _tracked_anew(activity: BeatActivity, sounding: Values) -> list[Values]:
    """Rows of quick beats alone, and of slow ones."""
    quick, _ = track_beats(activity, sounding, longest_s=QUICK_S)
    slow, _ = track_beats(activity, sounding, shortest_s=SLOW_S)
    return [row for row in (quick, slow) if len(row) >= FEWEST_BEATS]


def _tracked_strictly(activity: BeatActivity, sounding: Values, beat_s: Values) -> list[Values]:
    """The row about as quick as another one that seldom changes its length and leaves little out, if there is one."""
    usual_s = float(np.median(np.diff(beat_s)))
    lengths_s = max(SHORTEST_S, usual_s / AROUND), min(LONGEST_S, usual_s * AROUND)
    row, _ = track_beats(activity, sounding, *lengths_s, strictness=STRICTER)
    return [row] if len(row) >= FEWEST_BEATS else []


def _same(row: Values, other: Values) -> bool:
    return float(_near(row, other).mean() + _near(other, row).mean()) / 2 >= SAME_SHARE


def _near(row: Values, other: Values) -> NDArray[np.bool_]:
    """Whether each moment of a row lies near one of another row, (beats,)."""
    after = np.searchsorted(other, row).clip(1, len(other) - 1)
    return np.asarray(np.minimum(np.abs(row - other[after - 1]), np.abs(row - other[after])) <= SAME_S)


def _worth(activity: BeatActivity, beat_s: Values, said: BarActivity) -> float:
    """What a row of beats is worth, in log-odds."""
    length_s = float(np.median(np.diff(beat_s)))
    worth = LENGTH * np.log(length_share(activity, length_s) + 0.01) + COUNTED * float(said.counted.mean())
    worth += CLEARNESS * float(np.abs(said.downbeat).mean()) + METER * float(said.meter.mean(axis=0).max())
    worth += HEARD * float(np.clip(odds_near(activity, beat_s), -MOST_ODDS, MOST_ODDS).mean())
    return float(worth - USUAL * np.log2(length_s / USUAL_S) ** 2)
