"""What is measured of a take to tell which reading suits it.

Drums that play with a band are hidden under its notes in most bands: what gives them away are hats and wires over
5 kHz. Drums that ring have pitches too, but each always the same, and what rings dies away: in a mix something is
held, and beginnings of pitches are many, if faint.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, Activity
from honest_stave.core.pitch.bands import HOP_SAMPLES, LOWEST_PITCH, Bands
from honest_stave.core.signal.listen import ANALYSIS_RATE
from honest_stave.core.signal.measure import level_reached

# A pitch sounds where it is surer than this: drums that ring are heard as doubtful ones.
SOUNDING, BEGINNING, FAINTLY = 0.65, 0.4, 0.1
# A drum's stroke lifts this many short bands by this much within four frames (46 ms).
RISE_FRAMES, RISE_DB, WIDE_SHARE = 4, 9.0, 0.3
# A bright stroke lifts so many of the bands from 5 kHz on by this much, to no farther than either of these under the
# loudest of the take: hats reach the first, plucked strings sometimes the second.
BRIGHT_FROM, BRIGHT_RISE_DB, BRIGHT_SHARE = 111 - LOWEST_PITCH, 7.0, 0.6
BRIGHT_DEPTHS_DB, LOUD_SHARE = (45.0, 55.0), 0.99
# The first few bright strokes tell most: they are weighed by their logarithm, from a sixth of a stroke a second on.
BRIGHT_UNIT = 6.0
# A drum that rings does so at its own pitch: two drums may have most of what begins. Chords have up to half on two.
COMMONEST, OF_CHORDS = 2, 0.5
# How many pitches beyond two sound at once says nothing of one voice or many.
MOST_AT_ONCE = 2.0
# Semitones from a pitch to its overtones. Stops of an organ that sound these with every key are heard as pitches of
# their own: where nothing else sounds over the lowest in more than this share of the overlapping time they are one
# voice. Of 636 lines 617 are told as one so (533 without it), and of 470 takes of many voices six more.
OVERTONE_STEPS, MOST_OTHERS = (12, 19, 24, 28, 31, 34, 36, 38, 40, 43, 48), 0.2
# What rings falls; what is held changes by less than this within so many frames (186 ms). It is told from E3 to E5,
# where it parts songs from loops better than lower and higher, of what is heard so far under the loudest there.
HELD_FRAMES, HELD_DB, HELD_DEPTH_DB = 16, 2.0, 30.0
HELD_REGISTER = slice(52 - LOWEST_PITCH, 76 - LOWEST_PITCH)
# Of fewer strokes one without a pitch says little: the edge of a held tone is one.
FEW_STROKES = 4
# Bands that far below the loudest do not count: noise would.
DEPTH_DB = 60.0


def measures(bands: Bands, activity: Activity) -> NDArray[np.float64]:
    """What is judged, (11,): overlapping, pitches at once, voiced, width of attacks, strokes without pitch as a
    share and a second, of what begins that on the two commonest pitches (NaN where nothing does), bright strokes a
    second, beginnings of pitches a second however doubtful, what is held, overlapping by overtones alone.
    """
    sounding = activity.sounding > SOUNDING
    pitches = sounding.sum(axis=1)
    voiced = pitches > 0
    overlapping = np.count_nonzero(pitches > 1) / max(int(voiced.sum()), 1)
    without = pitches - _overtones(sounding)
    others = np.count_nonzero(without > 1) / max(int(voiced.sum()), 1)
    ranks = overlapping - others if others < MOST_OTHERS * overlapping else 0.0
    if ranks:
        overlapping, pitches = others, without
    at_once = float(pitches[voiced].mean()) if voiced.any() else 0.0
    levels = bands.short_db.astype(np.float32)
    duration_s = max(len(levels) * HOP_SAMPLES / ANALYSIS_RATE, 1e-3)
    bright = bright_strokes(levels) / duration_s
    held = _held(levels[:, HELD_REGISTER])
    levels = np.maximum(levels, levels.max() - DEPTH_DB)
    wide = _risen(levels, RISE_DB)
    widest = float(np.sort(wide)[-max(1, len(wide) // 50) :].mean())
    strokes = _peaks(wide, WIDE_SHARE)
    cells = (strokes + 1 + RISE_FRAMES) // FRAMES_PER_CELL
    near = np.clip(cells[:, None] + np.arange(-3, 3), 0, len(activity.onset) - 1)
    explained = activity.onset.max(axis=1)[near].max(axis=1, initial=0.0)
    unexplained = int(np.count_nonzero(explained < BEGINNING))
    return np.array(
        [
            overlapping,
            min(at_once, MOST_AT_ONCE),
            float(voiced.mean()) if len(voiced) else 0.0,
            widest,
            unexplained / max(len(strokes), FEW_STROKES),
            min(unexplained / duration_s, 6.0),
            _of_the_commonest(activity.onset),
            bright,
            len(_peaks(activity.onset, FAINTLY)) / duration_s,
            held,
            ranks,
        ]
    )


def _overtones(sounding: NDArray[np.bool_]) -> NDArray[np.int64]:
    """How many of the pitches (cells, pitches) that sound are overtones of the lowest, (cells,)."""
    lowest, cell = sounding.argmax(axis=1), np.arange(len(sounding))
    places = lowest[:, None] + np.array(OVERTONE_STEPS)
    there = (places < sounding.shape[1]) & np.asarray(sounding.any(axis=1))[:, None]
    return np.asarray((there & sounding[cell[:, None], np.minimum(places, sounding.shape[1] - 1)]).sum(axis=1))


def _held(levels: NDArray[np.float32]) -> float:
    """Share of what is heard in a register that neither rises nor falls, 0 where nothing is."""
    before, after = levels[:-HELD_FRAMES], levels[HELD_FRAMES:]
    if not len(before):
        return 0.0
    heard = before > level_reached(levels.max(axis=1), LOUD_SHARE) - HELD_DEPTH_DB
    return float((np.abs(after - before)[heard] < HELD_DB).mean()) if heard.any() else 0.0


def over_all(measured: list[NDArray[np.float64]]) -> NDArray[np.float64]:
    """Measures of a take: the mean of those of its stretches, where there is something to measure."""
    return np.asarray(np.ma.masked_invalid(measured).mean(axis=0).filled(np.nan))


def _of_the_commonest(onset: NDArray[np.float32]) -> float:
    """Share of the beginnings that the commonest pitches have, NaN where nothing begins."""
    pitch = _peaks(onset, BEGINNING) % onset.shape[1]
    begun = np.sort(np.bincount(pitch, minlength=COMMONEST))
    return float(begun[-COMMONEST:].sum() / begun.sum()) if len(pitch) else np.nan


def weighed(measured: NDArray[np.float64]) -> NDArray[np.float64]:
    """Measures (..., 11) as the kinds are weighed by them, (..., 8); where nothing begins, all of it does on the same
    pitches.
    """
    commonest = np.nan_to_num(measured[..., 6:7], nan=1.0)
    beyond_chords = np.maximum(commonest - OF_CHORDS, 0.0)
    bright = np.log1p(BRIGHT_UNIT * measured[..., 7:8])
    return np.concatenate([measured[..., :6], beyond_chords, bright], axis=-1)


def held_and_begun(measured: NDArray[np.float64]) -> NDArray[np.float64]:
    """Measures (..., 11) as drums alone are told from a mix by them, (..., 2).

    In a dense mix hardly a pitch is sure, as in a drum loop: how many are would tell little. But something is held
    there, and begins, however faintly.
    """
    return np.concatenate([np.log1p(measured[..., 8:9]), measured[..., 9:10]], axis=-1)


def bright_strokes(levels: NDArray[np.float32]) -> float:
    """How many strokes are heard over 5 kHz, those that reach only the lower of ``BRIGHT_DEPTHS_DB`` counted half.

    Args:
        levels: of the short view in dB, (frames, bands), one frame or more.
    """
    loudest_db = level_reached(levels.max(axis=1), LOUD_SHARE)
    bright = levels[:, BRIGHT_FROM:]
    heard = [np.maximum(bright, loudest_db - depth_db) for depth_db in BRIGHT_DEPTHS_DB]
    return float(np.mean([len(_peaks(_risen(h, BRIGHT_RISE_DB), BRIGHT_SHARE)) for h in heard]))


def _risen(levels: NDArray[np.float32], rise_db: float) -> NDArray[np.float64]:
    """Share of the bands that rise by so much within ``RISE_FRAMES``, (frames - RISE_FRAMES,), one at least."""
    rise = levels[RISE_FRAMES:] - levels[:-RISE_FRAMES]
    return np.asarray((rise > rise_db).mean(axis=1)) if len(rise) else np.zeros(1)


def _peaks(wide: NDArray[np.floating], least: float) -> NDArray[np.int64]:
    """Places (flat) where a share is highest among its neighbours before and after, and over a limit."""
    return np.flatnonzero((wide[1:-1] >= wide[:-2]) & (wide[1:-1] > wide[2:]) & (wide[1:-1] > least))
