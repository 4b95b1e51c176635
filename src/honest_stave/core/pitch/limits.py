"""What is to be expected at each doubt limit: confidences are calibrated, so they add up."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.forming import kept_strikes
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, FormSettings, NotesReading

# Limits in hundredths, 0 to 1.
LIMITS = np.arange(101) / 100
# Where much is doubtful some notes are not even candidates: so many for all that is undecided among these. By the
# tuning clips (371 of 12,888 notes); a bank kept for measuring has a fifth more of them, real instruments two thirds.
UNHEARD = 0.42
# Notes this sure are told in ink; the others are doubts, and so are those left out that may well be notes.
SURE, WORTH_WALKING = 0.8, 0.12
# No limit is proposed under this: so doubtful a take has no reading worth the name, whatever its F1.
LOWEST_PROPOSED = 0.25


@dataclass(frozen=True)
class Expected:
    """At each of ``LIMITS``: candidates that count, how many are expected wrong, and how many notes missed."""

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
        missed=below[left_out] + UNHEARD * float((ordered * (1 - ordered)).sum()),
    )


def best_limit(confidence: NDArray[np.float64]) -> float:
    """The limit at which the F1 to be expected is the best, in hundredths.

    That is half of this F1 (Lipton et al. 2014): near a half where most candidates are clear, lower
    where they are doubtful, for there a true note is missed more easily than a false one is let in.

    Args:
        confidence: of all candidates, 0 to 1.
    """
    if not len(confidence):
        return DEFAULT_LEAST_CONFIDENCE
    surest_first = np.sort(confidence)[::-1]
    both = 2 * np.cumsum(surest_first)
    expected_f1 = both / (np.arange(1, len(both) + 1) + surest_first.sum())
    return round(max(LOWEST_PROPOSED, float(expected_f1.max()) / 2), 2)


def limit_of(reading: NotesReading, form: FormSettings) -> float:
    """The limit at which the F1 to be expected of a reading is the best, as its candidates are formed by default."""
    kept, sure, *_ = kept_strikes(reading, form)
    return best_limit(sure[kept])
