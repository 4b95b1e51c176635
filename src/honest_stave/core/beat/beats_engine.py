"""The engine for beats: what both pairs of ears hear to begin, a row of beats through it, bars over them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.bars import find_bars
from honest_stave.core.beat.strength import measure_strength
from honest_stave.core.beat.tempo_map import Meter
from honest_stave.core.beat.track import track_beats
from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.hits import hearing as hits_hearing
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.tuning import measure_tuning
from honest_stave.core.signal.listen import ANALYSIS_RATE, ListenSettings, prepare

ENGINE = "beats 1"
FEWEST_BEATS = 4
# Beats on which so little begins in the mean are chance: a drone or noise has none.
LEAST_CLEAR = 0.3


@dataclass(frozen=True)
class BeatsReading:
    """Beats of a take, (beats,); empty where it has none.

    Args:
        time_s: moments in the take.
        bar: 1 for the first full bar, 0 for a pickup.
        beat: place in the bar from 1; in compound meters a beat is a dotted note.
        confidence: how clearly something begins there, 0 to 1.
        downbeat_confidence: how clearly the bars lie where they do, 0 to 1.
        meters: by bar, where they change; ``Meter.bar`` is the number of the bar.
    """

    time_s: NDArray[np.float64]
    bar: NDArray[np.int64]
    beat: NDArray[np.int64]
    confidence: NDArray[np.float64]
    downbeat_confidence: NDArray[np.float64]
    meters: tuple[Meter, ...]
    engine: str = ENGINE


def read(
    samples: NDArray[np.float32], rate: int, listen: ListenSettings, progress: Progress = no_progress
) -> BeatsReading:
    """Reads the beats and bars of a take.

    Args:
        samples: (frames, channels), full scale 1.
        rate: Hz.
        listen: channels, filter and stretch.
        progress: told the share done; may raise ``Stopped``.

    Raises:
        BadInput: a network is missing or damaged, or the stretch is empty.
    """
    signal, starts_s = prepare(samples, rate, listen)
    tuning_cents, _ = measure_tuning(signal)
    bands = measure_all(signal, tuning_cents, lambda share: progress(0.3 * share))
    notes = hear(bands, lambda share: progress(0.3 + 0.3 * share))
    levels = hits_hearing.measure_levels(_for_hits(signal))
    hits = hits_hearing.hear(levels, lambda share: progress(0.6 + 0.3 * share))
    strength = measure_strength(notes, hits)
    beat_s, clear = track_beats(strength.all)
    if len(beat_s) < FEWEST_BEATS or float(clear.mean()) < LEAST_CLEAR:
        none = np.zeros(0)
        return BeatsReading(none, none.astype(int), none.astype(int), none, none, ())
    bars = find_bars(beat_s, strength)
    progress(1.0)
    return BeatsReading(
        time_s=beat_s + starts_s,
        bar=bars.bar,
        beat=bars.beat,
        confidence=clear,
        downbeat_confidence=bars.confidence,
        meters=_meters(bars.bar, bars.length, bars.compound),
    )


def _for_hits(signal: NDArray[np.float32]) -> NDArray[np.float32]:
    """The signal at the rate of the ears for hits; what lies above half the analysis rate is not there."""
    import soxr

    return np.asarray(soxr.resample(signal, ANALYSIS_RATE, hits_hearing.RATE), np.float32)


def _meters(bar: NDArray[np.int64], length: NDArray[np.int64], compound: bool) -> tuple[Meter, ...]:
    """Meters where they change, a pickup counted to the bar after it."""
    found: list[Meter] = []
    for number, beats in zip(bar.tolist(), length.tolist(), strict=True):
        numerator, denominator = (3 * beats, 8) if compound else (beats, 4)
        if not found or (found[-1].numerator != numerator and number > found[-1].bar):
            found.append(Meter(number, numerator, denominator))
    return tuple(found)
