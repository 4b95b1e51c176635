"""Log-frequency bands that the network for notes hears.

Two views of the sound at one hop: long windows with three bands a semitone, which tell
neighbouring pitches apart, and short windows with one band a semitone, which tell when
something was struck. A band is a window of constant quality round its frequency, applied as
a real kernel to the spectrum of a frame whose middle is moment 0 (Brown and Puckette, 1992).
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.scaling import reference_level_db
from honest_stave.core.signal.frames import slice_thinned, windows
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

HOP_SAMPLES = 256
LOWEST_PITCH = 21
# 104 semitones from A0 end below half the analysis rate.
SEMITONES = 104
BANDS_PER_SEMITONE = 3
LONG_BANDS = SEMITONES * BANDS_PER_SEMITONE
# Periods in a window, and its longest and shortest; short windows trade pitch for time.
LONG_PERIODS, LONG_LONGEST_S, LONG_SHORTEST_S = 33.6, 0.272, 0.012
SHORT_PERIODS, SHORT_LONGEST_S, SHORT_SHORTEST_S = 12.0, 0.064, 0.012
# Levels below this are silence to the network; the practice of 16 bits reaches -96 dB.
FLOOR_DB = -110.0
# Bins farther from a band than this many widths of its window are left out: they lie under -60 dB.
REACH_LOBES = 6
# Low bands are heard in every fourth or eighth sample, as long as they lie in the share that the filter passes.
THINNED, PASSED_SHARE = (4, 8), 0.85
# Frames summed at once: bounds the memory of an hour.
BLOCK_FRAMES = 4096


@dataclass(frozen=True)
class Bands:
    """Levels in dB of the two views, (frames, bands), frame i centred on i * HOP_SAMPLES."""

    long_db: NDArray[np.floating]
    short_db: NDArray[np.floating]

    @cached_property
    def reference_db(self) -> float:
        """How loud the recording is; measured once, for an hour holds a hundred million levels."""
        return reference_level_db(self.long_db)

    @cached_property
    def total_db(self) -> NDArray[np.float32]:
        """Level of everything in each frame of the short view, (frames,)."""
        blocks = [self.short_db[k : k + BLOCK_FRAMES] for k in range(0, len(self.short_db), BLOCK_FRAMES)]
        return np.concatenate([10 * np.log10((10 ** (b.astype(np.float32) / 10)).sum(axis=1)) for b in blocks])


def band_pitches(bands_per_semitone: int) -> NDArray[np.float64]:
    """MIDI pitch of each band; with three a semitone the middle one is the semitone."""
    bands = np.arange(SEMITONES * bands_per_semitone)
    return LOWEST_PITCH + (bands - (bands_per_semitone - 1) / 2) / bands_per_semitone


@dataclass(frozen=True)
class _Kernel:
    """Bands that share a size of transform.

    Args:
        thinned: every how many samples one is heard: low bands need few.
        size: samples of the transform.
        first_bin: first bin of the spectrum that counts.
        weights: real weights of the bins, (bins, bands).
    """

    thinned: int
    size: int
    first_bin: int
    weights: NDArray[np.float32]


@lru_cache(maxsize=4)
def _kernels(
    bands_per_semitone: int, periods: float, longest_s: float, shortest_s: float, tuning_cents: float
) -> tuple[_Kernel, ...]:
    hz = 440.0 * 2.0 ** ((band_pitches(bands_per_semitone) - 69 + tuning_cents / 100) / 12)
    lengths = np.round(np.clip(periods / hz, shortest_s, longest_s) * ANALYSIS_RATE).astype(int)
    sizes = 2 ** np.ceil(np.log2(lengths)).astype(int)
    kernels = []
    for size in sorted(set(sizes.tolist()), reverse=True):
        members = sizes == size
        reach_hz = REACH_LOBES * ANALYSIS_RATE / lengths[members].min()
        thinned = max(
            (t for t in THINNED if (hz[members].max() + reach_hz) * t < PASSED_SHARE * ANALYSIS_RATE / 2), default=1
        )
        rate, size = ANALYSIS_RATE / thinned, size // thinned
        length, centre = lengths[members, None] / thinned, 2 * np.pi * hz[members, None] / rate
        lowest = max(0, int((hz[members].min() - reach_hz) * size / rate))
        bins = np.arange(lowest, min(size // 2, int((hz[members].max() + reach_hz) * size / rate)) + 1)
        away = 2 * np.pi * bins / size - centre
        turn = 2 * np.pi / length
        # A raised cosine is a constant and two waves; of each the sum over the window is known.
        spectrum = 0.5 * _sum_of_wave(away, length) + 0.25 * (
            _sum_of_wave(away - turn, length) + _sum_of_wave(away + turn, length)
        )
        spectrum *= 2 / (0.5 * (2 * (length // 2) + 1) + 0.5 * _sum_of_wave(turn, length)) / size
        # The middle of a frame is at half its length: odd bins change their sign.
        spectrum[:, bins % 2 == 1] *= -1
        kernels.append(_Kernel(thinned, size, lowest, np.ascontiguousarray(spectrum.T, np.float32)))
    return tuple(kernels)


def _sum_of_wave(radians: NDArray[np.float64], length: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sum of a wave of ``radians`` a sample over places -length/2 to length/2 (Dirichlet's kernel)."""
    half = np.sin(radians / 2)
    near = np.abs(half) < 1e-9
    count = 2 * (length // 2) + 1
    return np.where(near, count, np.sin(radians * count / 2) / np.where(near, 1.0, half))


def _levels_db(
    signal: Mono, first: int, count: int, views: tuple[tuple[_Kernel, ...], ...], hop: int = HOP_SAMPLES
) -> list[NDArray[np.float32]]:
    """Levels of each view, (frames, bands)."""
    thin = _thinned(signal, first, count, [kernel for kernels in views for kernel in kernels], hop)
    levels = []
    for kernels in views:
        columns = []
        for kernel in kernels:
            used = slice(kernel.first_bin, kernel.first_bin + len(kernel.weights))
            frames = _frames(signal, thin, first, count, kernel, hop)
            spectrum = np.fft.rfft(frames, axis=1)[:, used]
            columns.append((spectrum.real @ kernel.weights) ** 2 + (spectrum.imag @ kernel.weights) ** 2)
        power = np.concatenate(columns, axis=1)
        levels.append(np.asarray(10 * np.log10(np.maximum(power, 10 ** (FLOOR_DB / 10))), np.float32))
    return levels


@dataclass(frozen=True)
class _Thin:
    """A stretch of the signal of which every so many samples one is kept; begins ``before`` samples too early."""

    samples: Mono
    before: int


def _thinned(signal: Mono, first: int, count: int, kernels: list[_Kernel], hop: int) -> dict[int, _Thin]:
    """What the frames need of the signal, thinned out in each of the ways of the kernels for low bands."""
    found = {}
    for thinned in {k.thinned for k in kernels} - {1}:
        if hop % thinned:
            raise ValueError(f"A hop of {hop} samples is no multiple of {thinned}.")
        before = max(k.size for k in kernels if k.thinned == thinned) * thinned // 2
        begin, end = first * hop - before, (first + count - 1) * hop + before
        found[thinned] = _Thin(slice_thinned(signal, begin, end, thinned), before)
    return found


def _frames(
    signal: Mono, thin: dict[int, _Thin], first: int, count: int, kernel: _Kernel, hop: int
) -> NDArray[np.float32]:
    """Frames (count, size) of the signal, thinned out for low bands."""
    if kernel.thinned == 1:
        return windows(signal, first, count, hop=hop, length=kernel.size)
    stretch = thin[kernel.thinned]
    begin = stretch.before // kernel.thinned - kernel.size // 2
    view = np.lib.stride_tricks.sliding_window_view(stretch.samples[begin:], kernel.size)
    return view[:: hop // kernel.thinned][:count]


def measure_bands(signal: Mono, first: int, count: int, tuning_cents: float = 0.0) -> Bands:
    """Levels of ``count`` frames from frame ``first`` on; silence lies outside the signal.

    Args:
        signal: mono at ``ANALYSIS_RATE``, full scale 1.
        first: index of the first frame, may be negative.
        count: number of frames.
        tuning_cents: where the semitones lie, against A 440.
    """
    long_kernels = _kernels(BANDS_PER_SEMITONE, LONG_PERIODS, LONG_LONGEST_S, LONG_SHORTEST_S, tuning_cents)
    short_kernels = _kernels(1, SHORT_PERIODS, SHORT_LONGEST_S, SHORT_SHORTEST_S, tuning_cents)
    return Bands(*_levels_db(signal, first, count, (long_kernels, short_kernels)))


def measure_long_db(signal: Mono, first: int, count: int, hop: int) -> NDArray[np.float32]:
    """Levels of the long view alone at any hop, (frames, bands), frame i centred on i * ``hop``."""
    kernels = _kernels(BANDS_PER_SEMITONE, LONG_PERIODS, LONG_LONGEST_S, LONG_SHORTEST_S, 0.0)
    return _levels_db(signal, first, count, (kernels,), hop)[0]
