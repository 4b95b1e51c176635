"""How hard notes were struck: what the network says, and by how much the levels of their partials rise.

The network knows what a hard stroke sounds like, the levels tell strokes of one recording apart
more finely. Both are weighed by a linear model fitted within recordings, so that the order of
the velocities is measured and their middle is the network's.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, LOWEST_PITCH, Bands
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.layer import log_odds

Values = NDArray[np.float64]
# Semitones above a pitch at which its first partials lie.
PARTIAL_STEPS = (0, 12, 19, 24, 28, 31)
# Frames after a stroke in which it is loudest, and before it in which the rest sounds alone.
AFTER_FRAMES, BEFORE_FRAMES = range(1, 8), range(-7, -2)
# Of what sounds after a stroke at least this share is its own.
OWN_SHARE = 0.03


def loudness_inputs(strikes: Strikes, bands: Bands) -> Values:
    """Inputs of the model, (strikes, 9): rises in dB of both views, the network's velocity, the pitch."""
    columns: list[Values] = []
    for view, per_semitone in ((bands.long_db, BANDS_PER_SEMITONE), (bands.short_db, 1)):
        rises = []
        for step in PARTIAL_STEPS:
            band = per_semitone * (strikes.pitch + step - LOWEST_PITCH) + per_semitone // 2
            rises.append(_rise(view, FRAMES_PER_CELL * strikes.cell, np.minimum(band, view.shape[1] - 1)))
        columns += [10 * np.log10(r + 1e-12) for r in (np.sum(rises, axis=0), rises[0], rises[1])]
    height = strikes.pitch / 24.0
    return np.column_stack([*columns, log_odds(np.clip(strikes.velocity / 127, 0.02, 0.98)), height, height**2])


def _rise(view: NDArray[np.floating], frame: NDArray[np.int64], band: NDArray[np.int64]) -> Values:
    """Power that a stroke adds in one band, (strikes,)."""
    last = len(view) - 1

    def power(offset: int) -> Values:
        return np.asarray(10 ** (view[np.clip(frame + offset, 0, last), band].astype(np.float64) / 10))

    after = np.max([power(k) for k in AFTER_FRAMES], axis=0)
    before = np.mean([power(k) for k in BEFORE_FRAMES], axis=0)
    return np.asarray(np.maximum(after - before, OWN_SHARE * after))


def velocities(strikes: Strikes, bands: Bands, counted: NDArray[np.bool_], constants: dict[str, Any]) -> Values:
    """Velocity of every strike, 1 to 127.

    Args:
        strikes: what was found.
        bands: of the whole recording.
        counted: which count; their middle stays where the network put it.
        constants: ``weights`` of the model.
    """
    if not counted.any():
        return strikes.velocity
    inputs = loudness_inputs(strikes, bands)
    apart = (inputs - inputs[counted].mean(axis=0)) @ np.array(constants["weights"])
    return np.asarray(np.clip(strikes.velocity[counted].mean() + apart, 1, 127))
