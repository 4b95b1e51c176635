"""The sustain pedal, read where it explains the sound: notes struck apart that all end at once."""

import numpy as np
from numpy.typing import NDArray

Moments = NDArray[np.float64]
# Ends this close together are one lift of the pedal, and so many notes struck this far apart prove it.
TOGETHER_S, LEAST_NOTES, STRUCK_APART_S = 0.07, 3, 0.2
# The foot follows the hand by this much, and is up for this long between two spans.
AFTER_S = 0.05


def find_pedal(onset_s: Moments, end_s: Moments) -> tuple[tuple[float, float], ...]:
    """Spans (down s, up s) of the pedal, in order.

    Args:
        onset_s, end_s: notes that count, and the ends of their sound.
    """
    order = np.argsort(end_s, kind="stable")
    onset, end = onset_s[order], end_s[order]
    spans: list[tuple[float, float]] = []
    first = 0
    while first < len(end):
        last = int(np.searchsorted(end, end[first] + TOGETHER_S, side="right"))
        begun = onset[first:last]
        up = float(np.median(end[first:last]))
        if last - first >= LEAST_NOTES and np.ptp(begun) >= STRUCK_APART_S:
            earliest = spans[-1][1] if spans else -np.inf
            down = max(float(begun.min()), earliest) + AFTER_S
            if down < up - AFTER_S:
                spans.append((down, up))
            first = last
        else:
            first += 1
    return tuple(spans)


def held_by_pedal(onset_s: Moments, end_s: Moments, spans: tuple[tuple[float, float], ...]) -> Moments:
    """Ends (s) of notes when the pedal holds what still sounds after it went down, (notes,)."""
    held = end_s.copy()
    for down, up in spans:
        caught = (end_s > down) & (end_s < up + TOGETHER_S) & (onset_s < up - AFTER_S)
        held[caught] = up
    return held


def next_lift(onset_s: Moments, spans: tuple[tuple[float, float], ...]) -> Moments:
    """When the pedal comes up next after each onset (s), infinity where it does not, (notes,)."""
    lifts = np.array([*(up for _, up in spans), np.inf])
    return np.asarray(lifts[np.searchsorted(lifts[:-1], onset_s + AFTER_S, side="right")])
