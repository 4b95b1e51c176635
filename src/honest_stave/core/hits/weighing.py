"""Which drums sound in each hit, and how hard: each hit weighed with all others of the loop.

The first network hears frames. Whether a bright stroke is a hat or a cymbal, a low one under a
snare a kick or the snare's own body, is a question of the whole kit: what its other hits sound
like, and where they fall. The second network attends to them (Vaswani et al. 2017).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.drum_powers import drum_powers
from honest_stave.core.hits.found import Found
from honest_stave.core.hits.reading import DEFAULT_LEAST_CONFIDENCE
from honest_stave.core.networks.opening import constants_of, open_network

Floats = NDArray[np.float32]

# What the first network says of a drum counts as one of four: the second is the mean of three.
FIRST_COUNTS = 0.25
# Hits weighed together, and those to either side that they see; a long take is weighed in stretches.
STRETCH_HITS, CONTEXT_HITS = 192, 48
# Gaps to the hits beside are told apart within these.
SHORTEST_GAP_S, LONGEST_GAP_S = 0.03, 2.0
# A hit that is rather a stroke than not counts, though its drum be doubtful.
RATHER_STRUCK = 0.5
# Strokes that speak most for a drum, and log-odds beyond which nothing is surer.
SUREST_STROKES, MOST_ODDS = 3, 30.0
# Fewer hits than this say nothing of a loop.
FEWEST_HITS = 4
# A drum's power in a hit lies within so many tens of decibels of its usual one; more is another drum's.
FARTHEST_POWER = 1.2
# Where powers are told apart, a drum that is hardly heard has none of a hit, and one that is nearly sure all it can.
SHARPENED = 1.2
# A drum is another's shadow where it counts in so many hits and more, is nowhere surer than this, and in so large a
# share of its hits the other counts too; it is doubted by so much. Of 113 such strokes, in 410 loops, 17 were right:
# as many as are then said to be.
FEWEST_SHADOWS, SUREST_SHADOW, SHADOWED_SHARE, SHADOW_LOG_ODDS = 4, 0.65, 0.9, 2.0
# The strokes of a flam lie at least this far apart.
SAME_STROKE_S = 0.024


def hit_inputs(found: Found) -> Floats:
    """What the second network sees of each hit, (hits, measures)."""
    gap_s = np.diff(found.time_s)
    gaps = [np.append(LONGEST_GAP_S, gap_s), np.append(gap_s, LONGEST_GAP_S)]
    columns = [
        log_odds_of(found.heard),
        log_odds_of(found.any),
        found.velocity,
        drum_powers(found.rise, found.heard),
        found.level_db / 20,
        *(np.log2(np.clip(gap[: len(found.time_s)], SHORTEST_GAP_S, LONGEST_GAP_S) / 0.2) for gap in gaps),
        found.rise,
    ]
    return np.column_stack(columns).astype(np.float32)


def log_odds_of(share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Log-odds of probabilities, kept finite."""
    bounded = np.clip(share, 1e-4, 1 - 1e-4)
    return np.asarray(np.log(bounded / (1 - bounded)))


@dataclass(frozen=True)
class DrumsHeard:
    """What is said of each hit.

    Args:
        drum: how sure both networks are that each drum sounds, 0 to 1, (hits, drums).
        velocity: of each drum, 0 to 1, (hits, drums).
        struck: how sure it is that anything is struck, 0 to 1, (hits,).
    """

    drum: NDArray[np.float64]
    velocity: NDArray[np.float64]
    struck: NDArray[np.float64]


def hear_drums(found: Found) -> DrumsHeard:
    """What the second network says of the hits of a take, with what the first has heard.

    Args:
        found: the hits of a take, in order of time.

    Raises:
        BadInput: the network is missing or damaged.
    """
    inputs, time_s = hit_inputs(found), found.time_s.astype(np.float32)
    said, struck = np.zeros((2, len(inputs), found.heard.shape[1])), np.zeros(len(inputs))
    network = open_network("drums")
    for first in range(0, len(inputs), STRETCH_HITS):
        stop = min(first + STRETCH_HITS, len(inputs))
        low, high = max(first - CONTEXT_HITS, 0), min(stop + CONTEXT_HITS, len(inputs))
        near_s = time_s[low:high] - time_s[low]
        levels = found.around[None, low:high].astype(np.float32)
        given = {"hits": inputs[None, low:high], "levels": levels, "time_s": near_s[None]}
        shares, hits = network.run(None, given)
        said[:, first:stop] = shares[0][:, first - low : stop - low]
        struck[first:stop] = hits[0][first - low : stop - low]
    both = (1 - FIRST_COUNTS) * log_odds_of(said[0]) + FIRST_COUNTS * log_odds_of(found.heard)
    return DrumsHeard(1 / (1 + np.exp(-both)), said[1], struck)


def surely(share: NDArray[np.float64], slope: float, offset: float = 0.0) -> NDArray[np.float64]:
    """Probabilities made true by a slope and an offset of their log-odds (Platt 1999).

    Args:
        share: 0 to 1, (hits, ...).
        slope, offset: of all of them alike.
    """
    return np.asarray(1 / (1 + np.exp(-(slope * log_odds_of(share) + offset))))


def lane_measures(sure: NDArray[np.float64]) -> NDArray[np.float64]:
    """What tells whether a loop has a drum at all: its surest strokes, how many and how sure, (drums, measures).

    Args:
        sure: how sure each drum is in each hit, (hits, drums), at least one hit.
    """
    counted = sure >= DEFAULT_LEAST_CONFIDENCE
    count = counted.sum(axis=0)
    surest = np.sort(sure, axis=0)[::-1]
    columns = [
        log_odds_of(surest[0]),
        log_odds_of(surest[:SUREST_STROKES].mean(axis=0)),
        np.log(sure.sum(axis=0) + 0.1),
        log_odds_of((sure * counted).sum(axis=0) / np.maximum(count, 1)),
        np.log1p(count),
        np.full(sure.shape[1], np.log(len(sure))),
    ]
    return np.column_stack(columns)


