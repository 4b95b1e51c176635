"""A layer of tanh units over measures: what is weighed after the networks."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


def log_odds(share: Values) -> Values:
    """Log-odds of a probability, kept finite."""
    bounded = np.clip(share, 0.005, 0.995)
    return np.asarray(np.log(bounded / (1 - bounded)))


def score_of(measured: Values, constants: dict[str, Any]) -> Values:
    """Log-odds (rows,) of being right: one layer of tanh over the measures.

    Args:
        measured: (rows, measures).
        constants: mean and spread (measures,), inner (measures, units), inner_offset and outer (units,), offset.
    """
    scaled = (measured - np.array(constants["mean"])) / np.array(constants["spread"])
    inner = np.tanh(scaled @ np.array(constants["inner"]) + np.array(constants["inner_offset"]))
    return np.asarray(inner @ np.array(constants["outer"]) + constants["offset"])
