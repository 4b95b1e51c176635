"""The score of a beat map: voices that follow a recording, written in bars, each beat with its tempo."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.beat_map import BeatMap, places_of, tempo_map_of, times_of
from honest_stave.core.beat.tempo_map import Meter, TempoMap
from honest_stave.core.formats.musicxml_read import (
    Score,
    ScoreNote,
    ScorePart,
    meter_of_length,
    read_musicxml,
    tempo_map_of_score,
)
from honest_stave.core.part.events import Sounding

Values = NDArray[np.float64]

# Places within a quarter on which notes are written where no score says which ones it uses.
USUAL_PLACES = (0.0, 0.25, 1 / 3, 0.5, 2 / 3, 0.75)
SHORTEST_QUARTERS = 1 / 12
# A pickup is so many of these: a bar of thirds of a beat has no meter, it begins with a rest.
PICKUP_QUARTERS = 1 / 8
# A beat may come by so much earlier or later than in the map.
WORST_MS = 1.0
# Positions are written in 48ths of a quarter.
SAME_QUARTERS = 1 / 48 + 1e-6


@dataclass(frozen=True)
class Voice:
    """A voice that follows a map: its name, General MIDI program, and notes in the recording's seconds."""

    name: str
    program: int | None
    notes: Sequence[Sounding]


@dataclass(frozen=True)
class MapScore:
    """A score whose tempo marks are a map's.

    Args:
        score: the score.
        first_bar_number: printed on its first full bar.
        pickup: whether its first bar is one.
        starts_s: moment of the score's beginning in the recording.
        beat: positions of the map's beats in it, up to its last note, quarters, (beats,).
    """

    score: Score
    first_bar_number: int
    pickup: bool
    starts_s: float
    beat: Values


def places_within(onset_beats: Values) -> tuple[float, ...]:
    """Places within a quarter on which a score's notes begin.

    Args:
        onset_beats: their positions in quarters.
    """
    found = np.round(np.asarray(onset_beats) % 1.0, 6) % 1.0
    return tuple(sorted({0.0, *found.tolist()}))


def score_of_map(beat_map: BeatMap, voices: Sequence[Voice], places: Sequence[float] = USUAL_PLACES) -> MapScore:
    """The score that voices and a map make together.

    Args:
        beat_map: of the recording.
        voices: in the recording's seconds.
        places: within a quarter, on which notes are written, in 0 to 1.
    """
    tempo_map, beat = tempo_map_of(beat_map), places_of(beat_map).position
    written = [_written(tempo_map, voice, places) for voice in voices]
    earliest = min((float(onset[0]) for onset, _ in written if len(onset)), default=0.0)
    before = max(0.0, -float(beat[0]), -earliest)
    last = max((float(offset.max()) for _, offset in written if len(offset)), default=0.0)
    first = tempo_map.meters[0]
    whole_bars, rest = divmod(np.ceil(before / PICKUP_QUARTERS - 1e-6) * PICKUP_QUARTERS, first.quarters)
    rest = rest if rest > 1e-6 else 0.0
    shift = whole_bars * first.quarters + rest
    bars_before = int(whole_bars) + int(rest > 0)
    meters = [Meter(m.bar + bars_before if m.bar else int(rest > 0), m.numerator, m.denominator)
              for m in tempo_map.meters]  # fmt: skip
    if rest:
        meters.insert(0, meter_of_length(0, rest))
    parts = tuple(
        ScorePart(
            voice.name,
            voice.program,
            tuple(
                ScoreNote(float(on) + shift, float(off - on), note.pitch)
                for on, off, note in zip(onset, offset, sorted(voice.notes, key=_order), strict=True)
            ),
        )
        for voice, (onset, offset) in zip(voices, written, strict=True)
        if len(onset)
    )
    knots = np.array([(k.beat, k.time_s) for k in tempo_map.knots])
    bpm = 60.0 * np.diff(knots[:, 0]) / np.diff(knots[:, 1])
    tempi = list(zip((knots[:-1, 0] + shift).tolist(), bpm.tolist(), strict=True))
    if tempi and tempi[0][0] > 1e-6:
        tempi.insert(0, (0.0, tempi[0][1]))
    holds = tuple(float(beat[h.beat]) + shift for h in beat_map.holds)
    return MapScore(
        Score(parts, tuple(meters), tuple(tempi), holds, repeats=False),
        beat_map.first_bar_number - int(whole_bars),
        rest > 0,
        float(tempo_map.seconds_at(-shift)),
        beat[beat <= last] + shift,
    )


def _order(note: Sounding) -> tuple[float, float]:
    return note.onset_s, note.pitch


def _written(tempo_map: TempoMap, voice: Voice, places: Sequence[float]) -> tuple[Values, Values]:
    """Where notes are written to begin and to end, in quarters from the first downbeat."""
    notes = sorted(voice.notes, key=_order)
    onset = _nearest(np.asarray(tempo_map.beats_at(np.array([n.onset_s for n in notes]))), places)
    offset = _nearest(np.asarray(tempo_map.beats_at(np.array([n.offset_s for n in notes]))), places)
    return onset, np.maximum(offset, onset + max(SHORTEST_QUARTERS, _finest(places)))


def _finest(places: Sequence[float]) -> float:
    return float(np.diff([*sorted(places), 1.0 + min(places)]).min())


def _nearest(position: Values, places: Sequence[float]) -> Values:
    """Positions moved to the nearest place."""
    whole = np.floor(position)[:, None]
    options = np.concatenate([whole + place + by for by in (-1.0, 0.0, 1.0) for place in [np.array(places)]], axis=1)
    nearest = np.abs(options - position[:, None]).argmin(axis=1)
    return np.asarray(options[np.arange(len(position)), nearest])


@dataclass(frozen=True)
class ScoreProof:
    """What a written score says when it is read back.

    Args:
        notes: that it holds.
        same: whether they are the notes that were to be written, where they were, each beat within ``WORST_MS``.
        worst_ms: by how much a beat comes at another moment than in the map, at most.
    """

    notes: int
    same: bool
    worst_ms: float


def prove_score(made: MapScore, beat_map: BeatMap, data: bytes) -> ScoreProof:
    """Reads a written score back and compares its notes, and the moments of its beats with the map's."""
    back = read_musicxml(data)

    def rows(score: Score) -> Values:
        notes = [(i, n.onset, n.duration, n.pitch) for i, part in enumerate(score.parts) for n in part.notes]
        return np.array(sorted(notes)) if notes else np.zeros((0, 4))

    wanted, found = rows(made.score), rows(back)
    same = wanted.shape == found.shape and bool(np.all(np.abs(wanted - found) <= SAME_QUARTERS))
    error_s = tempo_map_of_score(back).seconds_at(made.beat) + made.starts_s - times_of(beat_map)[: len(made.beat)]
    worst_ms = 1000 * float(np.abs(error_s).max(initial=0.0))
    return ScoreProof(len(found), same and worst_ms <= WORST_MS, worst_ms)
