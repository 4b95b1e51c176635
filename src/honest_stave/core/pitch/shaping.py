"""Measures every piece of a line on the signal: onset, end, level, strength, rivals."""

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress
from honest_stave.core.pitch.ends import LEVEL_HOP_FRAMES, LEVEL_HOP_S, note_end
from honest_stave.core.pitch.fragments import Fragments, bridged_pitch
from honest_stave.core.pitch.onsets import (
    ATTACK_TO_ONSET_S,
    harmonic_onset,
    leaving_moment,
    onset_after_silence,
)
from honest_stave.core.pitch.reading import Pieces
from honest_stave.core.pitch.salience import HOP_S
from honest_stave.core.pitch.track import Track
from honest_stave.core.signal.frames import levels_of_frames
from honest_stave.core.signal.listen import Mono

# An attack of this strength is where the note begins; a weaker one only hints at it.
CLEAR_ATTACK_DB = 1.5
# The harmonics may place the onset this much around the attack.
BEFORE_ATTACK_S = 0.010
AFTER_ATTACK_S = 0.045
# Tolerances by the way the onset was found.
AFTER_SILENCE_TOLERANCE_S = 0.004
AT_ATTACK_TOLERANCE_S = 0.008
SLIDING_TOLERANCE_S = 0.020
# Tolerances of ends: at a knee, at the next note, where the pitch was lost.
KNEE_TOLERANCE_S = 0.015
NEXT_NOTE_TOLERANCE_S = 0.025
LOST_TOLERANCE_S = 0.040
# Cuts cheaper than this share of the usual price hardly ever become notes.
WORTH_REFINING = 0.2


def levels_db(signal: Mono) -> NDArray[np.float32]:
    """Level of a 23 ms window every ``LEVEL_HOP_S``."""
    return levels_of_frames(signal, hop=LEVEL_HOP_FRAMES, length=4 * LEVEL_HOP_FRAMES)


def _onset(
    signal: Mono, line: NDArray[np.float64], cut: Fragments, i: int, old_pitch: float, until_s: float
) -> tuple[float, float]:
    """Onset (s) of piece ``i`` and its tolerance; ``old_pitch`` is what sounded before."""
    near_s = float(cut.first[i]) * HOP_S
    if np.isinf(cut.price[i]):
        return onset_after_silence(signal, near_s, until_s), AFTER_SILENCE_TOLERANCE_S
    if cut.attack_db[i] >= CLEAR_ATTACK_DB:
        attack_s = float(cut.attack_s[i])
        found = harmonic_onset(signal, attack_s, until_s, float(cut.pitch[i]), old_pitch)
        if found is None:
            return attack_s + ATTACK_TO_ONSET_S, AT_ATTACK_TOLERANCE_S
        placed = min(max(found, attack_s - BEFORE_ATTACK_S), attack_s + AFTER_ATTACK_S)
        return placed, AT_ATTACK_TOLERANCE_S
    left = leaving_moment(line, int(cut.first[i]), old_pitch, float(cut.pitch[i]))
    return left, SLIDING_TOLERANCE_S


def measure_pieces(
    signal: Mono, track: Track, cut: Fragments, *, tuning_cents: float, split_price: float, progress: Progress
) -> Pieces:
    """Measures each piece of ``cut`` on ``signal``.

    Args:
        signal: mono at the analysis rate.
        track: the line the pieces were cut from.
        cut: the pieces.
        tuning_cents: the recording's tuning.
        split_price: usual price of a cut: decides which of them are worth refining.
        progress: told the share done.
    """
    count = len(cut.first)
    line = bridged_pitch(track.pitch) - tuning_cents / 100.0
    levels = levels_db(signal)
    floor_db = float(np.percentile(levels, 3)) if len(levels) else -120.0
    onset = cut.first * HOP_S
    tolerance = np.full(count, SLIDING_TOLERANCE_S)
    owner = np.maximum.accumulate(np.where(cut.price > split_price, np.arange(count), 0))
    old_pitch = _pitch_before(cut, owner)
    for i in range(count):
        if cut.price[i] > WORTH_REFINING * split_price:
            until_s = float(cut.last[i]) * HOP_S
            onset[i], tolerance[i] = _onset(signal, line, cut, i, float(old_pitch[i]), until_s)
        elif not np.isnan(cut.attack_s[i]):
            onset[i] = cut.attack_s[i] + ATTACK_TO_ONSET_S
        if i % 64 == 0:
            progress(i / count)
    onset = np.maximum(onset, 0.0)
    onset[1:] = np.maximum(onset[1:], onset[:-1])
    end, end_tolerance = _ends(levels, cut, onset, owner, split_price, floor_db)
    level, strength, rival_pitch, rival_strength = _averages(track, cut)
    return Pieces(
        first=cut.first,
        last=cut.last,
        pitch=cut.pitch,
        weight_s=cut.weight_s,
        price=cut.price,
        attack_db=cut.attack_db,
        onset_s=onset,
        onset_tolerance_s=tolerance,
        end_s=end,
        end_tolerance_s=end_tolerance,
        level_db=level,
        strength=strength,
        rival_pitch=rival_pitch - tuning_cents / 100.0,
        rival_strength=rival_strength,
    )


def _pitch_before(cut: Fragments, owner: NDArray[np.int64]) -> NDArray[np.float64]:
    """Pitch (pieces,) of the weightiest piece of the note before each piece."""
    heaviest: dict[int, int] = {}
    before = np.zeros(len(owner))
    for i, note in enumerate(owner.tolist()):
        if i > 0:
            before[i] = cut.pitch[heaviest[int(owner[i - 1])]]
        if note not in heaviest or cut.weight_s[i] > cut.weight_s[heaviest[note]]:
            heaviest[note] = i
    return before


def _ends(
    levels: NDArray[np.float32],
    cut: Fragments,
    onset: NDArray[np.float64],
    owner: NDArray[np.int64],
    split_price: float,
    floor_db: float,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    count = len(onset)
    end = np.zeros(count)
    tolerance = np.full(count, NEXT_NOTE_TOLERANCE_S)
    for i in range(count):
        contiguous = i + 1 < count and not np.isinf(cut.price[i + 1])
        limit_s = float(onset[i + 1]) if contiguous else float(cut.last[i]) * HOP_S
        if contiguous and cut.price[i + 1] <= split_price:
            end[i] = limit_s
            continue
        end[i] = note_end(levels, float(onset[owner[i]]), limit_s, floor_db)
        if end[i] < limit_s - LEVEL_HOP_S:
            tolerance[i] = KNEE_TOLERANCE_S
        elif not contiguous:
            tolerance[i] = LOST_TOLERANCE_S
    return end, tolerance


def _averages(track: Track, cut: Fragments) -> tuple[NDArray[np.float64], ...]:
    count = len(cut.first)
    level, strength = np.full(count, -120.0), np.zeros(count)
    rival_pitch, rival_strength = np.zeros(count), np.zeros(count)
    for i in range(count):
        where = slice(int(cut.first[i]), int(cut.last[i]))
        level[i] = track.level_db[where].max()
        strength[i] = track.strength[where].mean()
        rivals = track.rival_strength[where]
        rival_strength[i] = rivals.mean()
        strongest = int(np.argmax(rivals))
        rival = float(track.rival_pitch[where][strongest])
        rival_pitch[i] = rival if not np.isnan(rival) else cut.pitch[i] + 12
    return level, strength, rival_pitch, rival_strength
