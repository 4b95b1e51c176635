"""Keys of a kit and notes of drums."""

from collections.abc import Collection, Sequence

from honest_stave.core.hits.kit import HIGHEST_KEY, LEAD, Kit, Slice

# General MIDI drum notes by kind of drum.
DRUM_NOTES = {
    "kick": 36, "snare": 38, "snare rim": 37, "hat": 42, "hat closed": 42, "hat pedal": 44, "hat open": 46,
    "tom": 47, "tom low": 45, "tom mid": 47, "tom high": 50,
    "cymbal": 51, "cymbal ride": 51, "cymbal crash": 49, "other": 54,
}  # fmt: skip
# The keys of General MIDI percussion in plain words; what is heard as no drum in particular is written on 54.
DRUM_NAMES = {
    35: "kick 2", 36: "kick", 37: "rim", 38: "snare", 39: "clap", 40: "snare 2", 41: "tom, floor", 42: "hat, closed",
    43: "tom, floor 2", 44: "hat, pedal", 45: "tom, low", 46: "hat, open", 47: "tom, mid", 48: "tom, mid 2",
    49: "crash", 50: "tom, high", 51: "ride", 52: "china", 53: "ride, bell", 54: "other", 55: "splash",
    56: "cowbell", 57: "crash 2", 58: "vibraslap", 59: "ride 2", 60: "bongo, high", 61: "bongo, low",
    62: "conga, mute", 63: "conga, open", 64: "conga, low", 65: "timbale", 66: "timbale, low", 67: "agogo",
    68: "agogo, low", 69: "cabasa", 70: "maracas", 71: "whistle", 72: "whistle, long", 73: "guiro", 74: "guiro, long",
    75: "claves", 76: "block", 77: "block, low", 78: "cuica, mute", 79: "cuica", 80: "triangle, mute", 81: "triangle",
}  # fmt: skip
# The whole loop lies on the key under the root, or over the drum notes.
LOOP_KEY_OVER_DRUMS = 84
# Where a kit lies by drum, slices without a drum of their own rise from here.
REST_FROM = 60


def names_of_keys(played: Collection[int], own: Sequence[dict[str, int]]) -> dict[int, str]:
    """What the keys of drums that are played, and those that can be heard, are called, by MIDI note.

    Args:
        played: MIDI notes.
        own: note maps of the producer's own, drum to note; the others are General MIDI's.
    """
    shown = {*played, *DRUM_NOTES.values()}
    return {note: name for note, name in DRUM_NAMES.items() if note in shown} | {
        note: name for notes in own for name, note in notes.items()
    }


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
