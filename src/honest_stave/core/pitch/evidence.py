"""What speaks for and against a strike, and its rivals: measures of itself and of the pitches it is related to."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.networks.opening import constants_of
from honest_stave.core.pitch.activity import FRAMES_PER_CELL, LOWEST_PITCH, PITCHES, Activity
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, Bands
from honest_stave.core.pitch.strikes import RELATED_STEPS, Strikes, related_onsets
from honest_stave.core.signal.layer import log_odds

Values = NDArray[np.float64]

LEAST, MOST = 0.01, 0.99
# The same as log-odds.
LEAST_ODDS, MOST_ODDS = (float(np.log(share / (1 - share))) for share in (LEAST, MOST))
# Semitones above a pitch at which a rise is looked for; frames after and before a stroke.
RISING_STEPS = (0, 12)
AFTER_FRAMES, BEFORE_FRAMES = np.arange(0, 8), np.arange(-8, -2)
LONGEST_SINCE_S = 4.0


def measures(strikes: Strikes, since: Values, activity: Activity, risen: list[Values]) -> Values:
    """What speaks for and against each strike, (strikes, measures).

    Args:
        strikes: those that are measured.
        since: of each, as from ``since_last``.
        activity: where they were found.
        risen: as from ``rises``.
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
        since,
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
    total_db = bands.total_db
    lowest = total_db[np.clip(frame + BEFORE_FRAMES, 0, len(total_db) - 1)].min(axis=1, initial=0.0)
    loudest = total_db[np.clip(frame + AFTER_FRAMES, 0, len(total_db) - 1)].max(axis=1, initial=-200.0)
    found.append(np.clip(loudest - lowest, 0.0, 12.0) / 6)
    return found


def calibrated(score: Values, voices: str) -> Values:
    """Log-odds made true on sounds that no training met, (strikes,).

    By a slope for what is rather wrong, one for what is rather right, and an offset (after Platt 1999).

    Args:
        score: log-odds as weighed: surer than right on sounds that the networks do not know.
        voices: one or many.

    Raises:
        BadInput: the constants are missing or damaged.
    """
    return curved(score, constants_of("notes")["sure"][voices])


def curved(score: Values, curve: Sequence[float]) -> Values:
    """Log-odds by a slope under 0, a slope over 0, and an offset, (strikes,)."""
    under, over, offset = curve
    return np.asarray(under * np.minimum(score, 0) + over * np.maximum(score, 0) + offset)


def confidence(score: Values) -> Values:
    """Confidence from log-odds."""
    return np.asarray(1 / (1 + np.exp(-np.clip(score, LEAST_ODDS, MOST_ODDS))))


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
