"""A recording along another time, its pitch kept: what sounds on goes on through every change of pace."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.sound.stretches import padded

Spectra = NDArray[np.complexfloating[Any, Any]]

# Long enough that the partials of a bass lie apart.
WINDOW_S = 0.09
# Windows overlap so many times; squared and added they are even.
OVERLAP = 4
EVEN = 1.5
# Windows heard at once.
TOGETHER = 64
# A partial that is so much stronger than one hop before is struck: it keeps the phase that it has in the recording.
STRUCK = 2.0
# So much to either side of a stroke keeps the recording's pace; what that costs is made up for within so much, or
# half way to the next stroke, of which half at most is kept.
KEPT_S, REACH_S, MOST_KEPT = 0.045, 0.1, 0.5


def warped(
    samples: NDArray[np.float32],
    rate: int,
    from_s: NDArray[np.float64],
    to_s: NDArray[np.float64],
    struck_s: NDArray[np.float64],
    progress: Progress = no_progress,
) -> Iterator[NDArray[np.float32]]:
    """The recording from its first knot to its last, each knot where it is to be; blocks of (frames, channels).

    A phase vocoder whose partials turn together with the peak they belong to (Puckette 1995; Laroche and Dolson
    1999); what is newly struck begins with the phase of the recording (Roebel 2003).

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s: knots in the recording, rising, (knots,).
        to_s: where they are to be, rising from 0, (knots,).
        struck_s: moments of the recording, rising, around which it is moved and not stretched, (strokes,).
        progress: told the share done; may raise ``Stopped``.
    """
    hop, window = hop_and_window(rate)
    size = len(window)
    channels = samples.shape[1]
    length = round(to_s[-1] * rate)
    starts = np.arange(-size + hop, length, hop)
    knots_from, knots_to = strokes_kept(from_s, to_s, struck_s)
    centre_s = (starts + size / 2) / rate
    heard = np.round(_along(centre_s, knots_to, knots_from) * rate).astype(int) - size // 2
    out = np.zeros((channels, size + TOGETHER * hop), np.float32)
    before: Spectra = np.ones((channels, size // 2 + 1), np.complex64)
    for first in range(0, len(starts), TOGETHER):
        progress(first / len(starts))
        at = heard[first : first + TOGETHER]
        low, high = int(at.min()) - hop, int(at.max()) + size
        sound = padded(samples, low, high).T
        rows = (at - low)[:, None] + np.arange(size)
        now = np.fft.rfft(sound[:, rows] * window)
        past = np.fft.rfft(sound[:, rows - hop] * window)
        turned = np.empty_like(now)
        for i in range(len(at)):
            before = turned[:, i] = now[:, i] * turn(before, past[:, i], now[:, i])
        pieces = np.fft.irfft(turned, size) * (window / EVEN)
        for i in range(len(at)):
            out[:, i * hop : i * hop + size] += pieces[:, i]
        done = len(at) * hop
        # The first windows begin before the first knot.
        yield out[:, max(0, -starts[first]) : min(done, length - starts[first])].T
        out = np.concatenate([out[:, done:], np.zeros((channels, done), np.float32)], axis=1)


def hop_and_window(rate: int) -> tuple[int, NDArray[np.float32]]:
    """Frames from one window to the next, a power of two, and the window of ``OVERLAP`` hops."""
    hop = 2 ** round(np.log2(WINDOW_S * rate / OVERLAP))
    return hop, np.hanning(OVERLAP * hop + 1)[:-1].astype(np.float32)


def strokes_kept(
    from_s: NDArray[np.float64], to_s: NDArray[np.float64], struck_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Knots of a map as given, but that goes on at the recording's own pace around every stroke, (knots,) each.

    Args:
        from_s, to_s, struck_s: as of ``warped``.
    """
    there_s = np.interp(struck_s, from_s, to_s)
    nearest_s = np.diff(struck_s, prepend=-np.inf, append=np.inf) / 2
    knots = [(from_s, to_s)]
    for side, free_s in ((-1, nearest_s[:-1]), (1, nearest_s[1:])):
        back_s = struck_s + side * np.minimum(REACH_S, free_s)
        back_there_s = _along(back_s, from_s, to_s)
        room_s = np.minimum(np.abs(back_s - struck_s), np.abs(back_there_s - there_s))
        kept_s = side * np.minimum(KEPT_S, MOST_KEPT * room_s)
        knots += [(back_s, back_there_s), (struck_s + kept_s, there_s + kept_s)]
    every_from, every_to = (np.concatenate(column) for column in zip(*knots, strict=True))
    order = np.argsort(every_from, kind="stable")
    return every_from[order], every_to[order]


def _along(
    moment_s: NDArray[np.float64], from_s: NDArray[np.float64], to_s: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Where moments lie by a map that goes on at the recording's own pace beyond its ends."""
    beyond_s = np.minimum(moment_s - from_s[0], 0) + np.maximum(moment_s - from_s[-1], 0)
    return np.asarray(np.interp(moment_s, from_s, to_s) + beyond_s)


def turn(before: Spectra, past: Spectra, now: Spectra) -> Spectra:
    """By what each bin of a window is turned to go on from the window before it, (bins,) of magnitude 1.

    Args:
        before: what was written one hop before, (channels, bins).
        past, now: the recording one hop before and now, (channels, bins).
    """
    level = np.abs(now).sum(axis=0)
    inner = level[1:-1]
    peak = np.flatnonzero((inner >= level[:-2]) & (inner > level[2:])) + 1
    if not len(peak):
        return np.ones(len(level), np.complex64)
    going_on = (before[:, peak] * np.conj(past[:, peak])).sum(axis=0)
    struck = level[peak] > STRUCK * np.abs(past[:, peak]).sum(axis=0)
    strength = np.abs(going_on)
    plain = struck | (strength == 0)
    turned = np.where(plain, 1.0, going_on / np.where(plain, 1.0, strength))
    # Bins belong to the peak they are nearest to.
    borders = np.concatenate([[0], (peak[1:] + peak[:-1] + 1) // 2, [len(level)]])
    return np.repeat(turned, np.diff(borders))
