"""What a reading of one voice is made of: settings, pieces, candidates."""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.track import Track
from honest_stave.core.signal.listen import ListenSettings

ENGINE = "one-voice 1"
# Candidates this sure or more count unless the producer sets the limit elsewhere.
DEFAULT_LEAST_CONFIDENCE = 0.5

Character = Literal["struck", "sustained"]


@dataclass(frozen=True)
class OneVoiceSettings:
    """How one voice is read.

    Args:
        lowest: lowest pitch looked for, MIDI.
        highest: highest pitch looked for, MIDI.
        tuning_cents: the recording's distance from A 440; None to measure it.
        character: struck (or plucked), sustained (sung, bowed, blown); None to decide.
        listen: channels, filter and stretch.
    """

    lowest: float = 23.0
    highest: float = 108.0
    tuning_cents: float | None = None
    character: Character | None = None
    listen: ListenSettings = field(default_factory=ListenSettings)


@dataclass(frozen=True)
class FormSettings:
    """How candidates are formed from the pieces, at any time and without the engine.

    Args:
        split: readiness to split where the pitch moves, 0 to 1; 0.5 is the engine's own.
        shortest_s: shorter candidates are dropped.
    """

    split: float = 0.5
    shortest_s: float = 0.05


@dataclass(frozen=True)
class Pieces:
    """The finest cut of the line with everything measured at each cut, all (pieces,).

    Args:
        first, last: frames, ``last`` one past the end.
        pitch: pitch from the recording's own A, MIDI.
        weight_s: duration, glides counting less.
        price: what the cut before the piece is worth; infinite after silence.
        attack_db: strength of the attack at its start.
        onset_s, onset_tolerance_s: where a note that starts with the piece begins.
        end_s, end_tolerance_s: where a note that ends with the piece ends.
        level_db: loudest level in the piece.
        strength: how well the frames fit a harmonic sound, 0 to 1.
        rival_pitch, rival_strength: best other pitch.
    """

    first: NDArray[np.int64]
    last: NDArray[np.int64]
    pitch: NDArray[np.float64]
    weight_s: NDArray[np.float64]
    price: NDArray[np.float64]
    attack_db: NDArray[np.float64]
    onset_s: NDArray[np.float64]
    onset_tolerance_s: NDArray[np.float64]
    end_s: NDArray[np.float64]
    end_tolerance_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    strength: NDArray[np.float64]
    rival_pitch: NDArray[np.float64]
    rival_strength: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.first)


@dataclass(frozen=True)
class OneVoiceReading:
    """What the one-voice engine heard; moments count from the take's first sample.

    Args:
        track: the measured line; its frame 0 lies at ``starts_s``.
        pieces: the finest cut.
        starts_s: where the stretch that was read begins in the take.
        tuning_cents, tuning_agreement: measured or given, and how clear it was (0 to 1).
        character, character_confidence: decided or given, and how clear it was (0.5 to 1).
        wander_semitones: how far the line strays inside notes.
        split_price: price of a cut that is kept at a readiness of 0.5.
        reference_db: level that becomes velocity 100.
        floor_db: level of the recording's silence.
    """

    track: Track
    pieces: Pieces
    starts_s: float
    tuning_cents: float
    tuning_agreement: float
    character: Character
    character_confidence: float
    wander_semitones: float
    split_price: float
    reference_db: float
    floor_db: float
    engine: str = ENGINE


@dataclass(frozen=True)
class Candidate:
    """One note that may have been heard, with its evidence.

    Args:
        onset_s, offset_s: moments in the take, with tolerances (s).
        pitch: MIDI number.
        centre_cents: pitch centre against that number, in the recording's tuning.
        velocity: 1 to 127, from the level.
        level_db: loudest level, dB re full scale.
        confidence: 0 to 1.
        runner_up, runner_up_share: pitch it could also be, and how likely.
    """

    onset_s: float
    offset_s: float
    onset_tolerance_s: float
    offset_tolerance_s: float
    pitch: int
    centre_cents: float
    velocity: int
    level_db: float
    confidence: float
    runner_up: int
    runner_up_share: float
