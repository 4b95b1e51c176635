"""Candidates from the strikes of a reading, for any limits: vectorised, no signal."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch.evidence import confidence
from honest_stave.core.pitch.pedal import held_by_pedal
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, Candidate, FormSettings, NotesReading
from honest_stave.core.pitch.strikes import Strikes, next_onset, next_same

# Ends of the slider move the log-odds of a note that begins where something sounds on by this much.
SPLIT_LOG_ODDS = 3.0
# Onsets that peak high and alone are this exact, doubtful ones less; measured on made-up material.
SURE_TOLERANCE_S, DOUBTFUL_TOLERANCE_S = 0.006, 0.025
SHORTEST_NOTE_S = 0.03
# An end that a new note of the pitch cuts is as exact as that note; one that dies away is not.
CUT_TOLERANCE_S, FREE_TOLERANCE_S = 0.015, 0.045


def ends_of(strikes: Strikes, voices: str, counted: NDArray[np.bool_]) -> NDArray[np.float64]:
    """End (s) of each strike: where its sound ends or, earlier, where a counted one cuts it.

    Args:
        strikes: all, in order of time.
        voices: one or many; one voice is cut by whatever begins next.
        counted: which count; others do not cut.
    """
    cut_s = next_onset(strikes, counted) if voices == "one" else next_same(strikes, counted)
    return np.maximum(np.minimum(strikes.end_s, cut_s), strikes.onset_s + SHORTEST_NOTE_S)


def kept_strikes(
    reading: NotesReading, settings: FormSettings, least: float = DEFAULT_LEAST_CONFIDENCE
) -> tuple[NDArray[np.int64], NDArray[np.float64], Strikes, NDArray[np.float64]]:
    """Which strikes are candidates, how sure all are, the strikes as the pedal holds them, and their ends (s).

    Args:
        reading, settings, least: as for ``form_candidates``.
    """
    strikes = reading.strikes
    if reading.pedal:
        strikes = replace(strikes, end_s=held_by_pedal(strikes.onset_s, strikes.end_s, reading.pedal))
    sure = confidence(reading.score + SPLIT_LOG_ODDS * (2 * settings.split - 1) * reading.continuing)
    end_s = ends_of(strikes, reading.voices, sure >= least)
    return np.flatnonzero(end_s - strikes.onset_s >= settings.shortest_s), sure, strikes, end_s


def form_candidates(
    reading: NotesReading, settings: FormSettings, least: float = DEFAULT_LEAST_CONFIDENCE
) -> tuple[Candidate, ...]:
    """All candidates of ``reading``, doubtful ones included, in order of onset.

    Args:
        reading: what the engine heard.
        settings: readiness to split, shortest note.
        least: candidates this sure cut the ones before them.
    """
    kept, sure, strikes, end_s = kept_strikes(reading, settings, least)
    centre = 100 * (reading.centre - strikes.pitch) - reading.tuning_cents
    centre = np.where(np.isnan(centre), 0.0, centre)
    cut = end_s < strikes.end_s - 0.05
    columns = zip(
        (strikes.onset_s[kept] + reading.starts_s).tolist(),
        (end_s[kept] + reading.starts_s).tolist(),
        (DOUBTFUL_TOLERANCE_S + (SURE_TOLERANCE_S - DOUBTFUL_TOLERANCE_S) * strikes.onset[kept]).tolist(),
        np.where(cut, CUT_TOLERANCE_S, FREE_TOLERANCE_S)[kept].tolist(),
        strikes.pitch[kept].tolist(),
        centre[kept].tolist(),
        np.round(strikes.velocity[kept]).astype(int).tolist(),
        reading.level_db[kept].tolist(),
        sure[kept].tolist(),
        reading.rival[kept].tolist(),
        ((1 - sure) * reading.rival_share)[kept].tolist(),
        strict=True,
    )
    return tuple(Candidate(*row) for row in columns)
