"""Candidates from the pieces of a line, for any readiness to split: vectorised, no signal."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.confidence import confidence
from honest_stave.core.pitch.reading import Candidate, FormSettings, OneVoiceReading

# Ends of the slider multiply the engine's own price by this much and its inverse.
SPLIT_RANGE = 16.0
# Velocity follows amplitude with the square law most synthesisers and samplers use.
VELOCITY_DB_FACTOR = 40.0
VELOCITY_AT_REFERENCE = 100.0


def price_of_readiness(split_price: float, split: float) -> float:
    """Least price of a cut that is kept at a readiness ``split`` from 0 to 1."""
    return float(split_price * SPLIT_RANGE ** (1.0 - 2.0 * split))


def velocity_of_level(level_db: NDArray[np.float64], reference_db: float) -> NDArray[np.int64]:
    """Velocity 1 to 127 of levels in dB."""
    scaled = VELOCITY_AT_REFERENCE * 10.0 ** ((level_db - reference_db) / VELOCITY_DB_FACTOR)
    return np.clip(np.round(scaled), 1, 127).astype(np.int64)


def form_candidates(reading: OneVoiceReading, settings: FormSettings) -> tuple[Candidate, ...]:
    """All candidates of ``reading``, doubtful ones included, in order of onset.

    Args:
        reading: what the engine heard.
        settings: readiness to split, shortest note.
    """
    pieces = reading.pieces
    if len(pieces) == 0:
        return ()
    least = price_of_readiness(reading.split_price, settings.split)
    start = np.flatnonzero(pieces.price > least)
    stop = np.append(start[1:], len(pieces))
    note_of = np.repeat(np.arange(len(start)), stop - start)

    total = np.add.reduceat(pieces.weight_s, start)
    pitch = _heaviest_semitone(pieces.pitch, pieces.weight_s, note_of, len(start))
    agrees = np.round(pieces.pitch) == pitch[note_of]
    agreeing = np.maximum(np.add.reduceat(pieces.weight_s * agrees, start), 1e-9)
    centre = np.add.reduceat(pieces.pitch * pieces.weight_s * agrees, start) / agreeing
    strength = np.add.reduceat(pieces.strength * pieces.weight_s, start) / total
    rival_strength = np.add.reduceat(pieces.rival_strength * pieces.weight_s, start) / total
    level = np.maximum.reduceat(pieces.level_db, start)
    onset, end = pieces.onset_s[start], pieces.end_s[stop - 1]
    end = np.maximum(end, onset + 0.01)
    heaviest = _heaviest_piece(pieces.weight_s, note_of, len(start))
    rival = np.clip(np.round(pieces.rival_pitch[heaviest]), 0, 127)
    sure = confidence(
        strength=strength,
        duration_s=end - onset,
        below_reference_db=reading.reference_db - level,
        above_floor_db=level - reading.floor_db,
        rival_ratio=rival_strength / np.maximum(strength, 1e-6),
        price_ratio=np.minimum(pieces.price[start], 10.0) / reading.split_price,
        purity=agreeing / total,
    )
    share = (1.0 - sure) * np.clip(rival_strength / np.maximum(strength + rival_strength, 1e-6), 0, 1)
    velocity = velocity_of_level(level, reading.reference_db)
    kept = np.flatnonzero(end - onset >= settings.shortest_s)
    return tuple(
        Candidate(
            onset_s=float(onset[i]) + reading.starts_s,
            offset_s=float(end[i]) + reading.starts_s,
            onset_tolerance_s=float(pieces.onset_tolerance_s[start[i]]),
            offset_tolerance_s=float(pieces.end_tolerance_s[stop[i] - 1]),
            pitch=int(np.clip(pitch[i], 0, 127)),
            centre_cents=float(100 * (centre[i] - pitch[i])),
            velocity=int(velocity[i]),
            level_db=float(level[i]),
            confidence=float(sure[i]),
            runner_up=int(rival[i]),
            runner_up_share=float(share[i]),
        )
        for i in kept
    )


def _heaviest_semitone(
    pitch: NDArray[np.float64], weight: NDArray[np.float64], note_of: NDArray[np.int64], notes: int
) -> NDArray[np.float64]:
    semitone = np.clip(np.round(pitch), 0, 127).astype(np.int64)
    votes = np.zeros((notes, 128), np.float32)
    np.add.at(votes, (note_of, semitone), weight)
    return np.asarray(votes.argmax(axis=1), np.float64)


def _heaviest_piece(weight: NDArray[np.float64], note_of: NDArray[np.int64], notes: int) -> NDArray[np.int64]:
    order = np.lexsort((weight, note_of))
    last = np.searchsorted(note_of[order], np.arange(notes), side="right") - 1
    return order[last]
