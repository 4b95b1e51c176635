"""The beat map that an aligned score gives a recording, the holds its score writes out, and where it does not fit."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.align import Alignment, Written
from honest_stave.core.beat.beat_map import (
    SHORTEST_BEAT_S,
    Beat,
    BeatMap,
    Between,
    Hold,
    MeterFrom,
    WrittenOut,
    check_map,
    relaid,
)
from honest_stave.core.beat.map_edits import check_chosen
from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.words import how_many

Values = NDArray[np.float64]

# Beats are the same when they lie this close, in quarter notes.
SAME_QUARTERS = 0.02
# Of how sure its neighbours are a beat keeps this much where nothing begins on it.
UNSTRUCK = 0.7
# Nothing begins over so many felt beats, or more, where a score writes a hold out.
HELD_FROM_BEATS = 2
# Tempos this many times the middle one, or its inverse, are implausible over a whole passage.
IMPLAUSIBLE, PASSAGE_BEATS = 2.5, 4
# Beyond its ends a score goes on at the tempo of so many quarters; where there are no two onsets, at this one.
ENDS_QUARTERS, UNKNOWN_QUARTER_S = 4.0, 0.5
# Sound that goes on for so long before the first or after the last onset is not in the score.
UNWRITTEN_S = 6.0


@dataclass(frozen=True)
class AlignedMap:
    """Beats of a recording by its score.

    Args:
        beats, meters: as in a beat map.
        first_bar_number: printed number of the first bar.
        written_out: holds that the score seems to write out as extra time.
        between: onsets between the beats.
    """

    beats: tuple[Beat, ...]
    meters: tuple[MeterFrom, ...]
    first_bar_number: int
    written_out: tuple[WrittenOut, ...]
    between: tuple[Between, ...] = ()


def map_of_alignment(found: Alignment, score: Sequence[Written], written: TempoMap) -> AlignedMap:
    """Felt beats of the score at their moments in the recording.

    Args:
        found: moments of the written onsets.
        score: its notes.
        written: the score's own map, for its meters.
    """
    last = max(n.onset_beats + n.duration_beats for n in score)
    first_onset, last_onset = found.beat[[0, -1]].tolist()
    first_bar = written.bar_index(float(found.beat[0]))
    positions: list[float] = []
    meters: list[MeterFrom] = []
    bar = first_bar
    while (start := written.bar_start(bar)) < last - SAME_QUARTERS or positions[-1] < last_onset - SAME_QUARTERS:
        meter = written.meter_at(start)
        inside = start + meter.felt_beat_quarters * np.arange(round(meter.quarters / meter.felt_beat_quarters))
        # What begins between beats has one before it and one after it.
        ends = max(last, last_onset + meter.felt_beat_quarters - 2 * SAME_QUARTERS)
        begins = first_onset - meter.felt_beat_quarters + SAME_QUARTERS
        inside = inside[(inside > begins) & (inside <= ends + SAME_QUARTERS)]
        if not meters or (meters[-1].numerator, meters[-1].denominator) != (meter.numerator, meter.denominator):
            meters.append(MeterFrom(len(positions), meter.numerator, meter.denominator))
        positions += inside.tolist()
        bar += 1
    place = np.array(positions)
    time_s = _moments(place, found, last)
    nearest = np.abs(found.beat[None] - place[:, None]).argmin(axis=1)
    struck = np.abs(found.beat[nearest] - place) <= SAME_QUARTERS
    # A beat on which nothing begins is no surer than what begins before and after it.
    after = np.clip(np.searchsorted(found.beat, place), 1, len(found.beat) - 1)
    between = UNSTRUCK * np.minimum(found.confidence[after - 1], found.confidence[after])
    sure = np.where(struck, found.confidence[nearest], between)
    beats = tuple(
        Beat(t, t if on else None, float(c))
        for t, on, c in zip(time_s.tolist(), struck.tolist(), sure.tolist(), strict=True)
    )
    # A score that begins inside a bar has a pickup: its first meter begins with the bar after it.
    into = positions[0] - written.bar_start(first_bar)
    if into > SAME_QUARTERS and meters:
        whole = written.bar_start(first_bar + 1)
        meters[0] = replace(meters[0], beat=int(np.searchsorted(place, whole - SAME_QUARTERS)))
        first_bar += 1
    written_out = _written_out(struck, meters)
    return AlignedMap(beats, tuple(meters), first_bar + 1, written_out, _between(place, time_s, found))


def _moments(place: Values, found: Alignment, last: float) -> Values:
    """Moments of positions, those before the first onset and after the last one at the tempo beside it."""
    head, tail = found.beat <= found.beat[0] + ENDS_QUARTERS, found.beat >= found.beat[-1] - ENDS_QUARTERS
    beats = np.concatenate([[found.beat[0] - ENDS_QUARTERS], found.beat, [last + ENDS_QUARTERS]])
    before_s = found.time_s[0] - ENDS_QUARTERS * _quarter_s(found.beat[head], found.time_s[head])
    after_s = (beats[-1] - found.beat[-1]) * _quarter_s(found.beat[tail], found.time_s[tail])
    time_s = np.interp(place, beats, np.concatenate([[before_s], found.time_s, [found.time_s[-1] + after_s]]))
    least = np.arange(len(time_s)) * SHORTEST_BEAT_S * 1.01
    return np.asarray(np.maximum.accumulate(time_s - least) + least)


def _quarter_s(beat: Values, time_s: Values) -> float:
    """Length of a quarter over some onsets."""
    span = float(beat[-1] - beat[0])
    return float(time_s[-1] - time_s[0]) / span if span > 0 else UNKNOWN_QUARTER_S


def _between(place: Values, time_s: Values, found: Alignment) -> tuple[Between, ...]:
    """Written onsets that lie between two beats, at their moments."""
    after = np.searchsorted(place, found.beat)
    inside = np.flatnonzero((after > 0) & (after < len(place)))
    before = after[inside] - 1
    step = place[before + 1] - place[before]
    share = (found.beat[inside] - place[before]) / step
    off = np.minimum(share, 1 - share) * step > SAME_QUARTERS
    inside, before, share = inside[off], before[off], share[off]
    # Beats are kept a little apart: an onset beside one stays on its side.
    least_s, most_s = time_s[before] + SHORTEST_BEAT_S * share, time_s[before + 1] - SHORTEST_BEAT_S * (1 - share)
    moment_s = np.clip(found.time_s[inside], least_s, most_s)
    heard_s, sure = found.time_s[inside], found.confidence[inside]
    rows = zip(*(each.tolist() for each in (before, share, moment_s, heard_s, sure)), strict=True)
    return tuple(Between(*row) for row in rows)


def _written_out(struck: NDArray[np.bool_], meters: Sequence[MeterFrom]) -> tuple[WrittenOut, ...]:
    """Beats after which nothing begins for some beats, in a bar that is longer than the ones before and after."""
    found = []
    for i, meter in enumerate(meters):
        after = meters[i + 1] if i + 1 < len(meters) else None
        stop = after.beat if after else len(struck)
        around = [m.felt_beats for m in (meters[i - 1] if i else None, after) if m]
        one_bar = stop - meter.beat <= meter.felt_beats
        if not (one_bar and around and meter.felt_beats > max(around)):
            continue
        last_struck = (
            int(np.flatnonzero(struck[meter.beat : stop])[-1]) + meter.beat if struck[meter.beat : stop].any() else -1
        )
        silent = stop - 1 - last_struck
        if last_struck >= 0 and silent >= min(HELD_FROM_BEATS, meter.felt_beats - max(around)):
            found.append(WrittenOut(last_struck, silent))
    return tuple(found)


def as_hold(beat_map: BeatMap, beat: int, beats: int) -> BeatMap:
    """Extra beats that a score writes out after a beat, turned into a hold of that beat.

    Where the music ends with them a beat is added at which the hold ends, as far on as the extra beats go.

    Args:
        beat_map: the map.
        beat: the one that is held.
        beats: how many after it are extra.

    Raises:
        BadInput: one of them is pinned.
    """
    check_chosen(beat_map, [beat, beat + beats])
    extra = range(beat + 1, beat + 1 + beats)
    if any(beat_map.beats[i].pinned for i in extra):
        raise BadInput("A pin lies inside the hold.", "Release it first.")
    if extra.stop == len(beat_map.beats):
        before, last = beat_map.beats[-2:]
        ends = Beat(2 * last.time_s - before.time_s, None, last.confidence)
        beat_map = replace(beat_map, beats=(*beat_map.beats, ends))

    def moved(i: int) -> int:
        return i - beats if i > beat + beats else min(i, beat)

    # What is written in the extra time keeps its place in the hold.
    inside = tuple(
        replace(b, beat=beat + beats, share=(b.beat - beat + b.share) / (beats + 1))
        if beat <= b.beat <= beat + beats
        else b
        for b in beat_map.between
    )
    shorter = relaid(
        replace(
            beat_map,
            between=inside,
            beats=tuple(b for i, b in enumerate(beat_map.beats) if i not in extra),
            holds=tuple(h for h in beat_map.holds if h.beat not in extra),
        ),
        moved,
    )
    meters: list[MeterFrom] = []
    for meter, following in zip(beat_map.meters, [*beat_map.meters[1:], None], strict=True):
        stop = following.beat if following else len(beat_map.beats)
        fresh = replace(meter, beat=moved(meter.beat))
        if meter.beat <= beat < stop and meter.felt_beats > beats:
            # The bar has the beats that are counted; the hold makes it long.
            counted = meter.felt_beats - beats
            fresh = replace(fresh, numerator=meter.numerator // meter.felt_beats * counted)
        same = meters and (meters[-1].numerator, meters[-1].denominator) == (fresh.numerator, fresh.denominator)
        whole = meters and (fresh.beat - meters[-1].beat) % meters[-1].felt_beats == 0
        if not (same and whole):
            meters.append(fresh)
    holds = sorted([*shorter.holds, Hold(beat, beats + 1)], key=lambda h: h.beat)
    return check_map(replace(shorter, meters=tuple(meters), holds=tuple(holds)))


def misfits(found: Alignment, sounding_s: tuple[float, float]) -> tuple[str, ...]:
    """In words where score and recording do not go together, nothing where they do.

    Args:
        found: the alignment.
        sounding_s: first and last moment at which the recording sounds.
    """
    said = []
    if found.stops_fitting == 0:
        return (
            "The score does not fit this recording: hardly any of its notes are heard to begin where it would lie.",
        )
    if found.once:
        said.append("The score’s repeats are not played: it was laid on the recording without them.")
    if found.semitones:
        where = "lower" if found.semitones > 0 else "higher"
        said.append(
            f"The score is written {how_many(abs(found.semitones), 'semitone')} {where} than the recording sounds: "
            "its notes were moved there."
        )
    if found.stops_fitting > 0:
        at = min(found.stops_fitting, len(found.time_s) - 1)
        said.append(
            f"From {found.time_s[at]:.1f} s on, quarter {found.beat[at]:g}, the score does not fit the recording."
        )
    if found.time_s[0] - sounding_s[0] > UNWRITTEN_S:
        said.append(f"The recording sounds for {found.time_s[0] - sounding_s[0]:.0f} s before the score begins.")
    if sounding_s[1] - found.time_s[-1] > UNWRITTEN_S:
        said.append(
            f"The recording goes on for {sounding_s[1] - found.time_s[-1]:.0f} s after the score's last onset: "
            "a repeat that is played and not written?"
        )
    said += [
        f"Between {a:.1f} s and {b:.1f} s the tempo would be implausible: "
        + ("a repeat that is written and not played?" if quick else "something played that is not written?")
        for a, b, quick in implausible(found)
    ]
    return tuple(said)


def implausible(found: Alignment) -> list[tuple[float, float, bool]]:
    """Passages (from s, to s, whether too quick) whose tempo is far from the middle one."""
    spans = [(i, int(np.searchsorted(found.beat, b + PASSAGE_BEATS))) for i, b in enumerate(found.beat.tolist())]
    spans = [(i, j) for i, j in spans if j < len(found.beat)]
    pace = np.array([(found.time_s[j] - found.time_s[i]) / (found.beat[j] - found.beat[i]) for i, j in spans])
    if not len(pace):
        return []
    middle = float(np.median(pace))
    state = np.where(pace * IMPLAUSIBLE < middle, 1, np.where(pace > IMPLAUSIBLE * middle, 2, 0))
    edges = [0, *(np.flatnonzero(np.diff(state)) + 1).tolist(), len(state)]
    return [
        (float(found.time_s[spans[a][0]]), float(found.time_s[spans[b - 1][1]]), int(state[a]) == 1)
        for a, b in pairwise(edges)
        if state[a]
    ]
