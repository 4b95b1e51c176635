"""How strongly each pitch is present in each frame.

Method: the sawtooth-inspired strength with prime harmonics (Camacho and Harris 2008).
The square root of the spectrum on an ERB scale is compared with a kernel of cosine
lobes at the first and the prime harmonics of each candidate. We depart from it in the
number of harmonics (bounded by the band) and in using windows of at least 23 ms.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.signal.frames import magnitudes, slice_padded
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

# 11.6 ms; attacks are placed between frames afterwards.
HOP_FRAMES = 256
HOP_S = HOP_FRAMES / ANALYSIS_RATE
BINS_A_SEMITONE = 5
LOWEST_PITCH = 22
HIGHEST_PITCH = 108
# Window lengths in samples: 186 ms down to 23 ms.
WINDOWS = (4096, 2048, 1024, 512)
# A window should hold this many periods for its lobes to be told apart.
PERIODS_A_WINDOW = 8.0
# Frames computed at once: bounds the memory, large enough for fast products.
BLOCK_FRAMES = 2048


@dataclass(frozen=True)
class Grid:
    """Candidate pitches (bins,) of the salience."""

    pitches: NDArray[np.float64]

    @property
    def bins(self) -> int:
        return len(self.pitches)


@lru_cache(maxsize=1)
def pitch_grid() -> Grid:
    """The candidate pitches, five a semitone from 29 Hz to 4.2 kHz."""
    count = (HIGHEST_PITCH - LOWEST_PITCH) * BINS_A_SEMITONE + 1
    return Grid(LOWEST_PITCH + np.arange(count) / BINS_A_SEMITONE)


def _hz_to_erb(hz: NDArray[np.float64] | float) -> NDArray[np.float64]:
    return np.asarray(6.44 * (np.log2(229.0 + np.asarray(hz)) - 7.84))


def _erb_to_hz(erb: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(2.0 ** (erb / 6.44 + 7.84) - 229.0)


def _harmonics(highest: int) -> list[int]:
    primes = [n for n in range(2, highest + 1) if all(n % d for d in range(2, int(n**0.5) + 1))]
    return [1, *primes]


@lru_cache(maxsize=1)
def _kernels() -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """Frequencies (erb bins,) and kernels (erb bins, pitch bins)."""
    top_hz = 0.97 * ANALYSIS_RATE / 2
    frequencies = _erb_to_hz(np.arange(float(_hz_to_erb(25.0)), float(_hz_to_erb(top_hz)), 0.1))
    f0 = pitch_to_hz(pitch_grid().pitches)
    kernel = np.zeros((len(frequencies), len(f0)), np.float32)
    for i, fundamental in enumerate(f0):
        ratio = frequencies / fundamental
        lobes = np.zeros(len(frequencies))
        for h in _harmonics(max(1, int(top_hz / fundamental - 0.75))):
            distance = np.abs(ratio - h)
            peak = distance < 0.25
            lobes[peak] = np.cos(2 * np.pi * ratio[peak])
            valley = (distance > 0.25) & (distance < 0.75)
            lobes[valley] += np.cos(2 * np.pi * ratio[valley]) / 2
        lobes *= np.sqrt(1.0 / frequencies)
        kernel[:, i] = lobes / np.linalg.norm(np.maximum(lobes, 0.0))
    return frequencies, kernel


@lru_cache(maxsize=1)
def _window_weights() -> NDArray[np.float32]:
    """Share (windows, pitch bins) of each window length in each pitch's strength."""
    best = np.log2(PERIODS_A_WINDOW * ANALYSIS_RATE / pitch_to_hz(pitch_grid().pitches))
    lengths = np.log2(np.array(WINDOWS, float))
    best = np.clip(best, lengths.min(), lengths.max())
    return np.asarray(np.maximum(0.0, 1.0 - np.abs(lengths[:, None] - best[None, :])), np.float32)


def frame_count(samples: int) -> int:
    """Number of frames that cover ``samples`` samples, centred on multiples of the hop."""
    return samples // HOP_FRAMES + 1


def salience_blocks(signal: Mono) -> Iterator[tuple[int, NDArray[np.float32]]]:
    """Strength of each pitch, block by block.

    Args:
        signal: mono at ``ANALYSIS_RATE``.

    Yields:
        First frame of the block and its strengths (frames, bins), 1 for a perfect match.
    """
    frequencies, kernel = _kernels()
    weights = _window_weights()
    total = frame_count(len(signal))
    half = max(WINDOWS) // 2
    for first in range(0, total, BLOCK_FRAMES):
        count = min(BLOCK_FRAMES, total - first)
        begin = first * HOP_FRAMES - half
        end = (first + count - 1) * HOP_FRAMES + half
        piece = slice_padded(signal, begin, end)
        strength = np.zeros((count, kernel.shape[1]), np.float32)
        for length, share in zip(WINDOWS, weights, strict=True):
            used = np.flatnonzero(share > 0)
            offset = half - length // 2
            frames = np.lib.stride_tricks.sliding_window_view(piece[offset:], length)[::HOP_FRAMES][:count]
            spectrum = magnitudes(frames * np.hanning(length).astype(np.float32))
            bin_hz = ANALYSIS_RATE / length
            place = frequencies / bin_hz
            low = np.minimum(place.astype(int), spectrum.shape[1] - 2)
            part = (place - low).astype(np.float32)
            loudness = np.sqrt(spectrum[:, low] * (1 - part) + spectrum[:, low + 1] * part)
            norm = np.linalg.norm(loudness, axis=1, keepdims=True)
            loudness = (loudness / np.maximum(norm, 1e-9)).astype(np.float32)
            strength[:, used] += (loudness @ kernel[:, used]) * share[used]
        yield first, strength
