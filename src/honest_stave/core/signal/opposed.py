"""Channels that oppose each other: one microphone wired the other way round, a widener turned up too far.

Their sum is next to nothing, though either alone is the recording.
"""

import numpy as np
from numpy.typing import NDArray

# Looked at: so many spots of this length, spread over the take (4 s at 44.1 kHz).
SPOTS, SPOT_FRAMES = 48, 4096
# Channels of a wide recording share little (0) or much (1); from here on their sum holds less than a quarter of what
# either holds, turned over it holds three quarters.
OPPOSED = -0.5


def opposed_channels(samples: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Which channels are the reverse of the strongest one, (channels,).

    Args:
        samples: (frames, channels), full scale 1.
    """
    starts = np.linspace(0, max(len(samples) - SPOT_FRAMES, 0), SPOTS).astype(int)
    spots = np.concatenate([samples[start : start + SPOT_FRAMES] for start in np.unique(starts)]).astype(np.float64)
    spots -= spots.mean(axis=0)
    shared = spots.T @ spots
    power = shared.diagonal()
    strongest = int(power.argmax())
    return np.asarray(shared[strongest] < OPPOSED * np.sqrt(power[strongest] * power))
