"""A bass without overtones (a sine, the long tone of a drum machine): it is heard with some added.

Low notes are told by their overtones; the ears hear a bare tone under 100 Hz, but less surely. Where
a take is mostly that, its low end is driven as a loudspeaker or a desk would, which gives it odd
overtones, and then it is read like any other bass: F1 of 32 lines of oscillators, 24 of them low,
is .96 so and .94 without. What the take sounds like is not changed.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.frames import magnitudes
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

# The low end, and where its overtones would be.
LOW_HZ, OVERTONES_HZ = (22.0, 95.0), (120.0, 700.0)
# It is bare where it stands this far over them; a drum has fallen by the second of these before so long has passed.
BARE_DB, FALLEN_DB, HELD_S, RECENT_S = 12.0, 12.0, 0.2, 0.5
# What lies this far under the loudest, or under this level, does not sound.
DEPTH_DB, QUIETEST_DB = 45.0, -70.0
# Of 150 recordings of instruments none is bare for more than .06 of its sound, drum loops are for up to .46 where the
# kick rings, lines of sines and of drum machines' basses up to C2 for .84 to .93.
MOSTLY = 0.5
# Levels are seen every so often, over so long, through a Hann window of this root mean square.
FRAME_S, SEEN_S = 0.02, 0.08
WINDOW_RMS = 0.6124
# What lies under this is driven by so much over its level, which is followed over so long.
DRIVEN_HZ, DRIVE, FOLLOWED_S = 300.0, 3.0, 0.06
# What the driven sound keeps, and how much of it is added.
KEPT_HZ, ADDED = (60.0, 1500.0), 0.35
# Long takes are driven in blocks, each with so much before and after it.
BLOCK_S, BESIDE_S = 60.0, 1.0


def is_bare_bass(parts: Sequence[Mono]) -> bool:
    """Whether stretches of a take are mostly low tones without overtones.

    Args:
        parts: stretches at ``ANALYSIS_RATE``.
    """
    heard = [_bare_and_sounding(part) for part in parts if len(part) >= HELD_S * ANALYSIS_RATE]
    return sum(bare for bare, _ in heard) > MOSTLY * sum(sounding for _, sounding in heard)


def _bare_and_sounding(signal: Mono) -> tuple[int, int]:
    """In how many frames a low tone is held that has no overtones over it, and in how many anything sounds."""
    hop, length = round(FRAME_S * ANALYSIS_RATE), round(SEEN_S * ANALYSIS_RATE)
    size = 1 << (length - 1).bit_length()
    hz = np.fft.rfftfreq(size, 1 / ANALYSIS_RATE)
    padded = np.pad(signal, (length // 2, length))
    framed = np.lib.stride_tricks.sliding_window_view(padded, length)[: len(signal) : hop]
    taper = np.hanning(length).astype(np.float32)
    power = np.square(magnitudes(framed * taper, size)) / (WINDOW_RMS**2 * length * size)

    def band_db(band: tuple[float, float]) -> NDArray[np.floating]:
        inside = (hz >= band[0]) & (hz <= band[1])
        return np.asarray(10 * np.log10(2 * power[:, inside].sum(axis=1) + 1e-12))

    low_db, overtones_db, all_db = band_db(LOW_HZ), band_db(OVERTONES_HZ), band_db((LOW_HZ[0], ANALYSIS_RATE / 2))
    sounding = all_db > max(float(all_db.max()) - DEPTH_DB, QUIETEST_DB)
    before = np.concatenate([np.full(round(RECENT_S / FRAME_S), -np.inf), low_db])
    recent_db = np.lib.stride_tricks.sliding_window_view(before, len(before) - len(low_db) + 1).max(axis=1)
    steady = sounding & (low_db >= recent_db - FALLEN_DB)
    bare = steady & (low_db - overtones_db >= BARE_DB)
    begins, ends = np.flatnonzero(np.diff(np.concatenate([[0], bare.astype(np.int8), [0]]))).reshape(-1, 2).T
    lasts = ends - begins
    return int(lasts[lasts * FRAME_S >= HELD_S].sum()), int(sounding.sum())


def with_overtones(signal: Mono) -> Mono:
    """The signal, at ``ANALYSIS_RATE``, with odd overtones of its low end added, which follow its level."""
    made = np.empty_like(signal)
    block, beside = round(BLOCK_S * ANALYSIS_RATE), round(BESIDE_S * ANALYSIS_RATE)
    for first in range(0, len(signal), block):
        before = min(first, beside)
        part = signal[first - before : first + block + beside]
        made[first : first + block] = _drive(part)[before : before + block]
    return made


def _drive(signal: Mono) -> NDArray[np.float32]:
    from scipy import signal as dsp

    low = dsp.sosfiltfilt(
        dsp.butter(2, DRIVEN_HZ, "lowpass", fs=ANALYSIS_RATE, output="sos"),
        signal,
        padlen=min(15, len(signal) - 1),
    )
    reach = round(FOLLOWED_S * ANALYSIS_RATE / 2)
    energy = np.concatenate([[0.0], np.cumsum(np.square(low))])
    place = np.arange(len(low))
    first, last = np.maximum(place - reach, 0), np.minimum(place + reach, len(low))
    level = np.sqrt(2 * (energy[last] - energy[first]) / (last - first)) + 1e-6
    added = level * np.tanh(DRIVE * low / level)
    kept = dsp.sosfilt(dsp.butter(1, KEPT_HZ, "bandpass", fs=ANALYSIS_RATE, output="sos"), added)
    return np.asarray(signal + ADDED * kept, np.float32)
