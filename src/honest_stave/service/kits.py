"""Kits: made of a reading of hits, cut by hand, laid on keys, played."""

import time
import uuid
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.errors import BadInput, NotFound
from honest_stave.core.hits import kit_edits
from honest_stave.core.hits.attack import refine_attacks
from honest_stave.core.hits.hearing import RATE as ENGINE_RATE
from honest_stave.core.hits.keys import keys_of, loop_key
from honest_stave.core.hits.kit import LEAD, Kit, Slice, SliceSettings, check_kit
from honest_stave.core.hits.played_keys import WHOLE_LOOP, Playable, same_keys
from honest_stave.core.hits.slice_sound import NullTest, null_test, sound_of
from honest_stave.core.hits.slicing import Moment, moments_of, slices_of, zero_crossing
from honest_stave.service import folios, hits, readings, takes
from honest_stave.service.codec import json_like
from honest_stave.service.decoding import open_samples
from honest_stave.service.following import Rows
from honest_stave.service.kit_playing import parts_of, rows_moved_with_keys
from honest_stave.service.studio import Studio
from honest_stave.store import history
from honest_stave.store.tables import Preference

# A cut moves to a zero crossing no farther than this, and only where it is as quiet as this against the loudest.
CROSSING_REACH_S, QUIET_DB, QUIET_WINDOW_S = 0.003, -40.0, 0.002
# An attack is looked for this close to a cut.
ATTACK_CONTEXT_S = 0.5
SILENT = 1e-4
# The whole loop has a key of its own in a kit unless it is longer than this.
LONGEST_LOOP_S = 60.0


@dataclass(frozen=True)
class OpenKit:
    """A kit with everything that belongs to it.

    Args:
        kit, slices, keys: as in core.
        moments: of its reading.
        samples, rate: of its take.
    """

    kit: Kit
    slices: tuple[Slice, ...]
    keys: dict[str, int]
    moments: tuple[Moment, ...]
    samples: NDArray[np.float32]
    rate: int

    @property
    def loop_key(self) -> int | None:
        """Key of the whole loop, none for a long recording."""
        return loop_key(self.kit, self.keys) if len(self.samples) <= LONGEST_LOOP_S * self.rate else None

    @property
    def playable(self) -> Playable:
        """What its keys play, the whole loop too."""
        whole = {} if self.loop_key is None else {WHOLE_LOOP: self.loop_key}
        return Playable(self.slices, {**self.keys, **whole})

    @property
    def keyless(self) -> int:
        """Slices beyond the highest key: they are in no instrument and not in the pattern."""
        return sum(s.id not in self.keys and s.id != LEAD for s in self.slices)


def kit_to_body(kit: Kit, at: float) -> dict[str, Any]:
    """JSON body of a kit; ``at`` says when it was made."""
    return json_like({**asdict(kit), "at": at})


def kit_from_body(body: dict[str, Any]) -> Kit:
    """A kit from its body."""
    own = {k: v for k, v in body.items() if k != "at"}
    pairs = {name: tuple((str(i), int(f)) for i, f in body[name]) for name in ("hand", "moved")}
    slices = {
        i: SliceSettings(**{**s, "drums": None if s["drums"] is None else tuple(s["drums"])})
        for i, s in body["slices"].items()
    }
    plain = {name: tuple(body[name]) for name in ("away", "order")}
    return Kit(**{**own, **pairs, **plain, "slices": slices})


def put(studio: Studio, folio_id: str, kit_id: str, kit: Kit, label: str, base: int | None) -> int:
    """Keeps a kit; returns the folio's revision."""
    with studio.database.session() as session:
        before = history.entities(session, folio_id, "kit").get(kit_id, {})
    body = kit_to_body(check_kit(kit), before.get("at", time.time()))
    rows = _rows_played(studio, folio_id, kit_id, kit_from_body(before), kit) if before else []
    return folios.change(studio, folio_id, history.Edit(label, put=[("kit", "", kit_id, body), *rows]), base)


