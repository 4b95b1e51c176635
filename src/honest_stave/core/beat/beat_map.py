"""A take's beats as the producer works on them: moments, pins, meters, holds, markers; a tempo map comes out.

Beats are felt beats in order; what was read stays beside what the map says, so that the drift
between the two can be shown. Meters are kept by the beat they begin on: beats put in or taken
out before them do not tear them from their place.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput

Values = NDArray[np.float64]

MOST_BEATS = 40_000
# The quickest and slowest felt beat that a map takes, in seconds.
SHORTEST_BEAT_S, LONGEST_BEAT_S = 0.1, 15.0
# Moments are kept to a tenth of a microsecond.
ROUNDED_S = 1e-6


@dataclass(frozen=True)
class Beat:
    """One felt beat.

    Args:
        time_s: its moment in the take, which the map goes through.
        heard_s: where the attack was measured, None where nothing was.
        confidence: how clearly a beat was heard there, 0 to 1.
        pinned: set by the producer; nothing else moves it.
        steady: laid evenly by the producer; smoothing leaves it there.
    """

    time_s: float
    heard_s: float | None = None
    confidence: float = 0.0
    pinned: bool = False
    steady: bool = False


@dataclass(frozen=True)
class Between:
    """A written onset between two felt beats; the map goes through it where it is pinned.

    Args:
        beat: the felt beat before it, by its place in the list of beats.
        share: how far on it is written from that beat to the next, over 0 and under 1.
        time_s: its moment in the take.
        heard_s: where it was heard to begin, None where nothing was.
        confidence: how sure that is, 0 to 1.
        pinned: set by the producer; nothing else moves it.
    """

    beat: int
    share: float
    time_s: float
    heard_s: float | None = None
    confidence: float = 0.0
    pinned: bool = False


@dataclass(frozen=True)
class MeterFrom:
    """A meter from a beat on, which is a downbeat; ``beat`` is its place in the list of beats."""

    beat: int
    numerator: int
    denominator: int

    @property
    def meter(self) -> Meter:
        return Meter(0, self.numerator, self.denominator)

    @property
    def felt_beats(self) -> int:
        """Felt beats of a bar."""
        return max(1, round(self.meter.quarters / self.meter.felt_beat_quarters))


@dataclass(frozen=True)
class Hold:
    """A beat stretched on purpose: ``written_beats`` is how long the score writes it, in felt beats."""

    beat: int
    written_beats: int = 1


@dataclass(frozen=True)
class WrittenOut:
    """A hold that a score seems to write out: ``beats`` felt beats after ``beat`` are extra time."""

    beat: int
    beats: int


@dataclass(frozen=True)
class Marker:
    """A name at a moment of the take."""

    time_s: float
    name: str


@dataclass(frozen=True)
class ClickFrom:
    """How the click sounds from a beat on.

    Args:
        beat: place in the list of beats.
        subdivision: clicks a felt beat.
        accent: whether the downbeat is accented.
        sound: one of ``core.sound.click_sounds.CLICK_SOUNDS``.
        level_db: against the usual level.
        in_holds: ``rest`` or ``count``.
    """

    beat: int
    subdivision: int = 1
    accent: bool = True
    sound: str = "wood"
    level_db: float = 0.0
    in_holds: str = "rest"


@dataclass(frozen=True)
class BeatMap:
    """Beats of a take with everything that was said of them.

    Args:
        name, take, reading: ids of what it was made from.
        beats: rising in time.
        meters: rising by beat, the first on the first downbeat; beats before it are a pickup.
        first_bar_number: printed number of the bar on the first downbeat.
        holds, markers, clicks: rising by beat or moment.
        smoothing: how much the read beats were smoothed, 0 to 1.
        written_out: holds that an aligned score seems to write out, none of them made yet.
        between: onsets of an aligned score that lie between beats, rising.
    """

    name: str
    take: str
    reading: str
    beats: tuple[Beat, ...]
    meters: tuple[MeterFrom, ...] = (MeterFrom(0, 4, 4),)
    first_bar_number: int = 1
    holds: tuple[Hold, ...] = ()
    markers: tuple[Marker, ...] = ()
    clicks: tuple[ClickFrom, ...] = (ClickFrom(0),)
    smoothing: float = 0.0
    written_out: tuple[WrittenOut, ...] = ()
    between: tuple[Between, ...] = ()


@dataclass(frozen=True)
class Stops:
    """Beats and onsets between them, in order, (stops,).

    Args:
        place: in the list of beats, with the share of the way to the next one.
        time_s: moments.
        pinned: whether the producer set them.
    """

    place: Values
    time_s: Values
    pinned: NDArray[np.bool_]


@dataclass(frozen=True)
class Places:
    """Where each beat of a map lies, (beats,).

    Args:
        position: quarter notes from the first downbeat.
        bar: printed number.
        beat: place in the bar from 1.
        downbeat: whether it begins a bar.
        meters: by bar, as a tempo map has them; a bar cut short has a meter of its own.
    """

    position: Values
    bar: NDArray[np.int64]
    beat: NDArray[np.int64]
    downbeat: NDArray[np.bool_]
    meters: tuple[Meter, ...] = field(default=())


def times_of(beat_map: BeatMap) -> Values:
    """Moments of all beats (s)."""
    return np.array([b.time_s for b in beat_map.beats])


def stops_of(beat_map: BeatMap) -> Stops:
    """What the map goes through: beats and the pins between them, in order of the music."""
    return _in_order(beat_map, [b for b in beat_map.between if b.pinned])


def onsets_of(beat_map: BeatMap) -> Stops:
    """Beats and all onsets between them, in order of the music."""
    return _in_order(beat_map, beat_map.between)


def _in_order(beat_map: BeatMap, between: Sequence[Between]) -> Stops:
    place = np.concatenate([np.arange(len(beat_map.beats)), [b.beat + b.share for b in between]])
    time_s = np.concatenate([times_of(beat_map), [b.time_s for b in between]])
    pinned = np.array([b.pinned for b in beat_map.beats] + [b.pinned for b in between], np.bool_)
    order = np.argsort(place, kind="stable")
    return Stops(place[order], time_s[order], pinned[order])


def moved_with(old_s: Values, new_s: Values, time_s: Values) -> Values:
    """Where moments come to lie when beats move from ``old_s`` to ``new_s``; beyond the ends they move with them."""
    inside_s = np.clip(time_s, old_s[0], old_s[-1])
    return np.asarray(np.interp(inside_s, old_s, new_s) + (time_s - inside_s))


def places_of(beat_map: BeatMap) -> Places:
    """Bars and positions of all beats."""
    count, origin = len(beat_map.beats), beat_map.meters[0].beat
    position, bar = np.zeros(count), np.zeros(count, int)
    beat, downbeat = np.ones(count, int), np.zeros(count, bool)
    written = np.ones(count)
    for hold in beat_map.holds:
        written[hold.beat] = hold.written_beats
    meters: list[Meter] = []
    number, at = 0, 0.0
    first = beat_map.meters[0]
    before = np.arange(-origin, 0)
    felt = first.meter.felt_beat_quarters
    position[:origin] = -felt * np.cumsum(written[:origin][::-1])[::-1]
    bar[:origin] = before // first.felt_beats
    beat[:origin] = before % first.felt_beats + 1
    downbeat[:origin] = beat[:origin] == 1
    for segment, following in zip(beat_map.meters, [*beat_map.meters[1:], None], strict=True):
        stop = following.beat if following else count
        felt, length = segment.meter.felt_beat_quarters, segment.felt_beats
        place = np.arange(stop - segment.beat)
        inside, steps = place + segment.beat, written[segment.beat : stop]
        position[inside] = at + felt * (np.cumsum(steps) - steps)
        bar[inside], beat[inside] = number + place // length, place % length + 1
        downbeat[inside] = beat[inside] == 1
        # A bar that another meter cuts short, or a hold makes long, has a meter of its own.
        beats_written = np.add.reduceat(steps, place[::length]).astype(int)
        if following is None:
            beats_written[-1] += -len(place) % length
        for i in np.flatnonzero(np.diff(beats_written, prepend=0)).tolist():
            _say(meters, _meter_of(segment, number + i, int(beats_written[i])))
        at += felt * float(steps.sum())
        number += len(beats_written)
    return Places(position, bar + beat_map.first_bar_number, beat, downbeat, tuple(meters))


def _meter_of(segment: MeterFrom, bar: int, beats: int) -> Meter:
    if beats == segment.felt_beats:
        return Meter(bar, segment.numerator, segment.denominator)
    eighths_of_felt = segment.numerator // segment.felt_beats
    return Meter(bar, beats * eighths_of_felt, segment.denominator)


def _say(meters: list[Meter], meter: Meter) -> None:
    if not meters or (meters[-1].numerator, meters[-1].denominator) != (meter.numerator, meter.denominator):
        meters.append(meter)


def tempo_map_of(beat_map: BeatMap) -> TempoMap:
    """The tempo map through all beats of a map.

    Raises:
        BadInput: beats that no tempo map can hold.
    """
    places, stops = places_of(beat_map), stops_of(beat_map)
    position = np.interp(stops.place, np.arange(len(beat_map.beats)), places.position)
    rows = zip(position.tolist(), stops.time_s.tolist(), stops.pinned.tolist(), strict=True)
    knots = tuple(Knot(*row) for row in rows)
    return TempoMap(knots, places.meters or (Meter(0, 4, 4),), beat_map.first_bar_number)


def check_map(beat_map: BeatMap) -> BeatMap:
    """The map itself, or an error of ours where it cannot be.

    Raises:
        BadInput: too few or too many beats, beats that cross or lie too close, meters out of order, a last beat held.
    """
    beats = beat_map.beats
    if not 2 <= len(beats) <= MOST_BEATS:
        raise BadInput(f"{len(beats)} beats make no map.", f"A map takes 2 to {MOST_BEATS:,} beats.")
    if any(hold.beat + 1 >= len(beats) for hold in beat_map.holds):
        raise BadInput(
            "The last beat has no end that could be held.",
            "Keep or add the beat that comes after it, or let it go first.",
        )
    gaps = np.diff(times_of(beat_map))
    written = np.ones(len(gaps))
    for hold in beat_map.holds:
        written[hold.beat] = hold.written_beats
    wrong = np.flatnonzero((gaps < SHORTEST_BEAT_S) | (gaps > LONGEST_BEAT_S * written))
    if len(wrong):
        i = int(wrong[0])
        a, b = beats[i].time_s, beats[i + 1].time_s
        said = "cross" if b <= a else f"are {b - a:.3f} s apart"
        raise BadInput(
            f"The beats at {a:.3f} s and {b:.3f} s would {said}."
            if b <= a
            else f"The beats at {a:.3f} s and {b:.3f} s {said}.",
            f"Neighbouring beats lie {SHORTEST_BEAT_S:g} to {LONGEST_BEAT_S:g} s apart. Move or remove one of them.",
        )
    stops = stops_of(beat_map)
    crossed = np.flatnonzero(np.diff(stops.time_s) < SHORTEST_BEAT_S * np.diff(stops.place) - ROUNDED_S)
    if len(crossed):
        a, b = stops.time_s[crossed[0] : crossed[0] + 2].tolist()
        raise BadInput(
            f"The pins at {a:.3f} s and {b:.3f} s would cross or lie too close.",
            f"Even here a whole beat takes {SHORTEST_BEAT_S:g} s and more. Move or release one.",
        )
    starts = [m.beat for m in beat_map.meters]
    if not starts or starts != sorted(set(starts)) or starts[0] < 0 or starts[-1] >= len(beats):
        raise BadInput("The meters are out of order.", "Each begins on a beat of its own.")
    tempo_map_of(beat_map)
    return beat_map


def relaid(beat_map: BeatMap, place: Callable[[int], int]) -> BeatMap:
    """The map with its meters, holds, clicks, holds written out and onsets between them on other beats.

    Args:
        beat_map: the map, its beats already as they shall be.
        place: where the beat of a number lies now.

    Raises:
        BadInput: a pin lies between two beats that are neighbours no longer, or were none.
    """

    def moved(items: tuple[Any, ...]) -> tuple[Any, ...]:
        return tuple(replace(item, beat=place(item.beat)) for item in items)

    written_out = [(place(w.beat), place(w.beat + w.beats)) for w in beat_map.written_out]
    return replace(
        beat_map,
        between=moved(cleared(beat_map, lambda i: place(i + 1) - place(i) != 1).between),
        meters=moved(beat_map.meters),
        holds=moved(beat_map.holds),
        clicks=moved(beat_map.clicks),
        written_out=tuple(WrittenOut(held, stop - held) for held, stop in written_out if stop > held),
    )


def cleared(beat_map: BeatMap, is_gone: Callable[[int], bool]) -> BeatMap:
    """The map without onsets after some beats, which are neighbours of the next no longer.

    Args:
        beat_map: the map.
        is_gone: whether what lies between the beat of a number and the next one goes.

    Raises:
        BadInput: one of these onsets is pinned.
    """
    gone = [is_gone(b.beat) for b in beat_map.between]
    for b, going in zip(beat_map.between, gone, strict=True):
        if going and b.pinned:
            raise BadInput(f"The pin between beats at {b.time_s:.3f} s stands in the way.", "Release it first.")
    return replace(beat_map, between=tuple(b for b, going in zip(beat_map.between, gone, strict=True) if not going))
