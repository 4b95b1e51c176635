"""A score laid on a recording: for every written onset the moment at which it is played.

The pitches that the network hears are compared with those that the score has sounding, by a
warping that may begin and end anywhere in the recording; each written onset is then moved to
where its own pitches are heard to begin.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.align_doubt import confidence
from honest_stave.core.beat.sought import sought
from honest_stave.core.beat.sung import cell_levels_db, three_moments
from honest_stave.core.beat.transposed import semitones_higher
from honest_stave.core.beat.warp import Roll, likeness, warp
from honest_stave.core.beat.way import LEAST_HEARD
from honest_stave.core.errors import BadInput, Progress, no_progress
from honest_stave.core.formats.midi_notes import notes_of_file
from honest_stave.core.formats.midi_read import read_midi
from honest_stave.core.pitch.activity import LOWEST_PITCH, PITCHES, Activity, time_of_cell
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.pitch.tuning import measure_tuning
from honest_stave.core.signal.listen import ListenSettings, prepare
from honest_stave.core.signal.loud_enough import loud_enough

Values = NDArray[np.float64]
PERCUSSION_CHANNEL = 9

# The score is laid out with so many cells as the recording has, within these bounds a quarter note.
FEWEST_CELLS, MOST_CELLS = 4, 40
# An onset is looked for this far to either side of where the warping puts it; farther off it costs more.
REACH_CELLS, AWAY_CELLS, AWAY_COST = 10, 5.0, 0.05
SHORTEST_STEP_S = 0.005
# A passage fits where onsets are heard this clearly in the mean; it is judged over so long.
FITS_FROM, JUDGED_S = 0.3, 3.0


@dataclass(frozen=True)
class Written:
    """A note of a score: position and length in quarter notes, MIDI pitch."""

    onset_beats: float
    duration_beats: float
    pitch: int


@dataclass(frozen=True)
class Alignment:
    """Written onsets with their moments, (onsets,).

    Args:
        beat: quarter notes from the score's start, rising.
        time_s: where each is played, rising.
        confidence: how sure it is that it begins within 50 ms of there, calibrated.
        likeness: how much of what sounds around it is what is written, 0 to 1.
        stops_fitting: index of the first onset from which on the score does not fit, -1 where it does.
        semitones: how much higher the recording sounds than the score is written.
        once: whether the score was laid without its repeats.
    """

    beat: Values
    time_s: Values
    confidence: Values
    likeness: Values
    stops_fitting: int
    semitones: int = 0
    once: bool = False


def written_notes(data: bytes) -> list[Written]:
    """Notes of a score, from the bytes of a MIDI file; drums are left out.

    Raises:
        BadInput: it is no MIDI file, or it holds no notes.
    """
    file = read_midi(data)
    notes, _ = notes_of_file(file)
    quarter = file.ticks_a_quarter
    return [
        Written(n.onset_tick / quarter, (n.offset_tick - n.onset_tick) / quarter, n.pitch)
        for n in notes
        if n.channel != PERCUSSION_CHANNEL
    ]


def align(
    score: Sequence[Written], samples: NDArray[np.float32], rate: int, progress: Progress = no_progress
) -> Alignment:
    """Lays a score on a recording of it.

    Args:
        score: its notes.
        samples: (frames, channels), full scale 1.
        rate: Hz.
        progress: told the share done; may raise ``Stopped``.

    Raises:
        BadInput: the score has no notes in the range of a piano, or nothing sounds in the recording.
    """
    return align_with_moments(score, samples, rate, progress)[0]


def align_with_moments(
    score: Sequence[Written],
    samples: NDArray[np.float32],
    rate: int,
    progress: Progress = no_progress,
    *,
    once: Sequence[Written] = (),
) -> tuple[Alignment, Values, tuple[float, float]]:
    """Lays a score on a recording; also three moments of what begins at each onset, and when the recording sounds.

    Args:
        score, samples, rate, progress: as for ``align``.
        once: the score without its repeats, laid in its place where more of it is heard.

    Raises:
        BadInput: as for ``align``.
    """
    if len({n.onset_beats for n in _in_range(score)}) < 2:
        raise BadInput("This score has too few notes.", "Give a MIDI file with the notes of the piece.")
    activity, levels_db, starts_s = listen(samples, rate, ListenSettings(), lambda share: progress(0.6 * share))
    heard = np.flatnonzero((activity.sounding > 0.5).any(axis=1))
    if not len(heard):
        raise BadInput("No pitch sounds in this recording.", "Give the recording of the score.")
    found, inside = _best_laid(
        [score, once] if once else [score], activity, lambda share: progress(0.6 + 0.4 * share)
    )
    # Of the notes that begin together the highest is the one a listener follows.
    top = {n.onset_beats: n for n in sorted(inside, key=lambda n: n.pitch)}
    ends = np.interp(found.beat + lasting_quarters(inside, found.beat), found.beat, found.time_s)
    notes = [
        (t, max(e, t + 0.1), top[b].pitch)
        for t, e, b in zip(found.time_s.tolist(), ends.tolist(), found.beat.tolist(), strict=True)
    ]
    moments = three_moments(activity, levels_db, 0.0, notes) + starts_s
    progress(1.0)
    aligned = replace(found, time_s=found.time_s + starts_s)
    first_s, last_s = (time_of_cell(heard[[0, -1]].astype(np.float64)) + starts_s).tolist()
    return aligned, moments, (first_s, last_s)


def listen(
    samples: NDArray[np.float32], rate: int, stretch: ListenSettings, progress: Progress
) -> tuple[Activity, Values, float]:
    """What the ears hear in a stretch of a recording, its level by cell (dB), and when its first cell begins (s)."""
    signal, starts_s = prepare(samples, rate, stretch)
    signal, _ = loud_enough(signal)
    tuning_cents, _ = measure_tuning(signal)
    bands = measure_all(signal, tuning_cents, lambda share: progress(0.5 * share))
    activity = hear(bands, lambda share: progress(0.5 + 0.5 * share))
    return activity, cell_levels_db(bands.short_db, len(activity.onset)), starts_s


def lasting_quarters(score: Sequence[Written], beats: Values) -> Values:
    """How long the highest note of each onset is written, in quarters, (onsets,).

    Args:
        score: its notes.
        beats: positions of onsets.
    """
    top = {n.onset_beats: n.duration_beats for n in sorted(score, key=lambda n: n.pitch)}
    return np.array([top[b] for b in beats.tolist()])


def _in_range(score: Sequence[Written], semitones: int = 0) -> list[Written]:
    moved = [replace(n, pitch=n.pitch + semitones) for n in score]
    return [n for n in moved if LOWEST_PITCH <= n.pitch < LOWEST_PITCH + PITCHES]


def _best_laid(
    scores: Sequence[Sequence[Written]], activity: Activity, progress: Progress
) -> tuple[Alignment, list[Written]]:
    """The alignment of the score of which most is heard, and its notes where the recording sounds."""
    laid: list[tuple[float, Alignment, list[Written]]] = []
    for number, score in enumerate(scores):
        inside = _in_range(score)
        rows, lengths = [n.pitch - LOWEST_PITCH for n in inside], [n.duration_beats for n in inside]
        semitones = semitones_higher(rows, lengths, activity.sounding)
        inside = _in_range(score, semitones)

        def tell(share: float, laid: int = number) -> None:
            progress((laid + share) / len(scores))

        found, heard = lay_on(inside, activity, tell)
        laid.append((heard, replace(found, semitones=semitones, once=number > 0), inside))
    _, found, inside = max(laid, key=lambda row: row[0])
    return found, inside


def lay_on(score: Sequence[Written], activity: Activity, progress: Progress = no_progress) -> tuple[Alignment, float]:
    """The alignment, from what the network heard, and how much of the score that is."""
    beats, time_s, clear, alike = lay_out(score, activity, progress)
    sure = confidence(beats, time_s, clear, alike)
    # Onsets that are not heard speak against a score as those that are heard speak for it.
    heard = float((clear - FITS_FROM).sum())
    return Alignment(beats, time_s, sure, alike, _stops_fitting(time_s, clear)), heard


def lay_out(
    score: Sequence[Written], activity: Activity, progress: Progress = no_progress
) -> tuple[Values, Values, Values, Values]:
    """Written onsets, their moments (s), how clearly they are heard and how alike what sounds is, (onsets,) each."""
    beats = np.array(sorted({n.onset_beats for n in score}))
    last = max(n.onset_beats + n.duration_beats for n in score)
    heard = np.flatnonzero(activity.sounding.max(axis=1) > 0.3)
    cells = max(int(heard[-1] - heard[0]), 2)
    a_beat = float(np.clip(cells / max(last - beats[0], 1e-3), FEWEST_CELLS, MOST_CELLS))
    written = _roll(score, beats[0], last, a_beat)
    path = warp(written, Roll(activity.sounding, activity.onset), (int(heard[0]), int(heard[-1])), progress)
    place = np.array([_cell_on(path, (b - beats[0]) * a_beat) for b in beats])
    time_s, clear = _on_attacks(score, beats, place, activity)
    rows = np.clip(np.round((beats - beats[0]) * a_beat).astype(int), 0, len(written) - 1)
    columns = np.clip(np.round(place).astype(int), 0, len(activity.onset) - 1)
    there = activity.sounding[columns].astype(np.float64)
    alike = np.array([likeness(written.sounding[r : r + 1], c[None])[0, 0] for r, c in zip(rows, there, strict=True)])
    return beats, time_s, clear, alike


def _roll(score: Sequence[Written], first: float, last: float, a_beat: float) -> Roll:
    """What sounds and what begins in each cell of the score."""
    cells = int(np.ceil((last - first) * a_beat)) + 1
    sounding, onset = np.zeros((cells, PITCHES)), np.zeros((cells, PITCHES))
    for note in score:
        begin = (note.onset_beats - first) * a_beat
        end = begin + max(note.duration_beats * a_beat, 1.0)
        row = note.pitch - LOWEST_PITCH
        sounding[int(begin) : max(int(np.ceil(end)), int(begin) + 1), row] = 1
        near = np.arange(max(int(begin) - 1, 0), min(int(begin) + 3, cells))
        onset[near, row] = np.maximum(onset[near, row], np.clip(1 - 0.5 * np.abs(near - begin), 0, 1))
    return Roll(sounding, onset)


def _cell_on(path: NDArray[np.int64], place: float) -> float:
    low = min(int(place), len(path) - 1)
    high = min(low + 1, len(path) - 1)
    share = place - int(place)
    return float((1 - share) * path[low] + share * path[high])


def _on_attacks(score: Sequence[Written], beats: Values, place: Values, activity: Activity) -> tuple[Values, Values]:
    """Moments (s) of the onsets where their pitches are heard to begin, and how clearly they are."""
    rows_at: dict[float, list[int]] = {}
    for note in score:
        rows_at.setdefault(note.onset_beats, []).append(note.pitch - LOWEST_PITCH)
    cells = len(activity.onset)
    moment, clear = place.astype(float).copy(), np.zeros(len(beats))
    offsets = np.arange(-REACH_CELLS, REACH_CELLS + 1)
    for i, beat in enumerate(beats.tolist()):
        rows = np.array(rows_at[beat])
        around = np.clip(round(place[i]) + offsets, 0, cells - 1)
        heard = activity.onset[around][:, rows].astype(np.float64).mean(axis=1)
        priced = heard - AWAY_COST * (offsets / AWAY_CELLS) ** 2
        best = int(priced.argmax())
        clear[i] = heard[best]
        if heard[best] < LEAST_HEARD:
            continue
        left, right = heard[max(best - 1, 0)], heard[min(best + 1, len(heard) - 1)]
        fraction = np.clip((right - left) / max(left + right, 0.3 * max(heard[best], 1e-6)), -0.5, 0.5)
        moment[i] = around[best] + fraction
    moment, clear = sought(beats, [rows_at[beat] for beat in beats.tolist()], activity.onset, moment, clear)
    unclear = clear < LEAST_HEARD
    if unclear.any() and (~unclear).sum() >= 2:
        # What was not heard lies between its neighbours as it is written.
        moment[unclear] = np.interp(beats[unclear], beats[~unclear], moment[~unclear])
    time_s = time_of_cell(moment)
    return _rising(time_s), np.clip(clear, 0, 1)


def _rising(time_s: Values) -> Values:
    """Moments in order, each a little after the one before."""
    least = np.arange(len(time_s)) * SHORTEST_STEP_S
    return np.asarray(np.maximum.accumulate(time_s - least) + least)


def _stops_fitting(time_s: Values, heard: Values) -> int:
    """Index of the onset from which on too little of what is written is heard to begin, -1 where it does not."""
    smooth = np.array(
        [heard[(time_s >= t - JUDGED_S / 2) & (time_s <= t + JUDGED_S / 2)].mean() for t in time_s.tolist()]
    )
    fits = np.flatnonzero(smooth >= FITS_FROM)
    last = int(fits[-1]) + 1 if len(fits) else 0
    return last if last < len(time_s) - 2 else -1
