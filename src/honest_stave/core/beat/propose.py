"""Tempo proposed from a line's onsets, with its runner-up, half and double.

Each tempo of a range is tried as a comb: how well the onsets lie on its sixteenths,
weighted by velocity, against what chance would give, with a gentle preference for
moderate tempos (after Parncutt 1994).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LOWEST_BPM, HIGHEST_BPM = 50.0, 210.0
# Preferred tempo and the width of the preference in octaves.
PREFERRED_BPM, PREFERENCE_OCTAVES = 110.0, 0.9
FEWEST_ONSETS = 4
# Proposals closer than this share are one.
SAME_TEMPO = 0.03


@dataclass(frozen=True)
class TempoProposal:
    """A tempo (quarter notes a minute), the moment of a beat (s), and its share of belief."""

    bpm: float
    downbeat_s: float
    share: float


def _fit(
    onset_s: NDArray[np.float64], weight: NDArray[np.float64], periods_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Resultant length and phase (s) of the onsets on combs of each period."""
    vectors = (weight * np.exp(2j * np.pi * onset_s[None, :] / periods_s[:, None])).sum(axis=1) / weight.sum()
    return np.abs(vectors), np.mod(np.angle(vectors) / (2 * np.pi), 1.0) * periods_s


def propose_tempos(
    onset_s: NDArray[np.float64], velocity: NDArray[np.float64], *, most: int = 4
) -> tuple[TempoProposal, ...]:
    """Tempos for a line, likeliest first.

    Args:
        onset_s: (notes,) moments in order.
        velocity: (notes,) 1 to 127.
        most: how many proposals at most.

    Returns:
        None for fewer than four notes.
    """
    if len(onset_s) < FEWEST_ONSETS:
        return ()
    # Steps small enough that the last onset moves by under a tenth of a sixteenth.
    span_s = max(float(onset_s[-1] - onset_s[0]), 1.0)
    steps = int(np.clip(span_s * 60, 600, 8000))
    bpm = LOWEST_BPM * (HIGHEST_BPM / LOWEST_BPM) ** (np.arange(steps) / (steps - 1))
    beat_s = 60.0 / bpm
    weight = np.asarray(velocity, float)
    score = np.zeros(steps)
    for parts, worth in ((1, 0.35), (2, 0.35), (4, 0.3)):
        score += worth * _fit(onset_s, weight, beat_s / parts)[0]
    octaves = np.log2(bpm / PREFERRED_BPM) / PREFERENCE_OCTAVES
    belief = score * np.exp(-0.5 * octaves**2)
    chosen: list[int] = []
    for i in np.argsort(-belief):
        if all(abs(bpm[i] / bpm[j] - 1) > SAME_TEMPO for j in chosen):
            chosen.append(int(i))
        if len(chosen) == most:
            break
    sharp = np.exp(12 * (belief[chosen] - belief[chosen[0]]))
    sharp /= sharp.sum()
    found = []
    for i, share in zip(chosen, sharp, strict=True):
        phase = float(_fit(onset_s, weight, beat_s[i : i + 1])[1][0])
        first = phase + beat_s[i] * np.round((onset_s[0] - phase) / beat_s[i])
        found.append(TempoProposal(_tidy(float(bpm[i])), float(max(first, 0.0)), float(share)))
    return tuple(found)


def _tidy(bpm: float) -> float:
    """Whole tempos where the measured one is within a tenth of them: few are played otherwise."""
    return float(round(bpm)) if abs(bpm - round(bpm)) < 0.1 else round(bpm, 2)


def tempo_of_taps(tap_s: NDArray[np.float64]) -> float | None:
    """Tempo of taps in seconds: the robust slope through them; None for fewer than three."""
    if len(tap_s) < 3:
        return None
    gaps = np.diff(tap_s)
    usual = gaps[np.abs(gaps - np.median(gaps)) < 0.35 * np.median(gaps)]
    return float(60.0 / usual.mean()) if len(usual) and usual.mean() > 0 else None
