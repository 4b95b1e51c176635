"""Beat maps: made of readings, mended, ruling the folio's time."""

import time
import uuid
from collections.abc import Callable, Sequence
from dataclasses import asdict, fields, replace
from functools import reduce
from typing import Any

import numpy as np

from honest_stave.core.beat import between, even, map_edits
from honest_stave.core.beat.aligned_map import as_hold
from honest_stave.core.beat.beat_map import (
    Beat,
    BeatMap,
    Between,
    ClickFrom,
    Hold,
    Marker,
    MeterFrom,
    WrittenOut,
    check_map,
    cleared,
    tempo_map_of,
)
from honest_stave.core.beat.click import check_click
from honest_stave.core.beat.map_of import map_of_reading
from honest_stave.core.beat.reread import drawn_to_beats, refine_taps, reread_between
from honest_stave.core.beat.silences import as_rest
from honest_stave.core.beat.smoothing import smooth
from honest_stave.core.beat.tempo_map import check_meter
from honest_stave.core.errors import BadInput
from honest_stave.core.words import how_many
from honest_stave.service import beats, folios, readings
from honest_stave.service.codec import json_like, tempo_from_body, tempo_to_body
from honest_stave.service.following import Rows, rows_moved_with_map, rows_moved_with_time
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import Job

Values = dict[str, Any]


def map_to_body(beat_map: BeatMap, at: float) -> dict[str, Any]:
    """JSON body of a map: beats as columns, which are a third of the size of rows; ``at`` says when it was made."""
    body = {k: v for k, v in asdict(replace(beat_map, beats=(), between=())).items() if k != "beats"}
    body["written_out"] = [[w.beat, w.beats] for w in beat_map.written_out]
    body["between"] = [_row_of(b) for b in beat_map.between]
    columns = {
        "time_s": [round(b.time_s, 7) for b in beat_map.beats],
        "heard_s": [None if b.heard_s is None else round(b.heard_s, 7) for b in beat_map.beats],
        "confidence": [round(b.confidence, 4) for b in beat_map.beats],
        "pins": [i for i, b in enumerate(beat_map.beats) if b.pinned],
        "steady": [i for i, b in enumerate(beat_map.beats) if b.steady],
    }
    return json_like({**body, "columns": columns, "at": at})


def _row_of(onset: Between) -> list[Any]:
    heard_s = None if onset.heard_s is None else round(onset.heard_s, 7)
    return [
        onset.beat,
        round(onset.share, 6),
        round(onset.time_s, 7),
        heard_s,
        round(onset.confidence, 4),
        onset.pinned,
    ]


def map_from_body(body: dict[str, Any]) -> BeatMap:
    """A map from its body."""
    columns = body["columns"]
    pins, steady = set(columns["pins"]), set(columns.get("steady", []))
    rows = zip(columns["time_s"], columns["heard_s"], columns["confidence"], strict=True)
    return BeatMap(
        name=body["name"],
        take=body["take"],
        reading=body["reading"],
        beats=tuple(Beat(t, h, c, i in pins, i in steady) for i, (t, h, c) in enumerate(rows)),
        meters=tuple(MeterFrom(**m) for m in body["meters"]),
        first_bar_number=body["first_bar_number"],
        # Earlier versions could hold the last beat, which has no end.
        holds=tuple(Hold(**h) for h in body["holds"] if h["beat"] + 1 < len(columns["time_s"])),
        markers=tuple(Marker(**m) for m in body["markers"]),
        clicks=tuple(ClickFrom(**c) for c in body["clicks"]),
        smoothing=body["smoothing"],
        written_out=tuple(WrittenOut(beat, beats) for beat, beats in body.get("written_out", [])),
        between=tuple(Between(*row) for row in body.get("between", [])),
    )


