"""The attack of a hit, to the sample: where its sound begins to rise."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.hits.hearing import RATE
from honest_stave.core.hits.stretches import BLOCK_HITS, cut_out

Floats = NDArray[np.float32]

# The attack is looked for this far to either side of where the network puts it.
REACH_S = 0.012
# Energy after a moment is compared with that before it.
AFTER_S, BEFORE_S = 0.0015, 0.004
# Moments this far away need so much more of a rise.
AWAY_S = 0.005
# The rise begins where the level first reaches this share of the peak of the stretch that follows.
PEAK_S, RISE_SHARE, OVER_BEFORE = 0.03, 0.1, 1.3
# High-passes above which the rise is looked for.
PASSES_HZ = (40.0, 300.0, 3000.0)
# Heard before a stretch that is looked at: the lowest high-pass has forgotten its beginning by then (-120 dB).
SETTLED_S = 0.08


def _passes(pieces: Floats) -> list[Floats]:
    """Each piece above each of ``PASSES_HZ``, causal: nothing rises before it does.

    Butterworth high-passes of second order, as their response on the circle of frequencies. What comes round from
    the end of a piece to its beginning is forgotten within ``SETTLED_S``, as what was before it is.
    """
    size = 1 << pieces.shape[1].bit_length()
    spectrum = np.fft.rfft(pieces, size)
    delay = np.exp(-2j * np.pi * np.arange(size // 2 + 1) / size)
    found = []
    for hz in PASSES_HZ:
        warped = np.tan(np.pi * hz / RATE)
        poles = (1 + delay) ** 2 * warped**2 + np.sqrt(2) * warped * (1 - delay**2) + (1 - delay) ** 2
        response = ((1 - delay) ** 2 / poles).astype(np.complex64)
        found.append(np.fft.irfft(spectrum * response, size)[:, : pieces.shape[1]].astype(np.float32))
    return found


def refine_attacks(mono: Floats, time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Moments (s) of attacks near ``time_s``, to the sample.

    Args:
        mono: at ``RATE``.
        time_s: rough moments, in order.
    """
    places = np.round(time_s * RATE).astype(int)
    blocks = [_refine(mono, places[first : first + BLOCK_HITS]) for first in range(0, len(places), BLOCK_HITS)]
    return np.concatenate([*blocks, np.zeros(0)]) / RATE


def _refine(mono: Floats, places: NDArray[np.int64]) -> NDArray[np.float64]:
    """Samples at which the sounds near ``places`` begin to rise, (hits,)."""
    reach, after, before = (round(s * RATE) for s in (REACH_S, AFTER_S, BEFORE_S))
    lead = round(SETTLED_S * RATE) + reach + 2 * before
    length = lead + reach + round(PEAK_S * RATE) + after
    passed = _passes(cut_out(mono, places - lead, length))
    offsets = np.arange(-reach, reach + 1)
    price = (offsets / (AWAY_S * RATE)) ** 2
    row = np.arange(len(places))
    best, found, chosen = np.full(len(places), -np.inf), np.full(len(places), lead), np.zeros(len(places), int)
    for number, view in enumerate(passed):
        energy = np.cumsum(np.square(view, dtype=np.float64), axis=1)
        floor = 1e-9 + 1e-6 * energy[:, -1:].mean() / length
        moment = lead + offsets - 1
        rise = np.log(
            ((energy[:, moment + after] - energy[:, moment]) / after + floor)
            / ((energy[:, moment] - energy[:, moment - before]) / before + floor)
        )
        score = rise - price
        place = score.argmax(axis=1)
        better = score[row, place] > best
        best = np.where(better, score[row, place], best)
        found = np.where(better, lead + offsets[place], found)
        chosen = np.where(better, number, chosen)
    starts = [
        _rise_begins(passed[c][i], f) for i, c, f in zip(row.tolist(), chosen.tolist(), found.tolist(), strict=True)
    ]
    return np.asarray(np.maximum(places - lead + np.array(starts, float), 0.0))


def _rise_begins(view: Floats, place: int) -> int:
    """First sample near ``place`` at which the level reaches a share of the peak that follows."""
    before, peak = round(BEFORE_S * RATE), round(PEAK_S * RATE)
    first = max(place - before // 2, 0)
    level = np.abs(view[first : place + peak])
    if not len(level):
        return place
    earlier = np.abs(view[max(first - before, 0) : first]).max(initial=0.0)
    wanted = max(RISE_SHARE * float(level.max()), min(OVER_BEFORE * float(earlier), 0.9 * float(level.max())))
    return first + int(np.argmax(level >= wanted))
