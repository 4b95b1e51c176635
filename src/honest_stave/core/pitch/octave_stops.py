"""Stops an octave up: where every key of an organ or a harmonium sounds its octave too, octaves are doubted.

A network that judges note by note hears each of them as a key of its own. Over a whole passage they
show: of many keys something is heard an octave up, of those over others in a chord about as often as of
the lowest, and the even partials, which the stop shares, are stronger than the odd ones. Strings, pipes
and most reeds without such a stop have it the other way round; brass and plucked ones that do not have
nothing an octave up, and a hand plays octaves on the lowest key.
A line played on such an instrument is heard an octave up; the partials under its notes tell.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, SEMITONES, Bands
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
LEAST_EVEN_DB, FEWEST_KEYS = 1.4, 20
# Log-odds from which something is heard an octave up, and the share of keys of which it is with a stop.
LEAST_HEARD, LEAST_SHARE = -3.0, 0.3
# A hand plays octaves on the lowest key of a chord, a stop sounds them with every key: with one the keys over others
# have theirs at least this much as often. Fewer such keys tell nothing.
LEAST_OVER_LOWEST, FEWEST_OVER = 0.55, 10
# With an octave stop one octave in five is played; the others are the stop's, and the keys under them so much surer.
PLAYED_SHARE = 0.2
# An octave that is played sounds its own stop, too, one that is the stop's does not. Its log-odds are these parts of
# what the network says and of each dB that its even partials lie over the odd ones, beside those of all keys, and so
# much less. Of 403 octaves of recorded organs and harmoniums, 83 of them played, it lets 67 through wrongly and 60
# rightly; the network's word less 1.5 let 136 and 65 through. More weight on the stop lets fewer through there, 33
# and 54 with .25, and loses more on other organs. Further apart they tell no more.
SAID, OWN_STOP, DOUBT = 0.8, 0.15, 1.0
LEAST_OWN_DB, MOST_OWN_DB = -12.0, 3.0
# A fundamental this far over what lies two and three semitones beside it stands out, and a third partial so far.
LEAST_FUNDAMENTAL_DB, LEAST_THIRD_OUT_DB, BESIDE_STEPS = 12.0, 6.0, (-3, -2, 2, 3)
# The first and the third partial of a key lie no further than this under its octave; a flute's lower mode does.
LEAST_FIRST_DB, LEAST_THIRD_DB = -32.0, -28.0
# Notes of a line that it takes to tell, and the share of them that lies an octave lower.
FEWEST_OF_LINE, LEAST_LOWER = 6, 0.4
# In the median of the notes: log-odds from which the network knows the rank of an electric organ, and where the sixth
# partial of the lower key lies to its second unless that is a rank, of sines or of a third stop.
SURE_OF_RANK, LEAST_SIXTH_DB, MOST_SIXTH_DB = 8.0, -13.0, 4.0
# A fundamental speaks up to so much later than its octave.
LATEST_S = 0.25
# Less likely octaves tell nothing of the key under them.
LEAST_OCTAVE = -0.85


@dataclass(frozen=True)
class Doubted:
    """Strikes of which octaves are doubted, all (strikes,).

    Args:
        pitch: of the keys.
        score: log-odds of being notes.
        stopped: which lie in passages with an octave stop; of one voice, which are read an octave lower.
    """

    pitch: NDArray[np.int64]
    score: Values
    stopped: Flags


def doubt_octave_stops(strikes: Strikes, score: Values, passage: NDArray[np.int64], bands: Bands) -> Doubted:
    """Strikes of many voices, with octaves doubted in passages that have an octave stop.

    What speaks for an octave speaks for the key under it then. Where that was not found at all, and a partial
    stands out an octave under a strike, this is the key.

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
    keys = strikes.chosen(key)
    even_db = even_over_odd_db(keys, bands)
    stopped = _has_octave_stop(passage, passage[key], above[key], even_db, _over_others(keys))
    paired = paired[stopped[paired]]
    told = score.copy()
    share = 1 / (1 + np.exp(-score))
    wrong = 1 - share
    np.multiply.at(wrong, below[paired], 1 - (1 - PLAYED_SHARE) * share[paired])
    under = np.unique(below[paired])
    told[under] = np.log((1 - wrong[under]) / wrong[under])
    own_db = even_over_odd_db(strikes.chosen(paired), bands) - _usual(passage[key], even_db)[passage[paired]]
    told[paired] = SAID * told[paired] + OWN_STOP * np.clip(own_db, LEAST_OWN_DB, MOST_OWN_DB) - DOUBT
    lone = np.flatnonzero(stopped & (told >= 0) & ~((below >= 0) & (told[below] >= 0)))
    lone = lone[~_sounds_below(strikes, told >= 0)[lone]]
    lone = lone[stands_out_db(strikes.chosen(lone), bands, -12) > LEAST_FUNDAMENTAL_DB]
    return _an_octave_lower(strikes, told, lone, stopped)


