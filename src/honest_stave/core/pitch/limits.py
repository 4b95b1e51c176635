"""What is to be expected at each doubt limit: confidences are calibrated, so they add up."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# Limits in hundredths, 0 to 1.
LIMITS = np.arange(101) / 100


@dataclass(frozen=True)
class Expected:
    """At each of ``LIMITS``: candidates that count, and how many of all are expected wrong and missed."""

    counted: NDArray[np.int64]
    wrong: NDArray[np.float64]
    missed: NDArray[np.float64]


def expected(confidence: NDArray[np.float64]) -> Expected:
    """Candidates counted, wrong and missed to be expected at every limit.

    Args:
        confidence: of all candidates, 0 to 1.
    """
    ordered = np.sort(confidence)
    left_out = np.searchsorted(ordered, LIMITS - 1e-9)
    below = np.concatenate([[0.0], np.cumsum(ordered)])
    doubt_below = np.concatenate([[0.0], np.cumsum(1 - ordered)])
    return Expected(
        counted=len(ordered) - left_out,
        wrong=doubt_below[-1] - doubt_below[left_out],
        missed=below[left_out],
    )
