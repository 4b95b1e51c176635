"""The attack of a hit, to the sample: where what sounds already is no longer what sounds.

What rings before a hit is predicted from its own past, and what that cannot tell is left: under a cymbal a soft
stroke raises the level by little, but it is new. The attack is the moment that parts what is left best into two
stretches of even power (Maeda 1985; with prediction before it Sleeman and van Eck 1999), weighed against how far it
lies from where it was looked for.

A click, the cut end of a sample or an edit is as sharp as a stroke, but after some samples nothing is new.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.hearing import RATE
from honest_stave.core.hits.stretches import BLOCK_HITS, cut_out

Floats = NDArray[np.float32]
Values = NDArray[np.float64]

# The attack is looked for this far to either side of where it is said to be.
REACH_S = 0.012
# How far it usually lies from there, and how often it lies anywhere within reach (loops of ours: 1.1 ms in the
# middle half, 3.6 ms in one of twenty).
USUAL_S, ANYWHERE = 0.0018, 0.03
# Sound that prediction is learnt from, and how many samples it looks back: short enough to follow a ringing drum.
LEARNT_S, PREDICTED_FROM = (-0.08, -0.012), 32
# Power that no drum brings, beside that of the stretch: prediction shall not rely on what is 50 dB under it.
LEAST_POWER, LEAST_OWN = 1e-6, 1e-5
# What is parted in two.
PARTED_S = (-0.018, 0.013)
# What is left of the stretch tells how loud it is (three quarters lie under this: more than half may be silence), and
# nothing counts as more than so many times that: a click is a few samples, a stroke many.
LOUDNESS_S, LOUDNESS_QUANTILE, MOST_TIMES = (-0.012, 0.025), 0.75, 3.0
# Under this share of the power of the stretch nothing is heard to begin yet.
HEARD_SHARE = 0.01
# Not new is what lies so far under the sound itself: what is left of an offset where a sample was cut off.
LEAST_NEW = 1e-5
# Two drums that are one hit: the first begins so long before the second, so much louder than what went before, with
# so much evidence; a kick is little beside the hat after it, so that less of the power is nothing.
FIRST_APART_S, FIRST_LOUDER, FIRST_EVIDENCE, FIRST_UNHEARD = 0.0008, 4.0, 5.0, 0.3
# Samples of a drum are not independent of each other: the evidence of so many counts as one.
ALIKE_SAMPLES = 10
# A click is looked for this near. It stands far over all but a few samples, and after it neither what is new nor what
# sounds is more than it was: of 46 clicks 43 are so, of 26,600 strokes 67, spikes with next to nothing after them.
CLICK_NEAR_S, CLICK_SAMPLES, CLICK_DB = 0.008, 40, 17.0
BESIDE_S, NEW_UNTIL_S, NEW_LEFT_DB, SOUND_UNTIL_S, SOUND_LEFT_DB = 0.001, 0.007, 1.0, 0.004, 1.5
# Samples before the place looked at, of the stretch in which prediction is of use.
MIDDLE = round(-PARTED_S[0] * RATE)
# How sure a place is: four of five attacks lie no further off than said (of loops of kits in no training so many do),
# but when a sound begins is a matter of taste within this: by so much practice loops differ from others.
PLACED_SHARE, PLACED_WIDER, LEAST_WITHIN_S = 0.8, 1.4, 0.0007
# Spreads that are tried: one in ten apart.
SPREADS_TRIED = 60


@dataclass(frozen=True)
class Attacks:
    """Attacks of hits, (hits,) each.

    Args:
        time_s: where what is new begins.
        within_s: so far to either side four of five such places are off.
        is_click: all that is new is a click.
    """

    time_s: Values
    within_s: Values
    is_click: NDArray[np.bool_]


def refine_attacks(mono: Floats, time_s: Values) -> Attacks:
    """Attacks near moments, to the sample.

    Args:
        mono: at ``RATE``.
        time_s: rough moments, in order.
    """
    places = np.round(time_s * RATE).astype(int)
    found, within, clicks = [np.zeros(0)], [np.zeros(0)], [np.zeros(0, bool)]
    before, end = -_samples(LEARNT_S[0]), _samples(LOUDNESS_S[1])
    for first in range(0, len(places), BLOCK_HITS):
        block = places[first : first + BLOCK_HITS]
        sound = cut_out(mono, block - before, before + end).astype(np.float64)
        sound -= sound[:, : _samples(LEARNT_S[1] - LEARNT_S[0])].mean(axis=1, keepdims=True)
        left = _unpredicted(sound)
        power = np.square(sound[:, before - MIDDLE :])
        least = LEAST_NEW * power.mean(axis=1, keepdims=True) + 1e-12
        energy = np.cumsum(_unclicked(left) ** 2 + least, axis=1)
        begins, off = _begins(energy)
        found.append(np.maximum(block + begins, 0.0))
        within.append(np.maximum(PLACED_WIDER * off / RATE, LEAST_WITHIN_S))
        clicks.append(_is_click(left, energy, np.cumsum(power + 1e-12, axis=1)))
    return Attacks(np.concatenate(found) / RATE, np.concatenate(within), np.concatenate(clicks))


def _samples(seconds: float) -> int:
    return round(seconds * RATE)


def _unpredicted(sound: Values) -> Values:
    """What linear prediction from what sounded before leaves about the middle of each stretch, as magnitudes."""
    learnt = sound[:, : _samples(LEARNT_S[1] - LEARNT_S[0])]
    taper = np.hanning(learnt.shape[1])
    size = 1 << (len(taper) + PREDICTED_FROM).bit_length()
    alike = np.fft.irfft(np.abs(np.fft.rfft(learnt * taper, size)) ** 2, size)[:, : PREDICTED_FROM + 1]
    power = np.square(sound).mean(axis=1) * np.square(taper).sum()
    alike[:, 0] += LEAST_OWN * alike[:, 0] + LEAST_POWER * power + 1e-12
    lags = np.arange(PREDICTED_FROM)
    weights = np.linalg.solve(alike[:, np.abs(lags[:, None] - lags)], alike[:, 1:, None])[:, :, 0]
    first = _samples(-LEARNT_S[0]) - MIDDLE
    left = sound[:, first:].copy()
    for lag in range(1, PREDICTED_FROM + 1):
        left -= weights[:, lag - 1, None] * sound[:, first - lag : -lag]
    return np.abs(left)


def _unclicked(left: Values) -> Values:
    """What is left, nothing of it far over what the stretch mostly holds."""
    stretch = left[:, MIDDLE + _samples(LOUDNESS_S[0]) :]
    place = round(LOUDNESS_QUANTILE * (stretch.shape[1] - 1))
    return np.minimum(left, MOST_TIMES * np.partition(stretch, place, axis=1)[:, place, None])


def _begins(energy: Values) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """By how many samples after the middle what is new begins, and within how many more or fewer, (hits,)."""
    loud, last = MIDDLE + _samples(LOUDNESS_S[0]), MIDDLE + _samples(PARTED_S[1])
    unheard = HEARD_SHARE * (energy[:, -1:] - energy[:, [loud]]) / (energy.shape[1] - loud)
    reach = _samples(REACH_S)
    offsets = np.arange(-reach, reach + 1)
    evidence, _ = _parted(energy, unheard, MIDDLE + offsets - 1, np.full((len(energy), 1), last))
    away = offsets / (USUAL_S * RATE)
    usual = (1 - ANYWHERE) * np.exp(-(away**2) / 2) / (np.sqrt(2 * np.pi) * USUAL_S) + ANYWHERE / (2 * REACH_S)
    likely = evidence + np.log(usual)
    best = offsets[likely.argmax(axis=1)][:, None]
    # What comes before it may part once more: of two drums that are one hit the first begins it.
    evidence, louder = _parted(energy, FIRST_UNHEARD * unheard, MIDDLE + offsets - 1, MIDDLE + best - 1)
    evidence[(louder < FIRST_LOUDER) | (offsets > best - _samples(FIRST_APART_S))] = 0.0
    likely = np.where(evidence.max(axis=1, keepdims=True) > FIRST_EVIDENCE, evidence, likely)
    place = likely.argmax(axis=1)
    return offsets[place], _spread(likely, place)


def _spread(likely: Values, place: NDArray[np.int64]) -> NDArray[np.int64]:
    """So many samples to either side of ``place`` hold ``PLACED_SHARE`` of what is likely, (hits,)."""
    chance = np.exp(likely - likely.max(axis=1, keepdims=True))
    up_to = np.pad(np.cumsum(chance, axis=1), ((0, 0), (1, 0))) / chance.sum(axis=1, keepdims=True)
    last, row = likely.shape[1], np.arange(len(likely))
    off = np.full(len(likely), last)
    for reach in np.unique(np.geomspace(1, last, SPREADS_TRIED).astype(int))[::-1].tolist():
        held = up_to[row, np.minimum(place + reach + 1, last)] - up_to[row, np.maximum(place - reach, 0)]
        off[held >= PLACED_SHARE] = reach
    return off


def _parted(
    energy: Values, unheard: Values, parting: NDArray[np.int64], last: NDArray[np.int64]
) -> tuple[Values, Values]:
    """How much better two even powers than one describe what is new up to ``last`` (hits, 1), and their ratio."""
    earlier, later = parting, np.maximum(last - parting, 1)
    at, end = energy[:, parting] - energy[:, [0]], np.take_along_axis(energy, last, axis=1) - energy[:, [0]]
    before, after, whole = at / earlier + unheard, np.maximum(end - at, 0) / later + unheard, end / last + unheard
    better = last * np.log(whole) - earlier * np.log(before) - later * np.log(after)
    return better / (2 * ALIKE_SAMPLES), after / before


def _is_click(left: Values, energy: Values, sounding: Values) -> NDArray[np.bool_]:
    """Whether all that is new near the middle is a click, (hits,).

    Args:
        left: what prediction leaves, (hits, samples).
        energy: of what is new, summed.
        sounding: energy of the sound itself, summed.
    """
    near = slice(MIDDLE - _samples(CLICK_NEAR_S), MIDDLE + _samples(CLICK_NEAR_S))
    ordered = np.partition(left[:, near], [-CLICK_SAMPLES, -1], axis=1) + 1e-9
    is_sharp = 20 * np.log10(ordered[:, -1] / ordered[:, -CLICK_SAMPLES]) > CLICK_DB
    loudest, row = near.start + left[:, near].argmax(axis=1), np.arange(len(left))

    def risen_db(sums: Values, until_s: float) -> Values:
        """Mean power from a millisecond after the loudest sample on over that of the time before it."""
        soon, late, long = _samples(BESIDE_S), _samples(until_s), _samples(NEW_UNTIL_S)
        before = (sums[row, loudest - soon] - sums[row, loudest - long]) / (long - soon)
        after = (sums[row, loudest + late] - sums[row, loudest + soon]) / (late - soon)
        return np.asarray(10 * np.log10(after / before))

    leaves_nothing = risen_db(energy, NEW_UNTIL_S) < NEW_LEFT_DB
    return np.asarray(is_sharp & leaves_nothing & (risen_db(sounding, SOUND_UNTIL_S) < SOUND_LEFT_DB))
