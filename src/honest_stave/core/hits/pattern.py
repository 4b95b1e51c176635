"""The pattern that plays a kit: one note a slice, where and as long as the slice lies in the loop."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from honest_stave.core.errors import BadInput
from honest_stave.core.hits.keys import note_of
from honest_stave.core.hits.kit import LEAD, Kit, Slice, Strike
from honest_stave.core.part.notes import Note, Origin

# A kit plays as loud as the loop whatever the velocity: the pattern carries a plain one.
KIT_VELOCITY = 100
# Drum notes last this long; drums ring on by themselves.
DRUM_S = 0.1
SHORTEST_S = 0.005
MOST_REPEATS = 64
# A hit this much before a bar line belongs to the bar.
AT_THE_BAR_S = 0.02
SLOWEST_PACE, FASTEST_PACE = 0.25, 4.0


def pattern_of(kit: Kit, slices: Sequence[Slice], keys: dict[str, int], rate: int) -> list[Note]:
    """Notes that play every slice on a key at its place, to the sample."""
    return [
        Note(
            id=f"s{piece.id}",
            onset_s=piece.first / rate,
            offset_s=max(piece.last / rate, piece.first / rate + SHORTEST_S),
            pitch=keys[piece.id],
            velocity=KIT_VELOCITY,
        )
        for piece in slices
        if piece.id in keys and piece.id != LEAD
    ]


def drum_notes(kit: Kit, slices: Sequence[Slice], rate: int) -> list[Note]:
    """Notes of the drums by lane, on the General MIDI drum notes or the kit's own map; timing as played.

    What was heard keeps how sure it is; drums that the producer has named are no longer in doubt.
    """
    found = []
    for piece in slices:
        if piece.settings.muted:
            continue
        onset_s = piece.first / rate
        offset_s = onset_s + min(DRUM_S, max(piece.frames / rate, SHORTEST_S))
        for strike in piece.strikes:
            note = Note(
                id=f"{piece.id} {strike.drum}",
                onset_s=onset_s,
                offset_s=offset_s,
                pitch=note_of(strike.kind, strike.drum, kit.notes),
                velocity=max(1, min(127, strike.velocity)),
            )
            if piece.settings.drums is None and piece.read_frame >= 0:
                note = replace(note, origin=_as_heard(note, strike, piece, kit, rate))
            found.append(note)
    return found


def _as_heard(note: Note, strike: Strike, piece: Slice, kit: Kit, rate: int) -> Origin:
    return Origin(
        reading=kit.reading,
        key=note.id,
        onset_s=piece.read_frame / rate,
        offset_s=note.offset_s,
        pitch=note.pitch,
        velocity=note.velocity,
        confidence=strike.confidence,
        level_db=piece.level_db,
        runner_up=note_of(strike.runner_up, strike.runner_up, kit.notes) if strike.runner_up else note.pitch,
        runner_up_share=strike.runner_up_share,
    )


def at_pace(notes: Sequence[Note], start_s: float, pace: float, *, lengths: bool) -> list[Note]:
    """The pattern faster or slower; ``start_s`` stays where it is.

    Args:
        notes: of the pattern.
        start_s: moment that does not move.
        pace: 2 for twice as fast.
        lengths: ends move as well, which cuts tails when faster; else they ring as long as they did.

    Raises:
        BadInput: a pace beyond four times either way.
    """
    if not SLOWEST_PACE <= pace <= FASTEST_PACE:
        raise BadInput("This tempo is too far from the loop's.", "A pattern plays up to four times faster or slower.")
    moved = []
    for note in notes:
        onset_s = start_s + (note.onset_s - start_s) / pace
        length_s = note.duration_s / pace if lengths else note.duration_s
        moved.append(replace(note, onset_s=onset_s, offset_s=onset_s + max(length_s, SHORTEST_S)))
    return moved


def trimmed(notes: Sequence[Note], from_s: float, to_s: float) -> list[Note]:
    """The notes that begin in a passage, put at the beginning of the pattern and cut at the passage's end.

    Raises:
        BadInput: none begins there.
    """
    inside = [n for n in notes if from_s - AT_THE_BAR_S <= n.onset_s < to_s - AT_THE_BAR_S]
    if not inside:
        raise BadInput("No slice begins in this passage.", "Choose other bars.")
    return [replace(n, offset_s=max(min(n.offset_s, to_s), n.onset_s + SHORTEST_S)) for n in inside]


def repeated(notes: Sequence[Note], length_s: float, times: int) -> list[Note]:
    """The pattern several times in a row."""
    if not 1 <= times <= MOST_REPEATS:
        raise BadInput(f"A pattern cannot be repeated {times} times.", f"Choose 1 to {MOST_REPEATS}.")
    return [
        replace(
            n, id=f"{n.id} {k}" if k else n.id, onset_s=n.onset_s + k * length_s, offset_s=n.offset_s + k * length_s
        )
        for k in range(times)
        for n in notes
    ]


def shuffled(notes: Sequence[Note], seed: int) -> list[Note]:
    """The same moments, played by each other's slices; the same seed gives the same order."""
    order = np.random.default_rng(seed).permutation(len(notes))
    return [replace(note, pitch=notes[i].pitch) for note, i in zip(notes, order.tolist(), strict=True)]
