"""Running the networks for beats: where beats lie, how long they are, which of them begin bars."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.heard import Heard
from honest_stave.core.networks.opening import constants_of, open_network

Floats = NDArray[np.float32]

# Lengths of a beat that the first network tells apart, evenly in octaves.
TEMPO_CLASSES = 36
SHORTEST_LOG2, SLOWEST_LOG2 = float(np.log2(0.27)), float(np.log2(1.75))
# Felt beats of a bar, and whether each is divided in three.
METERS = ((2, False), (3, False), (4, False), (5, False), (6, False), (7, False), (2, True), (3, True), (4, True))
# Beats weighed together, and those to either side that they see.
STRETCH_BEATS, CONTEXT_BEATS = 384, 64


@dataclass(frozen=True)
class BeatActivity:
    """By cell of 23 ms.

    Args:
        beat, downbeat: log-odds that one lies here, (cells,).
        length: log share of each length of beat, (cells, ``TEMPO_CLASSES``).
    """

    beat: Floats
    downbeat: Floats
    length: Floats


def hear_beats(heard: Heard) -> BeatActivity:
    """What the first network says of a recording.

    Raises:
        BadInput: the network is missing or damaged.
    """
    out = open_network("beats").run(None, {"columns": heard.columns[None]})[0][0]
    return BeatActivity(out[:, 0], out[:, 1], _log_shares(out[:, 2:]))


def sure_of(odds: NDArray[np.float64]) -> NDArray[np.float64]:
    """How sure beats are, 0 to 1, by the curve fitted on clips with known beats.

    Args:
        odds: log-odds of beats.

    Raises:
        BadInput: the fitted constants are missing or damaged.
    """
    fitted = constants_of("beats")
    return np.asarray(1 / (1 + np.exp(-(fitted["slope"] * odds + fitted["offset"]))))


def _log_shares(logits: Floats) -> Floats:
    most = logits.max(axis=1, keepdims=True)
    return np.asarray(logits - most - np.log(np.exp(logits - most).sum(axis=1, keepdims=True)))


@dataclass(frozen=True)
class BarActivity:
    """By beat of a row.

    Args:
        downbeat: log-odds that it begins a bar, (beats,).
        meter: log share of each of ``METERS`` around it, (beats, meters).
        counted: log-odds that the music is counted as the row counts it, (beats,).
    """

    downbeat: Floats
    meter: Floats
    counted: Floats


def hear_bars(features: Floats) -> BarActivity:
    """What the second network says of a row of beats.

    Args:
        features: (beats, features), as from ``bar_features``.

    Raises:
        BadInput: the network is missing or damaged.
    """
    network = open_network("bars")
    parts = []
    for first in range(0, len(features), STRETCH_BEATS):
        low, stop = max(first - CONTEXT_BEATS, 0), min(first + STRETCH_BEATS, len(features))
        high = min(stop + CONTEXT_BEATS, len(features))
        given = {"features": features[None, low:high], "number": np.arange(low, high)[None]}
        parts.append(network.run(None, given)[0][0, first - low : stop - low])
    out = np.concatenate(parts)
    return BarActivity(out[:, 0], _log_shares(out[:, 2:]), out[:, 1])
