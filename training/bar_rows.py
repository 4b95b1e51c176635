"""Rows of beats as the second network for beats sees them: right ones with their bars, and wrong ones."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import repeat

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.bar_features import bar_features
from honest_stave.core.beat.beats_hearing import METERS, hear_beats
from honest_stave.core.beat.track import FEWEST_BEATS, other_levels, track_beats
from honest_stave.core.pitch.activity import CELL_S, FIRST_CELL_S
from training.beat_material import Made
from training.train_beats import warped

# Beats this near to true ones are the same; a row that agrees so far is right, and less than the other wrong.
NEAR_S, RIGHT, WRONG = 0.08, 0.85, 0.7
# Hands and ears are this far off.
JITTER_S = 0.012
# Rows counted wrongly that are kept of each hearing.
WRONG_KEPT = 4
UNKNOWN = -1
# Drums in two beats could as well be counted in four: what they are written in says nothing of what they are.
DRUMMED = ("band", "drums")


@dataclass(frozen=True)
class BarRow:
    """A row of beats, (beats, ...): features, downbeat (1, 0, -1 unknown), meter (-1 unknown), right (the same)."""

    features: NDArray[np.float16]
    downbeat: NDArray[np.int64]
    meter: int
    right: int


def agreement(beat_s: NDArray[np.float64], true_s: NDArray[np.float64]) -> float:
    """F1 of a row against the true one, where the music is known."""
    inside = beat_s[(beat_s > true_s[0] - 0.1) & (beat_s < true_s[-1] + 0.1)]
    if len(inside) < FEWEST_BEATS:
        return 0.0
    near = np.abs(inside[:, None] - true_s).min(axis=1) < NEAR_S
    return float(2 * near.sum() / (len(inside) + len(true_s)))


def all_bar_rows(clips: list[Made], rounds: int, workers: int = 2) -> list[BarRow]:
    """Rows of all clips, by workers; as many workers as there are, they are the same."""
    with ProcessPoolExecutor(workers) as pool:
        found = pool.map(bar_rows, clips, range(len(clips)), repeat(rounds), chunksize=20)
        return [row for rows in found for row in rows]


def bar_rows(clip: Made, number: int, rounds: int) -> list[BarRow]:
    """Rows of a clip played quicker and slower: as they are true, as they are tracked, and counted otherwise."""
    rows = []
    meters = set(clip.length.tolist())
    either = meters == {2} and not clip.compound and clip.texture in DRUMMED
    meter = METERS.index((int(clip.length[0]), clip.compound)) if len(meters) == 1 and not either else UNKNOWN
    for turn in range(rounds):
        random = np.random.default_rng([32, number, turn])
        heard, beat_cell, place = warped(clip, random)
        activity = hear_beats(heard)
        true_s = beat_cell * CELL_S + FIRST_CELL_S
        jittered_s = np.sort(true_s + random.normal(0, JITTER_S, len(true_s)))
        tracked_s, _ = track_beats(activity, heard.columns[:, -1].astype(float))
        found = [jittered_s, *other_levels(jittered_s)]
        if len(tracked_s) >= FEWEST_BEATS:
            found += [tracked_s, *other_levels(tracked_s)]
        wrong = 0
        for beat_s in (found[i] for i in random.permutation(len(found))):
            agreed = agreement(beat_s, true_s)
            if len(beat_s) < 2 * FEWEST_BEATS or (agreed <= RIGHT and wrong == WRONG_KEPT):
                continue
            wrong += agreed <= RIGHT
            barred = agreed > RIGHT and not either
            rows.append(
                BarRow(
                    bar_features(heard, activity, beat_s).astype(np.float16),
                    _downbeats(beat_s, true_s, place) if barred else np.full(len(beat_s), UNKNOWN),
                    meter if agreed > RIGHT else UNKNOWN,
                    1 if agreed > RIGHT else 0 if agreed < WRONG else UNKNOWN,
                )
            )
    return rows


def _downbeats(
    beat_s: NDArray[np.float64], true_s: NDArray[np.float64], place: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Which beats of a right row begin bars, unknown where no true one is near."""
    apart = np.abs(beat_s[:, None] - true_s)
    near = apart.min(axis=1) < 0.2 * float(np.median(np.diff(true_s)))
    return np.where(near, place[apart.argmin(axis=1)] == 0, UNKNOWN)