def _rows_played(studio: Studio, folio_id: str, kit_id: str, before: Kit, now: Kit) -> Rows:
    if same_keys(before, now) or not parts_of(studio, folio_id, kit_id):
        return []
    try:
        old, new = (_open(studio, folio_id, kit) for kit in (before, now))
    except (BadInput, NotFound):
        # Its take may be removed, its engine no longer here, its cuts too many: then nothing plays it.
        return []
    return rows_moved_with_keys(studio, folio_id, kit_id, old.playable, new.playable, new.rate)


def kit_of(studio: Studio, folio_id: str, kit_id: str) -> Kit:
    """A kit.

    Raises:
        NotFound: it is not in the folio.
    """
    with studio.database.session() as session:
        return kit_from_body(history.entity(session, folio_id, "kit", kit_id))


def maps_of_take(studio: Studio, folio_id: str, take_id: str) -> list[dict[str, int]]:
    """The producer's own note maps of the kits of a take."""
    with studio.database.session() as session:
        bodies = history.entities(session, folio_id, "kit").values()
    return [body["notes"] for body in bodies if body["take"] == take_id]


def opened(studio: Studio, folio_id: str, kit_id: str, changes: dict[str, Any] | None = None) -> OpenKit:
    """A kit with its slices; ``changes`` are tried without being kept."""
    kit = kit_of(studio, folio_id, kit_id)
    return _open(studio, folio_id, check_kit(replace(kit, **changes)) if changes else kit)


def _open(studio: Studio, folio_id: str, kit: Kit) -> OpenKit:
    take = takes.audio_take(studio, folio_id, kit.take)
    samples, rate = takes.samples_of(studio, take)
    moments = moments_in(studio.files.path(readings.row(studio, folio_id, kit.reading).arrays), rate)
    silent_until = _silent_until(studio.files.path(take["facts"]["samples"]), take["facts"]["channels"])
    with studio.database.session() as session:
        heard = kit_edits.by_takes(kit, history.entities(session, folio_id, "take"))
    slices = slices_of(moments, heard, rate, len(samples), silent_until)
    return OpenKit(kit, slices, keys_of(kit, slices), moments, samples, rate)


@lru_cache(maxsize=8)
def moments_in(arrays: Path, rate: int) -> tuple[Moment, ...]:
    """Moments of a reading by its file, and the rate of its take."""
    return moments_of(hits.from_file(arrays), rate)


@lru_cache(maxsize=64)
def _silent_until(path: Path, channels: int) -> int:
    samples = open_samples(path, channels)
    block = 1 << 16
    for first in range(0, len(samples), block):
        loud = np.flatnonzero(np.abs(samples[first : first + block]).max(axis=1) > SILENT)
        if len(loud):
            return first + int(loud[0])
    return len(samples)


def samples_for(studio: Studio, folio_id: str, found: OpenKit) -> Callable[[Slice], NDArray[np.float32]]:
    """Where a slice is cut from: its own take, or another in its place."""

    def of(piece: Slice) -> NDArray[np.float32]:
        if not piece.settings.take:
            return found.samples
        samples, rate = takes.samples_of(studio, takes.audio_take(studio, folio_id, piece.settings.take))
        if rate != found.rate:
            raise BadInput("That take has another sampling rate.", "Choose a slice of a take with the same rate.")
        if samples.shape[1] == found.samples.shape[1]:
            return samples
        mono = np.asarray(samples).mean(axis=1, keepdims=True, dtype=np.float32)
        return np.repeat(mono, found.samples.shape[1], axis=1)

    return of


def null_of(studio: Studio, folio_id: str, kit_id: str) -> NullTest:
    """All slices played in place, against the loop."""
    found = opened(studio, folio_id, kit_id)
    source = samples_for(studio, folio_id, found)
    return null_test(found.samples, found.slices, (sound_of(source(s), s, found.rate) for s in found.slices))


