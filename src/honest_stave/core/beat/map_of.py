"""Beat maps made of what is there: a reading of beats, or a tempo map."""

import numpy as np

from honest_stave.core.beat.beat_map import Beat, BeatMap, MeterFrom, check_map
from honest_stave.core.beat.beats_engine import BeatsReading
from honest_stave.core.beat.map_edits import smooth
from honest_stave.core.beat.tempo_map import Meter, TempoMap

# Read beats are drawn this much towards an even tempo at first, so that the drift shows what is left.
FIRST_SMOOTHING = 0.2


def map_of_reading(reading: BeatsReading, name: str, take: str, reading_id: str) -> BeatMap:
    """The map that a reading gives, its beats a little smoothed."""
    sure = np.minimum(reading.confidence, 1.0).tolist()
    beats = tuple(Beat(t, t, c) for t, c in zip(reading.time_s.tolist(), sure, strict=True))
    begins = np.flatnonzero((reading.bar >= 1) & (reading.beat == 1))
    first = int(begins[0]) if len(begins) else 0
    meters: list[MeterFrom] = []
    for said in reading.meters:
        later = begins[reading.bar[begins] >= max(said.bar, 1)]
        start = int(later[0]) if len(later) else first
        if not meters or start > meters[-1].beat:
            meters.append(MeterFrom(start, said.numerator, said.denominator))
    made = BeatMap(name, take, reading_id, beats, tuple(meters) or (MeterFrom(first, 4, 4),))
    return smooth(check_map(made), FIRST_SMOOTHING)


def map_of_tempo(tempo_map: TempoMap, name: str, length_s: float) -> BeatMap:
    """The felt beats of a tempo map from bar 1 to a moment, all of them pins."""
    beats: list[Beat] = []
    meters: list[MeterFrom] = []
    bar, last = 0, float(tempo_map.beats_at(length_s))
    while (start := tempo_map.bar_start(bar)) <= last:
        meter: Meter = tempo_map.meter_at(start)
        if not meters or (meters[-1].numerator, meters[-1].denominator) != (meter.numerator, meter.denominator):
            meters.append(MeterFrom(len(beats), meter.numerator, meter.denominator))
        places = start + meter.felt_beat_quarters * np.arange(round(meter.quarters / meter.felt_beat_quarters))
        beats += [Beat(float(tempo_map.seconds_at(p)), None, 1.0, True) for p in places[places <= last].tolist()]
        bar += 1
    return check_map(BeatMap(name, "", "", tuple(beats), tuple(meters), tempo_map.first_bar_number))