def finish_reading(studio: Studio, job: Job, result: dict[str, Any]) -> dict[str, Any]:
    """Keeps a reading of beats and makes a map of it; a map that the take has already stays, beside it."""
    kept = readings.finish_reading(studio, job, result)
    folio_id, take_id = job.folio_id, kept["take"]
    with studio.database.session() as session:
        have = history.entities(session, folio_id, folios.BEAT_MAP)
        name = history.entities(session, folio_id, "take").get(take_id, {}).get("name", "Take")
    number = 1 + sum(body["take"] == take_id for body in have.values())
    title = name if number == 1 else f"{name}, reading {number}"
    path = studio.files.path(readings.row(studio, folio_id, kept["reading"]).arrays)
    reading = beats.reading_from_file(path)
    made = map_of_reading(reading, title, take_id, kept["reading"])
    map_id = uuid.uuid4().hex[:12]
    label = f"Even beats laid on “{name}”" if reading.engine == even.ENGINE else f"Beats of “{name}” found"
    put(studio, folio_id, map_id, made, label, None, rules=is_first(studio, folio_id))
    return {**kept, "beat_map": map_id}


def is_first(studio: Studio, folio_id: str) -> bool:
    """Whether a map would be the first of a folio whose tempo nobody has set: it gives the folio its time."""
    with studio.database.session() as session:
        have = history.entities(session, folio_id, folios.BEAT_MAP)
        return not have and not history.entity(session, folio_id, "settings", "settings")["tempo_set"]


def rows_of_rule(studio: Studio, folio_id: str, map_id: str, beat_map: BeatMap) -> Rows:
    """The folio's time by this map, and the parts that keep their beats in it."""
    with studio.database.session() as session:
        settings = history.entity(session, folio_id, "settings", "settings")
    place_s = settings.get("places", {}).get(beat_map.take, 0.0)
    tempo = tempo_map_of(beat_map).seen_from(-place_s)
    rows = rows_moved_with_time(studio, folio_id, tempo_from_body(settings["tempo"]), tempo)
    fresh = {**settings, "tempo": tempo_to_body(tempo), "tempo_set": True, "beat_map": map_id}
    return [*rows, ("settings", "", "settings", fresh)]


def put(
    studio: Studio,
    folio_id: str,
    map_id: str,
    beat_map: BeatMap,
    label: str,
    base: int | None,
    *,
    rules: bool | None = None,
) -> int:
    """Keeps a map, and the folio's tempo map with it where this one rules; returns the folio's revision."""
    with studio.database.session() as session:
        before = history.entities(session, folio_id, folios.BEAT_MAP).get(map_id, {})
    body = map_to_body(beat_map, before.get("at", time.time()))
    rows: Rows = [(folios.BEAT_MAP, "", map_id, body)]
    if before:
        rows += rows_moved_with_map(studio, folio_id, map_id, map_from_body(before), beat_map)
    if ruling(studio, folio_id) == map_id if rules is None else rules:
        rows += rows_of_rule(studio, folio_id, map_id, beat_map)
    return folios.change(studio, folio_id, history.Edit(label, put=rows), base)


def map_of(studio: Studio, folio_id: str, map_id: str) -> BeatMap:
    """A map.

    Raises:
        NotFound: it is not in the folio.
    """
    with studio.database.session() as session:
        return map_from_body(history.entity(session, folio_id, folios.BEAT_MAP, map_id))


def ruling(studio: Studio, folio_id: str) -> str:
    """Id of the map that gives the folio its time, empty where none does."""
    with studio.database.session() as session:
        return str(history.entity(session, folio_id, "settings", "settings").get("beat_map", ""))


def let_rule(studio: Studio, folio_id: str, map_id: str, base: int | None) -> int:
    """Makes this map the folio's time; what was recorded never moves."""
    beat_map = map_of(studio, folio_id, map_id)
    return put(studio, folio_id, map_id, beat_map, f"Time by “{beat_map.name}”", base, rules=True)


def remove(studio: Studio, folio_id: str, map_id: str, base: int | None) -> int:
    """Takes a map out of the folio; the folio keeps the tempo map it had from it."""
    beat_map = map_of(studio, folio_id, map_id)
    edit = history.Edit(f"Beats “{beat_map.name}” removed", removed=[(folios.BEAT_MAP, "", map_id)])
    return folios.change(studio, folio_id, edit, base)


