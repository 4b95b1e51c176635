"""Where something is struck in a recording: what is slowed down or moved there must stay as it is."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.sound.stretches import padded

# Levels are heard in windows of so much, every so often, in bands of a third of an octave from here on.
WINDOW_S, HOP_S = 0.016, 0.004
LOWEST_HZ, BANDS_AN_OCTAVE = 60.0, 3
# Under this a band is silent, dB re full scale.
SILENT_DB = -80.0
# Something is struck where levels rise so much in the mean of the bands, against those of so many hops before.
RISE_DB, HOPS_BEFORE = 1.5, 4
# Levels rise most when a stroke has entered the window and not yet reached its middle.
EARLY_S = 0.0025
# It begins within so much of that, told in steps, where what follows for so long is loudest for what comes before;
# what is softer than this share of it is silence.
REACH_S, STEP_S, COMPARED_S, SMALLEST_SHARE = 0.01, 0.0005, 0.004, 0.01
# Of two strokes closer than this the stronger counts.
APART_S = 0.05
# A recording is heard in pieces of so much, with what a moment depends on around them.
PIECE_S, AROUND_S = 10.0, 0.1


def strokes_between(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, progress: Progress = no_progress
) -> NDArray[np.float64]:
    """Moments of a recording at which something is struck between two moments (s), rising.

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s, to_s: may lie outside the recording.
        progress: told the share done; may raise ``Stopped``.
    """
    found = [np.zeros(0)]
    for start_s in np.arange(from_s, to_s, PIECE_S).tolist():
        progress((start_s - from_s) / (to_s - from_s))
        stop_s = min(start_s + PIECE_S, to_s)
        first = round((start_s - AROUND_S) * rate)
        moment_s = first / rate + _strokes_s(padded(samples, first, round((stop_s + AROUND_S) * rate)).T, rate)
        found.append(moment_s[(moment_s >= start_s) & (moment_s < stop_s)])
    return np.concatenate(found)


def _strokes_s(sound: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """Moments (s) from the beginning of the sound (channels, frames)."""
    hop, size = round(HOP_S * rate), round(WINDOW_S * rate)
    points = 1 << size.bit_length()
    if sound.shape[1] < size:
        return np.zeros(0)
    windows = np.lib.stride_tricks.sliding_window_view(sound, size, axis=1)[:, ::hop]
    spectra = np.fft.rfft(windows * np.hanning(size).astype(np.float32), points)
    power = (np.abs(spectra) ** 2).sum(axis=0) / (size / 4) ** 2
    octaves = np.log2(np.fft.rfftfreq(points, 1 / rate)[1:] / LOWEST_HZ)
    band = np.floor(BANDS_AN_OCTAVE * octaves).astype(int).clip(0)
    starts = 1 + np.flatnonzero(np.diff(band, prepend=-1))
    in_bands = np.add.reduceat(power, starts, axis=1)
    level_db = np.maximum(10 * np.log10(in_bands + 1e-12), SILENT_DB)
    before_db = np.lib.stride_tricks.sliding_window_view(level_db, HOPS_BEFORE, axis=0).max(axis=2)
    rise_db = np.zeros(len(level_db))
    rise_db[HOPS_BEFORE:] = np.maximum(level_db[HOPS_BEFORE:] - before_db[:-1], 0).mean(axis=1)
    near = round(APART_S / HOP_S)
    highest = np.lib.stride_tricks.sliding_window_view(np.pad(rise_db, near), 2 * near + 1).max(axis=1)
    found = np.flatnonzero((rise_db >= RISE_DB) & (rise_db == highest))
    return _begun(sound, rate, np.round(found * hop + size / 2 + EARLY_S * rate).astype(int)) / rate


def _begun(sound: NDArray[np.float32], rate: int, near: NDArray[np.int64]) -> NDArray[np.int64]:
    """Frames near the given ones before which it is quietest for how loud it is after them."""
    bends = np.concatenate([[0.0], np.cumsum((np.diff(sound, axis=1, prepend=0) ** 2).sum(axis=0, dtype=np.float64))])
    step, length = max(1, round(STEP_S * rate)), round(COMPARED_S * rate)
    reach = step * round(REACH_S / STEP_S)
    place = near[:, None] + np.arange(-reach, reach + 1, step)

    def power(first: NDArray[np.int64]) -> NDArray[np.float64]:
        return np.asarray(np.diff(bends[np.stack([first, first + length]).clip(0, len(bends) - 1)], axis=0)[0])

    before, after = power(place - length), power(place)
    floor = SMALLEST_SHARE * after.max(axis=1, keepdims=True) + 1e-12
    rise = (after + floor) / (before + floor)
    return np.asarray(np.take_along_axis(place, rise.argmax(axis=1)[:, None], axis=1)[:, 0])