def lanes_there(sure: NDArray[np.float64], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    """How likely a loop has each drum at all, 0 to 1, (drums,).

    Args:
        sure: as for ``lane_measures``.
        weights: of the measures, and an offset, the same for every drum, (measures + 1,).
    """
    odds = lane_measures(sure) @ weights[:-1] + weights[-1]
    return np.asarray(1 / (1 + np.exp(-np.clip(odds, -MOST_ODDS, MOST_ODDS))))


def powers_apart(found: Found, sure: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of each drum in each hit against its usual one, once it is known how sure each is, (hits, drums)."""
    powers = drum_powers(found.rise, np.clip(0.5 + SHARPENED * (sure - 0.5), 0.0, 1.0))
    counted = sure >= DEFAULT_LEAST_CONFIDENCE
    for drum in np.flatnonzero(counted.any(axis=0)):
        powers[:, drum] -= np.median(powers[counted[:, drum], drum])
    return np.clip(powers, -FARTHEST_POWER, FARTHEST_POWER)


def loudness_measures(found: Found, heard: DrumsHeard, powers: NDArray[np.float64], drum: int) -> NDArray[np.float64]:
    """What tells how hard a drum was struck among its like, (hits, measures).

    Args:
        found: the hits.
        heard: what the second network says of them.
        powers: of each drum in each hit.
        drum: index into ``DRUMS``.
    """
    return np.column_stack(
        [found.velocity, heard.velocity[:, drum], found.level_db / 20, found.rise, heard.drum, powers[:, drum]]
    )


def weigh(found: Found) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How sure it is that each drum sounds in each hit, 0 to 1, and its velocity, 1 to 127, both (hits, drums).

    Args:
        found: the hits of a take, in order of time.

    Raises:
        BadInput: a network is missing or damaged.
    """
    heard = hear_drums(found)
    constants = constants_of("hits")
    sure = surely(heard.drum, constants["odds"])
    struck = surely(heard.struck, *constants["struck"])
    _one_of_two(found.time_s, sure)
    there = np.ones(sure.shape[1])
    if len(sure) >= FEWEST_HITS:
        there = lanes_there(sure, np.array(constants["there"]))
    # No stroke of a drum is surer than that the loop has the drum.
    sure = np.minimum(sure, there)
    _at_least_one(found.time_s, struck, there, sure)
    sure = doubt_shadows(sure)
    loud, powers = found.velocity.copy(), powers_apart(found, sure)
    for drum, weights in enumerate(constants["velocity"]):
        counted = sure[:, drum] >= DEFAULT_LEAST_CONFIDENCE
        if counted.any():
            # The middle is the first network's, the differences are measured.
            apart = loudness_measures(found, heard, powers, drum) @ np.array(weights)
            loud[:, drum] = found.velocity[counted, drum].mean() + apart - apart[counted].mean()
    return sure, np.clip(127 * loud, 1, 127)


def doubt_shadows(sure: NDArray[np.float64]) -> NDArray[np.float64]:
    """How sure each drum is, (hits, drums), where one that is heard only with another is doubted: it is that one.

    Drums that a player strikes together strike alone too, or are heard clearly.

    Args:
        sure: as the hits are weighed, (hits, drums).
    """
    counted = sure >= DEFAULT_LEAST_CONFIDENCE
    told = sure.copy()
    for drum in np.flatnonzero(
        (counted.sum(axis=0) >= FEWEST_SHADOWS) & (sure.max(axis=0, initial=0.0) < SUREST_SHADOW)
    ):
        own = counted[:, drum]
        for other in np.flatnonzero((counted & own[:, None]).sum(axis=0) >= SHADOWED_SHARE * own.sum()):
            both = own & counted[:, other]
            if other != drum and sure[both, other].mean() > sure[both, drum].mean():
                beside = counted[:, other]
                told[beside, drum] = surely(sure[beside, drum], 1.0, -SHADOW_LOG_ODDS)
                break
    return told


def _at_least_one(
    time_s: NDArray[np.float64], struck: NDArray[np.float64], there: NDArray[np.float64], sure: NDArray[np.float64]
) -> None:
    """A stroke that is there, and alone, counts as its likeliest drum of those the loop has, however doubtful."""
    close = np.diff(time_s, prepend=-np.inf, append=np.inf) < SAME_STROKE_S
    alone = ~(close[:-1] | close[1:])
    undecided = sure.max(axis=1, initial=0.0) < DEFAULT_LEAST_CONFIDENCE
    unsure = np.flatnonzero((struck >= RATHER_STRUCK) & alone & undecided)
    likeliest = (sure[unsure] + (there >= DEFAULT_LEAST_CONFIDENCE)).argmax(axis=1)
    sure[unsure, likeliest] = DEFAULT_LEAST_CONFIDENCE


def _one_of_two(time_s: NDArray[np.float64], sure: NDArray[np.float64]) -> None:
    """Two hits too close for a hand are one stroke of each drum: that of the surer one."""
    for later in np.flatnonzero(np.diff(time_s) < SAME_STROKE_S) + 1:
        pair = sure[later - 1 : later + 1]
        both = np.flatnonzero(pair.min(axis=0) >= DEFAULT_LEAST_CONFIDENCE)
        pair[pair[:, both].argmin(axis=0), both] = 0.0
