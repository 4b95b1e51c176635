"""Public-domain tunes with an accompaniment of our own: chords that fit, in the textures of made-up music."""

import numpy as np

from training.beat_scores import SCALES, Maker, Random, Score, Written, accompanying

TEXTURES = {"alone": 0.14, "no drums": 0.28, "figures": 0.16, "accompaniment": 0.2, "band": 0.22}
# Chords of a tune, as degrees of its scale, and how readily each is taken.
DEGREES = {0: 0.25, 3: 0.1, 4: 0.15, 5: 0.02, 1: 0.0}
TONIC_WEIGHT, LAST_WEIGHT = 0.3, 0.2
# A tune is played over again until it has so many beats.
LEAST_BEATS = 120


def accompanied(random: Random, tune: Score) -> Score:
    """A tune, over and over, in a texture of its own; one in two beats has no drums: it could be counted in four."""
    notes, starts, lengths = over_again(tune)
    tonic, scale = _key_of(tune)
    beats = starts[-1] + lengths[-1]
    maker = Maker(
        beats=beats, starts=starts, lengths=lengths, compound=tune.compound,
        harmony=_chords(random, notes, starts, lengths, tonic, scale), scale=scale, tonic=tonic + 60,
        divisions=[], rests=0.0, syncopation=0.0, accented=float(random.choice([0.0, 0.4, 1.0])),
    )  # fmt: skip
    texture = str(random.choice(list(TEXTURES), p=list(TEXTURES.values())))
    if texture == "band" and lengths[0] == 2 and not tune.compound:
        texture = "no drums"
    played = [
        Written(n.onset, n.duration, n.pitch, 0, maker.accent(int(n.onset + 1e-6), n.onset % 1 > 0.01)) for n in notes
    ]
    if texture != "alone":
        # The accompaniment begins with the first full bar.
        played += [n for n in accompanying(random, maker, texture) if n.onset >= starts[1] - 0.01]
    return Score(tuple(played), tuple(starts), tuple(lengths), tune.compound, texture)


def over_again(tune: Score) -> tuple[list[Written], list[int], list[int]]:
    """The tune from its pickup until it is long enough; the pickup again lies in the bar that ends it."""
    notes, starts, lengths = list(tune.notes), list(tune.bar_starts), list(tune.bar_beats)
    while starts[-1] + lengths[-1] < LEAST_BEATS:
        shift = starts[-1] + lengths[-1] - tune.bar_starts[1]
        notes += [Written(n.onset + shift, n.duration, n.pitch, n.part, n.accent) for n in tune.notes]
        starts += [s + shift for s in tune.bar_starts[1:]]
        lengths += tune.bar_beats[1:]
    return notes, starts, lengths


def _key_of(tune: Score) -> tuple[int, tuple[int, ...]]:
    """Pitch class of the tonic and the scale that hold most of a tune and end it."""
    held = np.bincount([n.pitch % 12 for n in tune.notes], [n.duration for n in tune.notes], 12)
    held /= held.sum()
    last = tune.notes[-1].pitch % 12
    rated = {
        (tonic, scale): held[[(tonic + s) % 12 for s in scale]].sum()
        + TONIC_WEIGHT * held[tonic]
        + LAST_WEIGHT * (tonic == last)
        for tonic in range(12)
        for scale in SCALES
    }
    return max(rated, key=rated.__getitem__)


def _chords(
    random: Random, notes: list[Written], starts: list[int], lengths: list[int], tonic: int, scale: tuple[int, ...]
) -> list[tuple[int, int, int]]:
    """Rows of first beat, beats and degree: of each bar, or half of one, the chord that holds most of the tune."""
    onset = np.array([n.onset for n in notes])
    halves = random.random() < 0.35
    rows = []
    for start, length in zip(starts, lengths, strict=True):
        inside = [length // 2, length - length // 2] if halves and length % 2 == 0 and length > 2 else [length]
        for beats in inside:
            over = [notes[i] for i in np.flatnonzero((onset >= start - 0.01) & (onset < start + beats - 0.01))]
            # What lies on a beat says more of the chord than what lies between.
            weight = [(n.duration + 0.1) * (1.0 if n.onset % 1 < 0.01 else 0.5) for n in over]
            held = np.bincount([n.pitch % 12 for n in over], weight, 12) if over else np.zeros(12)
            held /= max(held.sum(), 1e-6)
            rated = {
                d: held[[(tonic + scale[(d + 2 * i) % 7]) % 12 for i in range(3)]].sum()
                + liked
                + random.normal(0, 0.05)
                for d, liked in DEGREES.items()
            }
            rows.append((start, beats, max(rated, key=rated.__getitem__)))
            start += beats
    return rows
