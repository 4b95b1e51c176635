"""The engine for notes, of one voice or many: bands, network, strikes, evidence, pitch line.

Candidates are formed from the strikes afterwards (``forming``), so that the limits can be
moved without reading again.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import Progress, no_progress
from honest_stave.core.pitch.activity import Activity
from honest_stave.core.pitch.bands import Bands
from honest_stave.core.pitch.bare_bass import is_bare_bass, with_overtones
from honest_stave.core.pitch.character import judge_character
from honest_stave.core.pitch.drum_strokes import drum_strokes
from honest_stave.core.pitch.dying import dying_share
from honest_stave.core.pitch.evidence import calibrated, confidence, continuing, rivals
from honest_stave.core.pitch.follow import near_line, outer_line
from honest_stave.core.pitch.forming import ends_of
from honest_stave.core.pitch.glides import doubt_glides, with_arrivals
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.kind import Kind, judge_heard, stretches
from honest_stave.core.pitch.loudness import leaning_on_levels
from honest_stave.core.pitch.note_ends import choose_ends
from honest_stave.core.pitch.octave_stops import doubt_octave_stops, find_keys_of_line
from honest_stave.core.pitch.opening_mouth import without_openings
from honest_stave.core.pitch.passages import passage_of
from honest_stave.core.pitch.pedal import find_pedal
from honest_stave.core.pitch.pitch_line import HOP_S, centres, follow_notes
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, NotesReading, ReadSettings
from honest_stave.core.pitch.strikes import Strikes, find_strikes, loudest_db
from honest_stave.core.pitch.tuning import LEAST_AGREEMENT, measure_tuning, tuning_of_line
from honest_stave.core.pitch.weighing import one_at_a_time, weigh
from honest_stave.core.signal.listen import ANALYSIS_RATE, Mono, prepare
from honest_stave.core.signal.loud_enough import loud_enough

# Strikes with lower log-odds are no candidates: fewer than one in fifty of them is a note.
LEAST_LOG_ODDS = -4.0
# A tuning this near to the one read in is not worth another reading.
SAME_TUNING_CENTS = 8.0
# Signals up to ten minutes are kept; of longer ones the signal is made again when it is needed, to save its memory.
KEPT_SAMPLES = 600 * ANALYSIS_RATE


def read(
    samples: NDArray[np.float32],
    rate: int,
    settings: ReadSettings,
    progress: Progress = no_progress,
) -> NotesReading:
    """Reads the notes of a take.

    Args:
        samples: (frames, channels), full scale 1.
        rate: sampling rate in Hz.
        settings: voices, range, tuning, character, what is listened to.
        progress: told the share done, 0 to 1; may raise ``Stopped``.

    Returns:
        The reading; ``form_candidates`` makes notes of it.

    Raises:
        BadInput: the stretch to read is empty, or the network is missing or damaged.
    """
    return _read(samples, rate, lambda _bands, _activity, _bare: settings, settings, progress)


def read_as_it_seems(
    samples: NDArray[np.float32],
    rate: int,
    settings: ReadSettings,
    progress: Progress = no_progress,
) -> tuple[NotesReading, Kind]:
    """Reads the notes of a take as one voice or many, whichever it seems to be; it is heard once for both.

    Args:
        samples: (frames, channels), full scale 1.
        rate: sampling rate in Hz.
        settings: as for ``read``; its voices are decided here.
        progress: told the share done, 0 to 1; may raise ``Stopped``.

    Raises:
        BadInput: as ``read``.
    """
    kinds: list[Kind] = []

    def decide(bands: Bands, activity: Activity, bare_bass: bool) -> ReadSettings:
        # Heard again in a better tuning, it stays what it seemed.
        if not kinds:
            kinds.append(judge_heard(bands, activity, bare_bass=bare_bass))
        return replace(settings, voices="one" if kinds[0].name == "one" else "many")

    return _read(samples, rate, decide, settings, progress), kinds[0]


def _read(
    samples: NDArray[np.float32],
    rate: int,
    decide: Callable[[Bands, Activity, bool], ReadSettings],
    settings: ReadSettings,
    progress: Progress,
) -> NotesReading:
    def prepared() -> tuple[Mono, float]:
        signal, starts_s = prepare(samples, rate, settings.listen)
        return loud_enough(signal)[0], starts_s

    signal, starts_s = prepared()
    progress(0.03)
    listened = stretches(len(signal) / ANALYSIS_RATE)
    bare_bass = is_bare_bass([signal[round(a * ANALYSIS_RATE) : round(b * ANALYSIS_RATE)] for a, b in listened])
    if bare_bass:
        signal = with_overtones(signal)
    measured_cents, agreement = measure_tuning(signal)
    tuning_cents = measured_cents if settings.tuning_cents is None else settings.tuning_cents
    kept = [signal] if len(signal) <= KEPT_SAMPLES else []
    del signal

    def listen() -> Mono:
        if kept:
            return kept[0]
        made = prepared()[0]
        return with_overtones(made) if bare_bass else made

    def settle(bands: Bands, activity: Activity) -> ReadSettings:
        return decide(bands, activity, bare_bass)

    reading = _read_tuned(listen, starts_s, tuning_cents, agreement, settle, progress)
    if settings.tuning_cents is None and reading.voices == "one" and agreement < LEAST_AGREEMENT:
        # A wide vibrato hides the tuning from a spectrum: it is measured on the line that was followed.
        cents, line_agreement = tuning_of_line(reading.line.pitch, HOP_S)
        if line_agreement >= LEAST_AGREEMENT and abs(cents) > SAME_TUNING_CENTS:
            reading = _read_tuned(listen, starts_s, cents, line_agreement, settle, progress)
    return replace(reading, bare_bass=bare_bass)


def _read_tuned(
    listen: Callable[[], Mono],
    starts_s: float,
    tuning_cents: float,
    agreement: float,
    settle: Callable[[Bands, Activity], ReadSettings],
    progress: Progress,
) -> NotesReading:
    signal = listen()
    seconds = len(signal) / ANALYSIS_RATE
    bands = measure_all(signal, tuning_cents, lambda share: progress(0.05 + 0.3 * share))
    del signal
    activity = hear(bands, lambda share: progress(0.35 + 0.5 * share))
    settings = settle(bands, activity)
    found = weighed_strikes(bands, activity, one_voice=settings.voices == "one")
    strikes, score, passage, sounds_at = found.strikes, found.score, found.passage, found.sounds_at
    kept = (strikes.pitch >= settings.lowest) & (strikes.pitch <= settings.highest)
    if settings.without_drums:
        kept &= ~drum_strokes(strikes, bands.short_db)
    if settings.follow == "line":
        drawn = tuple((a - starts_s, b - starts_s, pitch) for a, b, pitch in settings.drawn)
        kept &= near_line(strikes, drawn)
    strikes, score, passage, sounds_at = strikes.chosen(kept), score[kept], passage[kept], sounds_at[kept]
    if settings.follow in ("lowest", "highest"):
        counted = score >= 0
        ends = ends_of(strikes, "many", counted)
        on_it = outer_line(strikes, ends, counted, highest=settings.follow == "highest")
        strikes, score, passage, sounds_at = strikes.chosen(on_it), score[on_it], passage[on_it], sounds_at[on_it]
    sounded = ends_of(strikes, settings.voices, score >= 0)[score >= 0]
    dying = dying_share(strikes.chosen(score >= 0), sounded, bands.long_db)
    sounding = replace(strikes, pitch=sounds_at)
    chosen_s = choose_ends(sounding, score, passage, activity, bands, settings.voices)
    velocity = leaning_on_levels(strikes, score, passage, bands)
    strikes = replace(strikes, end_s=np.minimum(chosen_s, seconds), velocity=velocity)
    told = calibrated(score, settings.voices)
    sure = confidence(told)
    counted = sure >= DEFAULT_LEAST_CONFIDENCE
    end_s = ends_of(strikes, settings.voices, counted)
    rival, rival_share = rivals(strikes, activity)
    goes_on, level_db = continuing(strikes, activity), loudest_db(strikes, bands.long_db)
    # What was heard is let go before the signal is needed again.
    del bands, activity
    line = follow_notes(listen(), strikes.chosen(counted), end_s[counted], sure[counted], tuning_cents)
    progress(0.97)
    character, character_confidence = judge_character(line.level_db, HOP_S)
    if settings.character is not None:
        character, character_confidence = settings.character, 1.0
    return NotesReading(
        voices=settings.voices,
        strikes=strikes,
        score=told,
        continuing=goes_on,
        centre=centres(line, strikes, end_s),
        level_db=level_db,
        rival=rival,
        rival_share=rival_share,
        line=line,
        starts_s=starts_s,
        tuning_cents=tuning_cents,
        tuning_agreement=agreement,
        character=character,
        character_confidence=character_confidence,
        dying_share=dying,
        octave_stop_share=found.octave_stop_share,
        pedal=find_pedal(strikes.onset_s[counted], end_s[counted]) if settings.pedal else (),
    )


@dataclass(frozen=True)
class WeighedStrikes:
    """Strikes that may be notes, in order of time.

    Args:
        strikes: what may begin where.
        score: log-odds of each to be a note, (strikes,).
        passage: of each, (strikes,).
        sounds_at: pitch at which each goes on and ends, (strikes,): of keys that only their octave stop tells, that.
        octave_stop_share: share of those likelier notes than not that lie in passages with an octave stop.
    """

    strikes: Strikes
    score: NDArray[np.float64]
    passage: NDArray[np.int64]
    sounds_at: NDArray[np.int64]
    octave_stop_share: float = 0.0


def weighed_strikes(bands: Bands, activity: Activity, *, one_voice: bool) -> WeighedStrikes:
    """Strikes that may be notes, weighed with the others of their passage.

    Args:
        bands, activity: of the whole recording.
        one_voice: whether one note sounds at a time.

    Raises:
        BadInput: a network is missing or damaged.
    """
    found = find_strikes(activity)
    passage = passage_of(found.cell, activity)
    weighed = weigh(found, passage, activity, bands, one_voice=one_voice)
    strikes = weighed.told(found)
    # Moments were moved by a little, within their passage.
    kept = np.lexsort((strikes.onset_s, passage))
    kept = kept[weighed.score[kept] > LEAST_LOG_ODDS]
    strikes, score = strikes.chosen(kept), weighed.score[kept]
    passage = passage[kept]
    if one_voice:
        one = one_at_a_time(strikes.onset_s, strikes.pitch, score)
        one = doubt_glides(strikes.onset_s, strikes.pitch, with_arrivals(strikes, one), passage, bands)
        strikes, one = without_openings(strikes, one, passage, bands)
        told = find_keys_of_line(strikes, one, passage, bands)
    else:
        told = doubt_octave_stops(strikes, score, passage, bands)
    counted = told.stopped[told.score >= 0]
    share = float(counted.mean()) if len(counted) else 0.0
    return WeighedStrikes(replace(strikes, pitch=told.pitch), told.score, passage, strikes.pitch, share)
