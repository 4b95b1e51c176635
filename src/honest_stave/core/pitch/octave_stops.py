"""Stops an octave up: where every key of an organ or a harmonium sounds its octave too, octaves are doubted.

A network that judges note by note hears each of them as a key of its own. Over a whole passage they
show: of many keys something is heard an octave up, and of those without a read octave, too, the even
partials, which the stop shares, are stronger than the odd ones. Strings, pipes and most reeds without
such a stop have it the other way round; brass and plucked ones that do not have nothing an octave up.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, Bands
from honest_stave.core.pitch.strikes import Strikes

Values = NDArray[np.float64]
Flags = NDArray[np.bool_]

# A key and its octave speak within this time.
TOGETHER_S = 0.06
# Semitones of the first six partials; of them the first, third and fifth are odd.
PARTIAL_STEPS = (0, 12, 19, 24, 28, 31)
# Frames after a strike in which its partials are measured: after the attack, before most keys are let go.
STEADY_FRAMES = (6, 10, 14, 18)
# Median of even over odd partials from which there may be an octave stop, and keys that it takes to tell.
LEAST_EVEN_DB, FEWEST_KEYS = 0.8, 20
# Log-odds from which something is heard an octave up, and the share of keys of which it is with a stop.
LEAST_HEARD, LEAST_SHARE = -3.0, 0.3
# With an octave stop one octave in five is played; the others are the stop's, and the keys under them so much surer.
PLAYED_SHARE, DOUBT = 0.2, 1.5
# Less likely octaves tell nothing of the key under them.
LEAST_OCTAVE = -0.85


def doubt_octave_stops(
    strikes: Strikes, score: Values, passage: NDArray[np.int64], bands: Bands
) -> tuple[Values, Flags]:
    """Log-odds of strikes of many voices, octaves doubted in passages with an octave stop; and which lie in such.

    What speaks for an octave speaks for the key under it then.

    Args:
        strikes: that may be notes.
        score: log-odds of each, (strikes,).
        passage: of each strike, rising.
        bands: levels of the recording.
    """
    below = _surest_octave_below(strikes, score)
    is_octave = (below >= 0) & (score[below] >= 0)
    key = np.flatnonzero((score >= 0) & ~is_octave)
    above = np.full(len(strikes), -np.inf)
    upper = np.flatnonzero(below >= 0)
    np.maximum.at(above, below[upper], score[upper])
    paired = upper[score[upper] > LEAST_OCTAVE]
    even_db = even_over_odd_db(strikes.chosen(key), bands)
    stopped = _has_octave_stop(passage, passage[key], above[key], even_db)
    paired = paired[stopped[paired]]
    told = score.copy()
    share = 1 / (1 + np.exp(-score))
    wrong = 1 - share
    np.multiply.at(wrong, below[paired], 1 - (1 - PLAYED_SHARE) * share[paired])
    keys = np.unique(below[paired])
    told[keys] = np.log((1 - wrong[keys]) / wrong[keys])
    told[paired] -= DOUBT
    return told, stopped


def even_over_odd_db(strikes: Strikes, bands: Bands) -> Values:
    """Mean level of the second, fourth and sixth partial over that of the first, third and fifth, (strikes,)."""
    frames = np.minimum(FRAMES_PER_CELL * strikes.cell[:, None] + np.array(STEADY_FRAMES), len(bands.long_db) - 1)
    levels = []
    for step in PARTIAL_STEPS:
        row = np.minimum(strikes.pitch - LOWEST_PITCH + step, bands.long_db.shape[1] // BANDS_PER_SEMITONE - 1)
        thirds = BANDS_PER_SEMITONE * row[:, None] + np.arange(BANDS_PER_SEMITONE)
        levels.append(bands.long_db[frames[:, :, None], thirds[:, None]].astype(float).max(axis=2).mean(axis=1))
    partial_db = np.array(levels)
    return np.asarray(partial_db[1::2].mean(axis=0) - partial_db[::2].mean(axis=0))


def _has_octave_stop(passage: NDArray[np.int64], of: NDArray[np.int64], above: Values, even_db: Values) -> Flags:
    """Whether the passage of each strike has an octave stop, (strikes,).

    Args:
        passage: of each strike.
        of: passage of each key.
        above: log-odds of what begins an octave over each key.
        even_db: even over odd partials of each key.
    """
    found = np.zeros(int(passage[-1]) + 1 if len(passage) else 0, bool)
    for number in np.unique(of):
        own = of == number
        alone = even_db[own & (above < 0)]
        heard = float((above[own] > LEAST_HEARD).mean())
        found[number] = len(alone) >= FEWEST_KEYS and float(np.median(alone)) > LEAST_EVEN_DB and heard > LEAST_SHARE
    return found[passage]


def _surest_octave_below(strikes: Strikes, score: Values) -> NDArray[np.int64]:
    """Of each strike the surest strike an octave lower that begins with it, -1 where there is none, (strikes,)."""
    span = float(strikes.onset_s.max(initial=0.0)) + 1.0
    order = np.lexsort((strikes.onset_s, strikes.pitch))
    place = (strikes.pitch * span + strikes.onset_s)[order]
    wanted = (strikes.pitch - 12) * span + strikes.onset_s
    first, stop = np.searchsorted(place, wanted - TOGETHER_S), np.searchsorted(place, wanted + TOGETHER_S)
    surest = np.full(len(strikes), -1)
    for by in range(int((stop - first).max(initial=0))):
        there = np.flatnonzero(first + by < stop)
        other = order[first[there] + by]
        better = (surest[there] < 0) | (score[other] > score[surest[there]])
        surest[there[better]] = other[better]
    return surest
