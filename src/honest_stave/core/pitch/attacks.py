"""Attacks that a reading heard inside a long note of one pitch, doubtful ones included."""

import numpy as np

from honest_stave.core.pitch.reading import NotesReading

# Another attack of the same note is no closer than this.
APART_S = 0.09


def attacks_inside(reading: NotesReading, pitch: int, from_s: float, to_s: float) -> list[float]:
    """Moments (s) of the take at which ``pitch`` was struck again between two moments.

    Where the pitch itself was not heard to begin again, the attacks of the strokes round it count.

    Args:
        reading: what the engine heard.
        pitch: MIDI number of the long note.
        from_s, to_s: its ends in the take.
    """
    strikes = reading.strikes
    moment = strikes.onset_s + reading.starts_s
    inside = (moment > from_s + APART_S) & (moment < to_s - APART_S)
    own = inside & (strikes.pitch == pitch)
    chosen = np.flatnonzero(own if own.any() else inside & (reading.score > 0))
    found: list[float] = []
    for i in chosen[np.argsort(-strikes.onset[chosen], kind="stable")].tolist():
        if all(abs(moment[i] - other) >= APART_S for other in found):
            found.append(float(moment[i]))
    return sorted(found)