def runners_up(studio: Studio, folio_id: str, beat_map: BeatMap) -> tuple[tuple[str, float], ...]:
    """Other ways to count what the reading heard."""
    return beats.kept_of(studio, folio_id, beat_map.reading).runners_up if beat_map.reading else ()


def silences(studio: Studio, folio_id: str, beat_map: BeatMap) -> tuple[tuple[float, float], ...]:
    """Silences between sounds, (from s, to s), of the recording that a map was read from."""
    return beats.kept_of(studio, folio_id, beat_map.reading).silences if beat_map.reading else ()


def said_of_clicks(studio: Studio, folio_id: str, beat_map: BeatMap, bars: Sequence[int]) -> list[str]:
    """What is said of passages that were made to a click, by their bars."""
    if not beat_map.reading:
        return []
    times = np.array([b.time_s for b in beat_map.beats])
    said = []
    for bpm, from_s, to_s in beats.kept_of(studio, folio_id, beat_map.reading).clicks:
        first, last = (int(np.abs(times - moment_s).argmin()) for moment_s in (from_s, to_s))
        laid = sum(b.heard_s is None and not b.pinned for b in beat_map.beats[first : last + 1])
        through = f" Counted through without being heard: {how_many(laid, 'beat')}." if laid else ""
        said.append(f"Made to a click, it seems: {bpm:.2f} bpm from bar {bars[first]} to {bars[last]}.{through}")
    return said


Edited = Callable[[Studio, str, BeatMap, list[int], Values], BeatMap]
EDITS: dict[str, tuple[str, Edited]] = {
    "move": ("beat moved", lambda s, f, m, c, v: map_edits.move(m, c[0], v["time_s"])),
    "pin": ("pinned", lambda s, f, m, c, v: map_edits.pin(m, c, to_attack=v.get("to_attack", False))),
    "release": ("released", lambda s, f, m, c, v: map_edits.release(m, c)),
    "number": ("numbered", lambda s, f, m, c, v: map_edits.number(m, c[0], v["bar"], v["beat"])),
    "meter": ("meter set", lambda s, f, m, c, v: map_edits.meter_from(m, c[0], v["numerator"], v["denominator"])),
    "meters": ("meters typed", lambda s, f, m, c, v: map_edits.meters_by_bar(m, v["meters"])),
    "double": ("twice the beats", lambda s, f, m, c, v: _drawn(s, f, m, map_edits.double_from(m, c[0]))),
    "half": ("half the beats", lambda s, f, m, c, v: map_edits.half_from(m, c[0])),
    "off beat": ("half a beat later", lambda s, f, m, c, v: _drawn(s, f, m, map_edits.off_beat_from(m, c[0]))),
    "insert": ("beat put in", lambda s, f, m, c, v: map_edits.insert(m, v["time_s"])),
    "remove": ("beats taken out", lambda s, f, m, c, v: map_edits.remove(m, c)),
    "smooth": ("smoothed", lambda s, f, m, c, v: smooth(m, v["amount"])),
    "steady": ("made steady", lambda s, f, m, c, v: map_edits.steady(m, min(c), max(c))),
    "as hold": ("written hold made one", lambda s, f, m, c, v: as_hold(m, c[0], v["beats"])),
    "as rest": ("silence made a rest", lambda s, f, m, c, v: as_rest(m, c[0], v["beats"])),
    "hold": ("hold", lambda s, f, m, c, v: reduce(lambda b, i: map_edits.hold(b, i, v.get("written_beats")), c, m)),
    "mark": ("marker", lambda s, f, m, c, v: map_edits.mark(m, v["time_s"], v["name"])),
    "click": ("click", lambda s, f, m, c, v: map_edits.click_from(m, _click(c[0], v))),
    "tap": ("tapped", lambda s, f, m, c, v: _tapped(s, f, m, v["tap_s"])),
    "re-read": ("read anew between pins", lambda s, f, m, c, v: _reread(s, f, m, c[0], v.get("beats"))),
    "move between": ("onset moved", lambda s, f, m, c, v: between.move_between(m, v["between"][0], v["time_s"])),
    "pin between": ("onset pinned", lambda s, f, m, c, v: between.pin_between(m, v["between"])),
    "release between": ("onset released", lambda s, f, m, c, v: between.release_between(m, v["between"])),
    "pin at": ("pinned", lambda s, f, m, c, v: between.pin_at(m, v["place"], v["time_s"])),
    "rename": ("renamed", lambda s, f, m, c, v: replace(m, name=folios.clean_title(v["name"], "name"))),
}
# What an edit cannot be without.
NEEDED = {
    "move": ("time_s",),
    "number": ("bar", "beat"),
    "meter": ("numerator", "denominator"),
    "meters": ("meters",),
    "insert": ("time_s",),
    "smooth": ("amount",),
    "as hold": ("beats",),
    "as rest": ("beats",),
    "mark": ("time_s", "name"),
    "tap": ("tap_s",),
    "move between": ("between", "time_s"),
    "pin between": ("between",),
    "release between": ("between",),
    "pin at": ("place", "time_s"),
    "rename": ("name",),
}
# Edits that concern no beat that is chosen.
NEED_NO_BEAT = {
    "insert", "smooth", "mark", "tap", "meters", "rename", "move between", "pin between", "release between",
    "pin at",
}  # fmt: skip


