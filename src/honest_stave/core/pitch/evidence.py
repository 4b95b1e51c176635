"""What speaks for and against a strike, and the calibrated confidence that comes of it.

A small network of one layer on measures of the strike and of the pitches it is related to. It
was fitted on made-up recordings (see training/README.md), so that, of the candidates at 0.8,
about eight in ten are right.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH, PITCHES, Activity
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, Bands
from honest_stave.core.pitch.passages import surroundings
from honest_stave.core.pitch.strikes import RELATED_STEPS, Strikes, related_onsets
from honest_stave.core.signal.layer import log_odds, score_of

Values = NDArray[np.float64]

LEAST, MOST = 0.01, 0.99
# Semitones above a pitch at which a rise is looked for; frames after and before a stroke.
RISING_STEPS = (0, 12)
AFTER_FRAMES, BEFORE_FRAMES = np.arange(0, 8), np.arange(-8, -2)
LONGEST_SINCE_S = 4.0
# Of ``rises``: those whose means tell what a passage is like (long and short band of the pitch, its octave, all).
TELLING_RISES = (0, 1, 2, 4)
# Frames summed at once: bounds the memory of an hour.
BLOCK_FRAMES = 4096


def weigh(
    strikes: Strikes,
    passage: NDArray[np.int64],
    activity: Activity,
    risen: list[Values],
    in_line: Values,
    constants: dict[str, Any],
) -> Values:
    """Log-odds (strikes,) of being right: first each strike for itself, then with its passage.

    Args:
        strikes: what was found.
        passage: of each strike, as from ``passages.passage_of``.
        activity: where it was found.
        risen: as from ``rises``.
        in_line: 1 for strikes on the best line of one voice, 0 for others; all 0 for many voices.
        constants: of both weighings, ``first`` and ``second``.
    """
    first = measures(strikes, activity, risen, in_line)
    if not len(strikes):
        return np.zeros(0)
    second = second_measures(strikes, passage, risen, first, score_of(first, constants["first"]))
    return score_of(second, constants["second"])


def second_measures(
    strikes: Strikes, passage: NDArray[np.int64], risen: list[Values], first: Values, score: Values
) -> Values:
    """Inputs of the second weighing: those of the first and what the passage says, (strikes, measures)."""
    own = [
        log_odds(strikes.onset),
        strikes.before,
        strikes.let_go * strikes.before,
        np.log2(np.clip(strikes.held_s, 0.03, 2.0) / 0.2),
        strikes.velocity / 127,
        *(risen[i] for i in TELLING_RISES),
    ]
    return np.hstack([first, surroundings(strikes, passage, own, score)])


def measures(strikes: Strikes, activity: Activity, risen: list[Values], in_line: Values) -> Values:
    """Inputs of the first weighing, (strikes, measures).

    Args:
        strikes: what was found.
        activity: where it was found.
        risen: as from ``rises``.
        in_line: 1 for strikes on the best line of one voice, 0 for others; all 0 for many voices.
    """
    onset = log_odds(strikes.onset)
    own = [
        onset,
        strikes.sounding,
        strikes.sounding**2,
        strikes.before,
        onset * strikes.before,
        strikes.before - strikes.dip,
        strikes.let_go * strikes.before,
        log_odds(strikes.let_go) * strikes.before,
        np.log2(np.clip(strikes.held_s, 0.03, 2.0) / 0.2),
        strikes.velocity / 127,
        (strikes.pitch - 64) / 24,
        ((strikes.pitch - 64) / 24) ** 2,
        in_line,
        in_line * onset,
        since_last(strikes),
    ]
    for rise in risen:
        own += [rise, rise * strikes.before]
    return np.column_stack([*own, related_onsets(activity, strikes)])


def since_last(strikes: Strikes) -> Values:
    """How long ago the same pitch was struck, as octaves of 0.2 s, (strikes,)."""
    order = np.lexsort((strikes.onset_s, strikes.pitch))
    onset, pitch = strikes.onset_s[order], strikes.pitch[order]
    gap = np.diff(onset, prepend=-np.inf)
    gap[np.diff(pitch, prepend=-1) != 0] = np.inf
    found = np.empty(len(order))
    found[order] = np.log2(np.clip(gap, 0.03, LONGEST_SINCE_S) / 0.2)
    return found


def rises(strikes: Strikes, bands: Bands) -> list[Values]:
    """By how much the levels of a pitch's first partials rise at each strike, in tens of dB.

    A string that is struck again rises in its own bands; one that only rings on while others
    are struck does not.
    """
    found = []
    frame = FRAMES_PER_CELL * strikes.cell[:, None]
    for view, per_semitone in ((bands.long_db, BANDS_PER_SEMITONE), (bands.short_db, 1)):
        last = len(view) - 1
        for step in RISING_STEPS:
            band = per_semitone * (strikes.pitch + step - LOWEST_PITCH) + per_semitone // 2
            band = np.minimum(band, view.shape[1] - 1)[:, None]
            after = view[np.clip(frame + AFTER_FRAMES, 0, last), band].max(axis=1, initial=-200.0)
            before = view[np.clip(frame + BEFORE_FRAMES, 0, last), band].max(axis=1, initial=-200.0)
            found.append(np.clip(after.astype(np.float64) - before, -10.0, 30.0) / 10)
    # From the lowest level just before, of everything: a voice's vibrato is no rise, a new breath is.
    total_db = np.concatenate(
        [
            10 * np.log10((10 ** (bands.short_db[first : first + BLOCK_FRAMES].astype(np.float32) / 10)).sum(axis=1))
            for first in range(0, len(bands.short_db), BLOCK_FRAMES)
        ]
    )
    lowest = total_db[np.clip(frame + BEFORE_FRAMES, 0, len(total_db) - 1)].min(axis=1, initial=0.0)
    loudest = total_db[np.clip(frame + AFTER_FRAMES, 0, len(total_db) - 1)].max(axis=1, initial=-200.0)
    found.append(np.clip(loudest - lowest, 0.0, 12.0) / 6)
    return found


def confidence(score: Values) -> Values:
    """Confidence from log-odds."""
    return np.asarray(np.clip(1 / (1 + np.exp(-score)), LEAST, MOST))


def rivals(strikes: Strikes, activity: Activity) -> tuple[NDArray[np.int64], Values]:
    """The related pitch that is heard most at each strike, and its share against it."""
    related = related_onsets(activity, strikes)
    count = len(RELATED_STEPS)
    heard = related[:, :count] + 0.5 * related[:, count:]
    best = heard.argmax(axis=1) if len(strikes) else np.zeros(0, np.int64)
    strongest = heard[np.arange(len(strikes)), best]
    pitch = np.clip(strikes.pitch + np.array(RELATED_STEPS)[best], 0, 127)
    return pitch, strongest / np.maximum(strongest + strikes.onset + 0.5 * strikes.sounding, 1e-9)


def continuing(strikes: Strikes, activity: Activity) -> Values:
    """How far the pitch itself or one within two semitones sounded just before, (strikes,)."""
    rows = strikes.pitch - LOWEST_PITCH
    places = np.clip(strikes.cell[:, None] + np.arange(-3, 0), 0, len(activity.onset) - 1)
    found = np.zeros(len(strikes))
    for step in (-2, -1, 0, 1, 2):
        at = np.clip(rows + step, 0, PITCHES - 1)
        found = np.maximum(found, activity.sounding[places, at[:, None]].max(axis=1))
    return found
