"""Where takes lie in the folio's time: each begins at a moment of it, and its own seconds count from there."""

from typing import Any

from honest_stave.core.beat.tempo_map import TempoMap
from honest_stave.core.errors import BadInput
from honest_stave.service import folios
from honest_stave.service.codec import tempo_from_body, tempo_to_body
from honest_stave.service.following import rows_moved_with_time
from honest_stave.service.studio import Studio
from honest_stave.store import history

# Two places this near are the same.
SAME_S = 1e-6


def _settings(studio: Studio, folio_id: str) -> dict[str, Any]:
    with studio.database.session() as session:
        return history.entity(session, folio_id, "settings", "settings")


def places_of(studio: Studio, folio_id: str) -> dict[str, float]:
    """Moment (s) of the folio's time at which each take begins that does not begin with it."""
    places: dict[str, float] = _settings(studio, folio_id).get("places", {})
    return places


def tempo_of(studio: Studio, folio_id: str, take_id: str = "") -> TempoMap:
    """The folio's tempo map, in the seconds of a take, or in its own where none is given."""
    settings = _settings(studio, folio_id)
    return tempo_from_body(settings["tempo"]).seen_from(settings.get("places", {}).get(take_id, 0.0))


def put_take(studio: Studio, folio_id: str, take_id: str, values: dict[str, Any], base: int | None) -> int:
    """Puts a take elsewhere in the folio's time; nothing that was recorded moves within it.

    Args:
        values: ``begins_s``, the moment of the folio at which it begins; or ``moment_s`` of the take
            and the printed number of the ``bar`` whose first beat it is.

    Raises:
        BadInput: it would begin before the folio does.
    """
    settings = _settings(studio, folio_id)
    with studio.database.session() as session:
        take = history.entity(session, folio_id, "take", take_id)
    places: dict[str, float] = settings.get("places", {})
    tempo_map = tempo_from_body(settings["tempo"])
    begins_s = values.get("begins_s")
    if begins_s is None:
        bar = tempo_map.bar_start(int(values["bar"]) - tempo_map.first_bar_number)
        begins_s = float(tempo_map.seconds_at(bar)) - float(values["moment_s"])
    if begins_s < -SAME_S:
        raise BadInput(
            f"“{take['name']}” would begin {-begins_s:.3f} s before the folio does.",
            "Choose a later bar, or put bar 1 later first.",
        )
    begins_s = round(max(float(begins_s), 0.0), 6)
    by_s = begins_s - places.get(take_id, 0.0)
    label = f"“{take['name']}” begins at {begins_s:.3f} s"
    fresh = {**settings, "places": {**places, take_id: begins_s}}
    edit = history.Edit(label)
    if by_s and _rules(studio, folio_id, settings.get("beat_map", ""), take_id):
        # The map of this take is the folio's time: it stays on the recording it was read from.
        moved = tempo_map.seen_from(-by_s)
        fresh["tempo"] = tempo_to_body(moved)
        edit.put += rows_moved_with_time(studio, folio_id, tempo_map, moved)
    edit.put.append(("settings", "", "settings", fresh))
    return folios.change(studio, folio_id, edit, base)


def _rules(studio: Studio, folio_id: str, map_id: str, take_id: str) -> bool:
    with studio.database.session() as session:
        kept = history.entities(session, folio_id, folios.BEAT_MAP).get(map_id)
    return kept is not None and kept["take"] == take_id
