"""Silence inside a recording: where nothing sounds no beat is heard, and a map need not count on."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import LONGEST_BEAT_S, BeatMap, Hold, MeterFrom, check_map, cleared, relaid
from honest_stave.core.beat.map_edits import check_chosen
from honest_stave.core.beat.track import LOUD_SHARE
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.activity import FRAMES_PER_CELL, time_of_cell
from honest_stave.core.pitch.bands import HOP_SAMPLES
from honest_stave.core.signal.listen import Mono
from honest_stave.core.signal.measure import level_reached

# Silence of this length between sounds is a rest that stops the beat, or the end of a movement.
SILENT_S = 2.0
# So far below what is loud a recording is still: under the tails of what was played and the noise of most rooms.
STILL_DB = 55.0


def find_silences(sounding: NDArray[np.float64], least: float) -> list[tuple[float, float]]:
    """Silences (from s, to s) between sounds.

    Args:
        sounding: how much sounds in each cell of the networks, (cells,).
        least: less than this is silence.
    """
    heard = np.flatnonzero(sounding > least)
    last, following = heard[:-1], heard[1:]
    found = zip(
        time_of_cell(last + np.float64(1)).tolist(), time_of_cell(following + np.float64(0)).tolist(), strict=True
    )
    return [(a, b) for a, b in found if b - a >= SILENT_S]


def without_stillness(sounding: NDArray[np.float64], signal: Mono) -> NDArray[np.float64]:
    """How much sounds in each cell, nothing where the signal itself is still: a network expects what comes.

    Args:
        sounding: how much sounds to the networks, (cells,).
        signal: mono at ``ANALYSIS_RATE``.
    """
    size = FRAMES_PER_CELL * HOP_SAMPLES
    padded = np.zeros(len(sounding) * size, np.float32)
    padded[: min(len(signal), len(padded))] = signal[: len(padded)]
    # Spread, not power: what a recording is off zero by is no sound.
    level_db = 10 * np.log10(padded.reshape(-1, size).var(axis=1) + 1e-12)
    return np.where(level_db < level_reached(level_db, LOUD_SHARE) - STILL_DB, 0.0, sounding)


def rests_in(beat_map: BeatMap, silences: Sequence[tuple[float, float]]) -> list[tuple[int, int]]:
    """Beats after which the map counts on through silence, and how many beats it counts there.

    Args:
        beat_map: the map; silences that a hold covers already are left out.
        silences: as from ``find_silences``.
    """
    times = np.array([b.time_s for b in beat_map.beats])
    held = {h.beat for h in beat_map.holds}
    found = []
    for from_s, to_s in silences:
        inside = np.flatnonzero((times > from_s) & (times < to_s - 0.05))
        free = [i for i in inside.tolist() if not beat_map.beats[i].pinned]
        if len(free) and len(free) == len(inside) and inside[0] > 0 and inside[-1] + 1 < len(times):
            before = int(inside[0]) - 1
            if before not in held:
                found.append((before, len(inside)))
    return found


def as_rest(beat_map: BeatMap, beat: int, beats: int) -> BeatMap:
    """Silence after a beat that is no longer counted through: the beat is held, and a bar begins after it.

    Args:
        beat_map: the map.
        beat: the last one before the silence.
        beats: how many after it lie in the silence.

    Raises:
        BadInput: one of them is pinned, or the silence is longer than a bar can be.
    """
    check_chosen(beat_map, [beat, beat + beats])
    extra = range(beat + 1, beat + 1 + beats)
    if any(beat_map.beats[i].pinned for i in extra) or beat + beats + 1 >= len(beat_map.beats):
        raise BadInput("A pin lies in this silence, or nothing comes after it.", "Release the pin first.")
    meter = next((m for m in reversed(beat_map.meters) if m.beat <= beat), beat_map.meters[0])
    # What is left of the bar, and whole bars more where a single beat would be too long to write.
    written = meter.felt_beats - (beat - meter.beat) % meter.felt_beats
    silent_s = beat_map.beats[beat + beats + 1].time_s - beat_map.beats[beat].time_s
    while silent_s > written * LONGEST_BEAT_S:
        written += meter.felt_beats

    def moved(i: int) -> int:
        return i - beats if i > beat + beats else min(i, beat)

    last = next((m for m in reversed(beat_map.meters) if m.beat <= beat + beats + 1), meter)
    shorter = relaid(
        replace(
            cleared(beat_map, lambda gap: beat <= gap <= beat + beats),
            beats=tuple(b for i, b in enumerate(beat_map.beats) if i not in extra),
            meters=tuple(m for m in beat_map.meters if m.beat not in extra),
            holds=tuple(h for h in beat_map.holds if h.beat not in extra and h.beat != beat),
        ),
        moved,
    )
    meters = {m.beat: m for m in [*shorter.meters, MeterFrom(beat + 1, last.numerator, last.denominator)]}
    holds = sorted([*shorter.holds, Hold(beat, written)], key=lambda h: h.beat)
    return check_map(replace(shorter, meters=tuple(meters[i] for i in sorted(meters)), holds=tuple(holds)))
