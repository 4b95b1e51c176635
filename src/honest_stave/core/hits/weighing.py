"""Which drums sound in each hit, and how hard: each hit weighed with all others of the loop.

The first network hears frames. Whether a bright stroke is a hat or a cymbal, a low one under a
snare a kick or the snare's own body, is a question of the whole kit: what its other hits sound
like, and where they fall. The second network attends to them (Vaswani et al. 2017).
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.found import Found
from honest_stave.core.networks.opening import open_network

Floats = NDArray[np.float32]

# Hits weighed together, and those to either side that they see; a long take is weighed in stretches.
STRETCH_HITS, CONTEXT_HITS = 192, 48
# Gaps to the hits beside are told apart within these.
SHORTEST_GAP_S, LONGEST_GAP_S = 0.03, 2.0


def hit_inputs(found: Found) -> Floats:
    """What the second network sees of each hit, (hits, measures)."""
    gap_s = np.diff(found.time_s)
    gaps = [np.append(LONGEST_GAP_S, gap_s), np.append(gap_s, LONGEST_GAP_S)]
    columns = [
        _odds(found.heard),
        _odds(found.any),
        found.velocity,
        found.level_db / 20,
        *(np.log2(np.clip(gap[: len(found.time_s)], SHORTEST_GAP_S, LONGEST_GAP_S) / 0.2) for gap in gaps),
        found.rise,
        found.course,
    ]
    return np.column_stack(columns).astype(np.float32)


def _odds(share: NDArray[np.float64]) -> NDArray[np.float64]:
    bounded = np.clip(share, 1e-4, 1 - 1e-4)
    return np.asarray(np.log(bounded / (1 - bounded)))


def weigh(found: Found) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How sure it is that each drum sounds in each hit, and its velocity, 0 to 1, both (hits, drums).

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
