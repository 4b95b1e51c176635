"""What a gliding voice passes through is no note of its own, and what it arrives at is one."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, LOWEST_PITCH, Bands
from honest_stave.core.pitch.pitch_line import HOP_S
from honest_stave.core.pitch.strikes import Strikes

Values = NDArray[np.float64]
# A glide passes a pitch sooner than this; what is longer is a note, however it bends. A line that goes on by less
# than a third may have notes between that were not heard.
LONGEST_PASSED_S, LEAST_WAY = 0.2, 4
# So many semitones off the sound is not at a pitch any more. In glides it is at none of the three pitches for more
# than this share of the time, .62 to .80 in 360 made-up ones; a pitch that rings on into a run stays where it was.
OFF_SEMITONES, LEAST_BETWEEN = 0.4, 0.5
# What is passed is no surer than this: 1.6 at most in those glides, while half of the notes of runs are over 5.
SUREST_PASSED = 3.0
# Where a line arrives it stays for so long and longer, and is heard to begin and to sound by so much.
ARRIVED_S, LEAST_ONSET, LEAST_SOUNDING = 0.25, 0.3, 0.5
# It was doubted: in log-odds it is no surer than this.
SUREST_ARRIVAL = 1.0
# A line is looked for by its first three partials, in semitones over its pitch.
PARTIALS = (0, 12, 19)


def doubt_glides(
    onset_s: Values, pitch: NDArray[np.int64], score: Values, passage: NDArray[np.int64], bands: Bands
) -> Values:
    """Log-odds of strikes of one voice: none is a note where the line moves past it to the next without staying.

    Args:
        onset_s: of each strike, rising within a passage.
        pitch: of each strike.
        score: log-odds of being a note.
        passage: of each strike.
        bands: of the whole recording.
    """
    told = score.copy()
    counted = np.flatnonzero(score > 0)
    for before, here, after in zip(counted, counted[1:], counted[2:], strict=False):
        on_the_way = (pitch[here] - pitch[before]) * (pitch[after] - pitch[here]) > 0
        far = abs(pitch[after] - pitch[before]) >= LEAST_WAY
        soon = onset_s[after] - onset_s[here] < LONGEST_PASSED_S
        doubtful = score[here] < SUREST_PASSED
        if doubtful and on_the_way and far and soon and passage[before] == passage[here] == passage[after]:
            ends = sorted((int(pitch[before]), int(pitch[after])))
            first, stop = int(onset_s[here] / HOP_S), int(np.ceil(onset_s[after] / HOP_S))
            line = loudest_line(bands.long_db[first:stop], *ends)
            off = np.abs(line[:, None] - pitch[[before, here, after]]).min(axis=1) > OFF_SEMITONES
            if off.mean() > LEAST_BETWEEN:
                told[here] = -score[here]
    return told


def with_arrivals(strikes: Strikes, score: Values) -> Values:
    """Log-odds of strikes of one voice: a doubted pitch that is held while no note sounds is one, however it began.

    Args:
        strikes: in order of time within their passages.
        score: log-odds of being a note.
    """
    told = score.copy()
    onset_s, held_s = strikes.onset_s, strikes.held_s
    heard = (strikes.onset >= LEAST_ONSET) & (strikes.sounding >= LEAST_SOUNDING) & (held_s >= ARRIVED_S)
    for here in np.flatnonzero(heard & (score <= 0)):
        end_s = onset_s[here] + held_s[here]
        together = np.minimum(onset_s + held_s, end_s) - np.maximum(onset_s, onset_s[here])
        if together[told > 0].max(initial=0.0) < ARRIVED_S / 2:
            told[here] = min(-score[here], SUREST_ARRIVAL)
    return told


def loudest_line(levels_db: NDArray[np.float32], lowest: int, highest: int) -> Values:
    """Pitch of whose first partials are loudest together, in each frame, (frames,).

    Args:
        levels_db: of the long view, (frames, bands), one frame or more.
        lowest, highest: pitches between which it is looked for, a semitone farther to either side.
    """
    place = np.arange(
        BANDS_PER_SEMITONE * (lowest - 1 - LOWEST_PITCH), BANDS_PER_SEMITONE * (highest + 1 - LOWEST_PITCH)
    )
    of_partials = [
        levels_db[:, np.clip(place + BANDS_PER_SEMITONE * partial, 0, levels_db.shape[1] - 1)] for partial in PARTIALS
    ]
    return np.asarray(LOWEST_PITCH + place[np.sum(of_partials, axis=0).argmax(axis=1)] / BANDS_PER_SEMITONE)