def slice_sound(studio: Studio, folio_id: str, kit_id: str, slice_id: str) -> tuple[NDArray[np.float32], int]:
    """What one slice sounds like, (frames, channels), and its rate.

    Raises:
        BadInput: it is not in the kit.
    """
    found = opened(studio, folio_id, kit_id)
    piece = _slice(found, slice_id)
    return sound_of(samples_for(studio, folio_id, found)(piece), piece, found.rate), found.rate


def _slice(found: OpenKit, slice_id: str) -> Slice:
    piece = next((s for s in found.slices if s.id == slice_id), None)
    if piece is None:
        raise BadInput("This slice is no longer there.", "A threshold or an edit took its cut away.")
    return piece


def change_kit(studio: Studio, folio_id: str, kit_id: str, values: dict[str, Any], base: int | None) -> int:
    """Changes thresholds, keys, name: everything that belongs to the kit as a whole."""
    kit = kit_of(studio, folio_id, kit_id)
    if "name" in values:
        values["name"] = folios.clean_title(values["name"], "name")
    what = ", ".join(sorted(values)).replace("_db", "").replace("_", " ")
    return put(studio, folio_id, kit_id, replace(kit, **values), f"“{kit.name}”: {what}", base)


# What an edit cannot be without.
NEEDED = {"cut": "at_s", "drums": "drums", "rename": "was", "order": "by"}
EDITS = {
    "cut": "cut by hand",
    "remove": "cuts taken away",
    "nudge": "cuts moved",
    "attack": "cuts to the attack",
    "zero": "cuts to a zero crossing",
    "set": "slices changed",
    "drums": "drums set",
    "rename": "a drum called another",
    "two drums": "two drums heard",
    "as read": "back to what was read",
    "order": "keys in another order",
    "replace": "a slice replaced",
}


def edit(
    studio: Studio, folio_id: str, kit_id: str, action: str, ids: list[str], values: dict[str, Any], base: int | None
) -> int:
    """Edits cuts and slices by hand; returns the folio's revision.

    Args:
        action: one of ``EDITS``.
        ids: slices it concerns.
        values: what the action needs.
        base: revision the edit was made on.

    Raises:
        BadInput: the edit cannot be, with the reason.
    """
    if action not in EDITS:
        raise BadInput(f"There is no edit called {action!r}.", f"Choose one of {', '.join(EDITS)}.")
    found = opened(studio, folio_id, kit_id)
    if not ids and action != "cut":
        raise BadInput("No slice is selected.", "Click one, or walk to it with the arrow keys.")
    for slice_id in ids:
        _slice(found, slice_id)
    if NEEDED.get(action, "") not in {"", *values}:
        raise BadInput(f"This edit lacks {NEEDED[action]}.", "Fill in every field.")
    fresh = _edited(studio, folio_id, found, action, ids, values)
    count = f"{len(ids)} " if len(ids) > 1 else ""
    return put(studio, folio_id, kit_id, fresh, f"“{found.kit.name}”: {count}{EDITS[action]}", base)


def _edited(
    studio: Studio, folio_id: str, found: OpenKit, action: str, ids: list[str], values: dict[str, Any]
) -> Kit:
    kit, slices, rate, frames = found.kit, found.slices, found.rate, len(found.samples)
    match action:
        case "cut":
            return kit_edits.cut(kit, round(values["at_s"] * rate), f"h{uuid.uuid4().hex[:8]}", slices)
        case "remove":
            return kit_edits.remove(kit, ids)
        case "nudge":
            by = values.get("by_frames") or round(values.get("by_s", 0.0) * rate)
            return kit_edits.move(kit, slices, ids, lambda s: s.first + by, frames)
        case "attack":
            return kit_edits.move(kit, slices, ids, lambda s: _attack_near(found, s.first), frames)
        case "zero":
            return kit_edits.move(kit, slices, ids, lambda s: _crossing_near(found, s.first), frames)
        case "set":
            return kit_edits.set_slices(kit, ids, values)
        case "drums":
            return kit_edits.set_drums(kit, slices, ids, values["drums"])
        case "rename":
            return kit_edits.rename_drum(kit, slices, ids, values["was"], (values.get("drums") or [""])[0])
        case "two drums":
            return kit_edits.split_in_two(kit, slices, ids)
        case "as read":
            return kit_edits.as_read(kit, ids)
        case "order":
            return kit_edits.put_in_order(kit, slices, ids, values["by"])
        case "replace":
            return _replaced(studio, folio_id, found, ids[0], values)
    raise AssertionError(action)


