"""What the network for hits hears, and what it says of every frame."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.networks.opening import open_network
from honest_stave.core.signal.frames import slice_padded

RATE = 44100
HOP_SAMPLES = 256
HOP_S = HOP_SAMPLES / RATE
# A short window for the moment, a long one for the pitch of low drums.
WINDOWS = (1024, 4096)
BANDS, LOWEST_HZ, HIGHEST_HZ = 64, 35.0, 16500.0
# Power at and under this is silence; the recording is divided by its peak before.
SILENCE_DB, UNIT_DB = -80.0, 30.0
# Silence is put in front, for a hit at the very beginning has no rise otherwise.
LEAD_S = 0.1
TURNED_SAMPLES = 2048
LEAD_FRAMES = round(LEAD_S * RATE / HOP_SAMPLES)
# Frames heard at once, and what the network sees to either side.
STRETCH_FRAMES, CONTEXT_FRAMES = 3440, 64
# Spectra made at once stay in the processor's cache.
BLOCK_FRAMES = 64

Floats = NDArray[np.float32]


@lru_cache(maxsize=2)
def _bands(window: int) -> Floats:
    """Triangular bands, equally wide in pitch, (bins up to the last that is heard, bands)."""
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, BANDS + 2)
    hz = np.arange(window // 2 + 1) * RATE / window
    # Low bands are narrower than a bin: every band keeps at least the width of one.
    width = np.maximum(np.diff(edges), RATE / window)
    rise = 1 - (edges[1:-1] - hz[:, None]) / width[:-1]
    fall = 1 - (hz[:, None] - edges[1:-1]) / width[1:]
    weights = np.clip(np.minimum(rise, fall), 0, None)
    heard = int(np.flatnonzero(weights.any(axis=1))[-1]) + 1
    return np.asarray((weights / weights.sum(axis=0))[:heard], np.float32)


def measure_levels(mono: Floats, rate: int = RATE) -> Floats:
    """Levels of both windows as the network expects them, (2, frames, bands), 0 for silence.

    Args:
        mono: any level; frame i is centred ``LEAD_S`` before i * ``HOP_S``.
        rate: of ``mono``, ``RATE`` or half of it: the same bands, silence where half the samples hold nothing.
    """
    step = RATE // rate
    hop, turned = HOP_SAMPLES // step, TURNED_SAMPLES // step
    peak = np.float32(max(float(mono.max(initial=0.0)), -float(mono.min(initial=0.0)), 1e-6))
    frames = LEAD_FRAMES + len(mono) // hop + 1
    end = _turned(mono, turned)
    views = np.empty((2, frames, BANDS), np.float32)
    for view, window in zip(views, WINDOWS, strict=True):
        length = window // step
        taper = np.hanning(length + 1)[:-1].astype(np.float32)
        taper /= taper.sum() / 2
        bands = _bands(window)[: length // 2 + 1]
        for first in range(0, frames, BLOCK_FRAMES):
            count = min(BLOCK_FRAMES, frames - first)
            begin = (first - LEAD_FRAMES) * hop - length // 2
            stop = begin + (count - 1) * hop + length
            beyond = max(stop - len(mono), 0)
            stretch = np.concatenate([slice_padded(mono, begin, stop - beyond), end[:beyond]]) / peak
            framed = np.lib.stride_tricks.sliding_window_view(stretch, length)[::hop] * taper
            spectrum = np.fft.rfft(framed, axis=1)[:, : len(bands)]
            power = (spectrum.real**2 + spectrum.imag**2) @ bands
            level = 10 * np.log10(np.maximum(power, 1e-12))
            view[first : first + count] = np.maximum(level - SILENCE_DB, 0) / UNIT_DB
    return views


def _turned(mono: Floats, samples: int) -> Floats:
    """What follows the take: it may be cut while something sounds, and turned about its last sample goes on so."""
    last = slice_padded(mono, len(mono) - samples - 1, len(mono))
    return np.asarray(2 * last[-1] - last[-2::-1], np.float32)


@dataclass(frozen=True)
class Activity:
    """Probabilities of every frame: ``any`` hit (frames,), by drum and its velocity (frames, drums)."""

    any: Floats
    drum: Floats
    velocity: Floats


def hear(levels: Floats, progress: Progress = no_progress, network: str = "hits") -> Activity:
    """What the network says, the frames of the lead left out.

    Args:
        levels: as from ``measure_levels``.
        progress: told the share done; may raise ``Stopped``.
        network: which hears: what others learnt from keeps its ears.

    Raises:
        BadInput: the network is missing or damaged.
    """
    ears = open_network(network)
    frames = levels.shape[1]
    said = np.empty((13, frames), np.float32)
    for first in range(0, frames, STRETCH_FRAMES):
        stop = min(first + STRETCH_FRAMES, frames)
        low, high = max(first - CONTEXT_FRAMES, 0), min(stop + CONTEXT_FRAMES, frames)
        heard = ears.run(None, {"levels": levels[None, :, low:high]})[0][0]
        said[:, first:stop] = heard[:, first - low : first - low + stop - first]
        progress(stop / frames)
    said = said[:, LEAD_FRAMES:]
    return Activity(said[0], said[1:7].T, said[7:13].T)
