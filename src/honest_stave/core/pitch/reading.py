"""What a reading of notes is made of: settings, strikes with their evidence, candidates."""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.engines import engines_since
from honest_stave.core.pitch.strikes import Strikes
from honest_stave.core.signal.listen import ListenSettings

ENGINE = "notes 21"
# Readings of these engines are kept in the same way.
READABLE = engines_since(ENGINE, 2)
# Candidates this sure or more count unless the producer sets the limit elsewhere.
DEFAULT_LEAST_CONFIDENCE = 0.5

Voices = Literal["one", "many"]
Character = Literal["struck", "sustained"]
Follow = Literal["all", "lowest", "highest", "line"]


@dataclass(frozen=True)
class ReadSettings:
    """How the notes of a take are read.

    Args:
        voices: one at a time, or many at once.
        lowest: lowest pitch looked for, MIDI.
        highest: highest pitch looked for, MIDI.
        tuning_cents: the recording's distance from A 440; None to measure it.
        character: struck (or plucked), sustained (sung, bowed, blown); None to decide.
        follow: all notes, or one line of many: the lowest, the highest, the one nearest to ``drawn``.
        drawn: pieces (from_s, to_s, pitch) of a line that was drawn or hummed, in the take's time.
        pedal: read the sustain pedal as pedal where it explains the sound.
        without_drums: leave out what begins with a drum's stroke and hardly sounds on.
        listen: channels, filter and stretch.
    """

    voices: Voices = "one"
    lowest: float = 21.0
    highest: float = 108.0
    tuning_cents: float | None = None
    character: Character | None = None
    follow: Follow = "all"
    drawn: tuple[tuple[float, float, float], ...] = ()
    pedal: bool = False
    without_drums: bool = False
    listen: ListenSettings = field(default_factory=ListenSettings)


@dataclass(frozen=True)
class FormSettings:
    """How candidates are formed from the strikes, at any time and without the engine.

    Args:
        split: readiness to begin a note where something sounds on, 0 to 1; 0.5 is the engine's own.
        shortest_s: shorter candidates are dropped.
    """

    split: float = 0.5
    shortest_s: float = 0.05


@dataclass(frozen=True)
class PitchLine:
    """The measured pitch where one note can be followed; frame ``i`` is centred at ``i * HOP_S``.

    Args:
        pitch: (frames,) MIDI pitch, NaN where no single note sounds.
        strength: (frames,) how sure it is that a note sounds, 0 to 1.
        level_db: (frames,) level of a 23 ms window, dB re full scale.
    """

    pitch: NDArray[np.float32]
    strength: NDArray[np.float32]
    level_db: NDArray[np.float32]


@dataclass(frozen=True)
class NotesReading:
    """What the engine heard; moments count from the take's first sample.

    Args:
        voices: how it was read.
        strikes: every place where a note may begin; its moments count from ``starts_s``.
        score: log-odds of each strike, (strikes,).
        continuing: how far something at or beside its pitch sounded on before, 0 to 1, (strikes,).
        centre: measured pitch, NaN where it could not be followed, (strikes,).
        level_db: loudest level of its partials, (strikes,).
        rival: pitch it could also be, (strikes,).
        rival_share: how likely that is, should it not be what it seems, (strikes,).
        line: the pitch line.
        starts_s: where the stretch that was read begins in the take.
        tuning_cents, tuning_agreement: measured or given, and how clear it was (0 to 1).
        character, character_confidence: decided or given, and how clear it was (0.5 to 1).
        dying_share: share of the notes that die away by themselves, whose ends can only be judged.
        octave_stop_share: share of the notes in passages where every key sounds its octave, and octaves are doubted.
        pedal: spans (down s, up s) of the sustain pedal from ``starts_s`` on, where it was asked for.
        bare_bass: the take is mostly low tones without overtones, and was heard with some added.
    """

    voices: Voices
    strikes: Strikes
    score: NDArray[np.float64]
    continuing: NDArray[np.float64]
    centre: NDArray[np.float64]
    level_db: NDArray[np.float64]
    rival: NDArray[np.int64]
    rival_share: NDArray[np.float64]
    line: PitchLine
    starts_s: float
    tuning_cents: float
    tuning_agreement: float
    character: Character
    character_confidence: float
    dying_share: float
    octave_stop_share: float = 0.0
    pedal: tuple[tuple[float, float], ...] = ()
    bare_bass: bool = False
    engine: str = ENGINE


@dataclass(frozen=True)
class Candidate:
    """One note that may have been heard, with its evidence.

    Args:
        onset_s, offset_s: moments in the take, with tolerances (s).
        pitch: MIDI number.
        centre_cents: pitch centre against that number, in the recording's tuning.
        velocity: 1 to 127.
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
