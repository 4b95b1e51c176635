"""Which drums sound in each hit, and how hard: each hit weighed with all others of the loop.

The first network hears frames. Whether a bright stroke is a hat or a cymbal, a low one under a
snare a kick or the snare's own body, is a question of the whole kit: what its other hits sound
like, and where they fall. The second network attends to them (Vaswani et al. 2017).
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.found import Found
from honest_stave.core.hits.reading import DEFAULT_LEAST_CONFIDENCE
from honest_stave.core.networks.opening import constants_of, open_network

Floats = NDArray[np.float32]

# Hits weighed together, and those to either side that they see; a long take is weighed in stretches.
STRETCH_HITS, CONTEXT_HITS = 192, 48
# Gaps to the hits beside are told apart within these.
SHORTEST_GAP_S, LONGEST_GAP_S = 0.03, 2.0
# Of hits heard so surely, whose drum is doubtful, 98 in a hundred are strokes (kits in no training); with .9 the
# pumping of a compressor counts too.
SURELY_STRUCK = 0.95
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
        found.level_db / 20,
        *(np.log2(np.clip(gap[: len(found.time_s)], SHORTEST_GAP_S, LONGEST_GAP_S) / 0.2) for gap in gaps),
        found.rise,
        found.course,
    ]
    return np.column_stack(columns).astype(np.float32)


def log_odds_of(share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Log-odds of probabilities, kept finite."""
    bounded = np.clip(share, 1e-4, 1 - 1e-4)
    return np.asarray(np.log(bounded / (1 - bounded)))


def hear_drums(found: Found) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What the second network says: that each drum sounds in each hit, and its velocity, 0 to 1, (hits, drums) both.

    Args:
        found: the hits of a take, in order of time.

    Raises:
        BadInput: the network is missing or damaged.
    """
    inputs, time_s = hit_inputs(found), found.time_s.astype(np.float32)
    said = np.zeros((2, len(inputs), found.heard.shape[1]))
    network = open_network("drums")
    for first in range(0, len(inputs), STRETCH_HITS):
        stop = min(first + STRETCH_HITS, len(inputs))
        low, high = max(first - CONTEXT_HITS, 0), min(stop + CONTEXT_HITS, len(inputs))
        near_s = time_s[low:high] - time_s[low]
        heard = network.run(None, {"hits": inputs[None, low:high], "time_s": near_s[None]})[0][0]
        said[:, first:stop] = heard[:, first - low : stop - low]
    return said[0], said[1]


def loudness_measures(
    found: Found, heard: NDArray[np.float64], velocity: NDArray[np.float64], drum: int
) -> NDArray[np.float64]:
    """What tells how hard a drum was struck among its like, (hits, measures).

    Args:
        found: the hits.
        heard, velocity: what the second network says of them.
        drum: index into ``DRUMS``.
    """
    others = np.delete(heard, drum, axis=1)
    return np.column_stack(
        [found.velocity, velocity[:, drum], found.level_db / 20, found.rise, others, heard[:, drum]]
    )


def weigh(found: Found) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How sure it is that each drum sounds in each hit, 0 to 1, and its velocity, 1 to 127, both (hits, drums).

    Args:
        found: the hits of a take, in order of time.

    Raises:
        BadInput: a network is missing or damaged.
    """
    heard, velocity = hear_drums(found)
    constants = constants_of("hits")
    slope, offset = np.array(constants["odds"]).T
    sure = 1 / (1 + np.exp(-(slope * log_odds_of(heard) + offset)))
    _one_of_two(found.time_s, sure)
    _at_least_one(found, sure)
    loud = found.velocity.copy()
    for drum, weights in enumerate(constants["velocity"]):
        counted = sure[:, drum] >= DEFAULT_LEAST_CONFIDENCE
        if counted.any():
            # The middle is the first network's, the differences are measured.
            apart = loudness_measures(found, heard, velocity, drum) @ np.array(weights)
            loud[:, drum] = found.velocity[counted, drum].mean() + apart - apart[counted].mean()
    return sure, np.clip(127 * loud, 1, 127)


def _at_least_one(found: Found, sure: NDArray[np.float64]) -> None:
    """A stroke that is surely there, and alone, counts as its likeliest drum, however doubtful that is."""
    close = np.diff(found.time_s, prepend=-np.inf, append=np.inf) < SAME_STROKE_S
    alone = ~(close[:-1] | close[1:])
    undecided = sure.max(axis=1, initial=0.0) < DEFAULT_LEAST_CONFIDENCE
    unsure = np.flatnonzero((found.any >= SURELY_STRUCK) & alone & undecided)
    sure[unsure, sure[unsure].argmax(axis=1)] = DEFAULT_LEAST_CONFIDENCE


def _one_of_two(time_s: NDArray[np.float64], sure: NDArray[np.float64]) -> None:
    """Two hits too close for a hand are one stroke of each drum: that of the surer one."""
    for later in np.flatnonzero(np.diff(time_s) < SAME_STROKE_S) + 1:
        pair = sure[later - 1 : later + 1]
        both = np.flatnonzero(pair.min(axis=0) >= DEFAULT_LEAST_CONFIDENCE)
        pair[pair[:, both].argmin(axis=0), both] = 0.0
