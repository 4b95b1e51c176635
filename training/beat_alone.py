"""Tunes that nobody accompanies, as dances and songs are played by one hand: leaned on, lilting, with graces."""

from itertools import pairwise

from training.accompanied import LEAST_BEATS, over_again
from training.beat_scores import (
    SCALES,
    Maker,
    Random,
    Score,
    Written,
    divisions_of,
    harmony_of,
    make_bars,
    melody_line,
)

# How late the second half of a beat may come, and the last third, as shares of a beat.
LILT, COMPOUND_LILT = 0.16, 0.08
GRACE_BEATS = 0.08
# Semitones from a note to the grace before it.
GRACES = (-2, -1, 1, 2, 3)


def alone(random: Random, tune: Score) -> Score:
    """A tune over and over, as one hand plays it; now and then over a drone, or in octaves."""
    notes, starts, lengths = over_again(tune)
    return _as_played(random, notes, starts, lengths, tune.compound)


def line_alone(random: Random) -> Score:
    """A made-up line without any accompaniment."""
    starts, lengths, compound = make_bars(random, LEAST_BEATS)
    phrase_bars = int(random.choice([2, 4, 4, 8]))
    maker = Maker(
        beats=starts[-1] + lengths[-1], starts=starts, lengths=lengths, compound=compound,
        harmony=harmony_of(random, starts, lengths, phrase_bars), scale=SCALES[int(random.integers(len(SCALES)))],
        tonic=int(random.integers(57, 69)), divisions=divisions_of(random, compound, swing=False),
        rests=float(random.choice([0.0, 0.03, 0.1])), syncopation=float(random.choice([0.0, 0.05, 0.15])),
        accented=0.0, phrase_bars=phrase_bars,
    )  # fmt: skip
    low = int(random.integers(48, 66))
    return _as_played(random, melody_line(random, maker, 0, low, low + 24), starts, lengths, compound)


def _as_played(random: Random, notes: list[Written], starts: list[int], lengths: list[int], compound: bool) -> Score:
    leaning = float(random.choice([0.0, 0.5, 1.0, 1.6]))
    within = float(random.uniform(0.0, 0.6)) * leaning
    lilt = float(random.choice([0.0, 0.0, 0.5, 1.0])) * (COMPOUND_LILT if compound else LILT)
    graced = float(random.choice([0.0, 0.0, 0.06, 0.2]))
    octave = 12 * int(random.choice([0, 0, 0, -1, 1]))
    first = set(starts)
    played: list[Written] = []
    for note in notes:
        onset, end = _lilting(note.onset, lilt, compound), _lilting(note.onset + note.duration, lilt, compound)
        on_beat = note.onset % 1 < 0.01
        accent = leaning if on_beat and round(note.onset) in first else within if on_beat else -0.4 * leaning
        if on_beat and onset > GRACE_BEATS and random.random() < graced:
            pitch = note.pitch + octave + int(random.choice(GRACES))
            played.append(Written(onset - GRACE_BEATS, GRACE_BEATS, pitch, 0, accent - 0.8))
        played.append(Written(onset, end - onset, note.pitch + octave, 0, accent))
    return Score(
        tuple(played + _under(random, played, starts, lengths)), tuple(starts), tuple(lengths), compound, "alone"
    )


def _lilting(place: float, lilt: float, compound: bool) -> float:
    """A place in beats where what lies within the beat comes late: its half, or its last third."""
    beat, at = divmod(place, 1)
    middle = 2 / 3 if compound else 0.5
    if at <= middle:
        return beat + at * (middle + lilt) / middle
    return beat + middle + lilt + (at - middle) * (1 - middle - lilt) / (1 - middle)


def _under(random: Random, played: list[Written], starts: list[int], lengths: list[int]) -> list[Written]:
    """What sounds with a line: nothing as a rule, its octave, or a drone struck anew every few bars."""
    kind = str(random.choice(["nothing", "octave", "drone"], p=[0.84, 0.08, 0.08]))
    if kind == "octave":
        return [Written(n.onset, n.duration, n.pitch - 12, 1, n.accent) for n in played]
    if kind == "drone":
        low = played[-1].pitch % 12 + 48
        every = int(random.choice([2, 4, 8]))
        ends = [*starts[::every], starts[-1] + lengths[-1]]
        return [Written(a, b - a - 0.02, p, 1, -1.0) for a, b in pairwise(ends) for p in (low, low + 7)]
    return []
