"""What a slice sounds like, and the null test: all slices in place against the loop."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.kit import Slice

Samples = NDArray[np.float32]
# A slice that ends where it no longer sounds ends where its level has fallen this far, over this window.
SOUND_FALL_DB, SOUND_WINDOW_S = 50.0, 0.005
# It is let go over this time, so that nothing clicks.
LET_GO_S = 0.005
QUIETEST_DB = -150.0
# Of what no slice covers, this much is looked at at once, so that an hour is not copied.
BLOCK_FRAMES = 1 << 16


def sounds_until(samples: Samples, first: int, last: int, rate: int) -> int:
    """Frame after which a slice is ``SOUND_FALL_DB`` under its loudest."""
    window = max(round(SOUND_WINDOW_S * rate), 1)
    power = np.square(samples[first:last].astype(np.float64)).mean(axis=1)
    blocks = len(power) // window
    if blocks < 2:
        return last
    level = power[: blocks * window].reshape(blocks, window).mean(axis=1)
    loud = np.flatnonzero(level > level.max() * 10 ** (-SOUND_FALL_DB / 10))
    return min(last, first + (int(loud[-1]) + 2) * window) if len(loud) else last


def sound_of(samples: Samples, piece: Slice, rate: int) -> Samples:
    """The slice as it plays, (frames, channels); an untouched one is the very samples of the loop.

    Args:
        samples: of the take it comes from, (frames, channels).
        piece: the slice.
        rate: Hz.
    """
    settings = piece.settings
    first, last = (settings.first_frame, settings.last_frame) if settings.take else (piece.first, piece.last)
    end = sounds_until(samples, first, last, rate) if settings.end == "sound" else last
    sound = np.array(samples[first:end], np.float32)
    if settings.muted:
        return np.zeros_like(sound)
    if settings.reversed:
        sound = sound[::-1].copy()
    if settings.gain_db:
        sound *= np.float32(10 ** (settings.gain_db / 20))
    fade_s = settings.fade_s or (LET_GO_S if end < last else 0.0)
    if fade_s and len(sound):
        count = min(round(fade_s * rate), len(sound))
        sound[len(sound) - count :] *= np.linspace(1, 0, count, dtype=np.float32)[:, None]
    return sound


@dataclass(frozen=True)
class NullTest:
    """How far the slices played in place differ from the loop.

    Args:
        exact: every sample is the same to the last bit.
        residual_db: loudest difference, dB re full scale.
        breaking: ids of the slices that differ, and by how much (dB).
    """

    exact: bool
    residual_db: float
    breaking: tuple[tuple[str, float], ...]


def null_test(samples: Samples, slices: Sequence[Slice], sounds: Iterable[Samples]) -> NullTest:
    """Plays all slices in place and compares with the loop.

    Args:
        samples: of the take, (frames, channels).
        slices: all of them, in order of time.
        sounds: what each plays, asked for one after the other.
    """
    breaking = []
    covered = 0
    worst = _loudest(samples[: slices[0].first] if slices else samples)
    for piece, sound in zip(slices, sounds, strict=True):
        loop = samples[piece.first : piece.last]
        played = np.zeros_like(loop)
        count = min(len(sound), len(loop))
        played[:count] = sound[:count]
        difference = float(np.abs(loop - played).max(initial=0.0))
        if difference > 0 or len(sound) > len(loop):
            breaking.append((piece.id, as_db(difference)))
        worst = max(worst, difference)
        covered = piece.last
    worst = max(worst, _loudest(samples[covered:]))
    return NullTest(worst == 0 and not breaking, as_db(worst), tuple(breaking))


def _loudest(samples: Samples) -> float:
    blocks = (samples[first : first + BLOCK_FRAMES] for first in range(0, len(samples), BLOCK_FRAMES))
    return max((float(np.abs(block).max(initial=0.0)) for block in blocks), default=0.0)


def as_db(amplitude: float) -> float:
    """Amplitude in dB, the quietest for nothing."""
    return float(20 * np.log10(amplitude)) if amplitude > 10 ** (QUIETEST_DB / 20) else QUIETEST_DB
