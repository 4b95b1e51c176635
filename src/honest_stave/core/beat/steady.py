"""Recordings made to a click: where beats keep one count for long, the count goes on where they were lost.

A row of beats follows what is loud: where a snare falls between the beats, or half as often, it goes over to that,
and comes back. What is played to a click does not: after such a passage its beats lie where they were counted before.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import BeatActivity
from honest_stave.core.beat.track import odds_near

Values = NDArray[np.float64]

# So many beats in a row lie evenly, within this share of a beat, where a click is heard.
EVEN_BEATS, EVEN_SHARE = 16, 0.05
# Passages are of one click where their beats are as long, within this of an octave, and lie on its half beats, within
# that share of a beat.
SAME_LENGTH, SAME_PLACE = 0.007, 0.12
# A click that was lost for longer is another one; so many beats of it make one, and no more of those within it than
# this share lie off its half beats.
LOST_S, FEWEST_BEATS, MOST_LOST = 40.0, 48, 0.3
# A beat of the click may be counted as so many: all of them lie on its half beats.
COUNTED_AS = np.array([0.5, 1.0, 1.5, 2.0, 3.0, 4.0])
# It goes on before and after its even rows while most of so many beats in a row lie on it.
WIDENED_BEATS = 8
# Two tempos that are nearly the same make no click: of beats that lie evenly no more than this lie off half beats.
MOST_OFF = 0.15
# Music that breathes has even rows, too, and their lengths spread further than this, in octaves: of a click few do.
OTHERWISE, MOST_OTHERWISE = 0.014, 0.25
# Steps in which the length of a beat is looked for: no beat is off by more than an eighth over the whole.
FINENESS = 4
# What one beat says for a count or against it is kept within these log-odds.
MOST_ODDS, LEAST_ODDS = 3.5, -3.0
# Moments are the same within this.
NEAR_S = 0.001
# Beats before and after a passage go on from so much of a beat beside it.
NEXT = 0.6


@dataclass(frozen=True)
class Click:
    """Even beats over a passage.

    Args:
        first_s: a beat of it.
        beat_s: how long its beats are.
        from_s, to_s: the first and the last even beat that was heard.
    """

    first_s: float
    beat_s: float
    from_s: float
    to_s: float


def steadied(activity: BeatActivity, beat_s: Values) -> Values:
    """A row of beats with one count wherever it was made to a click.

    Args:
        activity: what the first network says.
        beat_s: moments of beats, rising.

    Returns:
        The row itself where no click is found; moments of beats that lie on the click are kept.
    """
    for click in find_clicks(beat_s):
        beat_s = _counted_by(activity, beat_s, click)
    return beat_s


def find_clicks(beat_s: Values) -> list[Click]:
    """Clicks of a row of beats, first the one that most even beats agree with; they do not overlap."""
    found: list[Click] = []
    even = _even_windows(beat_s)
    while len(even) >= 2:
        lengths = (beat_s[even + EVEN_BEATS - 1] - beat_s[even]) / (EVEN_BEATS - 1)
        usual_s = _usual(lengths)
        apart = np.abs(np.log2(lengths[:, None] / (COUNTED_AS * usual_s))).min(axis=1)
        chosen = even[apart < SAME_LENGTH]
        click = _click_of(beat_s, chosen, usual_s)
        if click is None:
            even = np.setdiff1d(even, chosen)
            continue
        click = _apart(_widened(beat_s, click), found)
        within = (beat_s[even + EVEN_BEATS - 1] > click.from_s) & (beat_s[even] < click.to_s)
        long_enough = click.to_s - click.from_s >= FEWEST_BEATS * click.beat_s
        if long_enough and (apart[within] < OTHERWISE).mean() >= 1 - MOST_OTHERWISE:
            found.append(click)
        even = np.setdiff1d(even[~within], chosen)
    return found


def on_clicks(beat_s: Values, clicks: Sequence[Click]) -> NDArray[np.bool_]:
    """Whether each beat lies in the passage of a click, (beats,)."""
    inside = np.zeros(len(beat_s), bool)
    for click in clicks:
        inside |= (beat_s >= click.from_s) & (beat_s <= click.to_s)
    return inside


def _even_windows(beat_s: Values) -> NDArray[np.int64]:
    """First beats of rows of ``EVEN_BEATS`` that lie evenly."""
    if len(beat_s) < EVEN_BEATS:
        return np.zeros(0, np.int64)
    rows = sliding_window_view(beat_s, EVEN_BEATS)
    place = np.arange(EVEN_BEATS) - (EVEN_BEATS - 1) / 2
    length_s = rows @ place / (place**2).sum()
    off_s = rows - rows.mean(axis=1, keepdims=True) - length_s[:, None] * place
    return np.flatnonzero(np.sqrt((off_s**2).mean(axis=1)) < EVEN_SHARE * length_s)


def _usual(lengths: Values) -> float:
    """The length that most of the time is counted in, among those, octaves apart, that most of it agrees with."""
    fold = np.log2(lengths) % 1
    bins = round(2 / SAME_LENGTH)
    time, edges = np.histogram(fold, bins, (0, 1), weights=lengths)
    wide = np.roll(time, 1) + time + np.roll(time, -1)
    middle = edges[int(wide.argmax())] + 0.5 / bins
    agreeing = lengths[np.abs((fold - middle + 0.5) % 1 - 0.5) < SAME_LENGTH]
    octave = np.round(np.log2(agreeing / agreeing.min())).astype(int)
    usual = np.sort(agreeing[octave == np.bincount(octave, agreeing).argmax()])
    return float(usual[len(usual) // 2])


def _widened(beat_s: Values, click: Click) -> Click:
    """A click as far as most of the beats before and after its even ones lie on it."""
    on = np.abs(_off_half_beats(beat_s, click.first_s, click.beat_s)) < SAME_PLACE
    first, last = (int(i) for i in np.searchsorted(beat_s, (click.from_s - NEAR_S, click.to_s + NEAR_S)))
    inside = beat_s[first - _lying_on(on[:first][::-1]) : last + _lying_on(on[last:])]
    return replace(click, from_s=float(inside[0]), to_s=float(inside[-1]))


def _apart(click: Click, others: list[Click]) -> Click:
    """A click up to where others hold."""
    from_s = max([click.from_s, *(o.to_s for o in others if o.from_s <= click.from_s <= o.to_s)])
    to_s = min([click.to_s, *(o.from_s for o in others if o.from_s <= click.to_s <= o.to_s)])
    return replace(click, from_s=from_s, to_s=max(from_s, to_s))


def _lying_on(on: NDArray[np.bool_]) -> int:
    """How many beats, one after the other, lie on a click, most of every few."""
    reach = 0
    while reach < len(on) and on[reach : reach + WIDENED_BEATS].mean() >= 1 - MOST_OTHERWISE:
        reach = min(reach + WIDENED_BEATS, len(on))
    return reach


def _click_of(beat_s: Values, windows: NDArray[np.int64], usual_s: float) -> Click | None:
    """The click of even rows whose beats are as long: over as many of them as lie on one, near enough in time."""
    moments = beat_s[np.unique((windows[:, None] + np.arange(EVEN_BEATS)).ravel())]
    parts = np.split(moments, np.flatnonzero(np.diff(moments) > LOST_S) + 1)
    moments = max(parts, key=len)
    span_s = float(moments[-1] - moments[0])
    count = int(np.ceil(2 * SAME_LENGTH * span_s / usual_s * FINENESS)) + 1
    half_hz = 2 / usual_s * np.exp(np.linspace(-SAME_LENGTH, SAME_LENGTH, count))
    turned = np.array([np.exp(2j * np.pi * hz * moments).mean() for hz in half_hz])
    best = int(np.abs(turned).argmax())
    length_s = 2 / float(half_hz[best])
    first_s = float(np.angle(turned[best]) / (2 * np.pi) * length_s / 2)
    off = _off_half_beats(moments, first_s, length_s)
    on = np.abs(off) < SAME_PLACE
    if on.mean() < 1 - MOST_OFF:
        return None
    kept = moments[on]
    halves = np.round(2 * (kept - first_s) / length_s)
    half_s, first_s = np.polyfit(halves, kept, 1).tolist()
    return Click(first_s, 2 * half_s, float(kept[0]), float(kept[-1]))


def _off_half_beats(moments: Values, first_s: float, length_s: float) -> Values:
    """How far moments lie from the nearest half beat of a click, in beats."""
    halves = 2 * (moments - first_s) / length_s
    return np.asarray((halves - np.round(halves)) / 2)


def _counted_by(activity: BeatActivity, beat_s: Values, click: Click) -> Values:
    """The row with the beats of a click where it holds, those that are likelier on the whole of its half beats."""
    inside = beat_s[(beat_s > click.from_s - NEAR_S) & (beat_s < click.to_s + NEAR_S)]
    if (np.abs(_off_half_beats(inside, click.first_s, click.beat_s)) < SAME_PLACE).mean() < 1 - MOST_LOST:
        return beat_s
    rows = [_even(click, click.first_s + half * click.beat_s) for half in (0.0, 0.5)]
    worth = [float(np.clip(odds_near(activity, row), LEAST_ODDS, MOST_ODDS).sum()) for row in rows]
    row = rows[int(np.argmax(worth))]
    row = _on_attacks(row, inside, SAME_PLACE * click.beat_s)
    before, after = (beat_s < row[0] - NEXT * click.beat_s), (beat_s > row[-1] + NEXT * click.beat_s)
    return np.concatenate([beat_s[before], row, beat_s[after]])


def _even(click: Click, first_s: float) -> Values:
    """The beats of a click over its passage, counted from a moment."""
    low = np.ceil((click.from_s - first_s) / click.beat_s - SAME_PLACE)
    high = np.floor((click.to_s - first_s) / click.beat_s + SAME_PLACE)
    return np.asarray(first_s + np.arange(low, high + 1) * click.beat_s)


def _on_attacks(row: Values, beat_s: Values, reach_s: float) -> Values:
    """Even beats moved to where a beat was tracked near by; those between them as far as their neighbours."""
    after = np.searchsorted(beat_s, row).clip(1, len(beat_s) - 1)
    nearest = np.where(row - beat_s[after - 1] < beat_s[after] - row, beat_s[after - 1], beat_s[after])
    known = np.abs(nearest - row) < reach_s
    if not known.any():
        return row
    place = np.arange(len(row))
    return np.asarray(row + np.interp(place, place[known], (nearest - row)[known]))
