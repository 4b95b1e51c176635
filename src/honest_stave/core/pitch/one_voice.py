"""The one-voice engine: reads a recorded line from 30 Hz to 4 kHz.

The pitch of each frame is followed (``track``), measured on the partials (``refine``), cut
into pieces and priced (``fragments``), and each cut is measured on the signal
(``shaping``). Candidates are formed from the pieces afterwards (``forming``), so that the
limits can be moved without reading again.
"""

import dataclasses

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.pitch.attacks import find_attacks, find_dips, join_attacks, without_releases
from honest_stave.core.pitch.character import judge_character, wander_semitones
from honest_stave.core.pitch.ends import LEVEL_HOP_S
from honest_stave.core.pitch.fragments import cut_line
from honest_stave.core.pitch.reading import OneVoiceReading, OneVoiceSettings
from honest_stave.core.pitch.refine import refine_pitch
from honest_stave.core.pitch.shaping import levels_db, measure_pieces
from honest_stave.core.pitch.track import follow_pitch
from honest_stave.core.pitch.tuning import measure_tuning
from honest_stave.core.signal.listen import prepare

# Usual price of a cut (seconds x semitones^2) for a line on keys, and for a voice.
STEADY_PRICE = 0.04
FREE_PRICE = 0.08
# Wander (semitones) at which a line is steady, and at which it is free.
STEADY_WANDER = 0.06
FREE_WANDER = 0.12


def read(
    samples: NDArray[np.float32],
    rate: int,
    settings: OneVoiceSettings,
    progress: Progress = no_progress,
) -> OneVoiceReading:
    """Reads the one voice in a take.

    Args:
        samples: (frames, channels), full scale 1.
        rate: sampling rate in Hz.
        settings: range, tuning, character, what is listened to.
        progress: told the share done, 0 to 1; may raise ``Stopped``.

    Returns:
        The reading; ``form_candidates`` makes notes of it.

    Raises:
        BadInput: the stretch to read is empty.
    """
    signal, starts_s = prepare(samples, rate, settings.listen)
    progress(0.05)
    track = follow_pitch(
        signal,
        lowest=settings.lowest,
        highest=settings.highest,
        progress=lambda share: progress(0.05 + 0.5 * share),
    )
    track = dataclasses.replace(track, pitch=refine_pitch(signal, track.pitch))
    progress(0.65)
    levels = levels_db(signal)
    strokes = without_releases(find_attacks(signal), levels, LEVEL_HOP_S)
    attacks = join_attacks(strokes, find_dips(levels, LEVEL_HOP_S))
    progress(0.75)
    measured_cents, agreement = measure_tuning(track)
    tuning_cents = measured_cents if settings.tuning_cents is None else settings.tuning_cents
    character, character_confidence = judge_character(track)
    if settings.character is not None:
        character, character_confidence = settings.character, 1.0
    wander = wander_semitones(track)
    freedom = float(np.clip((wander - STEADY_WANDER) / (FREE_WANDER - STEADY_WANDER), 0.0, 1.0))
    split_price = STEADY_PRICE + (FREE_PRICE - STEADY_PRICE) * freedom
    cut = cut_line(track, attacks, tuning_cents=tuning_cents, split_price=split_price)
    pieces = measure_pieces(
        signal,
        track,
        cut,
        tuning_cents=tuning_cents,
        split_price=split_price,
        progress=lambda share: progress(0.75 + 0.25 * share),
    )
    sounding = pieces.level_db[pieces.strength > 0.35]
    return OneVoiceReading(
        track=track,
        pieces=pieces,
        starts_s=starts_s,
        tuning_cents=tuning_cents,
        tuning_agreement=agreement,
        character=character,
        character_confidence=character_confidence,
        wander_semitones=wander,
        split_price=split_price,
        reference_db=float(np.percentile(sounding, 80)) if len(sounding) else -12.0,
        floor_db=float(np.percentile(track.level_db, 3)),
    )
