"""Beat maps made of what is there: a reading of beats, or a tempo map."""

import numpy as np

from honest_stave.core.beat.beat_map import Beat, BeatMap, MeterFrom, check_map, times_of
from honest_stave.core.beat.beats_engine import BeatsReading
from honest_stave.core.beat.smoothing import smooth
from honest_stave.core.beat.tempo_map import SAME_BEATS, Meter, TempoMap

# Read beats are drawn towards an even tempo at first, as much as leaves nearly all where their attacks are (Morozov
# 1966): nine in ten within what an attack is measured to, all but one in a hundred within what is heard as together.
FIRST_SMOOTHINGS = (0.2, 0.1, 0.05, 0.02, 0.01)
MOST_WITHIN_MS, NEARLY_ALL_WITHIN_MS = 6.0, 15.0
MOST, NEARLY_ALL = 0.9, 0.99
# Beats less sure than this have no attack that could be left.
RATHER_SURE = 0.5


def map_of_reading(reading: BeatsReading, name: str, take: str, reading_id: str) -> BeatMap:
    """The map that a reading gives, its beats as smooth as their attacks allow."""
    sure = np.minimum(reading.confidence, 1.0).tolist()
    # What was not heard has no attack.
    told = zip(reading.time_s.tolist(), reading.heard.tolist(), sure, strict=True)
    beats = tuple(Beat(t, t if heard else None, c) for t, heard, c in told)
    begins = np.flatnonzero((reading.bar >= 1) & (reading.beat == 1))
    first = int(begins[0]) if len(begins) else 0
    meters: list[MeterFrom] = []
    for said in reading.meters:
        later = begins[reading.bar[begins] >= max(said.bar, 1)]
        start = int(later[0]) if len(later) else first
        if not meters or start > meters[-1].beat:
            meters.append(MeterFrom(start, said.numerator, said.denominator))
    made = BeatMap(name, take, reading_id, beats, tuple(meters) or (MeterFrom(first, 4, 4),))
    return _smoothed(check_map(made))


def _smoothed(made: BeatMap) -> BeatMap:
    """As much smoothed as leaves the sure beats on their attacks."""
    sure = np.array([b.heard_s is not None and b.confidence >= RATHER_SURE for b in made.beats])
    for amount in FIRST_SMOOTHINGS if sure.any() else ():
        tried = smooth(made, amount)
        moved_ms = 1000 * np.abs(times_of(tried) - times_of(made))[sure]
        if np.all(np.quantile(moved_ms, (MOST, NEARLY_ALL)) <= (MOST_WITHIN_MS, NEARLY_ALL_WITHIN_MS)):
            return tried
    return made


def map_of_tempo(tempo_map: TempoMap, name: str, length_s: float) -> BeatMap:
    """The felt beats of a tempo map from its beginning to a moment, all of them pins; those before bar 1 a pickup."""
    beats: list[Beat] = []
    meters: list[MeterFrom] = []
    first, last = float(tempo_map.beats_at(0.0)) - SAME_BEATS, float(tempo_map.beats_at(length_s))
    bar = tempo_map.bar_index(first + SAME_BEATS)
    while (start := tempo_map.bar_start(bar)) <= last:
        meter: Meter = tempo_map.meter_at(start)
        places = start + meter.felt_beat_quarters * np.arange(round(meter.quarters / meter.felt_beat_quarters))
        inside = places[(places >= first) & (places <= last)]
        known = meters and (meters[-1].numerator, meters[-1].denominator) == (meter.numerator, meter.denominator)
        # A meter holds from a downbeat on.
        if not known and start >= first:
            meters.append(MeterFrom(len(beats), meter.numerator, meter.denominator))
        beats += [Beat(float(tempo_map.seconds_at(p)), None, 1.0, True) for p in inside.tolist()]
        bar += 1
    known_meters = tuple(meters) or (MeterFrom(0, 4, 4),)
    return check_map(BeatMap(name, "", "", tuple(beats), known_meters, tempo_map.first_bar_number))
