"""What tells how hard notes were struck: what the network says, and by how much the levels of their partials rise.

The network knows what a hard stroke sounds like, the levels tell strokes of one recording apart
more finely, and what is struck with a note says how much of a level is its own.
"""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.activity import FRAMES_PER_CELL, PITCHES, Activity
from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, LOWEST_PITCH, Bands
from honest_stave.core.pitch.passages import passage_mean, weight_of
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.layer import log_odds

Values = NDArray[np.float64]
# Semitones above a pitch at which its first partials lie, and at which others share some of them.
PARTIAL_STEPS = (0, 12, 19, 24, 28, 31, 34, 36)
SHARING_STEPS = (-24, -19, -12, -7, 7, 12, 19, 24)
# Frames after a stroke in which it is loudest, and before it in which the rest sounds alone.
AFTER_FRAMES, BEFORE_FRAMES = range(1, 8), range(-7, -2)
# Cells round a stroke whose velocities the layer sees.
CELLS = range(-2, 4)
# Of what sounds after a stroke at least this share is its own.
OWN_SHARE = 0.03
UNIT_DB = 20.0
# Networks lean less on levels than they should on sounds that they do not know: each decibel that a stroke adds is
# worth so much more velocity. Of real instruments, a bank nobody trained on and the practice set alike, ranks rise
# with it up to .6 and more in many voices (by .013 to .02, most of it at .4), up to .2 in one, and fall slowly after.
VELOCITY_A_DB = 0.4


def loudness_inputs(strikes: Strikes, bands: Bands, activity: Activity) -> Values:
    """Levels and rises in both views, the network's velocity, what is struck with it, (strikes, measures).

    Args:
        strikes: of which the loudness is asked.
        bands, activity: where they were found.
    """
    reference_db = bands.reference_db
    frame, row = FRAMES_PER_CELL * strikes.cell, strikes.pitch - LOWEST_PITCH
    columns: list[Values] = []
    for view, per_semitone in ((bands.long_db, BANDS_PER_SEMITONE), (bands.short_db, 1)):
        for step in PARTIAL_STEPS:
            band = np.minimum(per_semitone * (row + step) + per_semitone // 2, view.shape[1] - 1)
            columns += _rise(view, frame, band, reference_db)
    cell = np.clip(strikes.cell[:, None] + np.array(CELLS), 0, len(activity.onset) - 1)
    velocity = activity.velocity[cell, row[:, None]].astype(np.float64)
    onset = activity.onset[cell, row[:, None]].astype(np.float64)
    columns += [*log_odds(np.clip(velocity, 0.02, 0.98)).T]
    columns += [(velocity * onset).sum(axis=1) / np.maximum(onset.sum(axis=1), 1e-6)]
    height = (strikes.pitch - 62) / 24
    columns += [log_odds(strikes.onset), strikes.before, height, height**2]
    last = len(bands.total_db) - 1
    total_db = [bands.total_db[np.clip(frame + k, 0, last)] for k in (*AFTER_FRAMES, *BEFORE_FRAMES)]
    after_db = np.max(total_db[: len(AFTER_FRAMES)], axis=0)
    before_db = np.mean(total_db[len(AFTER_FRAMES) :], axis=0)
    columns += [(after_db - reference_db) / UNIT_DB, np.clip((after_db - before_db) / UNIT_DB, -2, 3)]
    return np.column_stack([*columns, *_company(strikes, activity)])


def leaning_on_levels(strikes: Strikes, score: Values, passage: NDArray[np.int64], bands: Bands) -> Values:
    """Velocities that follow what each stroke adds to its partials more than those heard do, (strikes,).

    Args:
        strikes: with the velocities heard.
        score: log-odds of each to be a note: those of likely notes keep their mean in each passage.
        passage: of each strike.
        bands: where they were found.
    """
    frame, row = FRAMES_PER_CELL * strikes.cell, strikes.pitch - LOWEST_PITCH
    added = np.zeros(len(strikes))
    for step in PARTIAL_STEPS:
        band = np.minimum(BANDS_PER_SEMITONE * (row + step) + BANDS_PER_SEMITONE // 2, bands.long_db.shape[1] - 1)
        added += 10 ** (UNIT_DB / 10 * _rise(bands.long_db, frame, band, bands.reference_db)[0])
    added_db = 10 * np.log10(added)
    middle_db = passage_mean(passage, weight_of(score), added_db)
    return np.clip(strikes.velocity + VELOCITY_A_DB * (added_db - middle_db), 1, 127)


def _rise(
    view: NDArray[np.floating], frame: NDArray[np.int64], band: NDArray[np.int64], reference_db: float
) -> list[Values]:
    """Level that a stroke adds in one band against the reference, and by how much the band rises, in units."""
    last = len(view) - 1

    def level(offset: int) -> Values:
        return np.asarray(view[np.clip(frame + offset, 0, last), band], np.float64)

    after_db = np.max([level(k) for k in AFTER_FRAMES], axis=0)
    before_db = np.mean([level(k) for k in BEFORE_FRAMES], axis=0)
    after = 10 ** (after_db / 10)
    added = np.maximum(after - 10 ** (before_db / 10), OWN_SHARE * after)
    return [
        np.clip((10 * np.log10(added + 1e-12) - reference_db) / UNIT_DB, -5, 1),
        np.clip((after_db - before_db) / UNIT_DB, -2, 3),
    ]


def _company(strikes: Strikes, activity: Activity) -> list[Values]:
    """What begins with each stroke: how much above, below, and on the pitches that share its partials."""
    cells = np.clip(strikes.cell[:, None] + np.arange(-1, 2), 0, len(activity.onset) - 1)
    struck = activity.onset[cells].max(axis=1).astype(np.float64)
    row, index = strikes.pitch - LOWEST_PITCH, np.arange(len(strikes))
    below = np.cumsum(struck, axis=1)
    under = below[index, row] - struck[index, row]
    columns = [np.log1p(np.maximum(below[:, -1] - below[index, row], 0.0)), np.log1p(np.maximum(under, 0.0))]
    for step in SHARING_STEPS:
        at = row + step
        inside = (at >= 0) & (at < PITCHES)
        columns.append(np.where(inside, struck[index, np.clip(at, 0, PITCHES - 1)], 0.0))
    return columns
