"""Tempo of a kit's loop: proposed, chosen, typed, given to the folio."""

from dataclasses import replace

import numpy as np

from honest_stave.core.beat.loop_tempo import LoopTempo
from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.hits.kit import Kit
from honest_stave.service import hits, timing
from honest_stave.service.kits import OpenKit, kit_of, put
from honest_stave.service.places import tempo_of
from honest_stave.service.studio import Studio
from honest_stave.store import history


def loop_tempo(studio: Studio, folio_id: str, kit: Kit) -> LoopTempo | None:
    """The tempo of a kit's loop: as proposed, chosen or typed; None where nothing tells it."""
    proposed = hits.tempi_of(studio, folio_id, kit.reading) if kit.reading else []
    if not proposed:
        return None
    tempo = proposed[min(kit.tempo, len(proposed) - 1)]
    if kit.bpm is None:
        return tempo
    return replace(tempo, bpm=kit.bpm, bars=tempo.bars * kit.bpm / tempo.bpm)


def map_of_loop(studio: Studio, folio_id: str, kit: Kit) -> TempoMap:
    """The loop's own time: steady, bar 1 at its first downbeat; the folio's where nothing tells a tempo."""
    tempo = loop_tempo(studio, folio_id, kit)
    return map_of(tempo) if tempo else tempo_of(studio, folio_id, kit.take)


def off_sixteenth_ms(tempo_map: TempoMap, found: OpenKit) -> list[float]:
    """By how much each slice begins after (before: negative) the nearest straight sixteenth."""
    begun_s = np.array([s.first / found.rate for s in found.slices])
    if not len(begun_s):
        return []
    nearest = np.round(4 * tempo_map.beats_at(begun_s)) / 4
    return [round(float(ms), 1) for ms in 1000 * (begun_s - tempo_map.seconds_at(nearest))]


def map_of(tempo: LoopTempo) -> TempoMap:
    """A steady tempo map with bar 1 at the loop's first downbeat."""
    felt = 1.0 if tempo.denominator == 4 else 1.5
    return TempoMap(
        knots=(Knot(0.0, tempo.start_s, pinned=True),),
        meters=(Meter(0, tempo.numerator, tempo.denominator),),
        lone_bpm=tempo.bpm * felt,
    )


def set_tempo(
    studio: Studio, folio_id: str, kit_id: str, which: int, bars: float | None, bpm: float | None, base: int | None
) -> int:
    """Chooses one of the proposed tempi; bars typed set the tempo, a tempo typed sets the bars.

    Raises:
        BadInput: the loop has too few hits to tell where its bars begin.
    """
    kit = replace(kit_of(studio, folio_id, kit_id), tempo=which, bpm=None)
    heard = loop_tempo(studio, folio_id, kit)
    if heard is None:
        raise BadInput("Too few hits tell where the bars of this loop begin.", "Lower the threshold, or cut by hand.")
    if bars:
        bpm = heard.bpm * bars / heard.bars
    if bpm is not None:
        kit = replace(kit, bpm=bpm)
    return put(studio, folio_id, kit_id, kit, f"“{kit.name}”: tempo {(bpm or heard.bpm):.2f}", base)


def give_tempo(studio: Studio, folio_id: str, kit_id: str, base: int | None) -> int:
    """Makes the loop's tempo and first downbeat the folio's.

    Raises:
        BadInput: nothing tells the loop's tempo.
    """
    kit = kit_of(studio, folio_id, kit_id)
    tempo = loop_tempo(studio, folio_id, kit)
    if tempo is None:
        raise BadInput("Nothing tells the tempo of this loop.", "Type the folio's tempo under Time.")
    values = {
        "bpm": map_of(tempo).lone_bpm,
        "downbeat_s": tempo.start_s,
        "take": kit.take,
        "numerator": tempo.numerator,
        "denominator": tempo.denominator,
    }
    return timing.set_time(studio, folio_id, values, base)


def folio_pace(studio: Studio, folio_id: str, kit: Kit) -> float:
    """How much faster than the loop the folio goes where its time was set, 1 otherwise."""
    with studio.database.session() as session:
        is_set = bool(history.entity(session, folio_id, "settings", "settings").get("tempo_set", False))
    loop = loop_tempo(studio, folio_id, kit)
    if not is_set or loop is None:
        return 1.0
    return tempo_of(studio, folio_id).bpm_at(0.0) / map_of(loop).lone_bpm
