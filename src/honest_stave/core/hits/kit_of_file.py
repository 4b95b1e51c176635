"""A loop cut and written in one go, for the command line: no folio, the engine's own thresholds."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from honest_stave.core.beat.loop_tempo import propose_tempo
from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.core.hits.hits_engine import read
from honest_stave.core.hits.keys import keys_of
from honest_stave.core.hits.kit import LEAD, Kit
from honest_stave.core.hits.kit_export import export_kit, kit_proof_text
from honest_stave.core.hits.pattern import pattern_of
from honest_stave.core.hits.reading import DEFAULT_LEAST_CONFIDENCE, HitSettings
from honest_stave.core.hits.slice_sound import Samples, null_test, sound_of
from honest_stave.core.hits.slicing import moments_of, slices_of
from honest_stave.core.hits.zones_of_kit import name_of, zones_of
from honest_stave.core.words import how_many

SILENT = 1e-4
PLAIN_BPM = 120.0


@dataclass(frozen=True)
class CutFile:
    """Files by name, the slices as rows, tempo and bars, and a line that says what was done."""

    files: tuple[tuple[str, bytes], ...]
    slices: list[dict[str, Any]]
    bpm: float
    bars: float
    told: str


def cut_file(samples: Samples, rate: int, name: str, formats: Sequence[str], bars: float | None) -> CutFile:
    """Cuts a loop where its hits begin and writes its kit.

    Args:
        samples: (frames, channels), full scale 1.
        rate: Hz.
        name: of the kit and its files.
        formats: of ``wav``, ``sfz``, ``sf2``.
        bars: its length where that is known; sets the tempo.

    Raises:
        BadInput: no hit was found.
    """
    reading = read(samples, rate, HitSettings())
    kit = Kit(name, "")
    loud = np.flatnonzero(np.abs(samples).max(axis=1) > SILENT)
    slices = slices_of(
        moments_of(reading, rate), kit, rate, len(samples), int(loud[0]) if len(loud) else len(samples)
    )
    if not any(s.id != LEAD for s in slices):
        raise BadInput("No hit was found in this recording.", "Cut loops of drums or of other struck sounds.")
    counted = reading.confidence >= DEFAULT_LEAST_CONFIDENCE
    tempi = propose_tempo(
        reading.time_s[counted], reading.drum[counted], reading.velocity[counted], len(samples) / rate
    )
    first_s = next(s.first for s in slices if s.id != LEAD) / rate
    bpm, length, start_s, meter = PLAIN_BPM, 0.0, first_s, Meter(0, 4, 4)
    if tempi:
        bpm, length, start_s = tempi[0].bpm, tempi[0].bars, tempi[0].start_s
        meter = Meter(0, tempi[0].numerator, tempi[0].denominator)
    if bars is not None:
        heard_s = (
            length * meter.quarters / meter.felt_beat_quarters * 60 / bpm if tempi else len(samples) / rate - start_s
        )
        bpm, length = 60 * bars * meter.quarters / meter.felt_beat_quarters / heard_s, bars
    tempo_map = TempoMap((Knot(0.0, start_s, pinned=True),), (meter,), lone_bpm=bpm * meter.felt_beat_quarters)
    keys = keys_of(kit, slices)
    zones = zones_of(kit, slices, keys, lambda s: samples, rate)
    cues = [(s.first, name_of(s, i)) for i, s in enumerate(slices, 1) if s.id != LEAD]
    notes = pattern_of(kit, slices, keys, rate)
    made = export_kit(name, zones, samples, rate, cues, notes, tempo_map, formats)
    nulled = null_test(samples, slices, [sound_of(samples, s, rate) for s in slices])
    rows = [
        {
            "start_s": round(s.first / rate, 6),
            "end_s": round(s.last / rate, 6),
            "key": keys.get(s.id),
            "drums": [x.drum for x in s.strikes],
        }
        for s in slices
        if s.id != LEAD
    ]
    null = "null test exact" if nulled.exact else f"null test off by {nulled.residual_db:.1f} dB"
    told_bars = f"{length:g} {'bar' if length == 1 else 'bars'}" if length else "no bars heard, played"
    proven = "proven" if made.proof.same else "; ".join(made.proof.remarks)
    told = f"{how_many(len(rows), 'slice')}, {null}, {told_bars} at {bpm:.2f}, {proven}"
    files = (*made.files, ("proof.txt", kit_proof_text(made.proof, name).encode()))
    return CutFile(files, rows, round(bpm, 3), length, told)
