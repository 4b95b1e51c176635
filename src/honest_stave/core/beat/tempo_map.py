"""The tempo map: knots that pair musical positions with moments, and meters by bar.

Positions are quarter-note beats from bar 1 beat 1 (a pickup is negative); moments are
seconds in the recording. Between knots the tempo is constant, beyond them it goes on.
"""

import itertools
from bisect import bisect_right
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput

SLOWEST_BPM, FASTEST_BPM = 4.0, 960.0
# Musical positions closer than this are the same: a tenth of a tick at 960 a quarter.
SAME_BEATS = 1e-4


@dataclass(frozen=True)
class Knot:
    """A position (beats) that falls at a moment (s); a pin is set by the producer."""

    beat: float
    time_s: float
    pinned: bool = False


@dataclass(frozen=True)
class Meter:
    """The meter from a bar on; ``bar`` counts from 0 at the first downbeat."""

    bar: int
    numerator: int
    denominator: int

    @property
    def quarters(self) -> float:
        """Length of one bar in quarter notes."""
        return 4.0 * self.numerator / self.denominator

    @property
    def felt_beat_quarters(self) -> float:
        """Length of the beat a musician counts: a dotted note in compound meters."""
        compound = self.denominator >= 8 and self.numerator % 3 == 0 and self.numerator > 3
        return (12.0 if compound else 4.0) / self.denominator


@dataclass(frozen=True)
class BarPosition:
    """Printed bar number, and felt beats into it counted from 1."""

    bar: int
    beat: float


@dataclass(frozen=True)
class TempoMap:
    """Knots, meters and the number printed on the first bar.

    Args:
        knots: rising in beat and time; at least one.
        meters: rising by bar, the first at bar 0.
        first_bar_number: printed number of the bar at beat 0.
        lone_bpm: quarter notes a minute where there is only one knot.

    Raises:
        BadInput: knots or meters that cannot be.
    """

    knots: tuple[Knot, ...] = (Knot(0.0, 0.0),)
    meters: tuple[Meter, ...] = (Meter(0, 4, 4),)
    first_bar_number: int = 1
    lone_bpm: float = 120.0
    _beats: NDArray[np.float64] = field(init=False, repr=False, compare=False)
    _times: NDArray[np.float64] = field(init=False, repr=False, compare=False)
    _bar_starts: tuple[float, ...] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        _check(self)
        beats = [k.beat for k in self.knots]
        times = [k.time_s for k in self.knots]
        if len(beats) == 1:
            beats.append(beats[0] + 1.0)
            times.append(times[0] + 60.0 / self.lone_bpm)
        starts, position = [0.0], 0.0
        for meter, following in zip(self.meters, self.meters[1:], strict=False):
            position += (following.bar - meter.bar) * meter.quarters
            starts.append(position)
        object.__setattr__(self, "_beats", np.array(beats))
        object.__setattr__(self, "_times", np.array(times))
        object.__setattr__(self, "_bar_starts", tuple(starts))

    def seconds_at(self, beats: NDArray[np.float64] | float) -> Any:
        """Moments (s) of positions (beats)."""
        return _convert(np.asarray(beats, float), self._beats, self._times)

    def beats_at(self, seconds: NDArray[np.float64] | float) -> Any:
        """Positions (beats) of moments (s)."""
        return _convert(np.asarray(seconds, float), self._times, self._beats)

    def bpm_at(self, beat: float) -> float:
        """Quarter notes a minute just after a position."""
        i = int(np.clip(np.searchsorted(self._beats, beat + SAME_BEATS, "right") - 1, 0, len(self._beats) - 2))
        return float(60.0 * (self._beats[i + 1] - self._beats[i]) / (self._times[i + 1] - self._times[i]))

    def meter_at(self, beat: float) -> Meter:
        """Meter in force at a position."""
        return self.meters[max(0, bisect_right(self._bar_starts, beat + SAME_BEATS) - 1)]

    def bar_start(self, bar: int) -> float:
        """Position (beats) of the downbeat of a bar; bars count from 0."""
        i = max(0, bisect_right([m.bar for m in self.meters], bar) - 1)
        return self._bar_starts[i] + (bar - self.meters[i].bar) * self.meters[i].quarters

    def bar_index(self, beat: float) -> int:
        """Bar, counted from 0, that a position lies in."""
        i = max(0, bisect_right(self._bar_starts, beat + SAME_BEATS) - 1)
        meter = self.meters[i]
        return meter.bar + int(np.floor((beat + SAME_BEATS - self._bar_starts[i]) / meter.quarters))

    def bar_position(self, beat: float) -> BarPosition:
        """Printed bar and felt beat of a position."""
        bar = self.bar_index(beat)
        into = max(0.0, beat - self.bar_start(bar))
        return BarPosition(bar + self.first_bar_number, 1.0 + into / self.meter_at(beat).felt_beat_quarters)

    def felt_beats_between(self, from_s: float, to_s: float) -> list[float]:
        """Moments (s) of the felt beats of the bars between two moments."""
        first, last = float(self.beats_at(from_s)), float(self.beats_at(to_s))
        moments: list[float] = []
        for bar in range(self.bar_index(first), self.bar_index(last) + 1):
            start, stop = self.bar_start(bar), self.bar_start(bar + 1)
            felt = self.meter_at(start).felt_beat_quarters
            places = start + felt * np.arange(int(np.ceil((stop - start) / felt - 1e-9)), dtype=np.float64)
            moments += self.seconds_at(places[(places >= first) & (places <= last)]).tolist()
        return moments

    def with_bpm(self, bpm: float) -> "TempoMap":
        """A steady map at ``bpm`` quarter notes a minute, bar 1 where it was."""
        anchor = Knot(0.0, float(self.seconds_at(0.0)), True)
        return replace(self, knots=(anchor,), lone_bpm=bpm)

    def with_downbeat(self, time_s: float) -> "TempoMap":
        """The same tempo with bar 1 beat 1 at ``time_s``."""
        shift_s = time_s - float(self.seconds_at(0.0))
        return replace(self, knots=tuple(replace(k, time_s=k.time_s + shift_s) for k in self.knots))

    def seen_from(self, place_s: float) -> "TempoMap":
        """The same map with moments counted from ``place_s``, as a take that begins there has them."""
        if place_s == 0:
            return self
        return replace(self, knots=tuple(replace(k, time_s=k.time_s - place_s) for k in self.knots))