def _mono(found: OpenKit, first: int, last: int) -> NDArray[np.float32]:
    return np.asarray(found.samples[max(first, 0) : last].mean(axis=1), np.float32)


def _attack_near(found: OpenKit, frame: int) -> int:
    import soxr

    context = round(ATTACK_CONTEXT_S * found.rate)
    first = max(frame - context, 0)
    mono = _mono(found, first, frame + context)
    if found.rate != ENGINE_RATE:
        mono = soxr.resample(mono, found.rate, ENGINE_RATE)
    return first + round(float(refine_attacks(mono, np.array([(frame - first) / found.rate])).time_s[0]) * found.rate)


def _crossing_near(found: OpenKit, frame: int) -> int:
    reach = round(CROSSING_REACH_S * found.rate)
    window = round(QUIET_WINDOW_S * found.rate)
    loudest = max((m.level_db for m in found.moments), default=0.0)
    near = _mono(found, frame - window, frame + 1)
    level_db = 10 * np.log10(float(np.square(near).mean()) + 1e-15) if len(near) else -150.0
    if level_db - loudest > QUIET_DB:
        raise BadInput(
            f"It is not silent at this cut: {level_db - loudest:.0f} dB against the loudest hit.",
            "A cut moves to a zero crossing only where that cannot be heard. Move it to the attack.",
        )
    first = max(frame - 2 * reach, 0)
    return first + zero_crossing(_mono(found, first, frame + 2 * reach), frame - first, reach)


def _replaced(studio: Studio, folio_id: str, found: OpenKit, slice_id: str, values: dict[str, Any]) -> Kit:
    """The slice plays a slice of another kit; an empty kit gives it its own sound back."""
    kit = found.kit
    settings = kit.slices.get(slice_id, SliceSettings())
    fresh = replace(settings, take="", first_frame=0, last_frame=0)
    if values.get("kit"):
        other = opened(studio, folio_id, values["kit"])
        piece = _slice(other, values.get("slice", ""))
        if other.rate != found.rate:
            raise BadInput("That take has another sampling rate.", "Choose a slice of a take with the same rate.")
        fresh = replace(fresh, take=other.kit.take, first_frame=piece.first, last_frame=piece.last)
    return replace(kit, slices={**kit.slices, slice_id: fresh})


def remove(studio: Studio, folio_id: str, kit_id: str, base: int | None) -> int:
    """Takes a kit out of the folio; undo brings it back, its parts stay."""
    kit = kit_of(studio, folio_id, kit_id)
    change = history.Edit(f"Kit “{kit.name}” removed", removed=[("kit", "", kit_id)])
    return folios.change(studio, folio_id, change, base)


def note_maps(studio: Studio) -> dict[str, dict[str, int]]:
    """Note maps kept under a name, for all folios."""
    with studio.database.session() as session:
        row = session.get(Preference, "note-maps")
        return dict(row.value) if row else {}


def keep_note_maps(studio: Studio, maps: dict[str, dict[str, int]]) -> dict[str, dict[str, int]]:
    """Keeps note maps in the place of the ones before."""
    clean = {folios.clean_title(name, "name"): dict(notes) for name, notes in maps.items()}
    with studio.database.session() as session:
        session.merge(Preference(key="note-maps", value=clean))
    return clean
