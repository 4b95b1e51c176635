"""How far a recording is from A 440."""

import numpy as np

from honest_stave.core.pitch.track import Track

# Below this share of agreement the pitches point nowhere and nothing is corrected.
LEAST_AGREEMENT = 0.12


def measure_tuning(track: Track) -> tuple[float, float]:
    """The recording's tuning in cents from A 440 (-50 to 50), and the agreement (0 to 1).

    The circular mean of every voiced frame's distance to its semitone, stable and
    strong frames counting most.
    """
    voiced = ~np.isnan(track.pitch)
    if voiced.sum() < 8:
        return 0.0, 0.0
    pitch = track.pitch.astype(np.float64)
    slope = np.abs(np.gradient(pitch))
    steady = voiced & (slope < 0.1)
    if steady.sum() < 8:
        return 0.0, 0.0
    weight = track.strength[steady].astype(np.float64)
    vector = np.sum(weight * np.exp(2j * np.pi * pitch[steady])) / np.sum(weight)
    agreement = float(np.abs(vector))
    cents = float(np.angle(vector) / (2 * np.pi) * 100)
    return (cents if agreement >= LEAST_AGREEMENT else 0.0), agreement
