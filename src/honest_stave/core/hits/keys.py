"""Keys of a kit and notes of drums."""

from collections.abc import Sequence

from honest_stave.core.hits.kit import HIGHEST_KEY, LEAD, Kit, Slice

# General MIDI drum notes by kind of drum.
DRUM_NOTES = {
    "kick": 36, "snare": 38, "snare rim": 37, "hat": 42, "hat closed": 42, "hat pedal": 44, "hat open": 46,
    "tom": 47, "tom low": 45, "tom mid": 47, "tom high": 50,
    "cymbal": 51, "cymbal ride": 51, "cymbal crash": 49, "other": 54,
}  # fmt: skip
DRUM_NAMES = {
    36: "kick", 38: "snare", 37: "rim", 42: "hat, closed", 44: "hat, pedal", 46: "hat, open",
    45: "tom, low", 47: "tom, mid", 50: "tom, high", 51: "ride", 49: "crash", 54: "other",
}  # fmt: skip
# The whole loop lies on the key under the root, or over the drum notes.
LOOP_KEY_OVER_DRUMS = 84
# Where a kit lies by drum, slices without a drum of their own rise from here.
REST_FROM = 60


def names_of_keys(own: Sequence[dict[str, int]]) -> dict[int, str]:
    """What the drum notes are called, by MIDI note.

    Args:
        own: note maps of the producer's own, drum to note; the others are General MIDI's.
    """
    return DRUM_NAMES | {note: name for notes in own for name, note in notes.items()}


def note_of(kind: str, drum: str, own: dict[str, int]) -> int:
    """MIDI note of a drum: the producer's own map first, then General MIDI."""
    for name in (kind, drum):
        if name in own:
            return own[name]
    return DRUM_NOTES.get(kind, DRUM_NOTES[drum])


def keys_of(kit: Kit, slices: Sequence[Slice]) -> dict[str, int]:
    """Key of each slice by its id; slices beyond the highest key have none.

    A lead has no key: it is there for the null test only. Of several slices given one key the first has it.
    """
    playable = [s for s in slices if s.id != LEAD]
    place = {id: i for i, id in enumerate(kit.order)}
    playable.sort(key=lambda s: place.get(s.id, len(place)))
    given: dict[int, str] = {}
    for piece in playable:
        if piece.settings.key is not None:
            given.setdefault(piece.settings.key, piece.id)
    keys = {id: key for key, id in given.items()}
    taken = set(given)
    if kit.layout == "drums":
        best = sorted(
            (s for s in playable if s.id not in keys and s.strikes), key=lambda s: -max(x.velocity for x in s.strikes)
        )
        for piece in best:
            main = max(piece.strikes, key=lambda x: x.confidence)
            note = note_of(main.kind, main.drum, kit.notes)
            if note not in taken:
                keys[piece.id] = note
                taken.add(note)
    key = REST_FROM if kit.layout == "drums" else kit.root
    for piece in playable:
        if piece.id in keys:
            continue
        while key in taken:
            key += 1
        if key > HIGHEST_KEY:
            break
        keys[piece.id] = key
        taken.add(key)
    return keys


def loop_key(kit: Kit, keys: dict[str, int]) -> int | None:
    """Key that plays the whole loop: just under the root, or the first free one above."""
    taken = set(keys.values())
    first = LOOP_KEY_OVER_DRUMS if kit.layout == "drums" else kit.root - 1
    choices = [first, *range(HIGHEST_KEY, -1, -1)]
    return next((k for k in choices if 0 <= k <= HIGHEST_KEY and k not in taken), None)
