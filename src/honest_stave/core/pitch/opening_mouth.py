"""A voice that opens from a consonant into its vowel goes on: it strikes no new note.

Of m, n, l or v the mouth lets little more than the fundamental out; as it opens the upper partials
come in by 10 dB and more while the pitch stays. What is struck again begins as bright as before.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import LOWEST_PITCH, SEMITONES, Bands
from honest_stave.core.pitch.pitch_line import HOP_S
from honest_stave.core.pitch.strikes import Strikes

Values = NDArray[np.float64]
# A consonant is no longer than this, and what sounds in it does not fall by more before the vowel.
LONGEST_CLOSED_S, MOST_DIP_DB = 0.25, 9.0
# From its beginning to that of the vowel the upper partials rise by so much, and by so much more than the lower ones.
# Of 1,092 notes of instruments that are struck again two do; of 71 notes that no sung syllable had 26 go.
LEAST_OPENED_DB, LEAST_BRIGHTER_DB = 10.0, 5.0
# A consonant may be doubted as a note of its own: it is no less sure than this.
LEAST_LOG_ODDS = -1.0
# Partials, in semitones over the pitch: the first two, and the fourth to the twelfth.
LOWER, UPPER = (0, 12), (24, 28, 31, 34, 36, 38, 40, 42, 43)
# Spans (s) about the beginning of a vowel in which it is open, loud, in which what was before it was loud, and fell.
OPEN_S, LOUD_S, BEFORE_S, FALLEN_S = (0.01, 0.08), (0.0, 0.12), (-0.2, -0.03), (-0.06, 0.03)
# A consonant begins for so long, and is as loud as it gets after so long.
BEGINS_S, RISEN_S = 0.08, 0.03
QUIETEST_POWER = 1e-12


def without_openings(
    strikes: Strikes, score: Values, passage: NDArray[np.int64], bands: Bands
) -> tuple[Strikes, Values]:
    """Strikes of one voice and their log-odds: a vowel after its own voiced consonant is none, the note begins there.

    Args:
        strikes: in order of time within their passages.
        score: log-odds of being a note.
        passage: of each strike.
        bands: of the whole recording.
    """
    told, velocity = score.copy(), strikes.velocity.copy()
    begins: dict[int, int] = {}
    before = 0
    for here in np.flatnonzero(score > 0).tolist():
        near = np.arange(before, here)
        near = near[(strikes.pitch[near] == strikes.pitch[here]) & (passage[near] == passage[here])]
        near = near[score[near] > LEAST_LOG_ODDS]
        closed = next((i for i in near.tolist() if _opens(strikes, i, here, bands)), None)
        if closed is not None:
            first = begins[here] = begins.get(closed, closed)
            told[first], told[here] = max(told[first], score[here]), -score[here]
            velocity[first] = max(velocity[first], velocity[here])
        before = here
    return replace(strikes, velocity=velocity), told


def _opens(strikes: Strikes, before: int, here: int, bands: Bands) -> bool:
    """Whether a strike is the vowel that a consonant, the strike before it, opens into."""
    from_s, at_s = float(strikes.onset_s[before]), float(strikes.onset_s[here])
    ends = round((at_s + OPEN_S[1]) / HOP_S) >= len(bands.short_db)
    if at_s - from_s >= LONGEST_CLOSED_S or ends:
        # Of what begins with the last sounds of a recording nobody hears whether it opens.
        return False
    first = max(round(from_s / HOP_S) - 1, 0)
    power = 10 ** (bands.short_db[first : round((at_s + LOUD_S[1]) / HOP_S) + 2].astype(np.float64) / 10)
    place = int(strikes.pitch[here]) - LOWEST_PITCH

    def level_db(steps: tuple[int, ...]) -> Values:
        rows = [place + step for step in steps if place + step < SEMITONES]
        return np.asarray(10 * np.log10(power[:, rows].sum(axis=1) + QUIETEST_POWER))

    def during(level: Values, about_s: float, span_s: tuple[float, float]) -> Values:
        begin, end = (round((about_s + t) / HOP_S) - first for t in span_s)
        return level[max(begin, 0) : max(end, 0) + 1]

    everything = 10 * np.log10(power.sum(axis=1) + QUIETEST_POWER)
    lower, upper = level_db(LOWER), level_db(UPPER)
    begun_s = (0.0, min(BEGINS_S, max(at_s - from_s - 3 * HOP_S, 0.0)))
    opened_db = during(upper, at_s, OPEN_S).max() - during(upper, from_s, begun_s).max()
    louder_db = during(lower, at_s, OPEN_S).max() - during(lower, from_s, begun_s).max()
    was_s = (max(BEFORE_S[0], from_s + RISEN_S - at_s), BEFORE_S[1])
    loud_db = min(during(everything, at_s, was_s).max(initial=-np.inf), during(everything, at_s, LOUD_S).max())
    fallen_db = loud_db - during(everything, at_s, FALLEN_S).min()
    return bool(opened_db > LEAST_OPENED_DB and opened_db - louder_db > LEAST_BRIGHTER_DB and fallen_db < MOST_DIP_DB)