def find_keys_of_line(strikes: Strikes, score: Values, passage: NDArray[np.int64], bands: Bands) -> Doubted:
    """Strikes of one voice, an octave lower in passages where most are told to be so by the partials under them.

    No other voice can sound the first and the third partial of a key an octave lower; what a flute or a room
    leaves there is much softer. A rank of the same key can: electric organs sound one an octave below what is
    played. There the network is surer, or the overtones are missing that pipes and reeds have.

    Args:
        strikes, score, passage, bands: as for ``doubt_octave_stops``.
    """
    seen_db = _steady_db(strikes, bands, (0, -12, 7, 19))
    first_db, third_db, sixth_db = (seen_db[:, 1:] - seen_db[:, :1]).T
    lower = (first_db > LEAST_FIRST_DB) & (third_db > LEAST_THIRD_DB)
    lower &= stands_out_db(strikes, bands, -12) > LEAST_FUNDAMENTAL_DB
    lower &= stands_out_db(strikes, bands, 7) > LEAST_THIRD_OUT_DB
    notes, lower_notes = (np.bincount(passage, of) for of in (score >= 0, lower & (score >= 0)))
    lower &= ((notes >= FEWEST_OF_LINE) & (lower_notes > LEAST_LOWER * notes))[passage]
    told = np.flatnonzero(lower & (score >= 0))
    a_rank = _usual(passage[told], score[told]) >= SURE_OF_RANK
    usual_sixth_db = _usual(passage[told], sixth_db[told])
    a_rank |= (usual_sixth_db < LEAST_SIXTH_DB) | (usual_sixth_db > MOST_SIXTH_DB)
    lower &= ~np.append(a_rank, np.ones(len(notes) - len(a_rank), bool))[passage]
    return _an_octave_lower(strikes, score, np.flatnonzero(lower), lower)


def _an_octave_lower(strikes: Strikes, score: Values, chosen: NDArray[np.int64], stopped: Flags) -> Doubted:
    """The chosen strikes an octave lower; a fundamental that speaks late is the same key.

    It is no surer a note of its own than that the octave tells nothing.
    """
    told = score.copy()
    for i, late in _late_below(strikes, chosen):
        told[late] = np.minimum(told[late], -told[i])
    pitch = strikes.pitch.copy()
    pitch[chosen] -= 12
    return Doubted(pitch, told, stopped)


def even_over_odd_db(strikes: Strikes, bands: Bands) -> Values:
    """Mean level of the second, fourth and sixth partial over that of the first, third and fifth, (strikes,)."""
    partial_db = _steady_db(strikes, bands, PARTIAL_STEPS)
    return np.asarray(partial_db[:, 1::2].mean(axis=1) - partial_db[:, ::2].mean(axis=1))


def stands_out_db(strikes: Strikes, bands: Bands, step: int) -> Values:
    """How far the semitone ``step`` from a pitch lies over those beside it, 0 off the keys, (strikes,)."""
    beside_db = np.median(_steady_db(strikes, bands, tuple(step + by for by in BESIDE_STEPS)), axis=1)
    on_keys = strikes.pitch + step + min(BESIDE_STEPS) >= LOWEST_PITCH
    return np.where(on_keys, _steady_db(strikes, bands, (step,))[:, 0] - beside_db, 0.0)


