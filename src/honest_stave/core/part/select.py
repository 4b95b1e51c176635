"""Selections by rule: pitch, length, velocity, doubt, the beat, ghosts, what sounds with keys, one line."""

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.part.ghosts import ghosts, sounding_with
from honest_stave.core.part.lines import HANDS, VOICES, lines_of
from honest_stave.core.part.notes import Note

Rule = Literal[
    "pitch", "shorter", "quieter", "doubtful", "on the beat", "between the beats", "all",
    "ghosts", "sounding with", "top", "inner", "bass", "left hand", "right hand",
]  # fmt: skip
# A note within this share of a felt beat lies on it.
ON_THE_BEAT = 0.12


def select(notes: Sequence[Note], rule: Rule, value: float, tempo_map: TempoMap) -> list[str]:
    """Ids of the notes that a rule picks.

    Args:
        notes: notes of the part.
        rule: which rule.
        value: pitch, seconds, velocity, confidence or semitones, by the rule.
        tempo_map: says where the beats lie.
    """
    if rule in ("on the beat", "between the beats"):
        onset = np.array([n.onset_s for n in notes])
        beats = tempo_map.beats_at(onset) if len(onset) else onset
        felt = np.array([tempo_map.meter_at(float(b)).felt_beat_quarters for b in beats])
        off = np.abs(beats / felt - np.round(beats / felt)) if len(onset) else onset
        on = off <= ON_THE_BEAT
        return [n.id for n, is_on in zip(notes, on, strict=True) if bool(is_on) == (rule == "on the beat")]
    if rule == "ghosts":
        return ghosts(notes)
    if rule == "sounding with":
        return sounding_with(notes, round(value))
    if rule in VOICES or rule in HANDS:
        lines = lines_of(notes, "hands" if rule in HANDS else "voices")
        return [n.id for n, line in zip(notes, lines, strict=True) if line == rule]
    rules: dict[Rule, Callable[[Note], bool]] = {
        "all": lambda n: True,
        "pitch": lambda n: n.pitch == round(value),
        "shorter": lambda n: n.duration_s < value,
        "quieter": lambda n: n.velocity < value,
        "doubtful": lambda n: n.origin is not None and not n.touched and n.origin.confidence < value,
    }
    picks = rules[rule]
    return [n.id for n in notes if picks(n)]
