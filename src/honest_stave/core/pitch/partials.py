"""The partials of one note, and which of them other notes explain: a ghost has hardly one of its own."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.bands import BANDS_PER_SEMITONE, HOP_SAMPLES, LONG_BANDS, LOWEST_PITCH, measure_bands
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono

PARTIALS = 10
# Partials of others within this many semitones explain a partial.
SAME_SEMITONES = 0.6
# Others explain with at most so many partials of their own.
EXPLAINING = 24
# The beginning of a note says most; its end is drowned by the next.
LOOKED_AT_S = 0.35


@dataclass(frozen=True)
class Partial:
    """One partial: its number from 1, where it lies (MIDI pitch), its level, the pitch that explains it or None."""

    number: int
    pitch: float
    level_db: float
    explained_by: int | None


def partials_of(
    signal: Mono, onset_s: float, offset_s: float, pitch: int, others: NDArray[np.int64], tuning_cents: float = 0.0
) -> tuple[Partial, ...]:
    """Partials of a note up to the end of what is analysed.

    Args:
        signal: mono at ``ANALYSIS_RATE``.
        onset_s, offset_s: the note, moments in ``signal``.
        pitch: its MIDI number.
        others: pitches that sound with it.
        tuning_cents: where semitones lie.
    """
    first = round(onset_s * ANALYSIS_RATE / HOP_SAMPLES) + 2
    length_s = min(max(offset_s - onset_s, 0.05), LOOKED_AT_S)
    count = max(1, round(length_s * ANALYSIS_RATE / HOP_SAMPLES) - 2)
    level = np.percentile(measure_bands(signal, first, count, tuning_cents).long_db, 75, axis=0)
    harmonic = 12 * np.log2(np.arange(1, EXPLAINING + 1))
    # An octave below explains every partial; the note itself and what lies above it only some.
    explaining = {int(o): o + harmonic for o in np.unique(others) if o != pitch}
    found = []
    for number in range(1, PARTIALS + 1):
        place = pitch + float(harmonic[number - 1])
        band = round(BANDS_PER_SEMITONE * (place - LOWEST_PITCH)) + 1
        if band >= LONG_BANDS - 1:
            break
        strongest = float(level[max(band - 1, 0) : band + 2].max())
        by = [o for o, at in explaining.items() if np.min(np.abs(at - place)) < SAME_SEMITONES]
        found.append(Partial(number, place, strongest, min(by) if by else None))
    return tuple(found)
