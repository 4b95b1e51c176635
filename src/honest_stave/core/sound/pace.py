"""Recordings at a slower pace with their pitch kept, in pieces that join."""

from math import ceil, floor

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.sound.stretches import at_rate, padded, stereo
from honest_stave.core.sound.struck import strokes_between
from honest_stave.core.sound.warped import EVEN, hop_and_window, warped

# Sound before and after a piece that is stretched with it, so that pieces join.
CONTEXT_S = 0.4
# One rendering passes into another after so much of the time they have for it, and before so much of it is left.
SETTLED = 0.5
# Sound to either side of what is brought to another rate: more than a piece looks at.
AROUND_S = 1.0
# Paces that are the recording's own.
SAME_PACE = 0.001


def stretched_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float
) -> NDArray[np.float32]:
    """A stretch of a recording at a pace, (2, frames) at the recording's rate; what is struck is not stretched.

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s, to_s: the stretch; silence where it lies outside the recording.
        pace: 1 for as recorded, 0.5 for half as fast.
    """
    if abs(pace - 1) <= SAME_PACE:
        return stereo(padded(samples, round(from_s * rate), round(to_s * rate)))
    skip, length = round(CONTEXT_S / pace * rate), round((to_s - from_s) / pace * rate)
    return stereo(at_pace(samples, rate, from_s - CONTEXT_S, to_s + CONTEXT_S, pace))[:, skip : skip + length]


def joining_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float
) -> NDArray[np.float32]:
    """A stretch of a recording at a pace, after which the stretch that begins at its end goes on without a seam.

    Args:
        samples, rate, from_s, to_s, pace: as of ``stretched_piece``.
    """
    piece = stretched_piece(samples, rate, from_s, to_s, pace)
    length = round(CONTEXT_S / pace * rate)
    if abs(pace - 1) <= SAME_PACE or piece.shape[1] < length:
        return piece
    # What leads up to the next piece is what that begins with before its beginning.
    lead = stereo(at_pace(samples, rate, to_s - CONTEXT_S, to_s + CONTEXT_S, pace))[:, :length]
    return np.concatenate([piece[:, :-length], _passing(piece[:, -length:], lead, rate)], axis=1)


def played_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float, played_rate: int
) -> NDArray[np.float32]:
    """A joining piece at the rate it is played at: browsers go from one rate to another by straight lines.

    Args:
        samples, rate, from_s, to_s, pace: as of ``stretched_piece``.
        played_rate: Hz.
    """
    if played_rate == rate:
        return joining_piece(samples, rate, from_s, to_s, pace)
    # Whole seconds are whole frames at either rate: pieces agree about what lies between.
    start_s, end_s = floor(from_s - AROUND_S), ceil(to_s + AROUND_S)
    sound = at_rate(padded(samples, start_s * rate, end_s * rate), rate, played_rate)
    return joining_piece(sound, played_rate, from_s - start_s, to_s - start_s, pace)


def at_pace(samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float) -> NDArray[np.float32]:
    """A stretch of a recording at a pace by itself, (frames, channels).

    Args:
        samples, rate, from_s, to_s, pace: as of ``stretched_piece``.
    """
    ends_s = np.array([from_s, to_s])
    struck_s = strokes_between(samples, rate, from_s, to_s)
    return np.concatenate(list(warped(samples, rate, ends_s, (ends_s - from_s) / pace, struck_s)))


def _passing(first: NDArray[np.float32], second: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    """The first sound passing into the second, which differs from it in the phases of its partials, (2, frames)."""
    hop, window = hop_and_window(rate)
    size, length = len(window), first.shape[1]
    starts = np.arange(hop, size + length, hop)
    rows = starts[:, None] + np.arange(size)
    around = ((0, 0), (size, 2 * size))
    before, after = (np.fft.rfft(np.pad(sound, around)[:, rows] * window) for sound in (first, second))
    share = np.linspace(-SETTLED, 1 + SETTLED, len(starts)).clip(0, 1)[:, None]
    # Each partial turns the shorter way, and goes on turning that way.
    apart = np.unwrap(np.angle(after * np.conj(before)), axis=1)
    level = (1 - share) * np.abs(before) + share * np.abs(after)
    pieces = np.fft.irfft(level * np.exp(1j * (np.angle(before) + share * apart)), size) * (window / EVEN)
    mixed = np.zeros((2, length + 3 * size))
    for i, start in enumerate(starts.tolist()):
        mixed[:, start : start + size] += pieces[:, i]
    return mixed[:, size : size + length].astype(np.float32)
