"""What speaks for notes: key and scale, chords struck together, partials, the spectrogram."""

from dataclasses import asdict
from typing import Any

import numpy as np

from honest_stave.core.errors import BadInput
from honest_stave.core.harmony.companions import companions
from honest_stave.core.harmony.key import LEAST_SHARE, Named, Tonality, find_tonality
from honest_stave.core.harmony.together import struck_together
from honest_stave.core.hits.keys import names_of_keys
from honest_stave.core.pitch.reading import FormSettings
from honest_stave.service import parts, readings, takes
from honest_stave.service.kit_playing import KIT_INSTRUMENT
from honest_stave.service.kits import maps_of_take
from honest_stave.service.studio import Studio

MOST_COLUMNS = 1024
# The stretch round a note that is analysed for its partials.
ROUND_S = 0.3


def tonality_of(notes: list[tuple[float, float, int]]) -> Tonality:
    """Key and scale of several notes, of (onset_s, offset_s, pitch)."""
    onset, offset, pitch = _columns(sorted(notes))
    return find_tonality(onset, offset, pitch.astype(np.int64))


def findings(notes: list[tuple[float, float, int]]) -> dict[str, Any]:
    """Key, scale, strokes and what sounds with most keys of several notes, of (onset_s, offset_s, pitch)."""
    notes = sorted(notes)
    onset, offset, pitch = _columns(notes)
    tonality = tonality_of(notes)
    stroke = struck_together(onset)
    size = np.bincount(stroke) if len(stroke) else np.zeros(0, np.int64)
    first = np.searchsorted(stroke, np.flatnonzero(size > 1))
    lows = np.minimum.reduceat(pitch, np.flatnonzero(np.diff(stroke, prepend=-1))) if len(stroke) else pitch
    highs = np.maximum.reduceat(pitch, np.flatnonzero(np.diff(stroke, prepend=-1))) if len(stroke) else pitch
    upwards = np.roll(np.arange(12), -tonality.key.tonic) if tonality.key else np.arange(12)
    return {
        "key": _named(tonality.key),
        "other_key": _named(tonality.other_key),
        "scale": _named(tonality.scale),
        "other_scale": _named(tonality.other_scale),
        "names": list(tonality.names),
        "pitches": [tonality.names[p] for p in upwards if tonality.sounding[p] >= LEAST_SHARE],
        "keys": {},
        "companions": [asdict(c) for c in companions(onset, offset, pitch.astype(np.int64))],
        "strokes": {
            "onset_s": np.round(onset[first], 4).tolist(),
            "low": lows[size > 1].astype(int).tolist(),
            "high": highs[size > 1].astype(int).tolist(),
            "size": size[size > 1].tolist(),
        },
    }


def _columns(notes: list[tuple[float, float, int]]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    onset, offset, pitch = np.array(notes, float).reshape(-1, 3).T
    return onset, offset, pitch


def _named(found: Named | None) -> dict[str, Any] | None:
    return {"name": found.text, "share": round(found.share, 3)} if found else None


def of_part(studio: Studio, folio_id: str, part_id: str) -> dict[str, Any]:
    """Findings of a part's notes; keys of drums and slices are no pitches, but those of drums have names."""
    part = parts.part_of(studio, folio_id, part_id)
    if part.percussion:
        played = {n.pitch for n in parts.notes_of(studio, folio_id, part_id)}
        return findings([]) | {"keys": names_of_keys(played, maps_of_take(studio, folio_id, part.take))}
    if part.instrument.startswith(KIT_INSTRUMENT):
        return findings([])
    return findings([(n.onset_s, n.offset_s, n.pitch) for n in parts.notes_of(studio, folio_id, part_id)])


def of_reading(studio: Studio, folio_id: str, reading_id: str, form: FormSettings, least: float) -> dict[str, Any]:
    """Findings of the candidates of a reading that count."""
    found = readings.candidates(studio, folio_id, reading_id, form, least)
    return findings([(c.onset_s, c.offset_s, c.pitch) for c in found if c.confidence >= least])


def spectrum(studio: Studio, folio_id: str, take_id: str, from_s: float, column_s: float, columns: int) -> bytes:
    """A tile of the spectrogram: bytes (columns, bands).

    Raises:
        BadInput: too many columns.
    """
    from honest_stave.core.pitch.spectrogram import tile

    if not 0 < columns <= MOST_COLUMNS or column_s <= 0:
        raise BadInput("This stretch of the spectrogram is too long.", f"Ask for at most {MOST_COLUMNS} columns.")
    samples, rate = takes.samples_of(studio, takes.audio_take(studio, folio_id, take_id))
    return tile(samples, rate, from_s, column_s, columns).tobytes()


def partials(
    studio: Studio,
    folio_id: str,
    take_id: str,
    note: tuple[float, float, int],
    others: list[tuple[float, float, int]],
) -> list[dict[str, Any]]:
    """Partials of a note (onset_s, offset_s, pitch) of a take against those of the notes it sounds with."""
    from honest_stave.core.pitch.partials import partials_of
    from honest_stave.core.signal.listen import ListenSettings, prepare

    samples, rate = takes.samples_of(studio, takes.audio_take(studio, folio_id, take_id))
    onset_s, offset_s, pitch = note
    listened = ListenSettings(from_s=max(0.0, onset_s - ROUND_S), to_s=min(offset_s, onset_s + 1.0) + ROUND_S)
    signal, starts_s = prepare(samples, rate, listened)
    sounding = [p for a, b, p in others if a < onset_s + 0.2 and b > onset_s + 0.03 and p != pitch]
    found = partials_of(signal, onset_s - starts_s, offset_s - starts_s, pitch, np.array(sounding, np.int64))
    return [asdict(p) for p in found]