def _convert(
    values: NDArray[np.float64], source: NDArray[np.float64], target: NDArray[np.float64]
) -> NDArray[np.float64]:
    i = np.clip(np.searchsorted(source, values, "right") - 1, 0, len(source) - 2)
    share = (values - source[i]) / (source[i + 1] - source[i])
    return np.asarray(target[i] + share * (target[i + 1] - target[i]))


def check_meter(numerator: int, denominator: int) -> None:
    """Nothing where the meter can be written.

    Raises:
        BadInput: it cannot.
    """
    if not 1 <= numerator <= 64 or denominator not in (1, 2, 4, 8, 16, 32):
        raise BadInput(
            f"{numerator}/{denominator} is no meter we can write.",
            "Give beats from 1 to 64 over 1, 2, 4, 8, 16 or 32, such as 6/8.",
        )


def _check(tempo_map: TempoMap) -> None:
    if not tempo_map.knots:
        raise BadInput("A tempo map needs at least one knot.", "Set the moment of bar 1.")
    if not SLOWEST_BPM <= tempo_map.lone_bpm <= FASTEST_BPM:
        raise BadInput(
            f"{tempo_map.lone_bpm:g} beats a minute is out of range.",
            f"Give a tempo from {SLOWEST_BPM:g} to {FASTEST_BPM:g}, such as 96.",
        )
    for before, after in zip(tempo_map.knots, tempo_map.knots[1:], strict=False):
        span = after.beat - before.beat
        if span <= 0 or after.time_s <= before.time_s:
            raise BadInput(
                f"The knots at {before.time_s:.3f} s and {after.time_s:.3f} s do not rise together.",
                "Later moments need later beats. Move or remove one of them.",
            )
        bpm = 60.0 * span / (after.time_s - before.time_s)
        if not SLOWEST_BPM * 0.999 <= bpm <= FASTEST_BPM * 1.001:
            raise BadInput(
                f"Between {before.time_s:.3f} s and {after.time_s:.3f} s the tempo would be {bpm:.4g}.",
                f"Tempos from {SLOWEST_BPM:g} to {FASTEST_BPM:g} can be written. Move one of the two.",
            )
    bars = [m.bar for m in tempo_map.meters]
    if not bars or bars[0] != 0 or any(b <= a for a, b in itertools.pairwise(bars)):
        raise BadInput("The meters are out of order.", "The first meter belongs to the first bar.")
    for meter in tempo_map.meters:
        check_meter(meter.numerator, meter.denominator)
