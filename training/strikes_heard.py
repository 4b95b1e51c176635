"""What the shipped network for notes hears in clips, as they are and changed, and which strikes are true."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.hearing import STEP_CELLS, hear
from honest_stave.core.pitch.passages import passage_of
from honest_stave.core.pitch.strike_levels import levels_about
from honest_stave.core.pitch.strikes import Strikes, find_strikes
from honest_stave.core.pitch.weighing import strike_inputs
from training import clips as recipes
from training.changed import levels_of
from training.heard_kept import clip_paths, heard_in
from training.material import Heard as Clip
from training.note_network import FRAMES_PER_CELL
from training.passage_windows import LEVEL_STEPS

# Raise whenever what is heard in a clip comes out otherwise.
RECIPE = 4
# A strike this near to a note's onset may be that note; one this near tells how far off it is.
NEAR_S, TELLING_S = 0.07, 0.12


@dataclass(frozen=True)
class StrikesHeard:
    """The strikes of a clip, all (strikes, ...).

    Args:
        inputs: as from ``strike_inputs``.
        levels: as from ``levels_about``, in steps of ``1 / LEVEL_STEPS``.
        onset_s, pitch, passage: of each.
        right: whether it is a note.
        shift_s: how much later the nearest true onset of its pitch is; NaN where there is none.
        velocity: the note's, 0 to 1; NaN where it is none.
        one_voice: whether the clip is to be read as one voice, (1,).
    """

    inputs: NDArray[np.float16]
    levels: NDArray[np.uint8]
    onset_s: NDArray[np.float32]
    pitch: NDArray[np.int64]
    passage: NDArray[np.int64]
    right: NDArray[np.bool_]
    shift_s: NDArray[np.float32]
    velocity: NDArray[np.float32]
    one_voice: NDArray[np.bool_]


def bands_of(clip: Clip) -> Bands:
    """The clip's bands, whole steps of the network."""
    frames = len(clip.long) // (STEP_CELLS * FRAMES_PER_CELL) * STEP_CELLS * FRAMES_PER_CELL
    return Bands(*(levels_of(view[:frames]).astype(np.float16) for view in (clip.long, clip.short)))


def note_of(
    strikes: Strikes, notes: NDArray[np.float64], likely: NDArray[np.float64], near_s: float = 0.05
) -> NDArray[np.int64]:
    """True note of the likeliest strike near it, -1 for strikes that are none, (strikes,)."""
    found = np.full(len(strikes), -1)
    for index, (onset_s, _, _, pitch, _) in enumerate(notes):
        near = np.flatnonzero((strikes.pitch == pitch) & (np.abs(strikes.onset_s - onset_s) <= near_s) & (found < 0))
        if len(near):
            found[near[likely[near].argmax()]] = index
    return found


def shift_of(strikes: Strikes, notes: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much later (s) the nearest true onset of each strike's pitch is, NaN where none is near, (strikes,)."""
    found = np.full(len(strikes), np.inf)
    for onset_s, _, _, pitch, _ in notes:
        away = np.where(strikes.pitch == pitch, onset_s - strikes.onset_s, np.inf)
        found = np.where(np.abs(away) < np.abs(found), away, found)
    return np.where(np.abs(found) <= TELLING_S, found, np.nan)


def strikes_heard(clip: Clip) -> StrikesHeard:
    """What the shipped network hears in a clip."""
    bands = bands_of(clip)
    activity = hear(bands)
    strikes = find_strikes(activity)
    note = note_of(strikes, clip.notes, strikes.onset, NEAR_S)
    velocity = np.append(clip.notes[:, 4], np.nan)[note] / 127
    return StrikesHeard(
        inputs=strike_inputs(strikes, activity, bands),
        levels=np.minimum(LEVEL_STEPS * levels_about(strikes, bands, activity) + 0.5, 255).astype(np.uint8),
        onset_s=strikes.onset_s.astype(np.float32),
        pitch=strikes.pitch,
        passage=passage_of(strikes.cell, activity),
        right=note >= 0,
        shift_s=shift_of(strikes, clip.notes).astype(np.float32),
        velocity=velocity.astype(np.float32),
        one_voice=np.array([clip.kind not in recipes.MANY_KINDS]),
    )


def all_strikes_heard(cache: Path, *, tuning: bool, variant: int, workers: int = 1) -> list[StrikesHeard]:
    """The strikes of all clips, changed by the seed ``variant`` unless it is 0."""
    paths = clip_paths(cache, tuning)
    return heard_in(cache, f"strikes-{RECIPE}", paths, variant, strikes_heard, StrikesHeard, workers)
