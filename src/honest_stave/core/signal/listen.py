"""What a reading listens to: channels chosen, a filter, a stretch of the take."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput
from honest_stave.core.signal.mapped import let_go
from honest_stave.core.signal.opposed import opposed_channels

Channels = Literal["sum", "left", "right", "difference"]
Mono = NDArray[np.float32]

# 22.05 kHz holds two harmonics of the highest pitch we read (4.2 kHz).
ANALYSIS_RATE = 22050
# Samples mixed and resampled at once: an hour never lies in memory at its full rate.
BLOCK_SAMPLES = 1 << 20
# Fewer samples than this cannot be filtered forwards and backwards.
SHORTEST_FILTERED = 64


@dataclass(frozen=True)
class ListenSettings:
    """How a reading hears its take; the take itself is never changed.

    Args:
        channels: which channels are listened to.
        low_cut_hz: sound below is left out; 0 for no cut.
        high_cut_hz: sound above is left out; 0 for no cut.
        from_s: start of the stretch that is read.
        to_s: its end; 0 for the end of the take.
    """

    channels: Channels = "sum"
    low_cut_hz: float = 0.0
    high_cut_hz: float = 0.0
    from_s: float = 0.0
    to_s: float = 0.0


def heard_channels(samples: NDArray[np.float32], channels: Channels) -> tuple[list[int], list[float]]:
    """Channels that are listened to and their weights; no silent one thins the sum, none cancels another."""
    count = samples.shape[1]
    if count == 1 or channels == "left":
        return [0], [1.0]
    if channels == "right":
        return [1], [1.0]
    if channels == "difference":
        return [0, 1], [0.5, -0.5]
    blocks = range(0, len(samples), BLOCK_SAMPLES)
    heard = [c for c in range(count) if any(np.any(samples[i : i + BLOCK_SAMPLES, c]) for i in blocks)] or [0]
    turned = opposed_channels(samples)
    let_go(samples)
    return heard, [(-1.0 if turned[c] else 1.0) / len(heard) for c in heard]


def _resampled(samples: NDArray[np.float32], first: int, last: int, rate: int, channels: Channels) -> Mono:
    """Frames ``first`` to ``last`` as mono at ``ANALYSIS_RATE``, made block by block."""
    # Imported here: the web server names settings of a reading, only workers resample and filter.
    import soxr

    heard, weights = heard_channels(samples, channels)
    stream = soxr.ResampleStream(rate, ANALYSIS_RATE, 1, dtype="float32") if rate != ANALYSIS_RATE else None
    # Room for all of it at once: joining blocks would need it twice.
    mono = np.empty(int((last - first) * ANALYSIS_RATE / rate) + ANALYSIS_RATE, np.float32)
    filled = 0
    for start in range(first, last, BLOCK_SAMPLES):
        stop = min(last, start + BLOCK_SAMPLES)
        block = samples[start:stop][:, heard] @ np.array(weights, np.float32)
        piece = stream.resample_chunk(block, last=stop == last) if stream else block
        mono[filled : filled + len(piece)] = piece
        filled += len(piece)
        let_go(samples)
    return mono[:filled]


def _filtered(mono: Mono, cut_hz: float, kind: str) -> Mono:
    """The signal without what lies beyond ``cut_hz``, its moments kept (forwards and backwards)."""
    if not 0 < cut_hz < ANALYSIS_RATE / 2 or len(mono) <= SHORTEST_FILTERED:
        return mono
    from scipy import signal as dsp

    sos = dsp.butter(4, cut_hz, kind, fs=ANALYSIS_RATE, output="sos")
    return np.asarray(dsp.sosfiltfilt(sos, mono), np.float32)


def prepare(samples: NDArray[np.float32], rate: int, settings: ListenSettings) -> tuple[Mono, float]:
    """The mono signal at ``ANALYSIS_RATE`` that an engine reads, and where it begins.

    Args:
        samples: (frames, channels), full scale 1.
        rate: sampling rate in Hz.
        settings: channels, filter and stretch.

    Returns:
        The signal without constant offset, and the take's moment (s) of its first sample.

    Raises:
        BadInput: the stretch holds no sound.
    """
    first = round(max(settings.from_s, 0.0) * rate)
    last = min(len(samples), round(settings.to_s * rate)) if settings.to_s > 0 else len(samples)
    if last <= first:
        raise BadInput(
            "The stretch to read is empty.",
            f"It goes from {settings.from_s:g} s to {settings.to_s:g} s in a take of "
            f"{len(samples) / rate:g} s. Choose a later end.",
        )
    mono = _resampled(samples, first, last, rate, settings.channels)
    mono -= np.float32(np.mean(mono, dtype=np.float64))
    mono = _filtered(mono, settings.low_cut_hz, "highpass")
    mono = _filtered(mono, settings.high_cut_hz, "lowpass")
    return np.ascontiguousarray(mono, np.float32), first / rate
