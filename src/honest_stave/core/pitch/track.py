"""The pitch line of one voice: the best path through each frame's candidates.

Method: dynamic programming over a few candidates a frame and an unvoiced state
(Boersma 1993), on the salience of ``salience.py``.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.pitch.salience import (
    BINS_A_SEMITONE,
    BLOCK_FRAMES,
    HOP_FRAMES,
    frame_count,
    pitch_grid,
    salience_blocks,
)
from honest_stave.core.signal.frames import levels_of_frames
from honest_stave.core.signal.listen import Mono

CANDIDATES = 6
# Strength an unvoiced frame is worth: noise reaches 0.1 to 0.2, a voice 0.4 to 0.9.
UNVOICED_STRENGTH = 0.24
# A leap of an octave must be worth this much strength, a change of voicing this much.
OCTAVE_COST = 0.18
VOICING_COST = 0.12
# Leaps beyond this many semitones cost no more: melodies do leap.
FARTHEST_COST_SEMITONES = 14.0
# Frames this far under the loudest are not voiced whatever their pitch.
FLOOR_BELOW_LOUDEST_DB = 60.0


@dataclass(frozen=True)
class Track:
    """What was measured frame by frame; frame ``i`` is centred at ``i * HOP_S``.

    Args:
        pitch: (frames,) MIDI pitch, NaN where nothing is voiced.
        strength: (frames,) 0 to 1, of the chosen pitch (0 where unvoiced).
        level_db: (frames,) level of a 23 ms window, dB re full scale.
        rival_pitch: (frames,) best candidate more than 2 semitones away, NaN for none.
        rival_strength: (frames,) its strength.
    """

    pitch: NDArray[np.float32]
    strength: NDArray[np.float32]
    level_db: NDArray[np.float32]
    rival_pitch: NDArray[np.float32]
    rival_strength: NDArray[np.float32]


def _peaks(
    strength: NDArray[np.float32], lowest: float, highest: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Pitches and strengths (frames, CANDIDATES) of the highest local maxima."""
    pitches = pitch_grid().pitches
    inner = strength[:, 1:-1]
    is_peak = (inner >= strength[:, :-2]) & (inner > strength[:, 2:]) & (inner > 0)
    is_peak &= (pitches[1:-1] >= lowest - 0.5) & (pitches[1:-1] <= highest + 0.5)
    height = np.where(is_peak, inner, -1.0)
    best = np.argpartition(-height, CANDIDATES, axis=1)[:, :CANDIDATES]
    rows = np.arange(len(strength))[:, None]
    centre, before, after = inner[rows, best], strength[rows, best], strength[rows, best + 2]
    bend = before - 2 * centre + after
    shift = np.where(bend < -1e-6, 0.5 * (before - after) / np.minimum(bend, -1e-6), 0.0)
    found = height[rows, best] > 0
    pitch = pitches[best + 1] + np.clip(shift, -0.5, 0.5) / BINS_A_SEMITONE
    return (
        np.where(found, pitch, np.nan).astype(np.float32),
        np.where(found, centre, -1.0).astype(np.float32),
    )


def _best_path(
    pitch: NDArray[np.float32], strength: NDArray[np.float32], voiceable: NDArray[np.bool_]
) -> NDArray[np.int8]:
    """Candidate chosen in each frame, CANDIDATES for unvoiced."""
    frames = len(pitch)
    states = CANDIDATES + 1
    score = np.full((frames, states), -9.0)
    score[:, :CANDIDATES] = np.where((strength > 0) & voiceable[:, None], strength, -9.0)
    score[:, CANDIDATES] = UNVOICED_STRENGTH
    filled = np.nan_to_num(pitch, nan=0.0)
    came_from = np.zeros((frames, states), np.int8)
    total = score[0].copy()
    cost = np.full((states, states), VOICING_COST)
    cost[-1, -1] = 0.0
    scale = OCTAVE_COST / 12.0
    columns = np.arange(states)
    for i in range(1, frames):
        leap = np.abs(filled[i - 1][:, None] - filled[i][None, :])
        cost[:-1, :-1] = np.minimum(leap, FARTHEST_COST_SEMITONES) * scale
        reached = total[:, None] - cost
        best = reached.argmax(axis=0)
        came_from[i] = best
        total = reached[best, columns] + score[i]
    path = np.empty(frames, np.int8)
    state = int(total.argmax())
    for i in range(frames - 1, -1, -1):
        path[i] = state
        state = int(came_from[i, state])
    return path


def _rivals(
    pitch: NDArray[np.float32], strength: NDArray[np.float32], chosen: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    reference = np.nan_to_num(chosen, nan=-99.0)[:, None]
    away = np.where(np.abs(pitch - reference) > 2.0, strength, -1.0)
    best = away.argmax(axis=1)
    rows = np.arange(len(pitch))
    height = away[rows, best]
    return (
        np.where(height > 0, pitch[rows, best], np.nan).astype(np.float32),
        np.maximum(height, 0.0).astype(np.float32),
    )


def follow_pitch(signal: Mono, *, lowest: float, highest: float, progress: Progress = no_progress) -> Track:
    """Follows the one voice in ``signal``.

    Args:
        signal: mono at the analysis rate.
        lowest: lowest MIDI pitch looked for.
        highest: highest MIDI pitch looked for.
        progress: told the share done, 0 to 1.

    Returns:
        The track, one frame every ``HOP_S``.
    """
    frames = frame_count(len(signal))
    pitches: list[Any] = []
    strengths: list[Any] = []
    for first, block in salience_blocks(signal):
        found = _peaks(block, lowest, highest)
        pitches.append(found[0])
        strengths.append(found[1])
        progress(0.85 * min(1.0, (first + BLOCK_FRAMES) / frames))
    pitch, strength = np.concatenate(pitches), np.concatenate(strengths)
    level_db = levels_of_frames(signal, hop=HOP_FRAMES, length=2 * HOP_FRAMES)
    loudest_db = float(level_db.max(initial=-120.0))
    voiceable = level_db > max(loudest_db - FLOOR_BELOW_LOUDEST_DB, -100.0)
    path = _best_path(pitch, strength, voiceable)
    progress(0.97)
    rows = np.arange(frames)
    voiced = path < CANDIDATES
    column = np.minimum(path, CANDIDATES - 1)
    chosen = np.where(voiced, pitch[rows, column], np.nan).astype(np.float32)
    rival_pitch, rival_strength = _rivals(pitch, strength, chosen)
    return Track(
        pitch=chosen,
        strength=np.where(voiced, strength[rows, column], 0.0).astype(np.float32),
        level_db=level_db,
        rival_pitch=rival_pitch,
        rival_strength=rival_strength,
    )