def _steady_db(strikes: Strikes, bands: Bands, steps: tuple[int, ...]) -> Values:
    """Levels at some semitones from each strike's pitch while it sounds, (strikes, steps)."""
    frames = np.minimum(FRAMES_PER_CELL * strikes.cell[:, None] + np.array(STEADY_FRAMES), len(bands.long_db) - 1)
    row = np.clip(strikes.pitch[:, None] - LOWEST_PITCH + np.array(steps), 0, SEMITONES - 1)
    thirds = BANDS_PER_SEMITONE * row[:, None, :, None] + np.arange(BANDS_PER_SEMITONE)
    return np.asarray(bands.long_db[frames[:, :, None, None], thirds].astype(float).max(axis=3).mean(axis=1))


def _has_octave_stop(
    passage: NDArray[np.int64], of: NDArray[np.int64], above: Values, even_db: Values, over: Flags
) -> Flags:
    """Whether the passage of each strike has an octave stop, (strikes,).

    Args:
        passage: of each strike, rising.
        of: passage of each key, rising.
        above: log-odds of what begins an octave over each key.
        even_db: even over odd partials of each key.
        over: whether each lies over another key of a chord.
    """
    numbers = np.arange(int(passage[-1]) + 1 if len(passage) else 0)
    found = np.zeros(len(numbers), bool)
    firsts, stops = np.searchsorted(of, numbers), np.searchsorted(of, numbers, side="right")
    for number in np.flatnonzero(stops - firsts >= FEWEST_KEYS).tolist():
        own = slice(firsts[number], stops[number])
        heard, upper = above[own] > LEAST_HEARD, over[own]
        with_every_key = upper.sum() < FEWEST_OVER or (
            float(heard[upper].mean()) >= LEAST_OVER_LOWEST * float(heard[~upper].mean())
        )
        found[number] = with_every_key and heard.mean() > LEAST_SHARE and np.median(even_db[own]) > LEAST_EVEN_DB
    return found[passage]


def _usual(passage: NDArray[np.int64], even_db: Values) -> Values:
    """The median over the keys of each passage, (passages,); ``passage`` of each key, rising."""
    numbers = np.arange(int(passage[-1]) + 1 if len(passage) else 0)
    firsts, stops = np.searchsorted(passage, numbers), np.searchsorted(passage, numbers, side="right")
    return np.array([np.median(even_db[a:b]) if b > a else 0.0 for a, b in zip(firsts, stops, strict=True)])


def _over_others(strikes: Strikes) -> Flags:
    """Whether something lower begins with each strike, (strikes,)."""
    order = np.argsort(strikes.onset_s, kind="stable")
    onset_s, pitch = strikes.onset_s[order], strikes.pitch[order]
    first, stop = (np.searchsorted(onset_s, onset_s + by) for by in (-TOGETHER_S, TOGETHER_S))
    over = np.zeros(len(pitch), bool)
    for by in range(int((stop - first).max(initial=0))):
        there = np.flatnonzero(first + by < stop)
        over[order[there]] |= pitch[first[there] + by] < pitch[there]
    return over


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


def _sounds_below(strikes: Strikes, counted: Flags) -> Flags:
    """Whether a note an octave lower that began before each strike still sounds when it begins, (strikes,)."""
    span = float(strikes.onset_s.max(initial=0.0)) + 1.0
    note = np.flatnonzero(counted)
    note = note[np.lexsort((strikes.onset_s[note], strikes.pitch[note]))]
    place = strikes.pitch[note] * span + strikes.onset_s[note]
    before = np.searchsorted(place, (strikes.pitch - 12) * span + strikes.onset_s) - 1
    last = note[np.maximum(before, 0)] if len(note) else np.zeros(len(strikes), int)
    known = (before >= 0) & (strikes.pitch[last] == strikes.pitch - 12)
    return np.asarray(known & (strikes.end_s[last] > strikes.onset_s))


def _late_below(strikes: Strikes, chosen: NDArray[np.int64]) -> Iterator[tuple[int, NDArray[np.int64]]]:
    """Each of the chosen strikes, with those an octave lower that begin soon after it."""
    for i in chosen.tolist():
        first, stop = np.searchsorted(strikes.onset_s, strikes.onset_s[i] + np.array([0.0, LATEST_S]), side="right")
        late = np.arange(first, stop)
        yield i, late[strikes.pitch[late] == strikes.pitch[i] - 12]
