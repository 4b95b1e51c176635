"""The folio's time: tempo typed, tapped or proposed; meter; the moment and number of bar 1."""

from dataclasses import replace
from typing import Any

import numpy as np

from honest_stave.core.beat.propose import TempoProposal, propose_tempos, tempo_of_taps
from honest_stave.core.beat.tempo_map import Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.pitch.reading import DEFAULT_LEAST_CONFIDENCE, FormSettings
from honest_stave.core.words import how_many
from honest_stave.service import folios, parts, readings
from honest_stave.service.codec import tempo_from_body, tempo_to_body
from honest_stave.service.following import rows_moved_with_time
from honest_stave.service.places import places_of, tempo_of
from honest_stave.service.studio import Studio
from honest_stave.store import history

FEWEST_TAPS = 3
# Grid lines given at once: an hour at 200 felt beats a minute has 12,000.
MOST_LINES = 40_000


def set_time(studio: Studio, folio_id: str, values: dict[str, Any], base: int | None) -> int:
    """Changes tempo, meter, bar 1's moment (in the seconds of a ``take``) or its number; what is recorded stays."""
    tempo_map = tempo_of(studio, folio_id)
    told = []
    if values.get("bpm") is not None:
        tempo_map = tempo_map.with_bpm(float(values["bpm"]))
        told.append(f"tempo {float(values['bpm']):g}")
    if values.get("downbeat_s") is not None:
        downbeat_s = float(values["downbeat_s"]) + places_of(studio, folio_id).get(values.get("take") or "", 0.0)
        tempo_map = tempo_map.with_downbeat(downbeat_s)
        told.append(f"bar 1 at {downbeat_s:.3f} s")
    if values.get("numerator") is not None and values.get("denominator") is not None:
        meter = Meter(0, int(values["numerator"]), int(values["denominator"]))
        tempo_map = replace(tempo_map, meters=(meter,))
        told.append(f"meter {meter.numerator}/{meter.denominator}")
    if values.get("first_bar_number") is not None:
        tempo_map = replace(tempo_map, first_bar_number=int(values["first_bar_number"]))
        told.append(f"first bar called {values['first_bar_number']}")
    if not told:
        raise BadInput("Nothing of the time was given.", "Give a tempo, a meter or the moment of bar 1.")
    return _set_tempo(studio, folio_id, "Time: " + ", ".join(told), tempo_map, base)


def _set_tempo(studio: Studio, folio_id: str, label: str, tempo_map: TempoMap, base: int | None) -> int:
    """Gives the folio its time, by no beat map; parts that keep their beats move with it in the same step."""
    with studio.database.session() as session:
        settings = history.entity(session, folio_id, "settings", "settings")
    values = {"tempo": tempo_to_body(tempo_map), "tempo_set": True, "beat_map": ""}
    edit = history.Edit(label, put=[("settings", "", "settings", {**settings, **values})])
    edit.put += rows_moved_with_time(studio, folio_id, tempo_from_body(settings["tempo"]), tempo_map)
    return folios.change(studio, folio_id, edit, base)


def use_map_of_take(studio: Studio, folio_id: str, take_id: str, base: int | None) -> int:
    """Takes the tempo map that a MIDI file carries."""
    with studio.database.session() as session:
        take = history.entity(session, folio_id, "take", take_id)
    body = take["facts"].get("tempo")
    if not body:
        raise BadInput(f"“{take['name']}” carries no tempo map.", "Type the tempo, or have it proposed.")
    # Its moments are the take's own.
    tempo_map = tempo_from_body(body).seen_from(-places_of(studio, folio_id).get(take_id, 0.0))
    return _set_tempo(studio, folio_id, f"Tempo map of “{take['name']}” used", tempo_map, base)


def proposals(
    studio: Studio, folio_id: str, part_id: str | None, reading_id: str | None
) -> tuple[TempoProposal, ...]:
    """Tempos proposed from the notes of a part or a reading, likeliest first."""
    if part_id:
        notes = parts.notes_of(studio, folio_id, part_id)
        onset = np.array([n.onset_s for n in notes])
        velocity = np.array([n.velocity for n in notes], float)
    elif reading_id:
        row = readings.row(studio, folio_id, reading_id)
        found = readings.candidates(studio, folio_id, row.id, FormSettings())
        sure = [c for c in found if c.confidence >= DEFAULT_LEAST_CONFIDENCE]
        onset = np.array([c.onset_s for c in sure])
        velocity = np.array([c.velocity for c in sure], float)
    else:
        raise BadInput("A tempo is proposed from notes.", "Choose a part or a reading.")
    return propose_tempos(onset, velocity)


def tapped(tap_s: list[float]) -> float:
    """Tempo of taps.

    Raises:
        BadInput: too few of them.
    """
    bpm = tempo_of_taps(np.array(tap_s, float))
    if bpm is None:
        raise BadInput(f"{how_many(len(tap_s), 'tap')} cannot tell a tempo.", f"Tap at least {FEWEST_TAPS} times.")
    return round(bpm, 1)


def grid(tempo_map: TempoMap, from_s: float, to_s: float) -> dict[str, list[Any]]:
    """Bar lines and beats of a stretch, for rulers and the click: moments, bar numbers, felt beats."""
    bar = tempo_map.bar_index(float(tempo_map.beats_at(from_s)))
    last_beat = float(tempo_map.beats_at(to_s))
    positions: list[float] = []
    bars: list[int] = []
    beats: list[int] = []
    while (start := tempo_map.bar_start(bar)) <= last_beat and len(positions) < MOST_LINES:
        meter = tempo_map.meter_at(start)
        for beat in range(round(meter.quarters / meter.felt_beat_quarters)):
            position = start + beat * meter.felt_beat_quarters
            if position <= last_beat:
                positions.append(position)
                bars.append(bar + tempo_map.first_bar_number)
                beats.append(beat + 1)
        bar += 1
    times = np.round(tempo_map.seconds_at(np.array(positions)), 6).tolist() if positions else []
    return {"time_s": times, "bar": bars, "beat": beats}
