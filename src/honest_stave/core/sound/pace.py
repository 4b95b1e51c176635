"""Recordings at a slower pace with their pitch kept, in pieces that join."""

import numpy as np
from numpy.typing import NDArray

# Sound before and after a piece that the stretcher hears too, so that pieces join.
CONTEXT_S = 0.25
# One rendering passes into another within so much, where both are most alike; none is itself before a while.
PASSING_S, PLACES_S, SETTLED_S = 0.03, 0.005, 0.1
# Paces that are the recording's own.
SAME_PACE = 0.001
# Rates that browsers must support, and the one used in place of others.
LOWEST_PLAYABLE, HIGHEST_PLAYABLE, PLAYED_INSTEAD = 8000, 96000, 48000


def stereo(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Two channels (2, frames) for listening: mono on both, more than two mixed down."""
    if samples.shape[1] == 2:
        return np.ascontiguousarray(samples.T)
    mono = samples.mean(axis=1, dtype=np.float32)
    return np.stack([mono, mono])


def stretched_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float
) -> NDArray[np.float32]:
    """A stretch of a recording at a pace, (2, frames) at the recording's rate.

    Args:
        samples: (frames, channels).
        rate: Hz.
        from_s, to_s: the stretch; silence where it lies outside the recording.
        pace: 1 for as recorded, 0.5 for half as fast.
    """
    first, last = round(from_s * rate), round(to_s * rate)
    if abs(pace - 1) <= SAME_PACE:
        return padded(samples, first, last)
    skip, length = round(round(CONTEXT_S * rate) / pace), round((last - first) / pace)
    slow = _stretched(samples, rate, first, last, pace)[:, skip : skip + length]
    return np.pad(slow, ((0, 0), (0, length - slow.shape[1])))


def joining_piece(
    samples: NDArray[np.float32], rate: int, from_s: float, to_s: float, pace: float
) -> NDArray[np.float32]:
    """A stretch of a recording at a pace, after which the stretch that begins at its end goes on without a seam.

    Args:
        samples, rate, from_s, to_s, pace: as of ``stretched_piece``.
    """
    piece = stretched_piece(samples, rate, from_s, to_s, pace)
    length = round(round(CONTEXT_S * rate) / pace)
    if abs(pace - 1) <= SAME_PACE or piece.shape[1] < 2 * length:
        return piece
    # A stretcher begins each time by chance: this piece ends, and the next begins, with the same sound around the seam.
    start, end = (_stretched(samples, rate, at, at + round(CONTEXT_S * rate), pace)
                  for at in (round(from_s * rate), round(to_s * rate)))  # fmt: skip
    begun = _passing(start[:, length : 2 * length], piece[:, :length], rate)
    ended = _passing(piece[:, -length:], end[:, :length], rate)
    return np.concatenate([begun, piece[:, length:-length], ended], axis=1)


def _passing(first: NDArray[np.float32], second: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    """The first sound passing into the second, both (2, frames), where they are most alike."""
    wide = round(PASSING_S * rate)
    places = np.arange(round(SETTLED_S * rate), first.shape[1] - wide, round(PLACES_S * rate))
    alike = np.array([_likeness(first[:, p : p + wide], second[:, p : p + wide]) for p in places])
    place, like = places[alike.argmax()], float(alike.max())
    angle = np.linspace(0, np.pi / 2, wide, dtype=np.float32)
    # Two sounds that are alike add up to more than others.
    over = slice(place, place + wide)
    mixed = (first[:, over] * np.cos(angle) + second[:, over] * np.sin(angle)) / np.sqrt(1 + like * np.sin(2 * angle))
    return np.concatenate([first[:, :place], mixed, second[:, place + wide :]], axis=1)


def _likeness(first: NDArray[np.float32], second: NDArray[np.float32]) -> float:
    both = float(np.sqrt((first**2).sum() * (second**2).sum()))
    # Opposed ones must not divide by nothing.
    return max(float((first * second).sum()) / both, -0.9) if both > 0 else 1.0


def playable(piece: NDArray[np.float32], rate: int) -> tuple[NDArray[np.float32], int]:
    """A piece (2, frames) at a rate every browser plays, and that rate."""
    if LOWEST_PLAYABLE <= rate <= HIGHEST_PLAYABLE:
        return piece, rate
    import soxr

    return np.ascontiguousarray(soxr.resample(piece.T, rate, PLAYED_INSTEAD).T), PLAYED_INSTEAD


def _stretched(samples: NDArray[np.float32], rate: int, first: int, last: int, pace: float) -> NDArray[np.float32]:
    """Frames ``first`` to ``last`` with what lies around them."""
    from python_stretch import Signalsmith

    context = round(CONTEXT_S * rate)
    stretcher = Signalsmith.Stretch()
    stretcher.preset(2, rate)
    stretcher.timeFactor = pace
    return np.asarray(stretcher.process(padded(samples, first - context, last + context)), np.float32)


def padded(samples: NDArray[np.float32], first: int, last: int) -> NDArray[np.float32]:
    inside = stereo(np.asarray(samples[max(first, 0) : max(min(last, len(samples)), 0)]))
    before, after = max(-first, 0), max(last - max(len(samples), first), 0)
    return np.pad(inside, ((0, 0), (min(before, last - first), after)))
