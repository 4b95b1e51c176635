"""The engine for hits: levels, network, peaks, attacks, drums.

A hit is a peak of "something is struck"; every drum that is heard in it is a candidate of its
own at the same moment.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.hits.attack import refine_attacks
from honest_stave.core.hits.found import Found
from honest_stave.core.hits.hearing import HOP_S, LEAD_FRAMES, RATE, UNIT_DB, Activity, hear, measure_levels
from honest_stave.core.hits.kinds import kinds_of
from honest_stave.core.hits.lasting import lasting_rise_db
from honest_stave.core.hits.own_wave import velocities_by_wave
from honest_stave.core.hits.reading import DEFAULT_LEAST_CONFIDENCE, DRUMS, HitSettings, HitsReading
from honest_stave.core.hits.stretches import mean_power
from honest_stave.core.hits.weighing import weigh
from honest_stave.core.signal.listen import BLOCK_SAMPLES, heard_channels
from honest_stave.core.signal.loud_enough import loud_enough
from honest_stave.core.signal.mapped import let_go

# Peaks lower than this are noise even to a generous limit; a drum heard less is no candidate.
LEAST_ANY, LEAST_DRUM = 0.1, 0.08
# The network says that something is struck so much later than it is: its peaks are as wide as its frames.
LATE_S = 0.0016
# Two hits are no closer than this; drums are looked for in so many frames to either side.
APART_S, DRUM_FRAMES = 0.02, 3
LEVEL_S = 0.02
# What leaves less in every band than was there before is no stroke: of 4,500 strokes of kits in no training six do.
LEAST_RISE_DB = -1.0
# So close to the end too little sounds to tell a stroke from the cut.
LEAST_AFTER_S = 0.01
QUIETEST_DB = -70.0
# Groups of bands whose rise is measured; of what sounds after a stroke at least this share is its own.
RISE_GROUPS, OWN_SHARE = 16, 0.03
# Stretches of frames whose mean levels the second network sees, of the short window and of the long one: finely about
# the attack, ever more coarsely up to 300 ms after it.
SHORT_STRETCHES = (
    range(-12, -8), range(-8, -5), range(-5, -3), range(-3, -2), range(-2, -1), range(-1, 0), range(0, 1),
    range(1, 2), range(2, 3), range(3, 4), range(4, 5), range(5, 7), range(7, 9), range(9, 12), range(12, 16),
    range(16, 21), range(21, 28), range(28, 39), range(39, 52),
)  # fmt: skip
LONG_STRETCHES = (
    range(-12, -8), range(-4, -1), range(2, 5), range(7, 9), range(12, 15), range(18, 22), range(26, 32),
    range(40, 48),
)  # fmt: skip


def read(
    samples: NDArray[np.float32], rate: int, settings: HitSettings, progress: Progress = no_progress
) -> HitsReading:
    """Reads the hits of a take.

    Args:
        samples: (frames, channels), full scale 1.
        rate: sampling rate in Hz.
        settings: what is listened to.
        progress: told the share done, 0 to 1; may raise ``Stopped``.

    Raises:
        BadInput: the network is missing or damaged.
    """
    mono, starts_s = _mono(samples, rate, settings)
    mono, raised_db = loud_enough(mono)
    progress(0.1)
    found = find_hits(mono, lambda share: progress(0.1 + 0.8 * share))
    reading = _with_drums(found, starts_s, mono)
    return replace(reading, level_db=reading.level_db - raised_db)


def find_hits(mono: NDArray[np.float32], progress: Progress = no_progress) -> Found:
    """Places where something is struck, and what is heard there.

    Args:
        mono: at ``RATE``.
        progress: told the share done; may raise ``Stopped``.
    """
    levels = measure_levels(mono)
    activity = hear(levels, progress)
    rough_s, frame = _peaks(activity)
    attacks = refine_attacks(mono, np.maximum(rough_s - LATE_S, 0.0))
    time_s, within_s = attacks.time_s, attacks.within_s
    level_db = _levels_db(mono, time_s)
    kept = (level_db > QUIETEST_DB) & ~attacks.is_click
    kept &= lasting_rise_db(mono, RATE, time_s).max(axis=1) > LEAST_RISE_DB
    kept &= np.diff(time_s, prepend=-1.0) > APART_S / 2
    kept &= time_s < len(mono) / RATE - LEAST_AFTER_S
    frame, time_s, within_s, level_db = frame[kept], time_s[kept], within_s[kept], level_db[kept]
    near = np.clip(frame[:, None] + np.arange(-DRUM_FRAMES, DRUM_FRAMES + 1), 0, len(activity.any) - 1)
    drums = np.arange(len(DRUMS))
    strongest = near[np.arange(len(frame))[:, None], activity.drum[near].argmax(axis=1)]
    return Found(
        time_s=time_s,
        within_s=within_s,
        any=activity.any[frame].astype(np.float64),
        heard=activity.drum[strongest, drums].astype(np.float64),
        velocity=activity.velocity[strongest, drums].astype(np.float64),
        level_db=level_db,
        rise=band_rises(levels[0], frame + LEAD_FRAMES),
        around=levels_around(levels, frame + LEAD_FRAMES),
    )


def band_rises(short: NDArray[np.float32], frame: NDArray[np.int64]) -> NDArray[np.float64]:
    """Power that each hit adds to groups of bands, as a level, (hits, groups).

    Args:
        short: levels of the short window, (frames, bands).
        frame: of each hit in ``short``.
    """
    grouped = short.reshape(len(short), RISE_GROUPS, -1).mean(axis=2).astype(np.float64)

    def at(lags: range) -> NDArray[np.float64]:
        return np.stack([grouped[np.clip(frame + lag, 0, len(grouped) - 1)] for lag in lags])

    # Levels are tenths of bels in units of UNIT_DB.
    bels = UNIT_DB / 10
    after, before = 10 ** (bels * at(range(5)).max(axis=0)), 10 ** (bels * at(range(-5, -2)).mean(axis=0))
    return np.asarray(np.log10(np.maximum(after - before, OWN_SHARE * after)) / bels)


def levels_around(levels: NDArray[np.float32], frame: NDArray[np.int64]) -> NDArray[np.float16]:
    """Mean levels in stretches about each hit, those of the short window first, (hits, stretches, bands).

    Args:
        levels: of both windows, (2, frames, bands).
        frame: of each hit in ``levels``.
    """
    last = levels.shape[1] - 1
    views = [levels[0]] * len(SHORT_STRETCHES) + [levels[1]] * len(LONG_STRETCHES)
    means = np.empty((len(frame), len(views), levels.shape[2]), np.float16)
    for place, (view, lags) in enumerate(zip(views, SHORT_STRETCHES + LONG_STRETCHES, strict=True)):
        means[:, place] = sum(view[np.clip(frame + lag, 0, last)] for lag in lags) / np.float32(len(lags))
    return means


def _mono(samples: NDArray[np.float32], rate: int, settings: HitSettings) -> tuple[NDArray[np.float32], float]:
    listen = settings.listen
    first = round(max(listen.from_s, 0.0) * rate)
    last = min(len(samples), round(listen.to_s * rate)) if listen.to_s > 0 else len(samples)
    heard, weights = heard_channels(samples, listen.channels)
    mono = np.empty(max(last - first, 0), np.float32)
    for start in range(0, len(mono), BLOCK_SAMPLES):
        block = samples[first + start : min(first + start + BLOCK_SAMPLES, last)]
        mono[start : start + len(block)] = block[:, heard] @ np.array(weights, np.float32)
        let_go(samples)
    if rate != RATE:
        import soxr

        mono = soxr.resample(mono, rate, RATE)
    if len(mono):
        mono -= np.float32(np.mean(mono, dtype=np.float64))
    return mono, first / rate


def _peaks(activity: Activity) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Moments (s), between frames, and frames at which something is struck."""
    said = activity.any.astype(np.float64)
    earlier, later = np.append(0.0, said[:-1]), np.append(said[1:], 0.0)
    frame = np.flatnonzero((said >= earlier) & (said > later) & (said >= LEAST_ANY))
    before, middle, after = earlier[frame], said[frame], later[frame]
    bend = np.minimum(before - 2 * middle + after, -1e-6)
    fraction = np.clip(0.5 * (before - after) / bend, -0.5, 0.5)
    return np.maximum((frame + fraction) * HOP_S, 0.0), frame


