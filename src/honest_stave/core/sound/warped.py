"""A recording along another time, its pitch kept: what sounds on goes on through every change of pace."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.sound.pace import padded

Spectra = NDArray[np.complex128]

# Long enough that the partials of a bass lie apart.
WINDOW_S = 0.09
# Windows overlap so many times; squared and added they are even.
OVERLAP = 4
EVEN = 1.5
# Windows heard at once.
TOGETHER = 64
# A partial that is so much stronger than one hop before is struck: it keeps the phase that it has in the recording.
STRUCK = 2.0
# So much to either side of a knot keeps its pace, if the stretches beside it are this many times as long: what is
# struck there is moved, and not stretched.
KEPT_S, LEAST_TIMES = 0.045, 4.0


def warped(
    samples: NDArray[np.float32],
    rate: int,
    from_s: NDArray[np.float64],
    to_s: NDArray[np.float64],
    progress: Progress = no_progress,
) -> Iterator[NDArray[np.float32]]:
    """The recording from its first knot to its last, each knot where it is to be; blocks of (frames, 2).

    A phase vocoder whose partials turn together with the peak they belong to (Puckette 1995; Laroche and Dolson
    1999); what is newly struck begins with the phase of the recording (Roebel 2003).

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s: knots in the recording, rising, (knots,).
        to_s: where they are to be, rising from 0, (knots,).
        progress: told the share done; may raise ``Stopped``.
    """
    hop = max(1, round(WINDOW_S * rate / OVERLAP))
    size = OVERLAP * hop
    window = np.hanning(size + 1)[:-1]
    length = round(to_s[-1] * rate)
    starts = np.arange(-size + hop, length, hop)
    knots_from, knots_to = attacks_kept(from_s, to_s)
    centre_s = (starts + size / 2) / rate
    # Outside the knots the recording goes on at its own pace.
    inside_s = np.interp(centre_s, knots_to, knots_from)
    outside_s = np.minimum(centre_s - knots_to[0], 0) + np.maximum(centre_s - knots_to[-1], 0)
    heard = np.round((inside_s + outside_s) * rate).astype(int) - size // 2
    out = np.zeros((2, size + TOGETHER * hop))
    before = np.ones((2, size // 2 + 1), complex)
    for first in range(0, len(starts), TOGETHER):
        progress(first / len(starts))
        at = heard[first : first + TOGETHER]
        low, high = int(at.min()) - hop, int(at.max()) + size
        sound = padded(samples, low, high)
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
        yield out[:, max(0, -starts[first]) : min(done, length - starts[first])].T.astype(np.float32)
        out = np.concatenate([out[:, done:], np.zeros((2, done))], axis=1)


def attacks_kept(
    from_s: NDArray[np.float64], to_s: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Knots of a map that goes through the given ones at the recording's own pace, (knots,) each."""
    shorter_s = np.minimum(np.diff(from_s), np.diff(to_s))
    beside_s = np.minimum(np.append(shorter_s[0], shorter_s), np.append(shorter_s, shorter_s[-1]))
    kept_s = np.minimum(KEPT_S, beside_s / LEAST_TIMES)
    aside_s = np.stack([-kept_s, kept_s], axis=1)
    return (from_s[:, None] + aside_s).ravel(), (to_s[:, None] + aside_s).ravel()


def turn(before: Spectra, past: Spectra, now: Spectra) -> NDArray[np.complex128]:
    """By what each bin of a window is turned to go on from the window before it, (bins,) of magnitude 1.

    Args:
        before: what was written one hop before, (channels, bins).
        past, now: the recording one hop before and now, (channels, bins).
    """
    level = np.abs(now).sum(axis=0)
    inner = level[1:-1]
    peak = np.flatnonzero((inner >= level[:-2]) & (inner > level[2:])) + 1
    if not len(peak):
        return np.ones(len(level), complex)
    going_on = (before[:, peak] * np.conj(past[:, peak])).sum(axis=0)
    struck = level[peak] > STRUCK * np.abs(past[:, peak]).sum(axis=0)
    strength = np.abs(going_on)
    plain = struck | (strength == 0)
    turned = np.where(plain, 1.0, going_on / np.where(plain, 1.0, strength))
    # Bins belong to the peak they are nearest to.
    borders = np.concatenate([[0], (peak[1:] + peak[:-1] + 1) // 2, [len(level)]])
    return np.repeat(turned, np.diff(borders))
