"""The finest cut of a pitch line, and how much each cut is worth.

The line is cut wherever its semitone changes or an attack is heard. Neighbours are then
joined again, cheapest pair first (Ward 1963 on the pitch, plus the strength of the attack
between them), and each cut keeps the price at which it went. A note list for any
readiness to split is then a matter of comparing one number a cut.
"""

import heapq
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from honest_stave.core.pitch.attacks import Attacks
from honest_stave.core.pitch.salience import HOP_S
from honest_stave.core.pitch.track import Track

# Shorter silences in the line are bridged: a consonant or a lost frame, not a rest.
BRIDGE_FRAMES = 4
# An attack this near to a change of semitone is the cause of it.
SNAP_FRAMES = 6
# Slope at which a frame counts half, semitones a second: glides say little about pitch.
SLOPE_HALF = 12.0
# Differences beyond this cost no more, in semitones.
FARTHEST_SEMITONES = 3.0
# An attack of this strength in dB is worth the usual price of a cut by itself.
ATTACK_DB = 3.0
# A short glide belongs to the note it leads to rather than to the one it leaves.
BACKWARD_FACTOR = 2.0


@dataclass(frozen=True)
class Fragments:
    """Pieces of the line, in order.

    Args:
        first: (pieces,) first frame.
        last: (pieces,) one past the last frame.
        pitch: (pieces,) median pitch, MIDI.
        weight_s: (pieces,) duration in seconds, glides counting less.
        price: (pieces,) price of the cut before the piece; infinite after a silence.
        attack_db: (pieces,) strength of the attack at its start, 0 for none.
        attack_s: (pieces,) moment of that attack, NaN for none.
    """

    first: NDArray[np.int64]
    last: NDArray[np.int64]
    pitch: NDArray[np.float64]
    weight_s: NDArray[np.float64]
    price: NDArray[np.float64]
    attack_db: NDArray[np.float64]
    attack_s: NDArray[np.float64]


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]


def bridged_pitch(pitch: NDArray[np.float32]) -> NDArray[np.float64]:
    """Pitch with short unvoiced gaps filled in a straight line, NaN elsewhere."""
    filled = pitch.astype(np.float64)
    for first, last in _runs(np.isnan(pitch)):
        if first > 0 and last < len(pitch) and last - first <= BRIDGE_FRAMES:
            ends = filled[[first - 1, last]]
            step = np.arange(1, last - first + 1) / (last - first + 1)
            near = np.abs(ends[1] - ends[0]) < 1.0
            filled[first:last] = ends[0] + (ends[1] - ends[0]) * step if near else ends[1]
    return filled


def _cuts(semitone: NDArray[np.float64], first: int, last: int, attack_frames: NDArray[np.int64]) -> list[int]:
    """Frames inside (first, last) at which the line is cut."""
    changes = first + 1 + np.flatnonzero(np.diff(semitone[first:last]) != 0)
    inside = attack_frames[(attack_frames > first + 1) & (attack_frames < last - 1)]
    cuts: set[int] = set(inside.tolist())
    for change in changes.tolist():
        if not any(abs(change - frame) <= SNAP_FRAMES for frame in inside):
            cuts.add(change)
    return sorted(cuts)


def cut_line(track: Track, attacks: Attacks, *, tuning_cents: float, split_price: float) -> Fragments:
    """Cuts the line of ``track`` and prices every cut.

    Args:
        track: the pitch line.
        attacks: attacks heard in the same signal.
        tuning_cents: what the recording is off A 440.
        split_price: usual price of a cut, seconds x semitones^2.
    """
    line = bridged_pitch(track.pitch)
    known = ~np.isnan(line)
    smooth = line.copy()
    for first, last in _runs(known):
        smooth[first:last] = ndimage.median_filter(line[first:last], 5, mode="nearest")
    smooth -= tuning_cents / 100.0
    semitone = np.round(smooth)
    attack_frames = np.round(attacks.time_s / HOP_S).astype(np.int64)
    starts: list[int] = []
    ends: list[int] = []
    fresh: list[bool] = []
    for first, last in _runs(known):
        edges = [first, *_cuts(semitone, first, last, attack_frames), last]
        starts += edges[:-1]
        ends += edges[1:]
        fresh += [True] + [False] * (len(edges) - 2)
    slope = np.abs(np.gradient(np.nan_to_num(smooth, nan=0.0))) / HOP_S if len(line) > 1 else line * 0
    frame_weight = HOP_S / (1.0 + np.square(np.minimum(slope, 1e3) / SLOPE_HALF))
    frame_weight = np.maximum(frame_weight, 0.05 * HOP_S)
    pitch = np.array([float(np.median(smooth[a:b])) for a, b in zip(starts, ends, strict=True)])
    weight = np.array([float(frame_weight[a:b].sum()) for a, b in zip(starts, ends, strict=True)])
    attack_db, attack_s = _attacks_at(starts, attacks, attack_frames)
    attack_price = split_price * np.square(attack_db / ATTACK_DB)
    price = _price_cuts(pitch, weight, attack_price, np.array(fresh, bool))
    return Fragments(np.array(starts, np.int64), np.array(ends, np.int64), pitch, weight, price, attack_db, attack_s)


def _attacks_at(
    starts: list[int], attacks: Attacks, attack_frames: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    strength = np.zeros(len(starts))
    moment = np.full(len(starts), np.nan)
    if len(attack_frames) == 0:
        return strength, moment
    for i, start in enumerate(starts):
        low, high = np.searchsorted(attack_frames, [start - 4, start + 5])
        if high > low:
            best = low + int(np.argmax(attacks.strength[low:high]))
            strength[i] = attacks.strength[best]
            moment[i] = attacks.time_s[best]
    return strength, moment


def _price_cuts(
    pitch: NDArray[np.float64],
    weight: NDArray[np.float64],
    attack_price: NDArray[np.float64],
    fresh: NDArray[np.bool_],
) -> NDArray[np.float64]:
    """Price of the cut before each piece, by greedy joining."""
    count = len(pitch)
    price = np.full(count, np.inf)
    mean, mass = pitch.copy(), weight.copy()
    right = np.arange(1, count + 1)
    left = np.arange(-1, count - 1)
    alive = np.ones(count, bool)
    version = np.zeros(count, np.int64)

    def cost(a: int, b: int) -> float:
        distance = min(abs(mean[a] - mean[b]), FARTHEST_SEMITONES)
        backward = BACKWARD_FACTOR if mass[b] < mass[a] and right[b] < count and not fresh[right[b]] else 1.0
        joined = mass[a] * mass[b] / (mass[a] + mass[b]) * distance**2 * backward
        return float(joined + attack_price[b])

    queue = [(cost(b - 1, b), b, 0, 0) for b in range(1, count) if not fresh[b]]
    heapq.heapify(queue)
    highest = 0.0
    while queue:
        value, b, version_a, version_b = heapq.heappop(queue)
        a = int(left[b]) if alive[b] else -1
        if a < 0 or version[a] != version_a or version[b] != version_b:
            continue
        highest = max(highest, value)
        price[b] = highest
        total = mass[a] + mass[b]
        mean[a] = (mean[a] * mass[a] + mean[b] * mass[b]) / total
        mass[a] = total
        alive[b] = False
        version[a] += 1
        right[a] = right[b]
        if right[a] < count:
            left[right[a]] = a
        for c, d in ((int(left[a]), a), (a, int(right[a]))):
            if c >= 0 and d < count and not fresh[d]:
                heapq.heappush(queue, (cost(c, d), d, int(version[c]), int(version[d])))
    return price
