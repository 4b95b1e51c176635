"""A recording straightened to a steady tempo by its beat map, and its proof: what was struck is found again."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import BeatMap, stops_of
from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.sound.struck import APART_S, strokes_between
from honest_stave.core.sound.warped import warped

Values = NDArray[np.float64]

# A stroke further off than this is not found again.
NEAR_S = 0.02


@dataclass(frozen=True)
class Straightening:
    """What is to be done.

    Args:
        from_s: beats, and pins between them, in the recording.
        to_s: where they are to be.
        struck_s: moments of the recording at which something is struck.
    """

    from_s: Values
    to_s: Values
    struck_s: Values

    def frames(self, rate: int) -> int:
        """Length of what is made, at a rate."""
        return round(float(self.to_s[-1]) * rate)


@dataclass(frozen=True)
class StraightProof:
    """Strokes found again in what was written, of how many, and how far they lie from their place."""

    found: int
    strokes: int
    middle_ms: float
    nine_in_ten_ms: float


def plan_straightening(
    samples: NDArray[np.float32], rate: int, beat_map: BeatMap, bpm: float, progress: Progress = no_progress
) -> Straightening:
    """Each beat as long as the others, and a held one as long as it is written.

    Args:
        samples: (frames, channels).
        rate: Hz.
        beat_map: the map; sound before its first beat is left out, and after its last.
        bpm: felt beats a minute.
        progress: told the share done; may raise ``Stopped``.
    """
    written = {hold.beat: hold.written_beats for hold in beat_map.holds}
    beats = np.array([written.get(i, 1.0) for i in range(len(beat_map.beats) - 1)])
    stops = stops_of(beat_map)
    from_s = stops.time_s
    inside_s = from_s[0] + APART_S, from_s[-1] - APART_S
    struck_s = strokes_between(samples, rate, *inside_s, progress)
    place = np.interp(stops.place, np.arange(len(beats) + 1), np.concatenate([[0.0], np.cumsum(beats)]))
    return Straightening(from_s, place * 60.0 / bpm, struck_s)


def straightened(
    samples: NDArray[np.float32], rate: int, plan: Straightening, progress: Progress = no_progress
) -> Iterator[NDArray[np.float32]]:
    """The recording at a steady tempo, its pitch kept; blocks of (frames, channels).

    Args:
        samples, rate, progress: as of ``plan_straightening``.
        plan: as from there.
    """
    from_s, struck_s = plan.from_s, plan.struck_s
    beat = np.searchsorted(from_s, struck_s)
    off_beat_s = struck_s[np.minimum(from_s[beat] - struck_s, struck_s - from_s[beat - 1]) > APART_S]
    # What is struck on the beats and between them is moved and not stretched.
    kept_s = np.sort(np.concatenate([from_s, off_beat_s]))
    return warped(samples, rate, from_s, plan.to_s, kept_s, progress)


def prove_straight(plan: Straightening, written_s: Values) -> StraightProof:
    """Compares the strokes of what was written with where the map brings those of the recording.

    Args:
        plan: what was done.
        written_s: moments at which something is struck in the file, rising.
    """
    wanted_s = np.interp(plan.struck_s, plan.from_s, plan.to_s)
    ends_s = np.concatenate([[-np.inf], written_s, [np.inf]])
    after = np.searchsorted(ends_s, wanted_s)
    off_s = np.minimum(ends_s[after] - wanted_s, wanted_s - ends_s[after - 1])
    near_ms = 1e3 * off_s[off_s <= NEAR_S]
    middle_ms, most_ms = np.quantile(near_ms, [0.5, 0.9]) if len(near_ms) else (0.0, 0.0)
    return StraightProof(len(near_ms), len(off_s), float(middle_ms), float(most_ms))
