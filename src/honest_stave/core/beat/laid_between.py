"""Written onsets laid anew on the stretch of a recording between two pins."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.align import Alignment, Written, listen
from honest_stave.core.beat.align_doubt import confidence
from honest_stave.core.beat.sung import three_moments
from honest_stave.core.beat.warp import likeness
from honest_stave.core.beat.way import way_between
from honest_stave.core.errors import BadInput, Progress, no_progress
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S, LOWEST_PITCH, PITCHES, Activity, time_of_cell
from honest_stave.core.signal.listen import ListenSettings

Values = NDArray[np.float64]

# Positions are kept with some decimals.
SAME_QUARTERS = 1e-3
# Farther apart than this pins are no help, and every way between them would be too much to look at.
LONGEST_S = 180.0
# The ears hear what lies up to so far to either side.
CONTEXT_S = 1.5


def lay_between(
    score: Sequence[Written],
    beats: Values,
    ends_s: tuple[float, float],
    samples: NDArray[np.float32],
    rate: int,
    quarter_s: float,
    progress: Progress = no_progress,
) -> tuple[Alignment, Values]:
    """Moments of the onsets between two pins, and three moments of what begins at each, (onsets, 3).

    Args:
        score: its notes, as they sound.
        beats: positions in quarters, rising, of the first pin, of the onsets, and of the second pin.
        ends_s: moments of the pins.
        samples: (frames, channels), full scale 1.
        rate: Hz.
        quarter_s: the usual length of a quarter in the piece: beats between the pins may be held.
        progress: told the share done; may raise ``Stopped``.

    Raises:
        BadInput: nothing is written between the pins, or they lie too far apart.
    """
    if len(beats) < 3:
        raise BadInput("Nothing is written between these pins.", "Release one of them, or choose another stretch.")
    if ends_s[1] - ends_s[0] > LONGEST_S:
        raise BadInput(
            f"These pins lie {ends_s[1] - ends_s[0]:.0f} s apart.",
            f"Up to {LONGEST_S:.0f} s are laid anew: pin something between them first.",
        )
    stretch = ListenSettings(from_s=max(0.0, ends_s[0] - CONTEXT_S), to_s=ends_s[1] + CONTEXT_S)
    activity, levels_db, starts_s = listen(samples, rate, stretch, progress)
    ends = tuple((end_s - starts_s - FIRST_CELL_S) / CELL_S for end_s in ends_s)
    inside = {b: [n for n in score if abs(n.onset_beats - b) <= SAME_QUARTERS] for b in beats[1:-1].tolist()}
    rows = [
        [n.pitch - LOWEST_PITCH for n in notes if 0 <= n.pitch - LOWEST_PITCH < PITCHES] for notes in inside.values()
    ]
    heard = np.array([activity.onset[:, each].mean(axis=1) if each else activity.onset[:, 0] * 0 for each in rows])
    cell, clear = way_between(heard.astype(np.float64), beats, (ends[0], ends[1]), quarter_s / CELL_S)
    time_s = time_of_cell(cell) + starts_s
    whole_s = np.concatenate([[ends_s[0]], time_s, [ends_s[1]]])
    alike = np.array(
        [_alike(score, b, c, activity) for b, c in zip(beats[1:-1].tolist(), cell.tolist(), strict=True)]
    )
    sure = confidence(beats, whole_s, *(np.concatenate([[1.0], each, [1.0]]) for each in (clear, alike)))
    top = [max(notes, key=lambda n: n.pitch) for notes in inside.values()]
    until_s = np.interp([n.onset_beats + n.duration_beats for n in top], beats, whole_s).tolist()
    sung = [
        (t - starts_s, max(u - starts_s, t - starts_s + 0.1), n.pitch)
        for t, u, n in zip(time_s.tolist(), until_s, top, strict=True)
    ]
    moments = three_moments(activity, levels_db, 0.0, sung) + starts_s
    progress(1.0)
    return Alignment(beats[1:-1], time_s, sure[1:-1], alike, -1), moments


def _alike(score: Sequence[Written], beat: float, cell: float, activity: Activity) -> float:
    """How much of what sounds at an onset is what is written there."""
    written = np.zeros((1, PITCHES))
    for note in score:
        if (
            note.onset_beats <= beat < note.onset_beats + note.duration_beats
            and 0 <= note.pitch - LOWEST_PITCH < PITCHES
        ):
            written[0, note.pitch - LOWEST_PITCH] = 1.0
    at = int(np.clip(round(cell), 0, len(activity.sounding) - 1))
    return float(likeness(written, activity.sounding[at : at + 1].astype(np.float64))[0, 0])
