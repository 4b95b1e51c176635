"""Notes of a made-up performance, and the hands that make it human."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

# What hands bring out of a texture, and how often: mostly the melody (Repp 1996, Goebl 2001).
BROUGHT_OUT = {"top": 0.5, "bass": 0.12, "both": 0.08, "nothing": 0.3}
# What pianists do, who rarely play all voices alike.
BY_PIANISTS = {"top": 0.78, "bass": 0.04, "both": 0.1, "nothing": 0.08}
# By how much, in velocities, and how much louder an octave higher is by chance.
LIFT, TILT = (3.0, 18.0), 2.0
# Notes that sound so long into a note's beginning are heard with it.
WITH_S = 0.05


@dataclass(frozen=True)
class Struck:
    """One note as played.

    Args:
        onset_s, offset_s: key down and key up.
        pitch: MIDI number.
        velocity: 1 to 127.
        part: which instrument of the clip plays it.
    """

    onset_s: float
    offset_s: float
    pitch: int
    velocity: int
    part: int = 0


@dataclass(frozen=True)
class Performance:
    """Notes and the spans (s) in which the sustain pedal is down."""

    notes: tuple[Struck, ...]
    pedal: tuple[tuple[float, float], ...] = field(default=())

    def damped_s(self, note: Struck) -> float:
        """When ``note`` is damped: at its end, or where the pedal that holds it comes up."""
        return max([note.offset_s, *(up for down, up in self.pedal if down <= note.offset_s < up)])


def voicing(
    notes: list[Struck], random: np.random.Generator, brought_out: dict[str, float] = BROUGHT_OUT
) -> NDArray[np.float64]:
    """How much harder each note is struck for its place in the texture: hands bring out a melody or a bass."""
    onset_s, offset_s, pitch = (np.array([getattr(n, f) for n in notes]) for f in ("onset_s", "offset_s", "pitch"))
    with_it = (onset_s <= onset_s[:, None] + WITH_S) & (offset_s > onset_s[:, None] + WITH_S)
    is_top = ~(with_it & (pitch > pitch[:, None])).any(axis=1)
    is_bass = ~(with_it & (pitch < pitch[:, None])).any(axis=1)
    lift = float(random.uniform(*LIFT))
    chosen = random.choice(list(brought_out), p=list(brought_out.values()))
    out = {"top": is_top, "bass": is_bass, "both": is_top | is_bass, "nothing": np.zeros(len(notes), bool)}[chosen]
    return np.asarray(lift * (out - out.mean()) + float(random.normal(0, TILT)) * (pitch - np.median(pitch)) / 12)


def humanise(
    notes: list[Struck],
    random: np.random.Generator,
    *,
    spread_s: float,
    loudness: float,
    lift: NDArray[np.float64] | None = None,
) -> list[Struck]:
    """Notes with hands: timing off by ``spread_s``, voices and moments of their own weight.

    Args:
        notes: strict notes.
        random: source of chance.
        spread_s: standard deviation of onsets within a chord.
        loudness: middle velocity.
        lift: how much harder each note is struck for its place, (notes,).
    """
    if not notes:
        return []
    swell_s = float(random.uniform(3, 9))
    depth, width = float(random.uniform(0, 14)), float(random.uniform(3, 12))
    phase = float(random.uniform(0, 6.28))
    voice_weight = random.normal(0, 5, 128)
    played = []
    lifts = [0.0] * len(notes) if lift is None else lift.tolist()
    for note, lifted in zip(notes, lifts, strict=True):
        velocity = (
            loudness + lifted + depth * np.sin(6.28 * note.onset_s / swell_s + phase) + voice_weight[note.pitch] * 0.5
        )
        shift_s = float(np.clip(random.normal(0, spread_s), -3 * spread_s, 3 * spread_s))
        onset_s = max(0.02, note.onset_s + shift_s)
        offset_s = note.offset_s + float(random.normal(0, spread_s))
        played.append(
            replace(
                note,
                onset_s=onset_s,
                offset_s=max(offset_s, onset_s + 0.05),
                velocity=int(np.clip(random.normal(velocity, width), 18, 125)),
            )
        )
    return played


def without_overlaps(notes: list[Struck], gap_s: tuple[float, float], random: np.random.Generator) -> list[Struck]:
    """Notes of which no two sound on one pitch of one part; the earlier ends a gap before the later."""
    kept: list[Struck] = []
    last: dict[tuple[int, int], int] = {}
    for note in sorted(notes, key=lambda n: (n.onset_s, n.pitch)):
        key = note.part, note.pitch
        if key in last:
            earlier = kept[last[key]]
            if note.onset_s - earlier.onset_s < 0.06:
                continue
            latest_s = note.onset_s - float(random.uniform(*gap_s))
            if earlier.offset_s > latest_s:
                kept[last[key]] = replace(earlier, offset_s=max(latest_s, earlier.onset_s + 0.03))
        last[key] = len(kept)
        kept.append(note)
    return kept
