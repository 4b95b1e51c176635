"""The written music of the Lighthouse Goat, and how it is played: notes with known truth."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Played:
    """A note as played: moments (s), pitch, loudness (0 to 1), and how it is approached.

    Args:
        scoop_cents: how far below the pitch it begins.
        slide: whether it slides in from the note before.
    """

    onset_s: float
    offset_s: float
    pitch: int
    loudness: float
    scoop_cents: float = 0.0
    slide: bool = False


# (length in eighths, pitch; 0 for a rest)
WHISTLE_THEME = (
    (2, 74), (1, 76), (1, 78), (3, 81), (1, 78), (2, 76), (2, 74), (2, 71), (1, 74), (1, 76), (4, 78), (2, 0),
    (1, 78), (1, 79), (2, 81), (2, 83), (1, 81), (1, 79), (2, 78), (2, 76), (1, 74), (1, 71), (2, 74), (2, 76),
    (4, 74), (2, 0),
    (2, 79), (1, 78), (1, 76), (3, 78), (1, 81), (2, 86), (2, 83), (1, 81), (1, 81), (2, 78), (2, 76), (2, 76),
    (4, 78), (2, 0), (1, 74), (1, 76), (2, 78), (1, 76), (1, 74), (2, 71), (2, 73), (6, 74),
)  # fmt: skip
BASS_LINE = (
    (2, 38), (1, 38), (1, 45), (2, 42), (2, 45), (2, 43), (1, 43), (1, 47), (2, 50), (2, 43), (2, 45), (1, 45),
    (1, 45), (2, 49), (2, 45), (2, 38), (2, 42), (2, 45), (2, 0), (2, 38), (1, 38), (1, 40), (2, 42), (2, 43),
    (2, 45), (1, 47), (1, 45), (2, 43), (2, 42), (2, 40), (1, 40), (1, 40), (2, 45), (2, 33), (4, 38), (4, 38),
)  # fmt: skip
GOAT_SONG = (
    (2, 57), (2, 60), (1, 62), (3, 64), (1, 62), (1, 60), (2, 57), (2, 59), (4, 60), (2, 0),
    (2, 64), (2, 65), (2, 64), (1, 62), (1, 60), (2, 62), (3, 59), (1, 57), (4, 57), (2, 0),
    (2, 64), (1, 64), (1, 67), (2, 69), (2, 67), (2, 64), (2, 62), (1, 60), (1, 62), (4, 64), (2, 0),
    (2, 62), (2, 60), (1, 59), (1, 57), (2, 60), (2, 59), (6, 57),
)  # fmt: skip

# Four voices of the harmonium, from the top down.
HARMONIUM_VERSE = (
    (
        (3, 69), (1, 71), (2, 72), (2, 76), (4, 77), (2, 76), (2, 72), (3, 79), (1, 76), (4, 72), (4, 74), (4, 71),
        (3, 72), (1, 71), (2, 69), (2, 76), (4, 77), (2, 74), (2, 77), (4, 76), (2, 74), (2, 71), (8, 69),
    ),
    (
        (4, 64), (4, 64), (4, 69), (4, 69), (4, 67), (4, 67), (4, 67), (4, 67), (4, 64), (4, 64), (4, 69), (4, 69),
        (4, 68), (4, 68), (8, 64),
    ),
    (
        (8, 60), (8, 60), (4, 64), (4, 64), (4, 62), (4, 62), (8, 60), (4, 65), (4, 65), (4, 64), (4, 62), (8, 60),
    ),
    (
        (4, 45), (4, 45), (4, 41), (4, 53), (4, 48), (4, 48), (4, 43), (4, 55), (4, 45), (4, 52), (4, 50), (4, 50),
        (4, 52), (4, 52), (8, 45),
    ),
)  # fmt: skip
# Strokes of the toy piano: length in eighths, pitches.
TOY_PIANO = (
    (1, (72,)), (1, (76,)), (1, (79,)), (1, (84,)), (2, (77, 81)), (2, (76, 79)), (1, (74,)), (1, (77,)), (1, (81,)),
    (1, (86,)), (3, (74, 79, 83)), (1, (79,)), (2, (72, 76, 79)), (2, (69, 76)), (1, (81,)), (1, (79,)), (1, (77,)),
    (1, (76,)), (2, (74, 77)), (2, (71, 74)), (1, (67,)), (1, (71,)), (1, (74,)), (1, (79,)), (4, (72, 76, 84)),
    (1, (84,)), (1, (83,)), (1, (81,)), (1, (79,)), (2, (69, 77)), (2, (67, 76)), (1, (74,)), (1, (76,)), (1, (77,)),
    (1, (79,)), (3, (71, 77)), (1, (74,)), (6, (72, 76, 79)),
)  # fmt: skip


def perform(
    written: tuple[tuple[int, int], ...],
    *,
    bpm: float,
    start_s: float,
    held: float,
    seed: int,
    scoop: float = 0.0,
    slides: float = 0.0,
    loose_s: float = 0.008,
) -> list[Played]:
    """Plays written music as a person would.

    Args:
        written: lengths in eighths and pitches.
        bpm: quarter notes a minute.
        start_s: moment of the first note.
        held: share of each length that sounds.
        seed: of the human differences.
        scoop: share of notes begun from below.
        slides: share of notes slid into.
        loose_s: spread of the timing.
    """
    random = np.random.default_rng(seed)
    eighth_s = 30.0 / bpm
    notes: list[Played] = []
    place = 0
    for i, (eighths, pitch) in enumerate(written):
        onset = start_s + place * eighth_s + float(random.normal(0, loose_s))
        end = start_s + (place + eighths * held) * eighth_s
        place += eighths
        if pitch == 0:
            continue
        accent = 0.1 if place % 8 == eighths % 8 else 0.0
        loudness = float(np.clip(0.6 + accent + random.normal(0, 0.08), 0.3, 1.0))
        scoop_cents = float(random.uniform(60, 140)) if random.random() < scoop else 0.0
        slide = i > 0 and written[i - 1][1] > 0 and random.random() < slides
        notes.append(Played(onset, max(end, onset + 0.09), pitch, loudness, scoop_cents, slide))
    return notes


def perform_strokes(
    strokes: tuple[tuple[int, tuple[int, ...]], ...], *, bpm: float, start_s: float, seed: int, loose_s: float = 0.012
) -> list[Played]:
    """Plays strokes of one note or several, each pitch ringing until it is struck again or its chord is over.

    Args:
        strokes: lengths in eighths and pitches.
        bpm: quarter notes a minute.
        start_s: moment of the first stroke.
        seed: of the human differences.
        loose_s: spread of the timing of strokes; the notes of one lie a third of it apart.
    """
    random = np.random.default_rng(seed)
    eighth_s = 30.0 / bpm
    notes: list[Played] = []
    place = 0
    for eighths, pitches in strokes:
        stroke_s = start_s + place * eighth_s + float(random.normal(0, loose_s))
        place += eighths
        loudness = float(np.clip(0.62 + random.normal(0, 0.1), 0.3, 1.0))
        for pitch in pitches:
            onset = stroke_s + float(random.normal(0, loose_s / 3))
            end = max(start_s + place * eighth_s - 0.03, onset + 0.12)
            notes.append(Played(onset, end, pitch, float(np.clip(loudness + random.normal(0, 0.05), 0.25, 1.0))))
    return sorted(notes, key=lambda n: (n.onset_s, n.pitch))