def edit(
    studio: Studio, folio_id: str, map_id: str, action: str, chosen: list[int], values: Values, base: int | None
) -> int:
    """Edits a map; returns the folio's revision.

    Args:
        action: one of ``EDITS``.
        chosen: places of beats it concerns.
        values: what the action needs.
        base: revision the edit was made on.

    Raises:
        BadInput: the edit cannot be, with the reason.
    """
    if action not in EDITS:
        raise BadInput(f"There is no edit called {action!r}.", f"Choose one of {', '.join(EDITS)}.")
    beat_map = map_of(studio, folio_id, map_id)
    if action not in NEED_NO_BEAT:
        map_edits.check_chosen(beat_map, chosen)
    missing = [name for name in NEEDED.get(action, ()) if name not in values]
    if missing:
        raise BadInput(f"This edit lacks {' and '.join(missing)}.", "Fill in every field.")
    label, make = EDITS[action]
    fresh = between.carried(beat_map, make(studio, folio_id, beat_map, chosen, values))
    return put(studio, folio_id, map_id, fresh, f"“{beat_map.name}”: {label}", base)


def _click(beat: int, values: Values) -> ClickFrom:
    known = {f.name for f in fields(ClickFrom)}
    return check_click(ClickFrom(**{**{k: v for k, v in values.items() if k in known}, "beat": beat}))


def _tapped(studio: Studio, folio_id: str, beat_map: BeatMap, tap_s: list[float]) -> BeatMap:
    """Taps along a passage, refined, in the place of the beats that were there."""
    kept = beats.kept_of(studio, folio_id, beat_map.reading)
    fresh, _ = refine_taps(kept.heard, np.array(tap_s))
    times = np.array([b.time_s for b in beat_map.beats])
    reach = 0.5 * float(np.median(np.diff([b.time_s for b in fresh])))
    first = int(np.searchsorted(times, fresh[0].time_s - reach)) - 1
    last = int(np.searchsorted(times, fresh[-1].time_s + reach))
    if first < 0 or last >= len(times):
        out = [b for i, b in enumerate(beat_map.beats) if not first < i < last]
        if any(b.pinned for i, b in enumerate(beat_map.beats) if first < i < last):
            raise BadInput("A pin lies among the taps.", "Release it first, or tap between pins.")
        merged = sorted([*out, *fresh], key=lambda b: b.time_s)
        outside = cleared(beat_map, lambda gap: first <= gap < last)
        added = 0 if first >= 0 else len(merged) - len(times)
        moved = tuple(replace(b, beat=b.beat + added) for b in outside.between)
        return check_map(replace(outside, beats=tuple(merged), between=moved))
    return map_edits.replace_stretch(beat_map, first, last, fresh)