def _levels_db(mono: NDArray[np.float32], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    power = mean_power(mono, np.round(time_s * RATE).astype(int), round(LEVEL_S * RATE))
    return np.asarray(10 * np.log10(power + 1e-12))


def _with_drums(found: Found, starts_s: float, mono: NDArray[np.float32]) -> HitsReading:
    sure, velocity = weigh(found)
    velocity = velocities_by_wave(mono, RATE, found.time_s, sure >= DEFAULT_LEAST_CONFIDENCE, velocity)
    hit, drum = np.nonzero(sure >= LEAST_DRUM)
    rows = np.arange(len(hit))
    others = sure[hit].copy()
    # What counts beside it is no rival.
    others[others >= DEFAULT_LEAST_CONFIDENCE] = 0.0
    others[rows, drum] = 0.0
    rival = others.argmax(axis=1)
    return HitsReading(
        time_s=found.time_s[hit] + starts_s,
        within_s=found.within_s[hit],
        drum=drum,
        velocity=velocity[hit, drum],
        confidence=sure[hit, drum],
        runner_up=rival,
        runner_up_share=(1 - sure[hit, drum]) * others[rows, rival],
        level_db=found.level_db[hit],
        kind=tuple(kinds_of(mono, RATE, found.time_s[hit], drum, sure[hit, drum] >= DEFAULT_LEAST_CONFIDENCE)),
    )
