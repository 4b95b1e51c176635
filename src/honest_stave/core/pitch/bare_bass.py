"""A bass without overtones (a sine, the long tone of a drum machine): it is heard with some added.

The ears learnt from instruments, whose low notes are told by their overtones; a bare tone under
100 Hz is nothing to them. Where a take is mostly that, or holds one under other notes that is not
heard, its low end is driven as a loudspeaker or a desk would, which gives it odd overtones, and
then it is read like any other bass. What the take sounds like is not changed.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

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
# Under other notes a low tone reaches so near to the whole. It is missed where for so much of the time it is held and
# no note that lies in the low end is read, while notes are for so much: drums have none. Those 150 recordings come to
# .12 at most, tones under chords to .4.
WITHIN_DB, MISSED, HIGHEST_LOW, NOTES_SOUND = 6.0, 0.25, 42, 0.3
# How much earlier and later than it was read a note may sound.
BEFORE_S, AFTER_S = 0.1, 0.15
# By so much over its level, which is followed over so long.
DRIVE, FOLLOWED_S = 3.0, 0.06
# What the driven sound keeps.
KEPT_HZ = (60.0, 1500.0)
# Long takes are driven in blocks, each with so much before and after it.
BLOCK_S, BESIDE_S = 60.0, 1.0


@dataclass(frozen=True)
class Driven:
    """How the low end is driven: what lies under ``below_hz``, and how much of what it gives is added."""

    below_hz: float
    added: float


# Under other notes less is driven, which would be mixed with it, and more is added, to be heard among them. Of 16 low
# tones under chords 15 are read with .35, all with 1; of 16 under chords and kicks none, and 14.
ALONE, UNDER_NOTES = Driven(300.0, 0.35), Driven(100.0, 1.0)


def is_bare_bass(parts: Sequence[Mono]) -> bool:
    """Whether stretches of a take are mostly low tones without overtones.

    Args:
        parts: stretches at ``ANALYSIS_RATE``.
    """
    heard = [_low_tones(part) for part in parts if len(part) >= HELD_S * ANALYSIS_RATE]
    bare = sum(int(found.bare.sum()) for found in heard)
    return bare > MOSTLY * sum(int(found.sounding.sum()) for found in heard)


def misses_low_tones(
    parts: Sequence[tuple[float, Mono]],
    onset_s: NDArray[np.float64],
    end_s: NDArray[np.float64],
    pitch: NDArray[np.int64],
) -> bool:
    """Whether low tones are held in a take where none of its notes is.

    Args:
        parts: stretches at ``ANALYSIS_RATE`` with the moments at which they begin.
        onset_s, end_s, pitch: of the notes that were read, (notes,).
    """
    missed = noted = sounding = 0
    for starts_s, part in parts:
        if len(part) < HELD_S * ANALYSIS_RATE:
            continue
        found = _low_tones(part)
        time_s = starts_s + FRAME_S * np.arange(len(found.held))
        here = (onset_s - BEFORE_S < time_s[-1]) & (end_s + AFTER_S > starts_s)
        inside = (time_s[:, None] > onset_s[here] - BEFORE_S) & (time_s[:, None] < end_s[here] + AFTER_S)
        missed += int((found.held & ~inside[:, pitch[here] <= HIGHEST_LOW].any(axis=1)).sum())
        noted += int((found.sounding & inside.any(axis=1)).sum())
        sounding += int(found.sounding.sum())
    return missed > MISSED * sounding and noted > NOTES_SOUND * sounding


@dataclass(frozen=True)
class _LowTones:
    """Frames in which anything sounds, a low tone is held, and one is held that has no overtones over it."""

    sounding: NDArray[np.bool_]
    held: NDArray[np.bool_]
    bare: NDArray[np.bool_]


def _low_tones(signal: Mono) -> _LowTones:
    """What is told by the levels of the low end, of where its overtones would be, and of the whole, every 20 ms."""
    hop, length = round(FRAME_S * ANALYSIS_RATE), round(SEEN_S * ANALYSIS_RATE)
    hz = np.fft.rfftfreq(length, 1 / ANALYSIS_RATE)
    padded = np.pad(signal, (length // 2, length))
    framed = np.lib.stride_tricks.sliding_window_view(padded, length)[: len(signal) : hop]
    power = np.abs(np.fft.rfft(framed * np.hanning(length), axis=1)) ** 2 / (WINDOW_RMS * length) ** 2

    def band_db(band: tuple[float, float]) -> NDArray[np.float64]:
        inside = (hz >= band[0]) & (hz <= band[1])
        return np.asarray(10 * np.log10(2 * power[:, inside].sum(axis=1) + 1e-12))

    low_db, overtones_db, all_db = band_db(LOW_HZ), band_db(OVERTONES_HZ), band_db((LOW_HZ[0], ANALYSIS_RATE / 2))
    sounding = all_db > max(float(all_db.max()) - DEPTH_DB, QUIETEST_DB)
    before = np.concatenate([np.full(round(RECENT_S / FRAME_S), -np.inf), low_db])
    recent_db = np.lib.stride_tricks.sliding_window_view(before, len(before) - len(low_db) + 1).max(axis=1)
    steady = sounding & (low_db >= recent_db - FALLEN_DB)
    return _LowTones(
        sounding,
        _lasting(steady & (low_db >= all_db - WITHIN_DB)),
        _lasting(steady & (low_db - overtones_db >= BARE_DB)),
    )


def _lasting(held: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Only what is held for ``HELD_S`` and longer."""
    steps = np.diff(np.concatenate([[0], held.astype(np.int8), [0]]))
    begins, ends = np.flatnonzero(steps).reshape(-1, 2).T
    long = (ends - begins) * FRAME_S >= HELD_S
    count = np.zeros(len(steps), int)
    count[begins[long]] += 1
    count[ends[long]] -= 1
    return np.asarray(np.cumsum(count)[:-1] > 0)


def with_overtones(signal: Mono, driven: Driven = ALONE) -> Mono:
    """The signal with odd overtones of its low end added, which follow its level.

    Args:
        signal: at ``ANALYSIS_RATE``.
        driven: what of it, and how much is added.
    """
    made = np.empty_like(signal)
    block, beside = round(BLOCK_S * ANALYSIS_RATE), round(BESIDE_S * ANALYSIS_RATE)
    for first in range(0, len(signal), block):
        before = min(first, beside)
        part = signal[first - before : first + block + beside]
        made[first : first + block] = _drive(part, driven)[before : before + block]
    return made


def _drive(signal: Mono, driven: Driven) -> NDArray[np.float32]:
    from scipy import signal as dsp

    low = dsp.sosfiltfilt(
        dsp.butter(2, driven.below_hz, "lowpass", fs=ANALYSIS_RATE, output="sos"),
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
    return np.asarray(signal + driven.added * kept, np.float32)
