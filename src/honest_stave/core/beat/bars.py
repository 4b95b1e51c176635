"""Bars over beats: where they begin and in which meter, by what the second network says of each beat.

A search over meters and places in the bar (Viterbi) weighs downbeats against each other; a change
of meter, a bar cut short and a beginning inside a bar cost something each.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beats_hearing import METERS

Values = NDArray[np.float64]

# Costs in log-odds: another meter, a bar that is cut short, a beginning inside a bar.
CHANGE_COST, CUT_COST, INSIDE_COST = 9.0, 6.0, 0.7
# What is made to a click is made in bars: another meter and a cut bar cost this much there. Of 112 recordings whose
# bars are known F1 of downbeats is .867 without, .883 with 30, .893 with 60, .899 with 100. There are more chances to
# be wrong the longer it is: a click of so many beats costs the whole of it.
CLICK_COST, LONG_CLICK_BEATS = 60.0, 240
# What a meter of five, six or seven, or a compound one of three or four, costs once: music is seldom in it, and a bar
# as long as that explains a few beats by saying nothing of them. Of 265 crops of 3 to 8 s of the practice recordings
# 234 have their meter right so, 222 without.
RARE_COST, RARE_METERS = 6.0, ((5, False), (6, False), (7, False), (3, True), (4, True))
# Two beats of four are easily called a bar: a bar of two costs so much a beat. With .5 to 1.5 none of 180 clips held
# out changes, six of whose meters are of two; with 2 one is lost.
TWO, TWO_COST = (2, False), 1.0
METER_WEIGHT = 0.5
MOST_ODDS = 5.0


@dataclass(frozen=True)
class Bars:
    """Place of each beat in its bar, (beats,).

    Args:
        bar: number of the bar, 1 for the first full one, 0 for a pickup.
        beat: place in the bar from 1.
        length: beats of the bar in which it lies.
        compound: whether a beat is a dotted note.
        confidence: how sure its place in the bar is, 0 to 1.
        meter_share: how likely each of ``METERS`` is for the whole, (meters,).
        shift_share: how likely the bars begin 0, 1, 2… beats later, (beats of a bar,).
    """

    bar: NDArray[np.int64]
    beat: NDArray[np.int64]
    length: NDArray[np.int64]
    compound: NDArray[np.bool_]
    confidence: Values
    meter_share: Values
    shift_share: Values


def find_bars(odds: Values, meter_log_share: Values, clicked: NDArray[np.bool_] | None = None) -> Bars:
    """Bars of a row of beats.

    Args:
        odds: log-odds of each beat to be a downbeat, (beats,), at least one.
        meter_log_share: log share of each meter around each beat, (beats, meters).
        clicked: whether each beat is one of a click, (beats,); none is, where not given.
    """
    clicked = np.zeros(len(odds), bool) if clicked is None else clicked
    click_cost = clicked * CLICK_COST * min(1.0, clicked.sum() / LONG_CLICK_BEATS)
    change_cost, cut_cost = np.maximum(click_cost, CHANGE_COST), np.maximum(click_cost, CUT_COST)
    odds = np.clip(odds, -MOST_ODDS, MOST_ODDS)
    on, off = -np.logaddexp(0, -odds), -np.logaddexp(0, odds)
    states = [(m, place) for m, (beats, _) in enumerate(METERS) for place in range(beats)]
    meters, places = np.array([m for m, _ in states]), np.array([p for _, p in states])
    lengths = np.array([METERS[m][0] for m, _ in states])
    first_of = {m: i for i, (m, place) in enumerate(states) if place == 0}
    firsts = np.array([first_of[m] for m in range(len(METERS))])
    lasts = firsts + np.array([beats - 1 for beats, _ in METERS])
    emit = np.where(places == 0, on[:, None], off[:, None]) + METER_WEIGHT * meter_log_share[:, meters]
    emit[:, meters == METERS.index(TWO)] -= TWO_COST
    rare = np.array([meter in RARE_METERS for meter in METERS])[meters]
    total = emit[0] - INSIDE_COST * (places > 0) - RARE_COST * rare
    came = np.zeros((len(odds), len(states)), int)
    came[0] = -1
    before = np.where(places > 0, np.arange(len(states)) - 1, lasts[meters])
    for i in range(1, len(odds)):
        source, value = before.copy(), total[before]
        best_end = int(lasts[total[lasts].argmax()])
        changed = total[best_end] - change_cost[i]
        for m, start in enumerate(firsts.tolist()):
            inside = total[start : start + METERS[m][0]]
            cut = int(inside.argmax()) + start
            if total[cut] - cut_cost[i] > value[start]:
                source[start], value[start] = cut, total[cut] - cut_cost[i]
            if changed > value[start]:
                source[start], value[start] = best_end, changed
        total, came[i] = value + emit[i], source
    path = np.zeros(len(odds), int)
    path[-1] = int(total.argmax())
    for i in range(len(odds) - 1, 0, -1):
        path[i - 1] = came[i, path[i]]
    return _bars(path, meters, places, lengths, on, off, meter_log_share)


def _bars(
    path: NDArray[np.int64],
    meters: NDArray[np.int64],
    places: NDArray[np.int64],
    lengths: NDArray[np.int64],
    on: Values,
    off: Values,
    meter_log_share: Values,
) -> Bars:
    place, length, meter = places[path], lengths[path], meters[path]
    usual = int(np.bincount(meter).argmax())
    beats = METERS[usual][0]
    shifts = np.zeros(beats)
    steps = np.arange(len(path))
    for by in range(beats):
        moved = (place - by) % length == 0
        shifts[by] = np.where(moved, on, off).sum()
    # A row of beats is worth less than as many independent ones: neighbours say the same.
    shares = np.exp((shifts - shifts.max()) / max(1.0, len(steps) / 16))
    mean = meter_log_share.mean(axis=0)
    likely = np.exp(mean - mean.max())
    own = 1 / (1 + np.exp(-(on - off)))
    said = np.where(place == 0, own, 1 - own)
    shares /= shares.sum()
    return Bars(
        bar=np.cumsum(place == 0),
        beat=place + 1,
        length=length,
        compound=np.array([c for _, c in METERS])[meter],
        confidence=0.5 * said + 0.5 * shares[0],
        meter_share=likely / likely.sum(),
        shift_share=shares,
    )
