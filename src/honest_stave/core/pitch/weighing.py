"""How sure each strike is, when and how hard it was struck: each weighed with all others of its passage.

The network for notes hears frames. Whether a strike is a note, a partial of another, the blur of
a choir or the echo of a room is a question of what is struck with it, before it and after it, and
of what the whole passage is like. A second network attends to all of that (Vaswani et al. 2017).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import open_network
from honest_stave.core.pitch.activity import LOWEST_PITCH, Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.evidence import measures, rises, since_last
from honest_stave.core.pitch.loudness import loudness_inputs
from honest_stave.core.pitch.passages import stretches
from honest_stave.core.pitch.strike_levels import levels_about
from honest_stave.core.pitch.strikes import SAME_ONSET_S, Strikes

Values = NDArray[np.float64]
# Measures in half precision: of an hour they would fill the memory.
Halves = NDArray[np.float16]

# Cells round a strike whose activity is seen as it is.
ONSET_CELLS, OFFSET_CELLS = range(-4, 6), range(-4, 6)
SOUNDING_CELLS = (-12, -8, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 6, 8, 12, 18, 26)
# Strikes measured at once: bounds the memory of an hour.
BLOCK = 2048
# Columns of what the networks for strikes say; the first of them has its own word on the force, in column 1, which it
# knows less well than the second, whose only task it is.
SCORE, SHIFT, FORCE = 0, 2, 3
# The network's moments are told in these.
SHIFT_UNIT_S = 0.02
LONGEST_SHIFT_S = 0.08
# No line goes on in steps as quick as this to a neighbour or to what a note's partials sound.
SAME_NOTE_S = 0.06
OWN_STEPS = (-1, 1, 12, 19, 24)


@dataclass(frozen=True)
class Weighed:
    """What the second network says of each strike, all (strikes,).

    Args:
        score: log-odds of being a note.
        velocity: 0 to 1.
        shift_s: how much later than its peak it begins.
    """

    score: Values
    velocity: Values
    shift_s: Values

    def told(self, strikes: Strikes) -> Strikes:
        """The strikes with their moments and velocities."""
        onset_s = np.maximum(strikes.onset_s + self.shift_s, 0.0)
        velocity = np.clip(127 * self.velocity, 1, 127)
        return replace(strikes, onset_s=onset_s, end_s=np.maximum(strikes.end_s, onset_s), velocity=velocity)


def strike_inputs(strikes: Strikes, activity: Activity, bands: Bands) -> Halves:
    """What the second network sees of each strike, (strikes, measures).

    Args:
        strikes: what was found.
        activity, bands: where it was found.
    """
    since = since_last(strikes)
    blocks = []
    for first in range(0, max(len(strikes), 1), BLOCK):
        block = np.arange(first, min(first + BLOCK, len(strikes)))
        blocks.append(_inputs(strikes.chosen(block), since[block], activity, bands))
    return np.concatenate(blocks)


def _inputs(strikes: Strikes, since: Values, activity: Activity, bands: Bands) -> Halves:
    row = strikes.pitch - LOWEST_PITCH
    last = len(activity.onset) - 1

    def around(source: NDArray[np.floating], cells: range | tuple[int, ...]) -> Values:
        place = np.clip(strikes.cell[:, None] + np.array(cells), 0, last)
        return np.asarray(source[place, row[:, None]], np.float64)

    columns = [
        measures(strikes, since, activity, rises(strikes, bands)),
        loudness_inputs(strikes, bands, activity),
        around(activity.onset, ONSET_CELLS),
        around(activity.sounding, SOUNDING_CELLS),
        around(activity.offset, OFFSET_CELLS),
    ]
    return np.hstack(columns).astype(np.float16)


def heard_together(
    name: str,
    strikes: Strikes,
    passage: NDArray[np.int64],
    inputs: Halves,
    *,
    one_voice: bool,
    levels: Callable[[Strikes], NDArray[np.float32]] | None = None,
) -> Values:
    """What the network ``name`` says of each strike, which sees the others of its passage, (strikes, outputs).

    Args:
        name: of the network.
        strikes: in order of time.
        passage: of each strike.
        inputs: measures of each, (strikes, measures).
        one_voice: whether one note sounds at a time.
        levels: what the network sees about some of the strikes; asked stretch by stretch, for an hour has many.

    Raises:
        BadInput: the network is missing or damaged.
    """
    network = open_network(name)
    said = np.zeros((len(strikes), network.get_outputs()[0].shape[2]))
    for own, seen in stretches(passage):
        given = {
            "strikes": inputs[None, seen].astype(np.float32),
            "time_s": (strikes.onset_s[None, seen] - strikes.onset_s[seen.start]).astype(np.float32),
            "pitch": strikes.pitch[None, seen],
            "one_voice": np.array([one_voice], np.float32),
        }
        if levels:
            given["levels"] = levels(strikes.chosen(np.arange(seen.start, seen.stop)))[None]
        said[own] = network.run(None, given)[0][0, own.start - seen.start : own.stop - seen.start]
    return said


def weigh(
    strikes: Strikes, passage: NDArray[np.int64], activity: Activity, bands: Bands, *, one_voice: bool
) -> Weighed:
    """Weighs every strike with the others of its passage.

    Args:
        strikes: what was found, in order of time.
        passage: of each strike, as from ``passages.passage_of``.
        activity, bands: where they were found.
        one_voice: whether one note sounds at a time.

    Raises:
        BadInput: the network is missing or damaged.
    """
    inputs = strike_inputs(strikes, activity, bands)

    def levels(seen: Strikes) -> NDArray[np.float32]:
        return levels_about(seen, bands, activity)

    said = heard_together("strikes", strikes, passage, inputs, one_voice=one_voice, levels=levels)
    shift_s = np.clip(SHIFT_UNIT_S * said[:, SHIFT], -LONGEST_SHIFT_S, LONGEST_SHIFT_S)
    return Weighed(said[:, SCORE], said[:, FORCE], shift_s)


def one_at_a_time(onset_s: Values, pitch: NDArray[np.int64], score: Values) -> Values:
    """Log-odds of strikes of one voice: of those that begin together only the surest is a note.

    So soon after it that no line goes on, what is a semitone off is its blur, as of a choir in unison, and what its
    partials sound at is those; a grace note comes before. Each of the others is no surer than that one is wrong, so
    that a stop an octave lower is not a second voice.

    Args:
        onset_s: of each strike, rising.
        pitch: of each strike.
        score: log-odds of being a note.
    """
    told = score.copy()
    first = np.searchsorted(onset_s, onset_s - SAME_NOTE_S, side="right")
    stop = np.searchsorted(onset_s, onset_s + SAME_NOTE_S, side="left")
    for i in np.argsort(-score, kind="stable").tolist():
        # Rarely does anything begin together with something else, and what was refused refuses nothing.
        if told[i] > 0 and stop[i] - first[i] > 1:
            others = np.setdiff1d(np.arange(first[i], stop[i]), [i])
            together = np.abs(onset_s[others] - onset_s[i]) < SAME_ONSET_S
            own = (onset_s[others] > onset_s[i]) & np.isin(pitch[others] - pitch[i], OWN_STEPS)
            others = others[(together | own) & (score[others] <= score[i])]
            told[others] = np.minimum(told[others], -score[i])
    return told