def _reread(studio: Studio, folio_id: str, beat_map: BeatMap, chosen: int, count: int | None) -> BeatMap:
    """The stretch from this pin to the next one read anew, with the tempo that the two imply."""
    pins = [i for i, b in enumerate(beat_map.beats) if b.pinned]
    start = max((i for i in pins if i <= chosen), default=None)
    stop = min((i for i in pins if i > chosen), default=None)
    if start is None or stop is None:
        raise BadInput("There are no two pins around this beat.", "Pin a beat before it and one after it first.")
    first, last = beat_map.beats[start], beat_map.beats[stop]
    if count is None:
        # As many beats as the tempo just outside the two implies.
        around = [b.time_s for b in beat_map.beats[max(start - 4, 0) : start + 1]]
        around_after = [b.time_s for b in beat_map.beats[stop : stop + 5]]
        steps = [*np.diff(around), *np.diff(around_after)] or [(last.time_s - first.time_s) / (stop - start)]
        count = max(1, round((last.time_s - first.time_s) / float(np.median(steps))))
    kept = beats.kept_of(studio, folio_id, beat_map.reading)
    fresh = reread_between(kept.heard, first.time_s, last.time_s, count)
    return map_edits.replace_stretch(beat_map, start, stop, fresh)


def _drawn(studio: Studio, folio_id: str, was: BeatMap, fresh: BeatMap) -> BeatMap:
    """A map whose new beats lie where the take's reading has them; a map that no reading gave stays."""
    return drawn_to_beats(fresh, was, beats.kept_of(studio, folio_id, was.reading).heard) if was.reading else fresh


def other_count(studio: Studio, folio_id: str, beat_map: BeatMap, name: str) -> BeatMap:
    """The same music counted as a runner-up says, its beats where they are heard."""
    return _drawn(studio, folio_id, beat_map, counted_otherwise(beat_map, name))


def counted_otherwise(beat_map: BeatMap, name: str) -> BeatMap:
    """The same music counted as a runner-up says.

    Raises:
        BadInput: a pin stands in the way, or the name is no way to count.
    """
    first = beat_map.meters[0]
    # From the last meter to the first, so that the places of the earlier ones stay.
    starts = [m.beat for m in reversed(beat_map.meters)]
    if name == "half the tempo":
        return reduce(map_edits.half_from, starts, beat_map)
    if name == "twice the tempo":
        return reduce(map_edits.double_from, [*starts[:-1], 0], beat_map)
    if name == "beats half a beat later":
        # From the first to the last: the last beat of each lies between where the next one begins as yet.
        return reduce(map_edits.off_beat_from, [0, *reversed(starts[:-1])], beat_map)
    if name in ("bars one beat later", "bars one beat earlier"):
        moved = (first.beat + (1 if name.endswith("later") else -1)) % first.felt_beats
        return check_map(replace(beat_map, meters=(replace(first, beat=moved), *beat_map.meters[1:])))
    if "/" in name and all(n.isdigit() for n in name.split("/", 1)):
        numerator, denominator = (int(n) for n in name.split("/", 1))
        check_meter(numerator, denominator)
        return check_map(replace(beat_map, meters=(MeterFrom(first.beat, numerator, denominator),)))
    raise BadInput(f"There is no way to count called {name!r}.", "Choose one that is shown.")


def take_runner_up(studio: Studio, folio_id: str, map_id: str, name: str, base: int | None) -> int:
    """Counts the music another way; undo brings the first way back."""
    beat_map = map_of(studio, folio_id, map_id)
    fresh = other_count(studio, folio_id, beat_map, name)
    return put(studio, folio_id, map_id, fresh, f"“{beat_map.name}”: {name}", base)
