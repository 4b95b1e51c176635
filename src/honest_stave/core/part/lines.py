"""Lines in a texture: top, bass and inner notes, and the two hands of a pianist.

What the producer has put into a line stays there; the rest follows by height and by least
movement.
"""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.harmony.outermost import outermost
from honest_stave.core.harmony.together import struck_together
from honest_stave.core.part.notes import Note

Line = Literal["top", "inner", "bass", "left hand", "right hand"]
VOICES: tuple[Line, ...] = ("top", "inner", "bass")
HANDS: tuple[Line, ...] = ("left hand", "right hand")
# A line would rather rest than leap further inwards than this from what it played a moment ago. Less would cost
# notes that are on the line: of 85 made-up pieces F1 of the top line is .82 with 16, .84 with 24, .845 with none.
FARTHEST_LEAP = 24
FORGOTTEN_S = 2.5
# A melody alone comes so much nearer to a bass than to where it was, and is no bass.
WANDERING = 7
# What a hand spans without leaping.
HAND_SPAN = 14
SPLITS = np.arange(36, 85)
# Prices of moving the place between the hands, of a span too wide, of the middle of the keyboard left.
MOVE_PRICE, SPAN_PRICE, MIDDLE_PRICE = 0.25, 1.0, 0.03
# Of a note in the other hand than the producer said.
AGAINST_PRICE = 50.0
# Beyond any key.
NO_KEY = 1000


def lines_of(notes: Sequence[Note], by: Literal["voices", "hands"]) -> list[Line]:
    """The line of each note.

    Args:
        notes: in order of onset; those with a line set by hand keep it.
        by: top, inner and bass, or left and right hand.
    """
    if not notes:
        return []
    found = _voices(notes) if by == "voices" else _hands(notes)
    known = VOICES if by == "voices" else HANDS
    return [n.line if n.line in known else line for n, line in zip(notes, found, strict=True)]


def _columns(notes: Sequence[Note]) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64]]:
    return (
        np.array([n.onset_s for n in notes]),
        np.array([n.offset_s for n in notes]),
        np.array([n.pitch for n in notes]),
    )


def _voices(notes: Sequence[Note]) -> list[Line]:
    onset, offset, pitch = _columns(notes)
    top = _outer(notes, onset, offset, pitch, "top")
    bass = _outer(notes, onset, offset, -pitch, "bass")
    rows = list(zip(pitch.tolist(), top, bass, strict=True))
    # A note alone is on the line that it moves least, the first ones on that which lies nearer where both are heard.
    last_top = next((height for height, is_top, is_bass in rows if is_top and not is_bass), np.inf)
    last_bass = next((height for height, is_top, is_bass in rows if is_bass and not is_top), -np.inf)
    lines: list[Line] = []
    for height, is_top, is_bass in rows:
        if is_top and is_bass:
            is_top = abs(height - last_top) <= abs(height - last_bass) + WANDERING
        if is_top:
            last_top = height
        elif is_bass:
            last_bass = height
        lines.append("top" if is_top else "bass" if is_bass else "inner")
    return lines


def _outer(
    notes: Sequence[Note],
    onset: NDArray[np.float64],
    offset: NDArray[np.float64],
    height: NDArray[np.int64],
    line: Line,
) -> list[bool]:
    """Whether each note is the furthest out of what sounds while it begins, and within reach of the line."""
    by_hand = np.array([n.line == line for n in notes])
    free = np.array([n.line in ("", line) for n in notes])
    stroke = struck_together(onset)
    given = np.isin(stroke, stroke[by_hand])
    taken = np.where(given, by_hand, free & outermost(onset, offset, height, free))
    last_height, last_end = -np.inf, -np.inf
    for i in np.flatnonzero(taken).tolist():
        near = onset[i] - last_end < FORGOTTEN_S
        if near and not by_hand[i] and last_height - height[i] > FARTHEST_LEAP:
            taken[i] = False
        else:
            last_height, last_end = height[i], offset[i]
    outer: list[bool] = taken.tolist()
    return outer


def _hands(notes: Sequence[Note]) -> list[Line]:
    onset, _, pitch = _columns(notes)
    stroke = struck_together(onset)
    price = _span_price(pitch, np.flatnonzero(np.diff(stroke, prepend=-1)))
    for note, number in zip(notes, stroke.tolist(), strict=True):
        if note.line == "left hand":
            price[number, note.pitch >= SPLITS] += AGAINST_PRICE
        elif note.line == "right hand":
            price[number, note.pitch < SPLITS] += AGAINST_PRICE
    split_of = SPLITS[_cheapest_path(price)]
    return ["left hand" if p < split_of[s] else "right hand" for p, s in zip(pitch, stroke, strict=True)]


def _span_price(pitch: NDArray[np.int64], begins: NDArray[np.int64]) -> NDArray[np.float64]:
    """What each place between the hands costs each stroke, (strokes, splits), whose first notes are given."""
    price = np.empty((len(begins), len(SPLITS)))
    for place, split in enumerate(SPLITS.tolist()):
        price[:, place] = MIDDLE_PRICE * abs(split - 60)
        for hand in (pitch < split, pitch >= split):
            # A hand without a key spans less than nothing.
            highest = np.maximum.reduceat(np.where(hand, pitch, -NO_KEY), begins)
            lowest = np.minimum.reduceat(np.where(hand, pitch, NO_KEY), begins)
            price[:, place] += SPAN_PRICE * np.maximum(highest - lowest - HAND_SPAN, 0)
    return price


def _cheapest_path(price: NDArray[np.float64]) -> NDArray[np.int64]:
    moves = MOVE_PRICE * np.abs(np.arange(price.shape[1])[:, None] - np.arange(price.shape[1]))
    total, origin = price[0].copy(), np.zeros(price.shape, np.int64)
    for number in range(1, len(price)):
        reached = total[None] + moves
        origin[number] = reached.argmin(axis=1)
        total = reached.min(axis=1) + price[number]
    path = np.zeros(len(price), np.int64)
    path[-1] = total.argmin()
    for number in range(len(price) - 1, 0, -1):
        path[number - 1] = origin[number, path[number]]
    return path
