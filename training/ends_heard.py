"""What is known of the possible ends of notes in clips, and which of them are right."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.note_ends import end_inputs, possible_ends
from training import clips as recipes
from training.heard_kept import clip_paths, heard_in
from training.material import Heard as Clip
from training.read_again import Example, example

# Raise whenever what is heard in a clip comes out otherwise, or the network for strikes does.
RECIPE = 2
# An end is right within this share of what the measure allows: the longer of 50 ms and a fifth of the note.
TOLERANCE_S, TOLERANCE_SHARE, STRICTNESS = 0.05, 0.2, 0.9


@dataclass(frozen=True)
class EndsHeard:
    """The strikes of a clip, all (strikes, ...).

    Args:
        inputs: as from ``end_inputs``.
        onset_s, pitch, passage: of each.
        good: which of its possible ends are right, (strikes, ends).
        telling: whether it is a note, and counted: only these have right ends.
        one_voice: whether the clip is to be read as one voice, (1,).
    """

    inputs: NDArray[np.float16]
    onset_s: NDArray[np.float32]
    pitch: NDArray[np.int64]
    passage: NDArray[np.int64]
    good: NDArray[np.bool_]
    telling: NDArray[np.bool_]
    one_voice: NDArray[np.bool_]


def ends_heard(clip: Clip) -> EndsHeard:
    """What the shipped networks hear in a clip."""
    return ends_of_example(example(clip))


def ends_of_example(e: Example) -> EndsHeard:
    """The possible ends of what was heard, and which are right."""
    one_voice = e.clip.kind not in recipes.MANY_KINDS
    ends = possible_ends(e.strikes, e.score >= 0, e.activity, "one" if one_voice else "many")
    notes = np.vstack([e.clip.notes, np.full((1, 5), np.nan)])[e.note]
    tolerance_s = np.maximum(TOLERANCE_S, TOLERANCE_SHARE * (notes[:, 2] - notes[:, 0]))
    return EndsHeard(
        inputs=end_inputs(e.strikes, e.score, ends, e.passage, e.activity, e.bands),
        onset_s=e.strikes.onset_s.astype(np.float32),
        pitch=e.strikes.pitch,
        passage=e.passage,
        good=np.abs(ends - notes[:, [2]]) <= STRICTNESS * tolerance_s[:, None],
        telling=e.right & (e.score >= 0),
        one_voice=np.array([one_voice]),
    )


def all_ends_heard(cache: Path, *, tuning: bool, workers: int = 1) -> list[EndsHeard]:
    """The ends in all clips."""
    paths = clip_paths(cache, tuning)
    return heard_in(cache, f"ends-{RECIPE}", paths, 0, ends_heard, EndsHeard, workers)
