"""A bass without overtones (a sine, the long tone of a drum machine): it is heard with some added.

The ears learnt from instruments, whose low notes are told by their overtones; a bare tone under
100 Hz is nothing to them. Where a take is mostly that, its low end is driven as a loudspeaker or a
desk would, which gives it odd overtones, and then it is read like any other bass. What the take
sounds like is not changed.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

# The low end, and where its overtones would be.
LOW_HZ, OVERTONES_HZ = (22.0, 95.0), (120.0, 700.0)
# It is bare where it stands this far over them; a drum has fallen by the second of these before so long has passed.
BARE_DB, FALLEN_DB, HELD_S, RECENT_S = 12.0, 12.0, 0.2, 0.5
# What lies this far under the loudest, or under this level, does not sound.
DEPTH_DB, QUIETEST_DB = 45.0, -70.0
# Of 150 recordings of instruments none is bare for more than a fourteenth of its sound, drum loops are for up to .47
# where their kick rings; lines of sines and of drum machines' basses up to C2 for .6 to .97 of it.
MOSTLY = 0.5
FRAME_S, SMOOTHED_FRAMES = 0.02, 4
# How the low end is driven: what lies under this, by so much over its level, which is followed over so long.
DRIVEN_HZ, DRIVE, FOLLOWED_S, ADDED = 300.0, 3.0, 0.06, 0.35
# What the driven sound keeps.
KEPT_HZ = (60.0, 1500.0)
# Long takes are driven in blocks, each with so much before and after it.
BLOCK_S, BESIDE_S = 60.0, 1.0


def is_bare_bass(parts: Sequence[Mono]) -> bool:
    """Whether stretches of a take are mostly low tones without overtones.

    Args:
        parts: stretches at ``ANALYSIS_RATE``.
    """
    counts = [_held(part) for part in parts if len(part) >= HELD_S * ANALYSIS_RATE]
    bare, sounding = np.sum(counts, axis=0) if counts else (0, 0)
    return bool(bare > MOSTLY * sounding)


def _held(signal: Mono) -> tuple[int, int]:
    """Frames in which a bare low tone is held, and in which anything sounds."""
    from scipy import signal as dsp

    frame = round(FRAME_S * ANALYSIS_RATE)
    count = len(signal) // frame

    def level_db(sound: NDArray[np.float32]) -> NDArray[np.float64]:
        power = np.square(sound[: count * frame].reshape(count, frame), dtype=np.float64).mean(axis=1)
        smoothed = np.convolve(power, np.full(SMOOTHED_FRAMES, 1 / SMOOTHED_FRAMES), "same")
        return np.asarray(10 * np.log10(smoothed + 1e-12))

    def band_db(hz: tuple[float, float]) -> NDArray[np.float64]:
        return level_db(dsp.sosfilt(dsp.butter(4, hz, "bandpass", fs=ANALYSIS_RATE, output="sos"), signal))

    low_db, overtones_db, all_db = band_db(LOW_HZ), band_db(OVERTONES_HZ), level_db(signal)
    sounding = all_db > max(float(all_db.max()) - DEPTH_DB, QUIETEST_DB)
    before = np.concatenate([np.full(round(RECENT_S / FRAME_S), -np.inf), low_db])
    recent_db = np.lib.stride_tricks.sliding_window_view(before, len(before) - len(low_db) + 1).max(axis=1)
    held = sounding & (low_db - overtones_db >= BARE_DB) & (low_db >= recent_db - FALLEN_DB)
    begins, ends = np.flatnonzero(np.diff(np.concatenate([[0], held.astype(np.int8), [0]]))).reshape(-1, 2).T
    lasts = ends - begins
    return int(lasts[lasts * FRAME_S >= HELD_S].sum()), int(sounding.sum())


def with_overtones(signal: Mono) -> Mono:
    """The signal with odd overtones of its low end added, which follow its level.

    Args:
        signal: at ``ANALYSIS_RATE``.
    """
    made = np.empty_like(signal)
    block, beside = round(BLOCK_S * ANALYSIS_RATE), round(BESIDE_S * ANALYSIS_RATE)
    for first in range(0, len(signal), block):
        before = min(first, beside)
        part = signal[first - before : first + block + beside]
        made[first : first + block] = _driven(part)[before : before + block]
    return made


def _driven(signal: Mono) -> NDArray[np.float32]:
    from scipy import signal as dsp

    low = dsp.sosfiltfilt(
        dsp.butter(2, DRIVEN_HZ, "lowpass", fs=ANALYSIS_RATE, output="sos"), signal, padlen=min(15, len(signal) - 1)
    )
    reach = round(FOLLOWED_S * ANALYSIS_RATE / 2)
    energy = np.concatenate([[0.0], np.cumsum(np.square(low))])
    place = np.arange(len(low))
    first, last = np.maximum(place - reach, 0), np.minimum(place + reach, len(low))
    level = np.sqrt(2 * (energy[last] - energy[first]) / (last - first)) + 1e-6
    added = level * np.tanh(DRIVE * low / level)
    kept = dsp.sosfilt(dsp.butter(1, KEPT_HZ, "bandpass", fs=ANALYSIS_RATE, output="sos"), added)
    return np.asarray(signal + ADDED * kept, np.float32)
