"""What the twelve pitches are called in a key.

White keys keep their names. A black one is sharp or flat by the line of fifths: the names of a key
are neighbours on it, from the lowered sixth of a major key to its raised tonic, and from the
lowered second of a minor key to its raised fourth.
"""

from typing import Literal

Mode = Literal["major", "minor"]

FLAT = ("C", "D♭", "D", "E♭", "E", "F", "G♭", "G", "A♭", "A", "B♭", "B")
SHARP = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
# Black keys after which a key is called, as most music is written.
TONICS: dict[Mode, dict[int, str]] = {
    "major": {1: "D♭", 3: "E♭", 6: "F♯", 8: "A♭", 10: "B♭"},
    "minor": {1: "C♯", 3: "E♭", 6: "F♯", 8: "G♯", 10: "B♭"},
}
# Fifths over the tonic up to which a name is sharp.
FARTHEST_SHARP: dict[Mode, int] = {"major": 7, "minor": 6}


def tonic_name(tonic: int, mode: Mode) -> str:
    """What a key or scale on ``tonic`` (0 for C, to 11) is called."""
    return TONICS[mode].get(tonic, SHARP[tonic])


def names_in(tonic: int, mode: Mode) -> tuple[str, ...]:
    """The twelve pitches in a key, C first.

    Args:
        tonic: 0 for C, to 11.
        mode: of the key.
    """
    farthest = _fifths(tonic_name(tonic, mode)) + FARTHEST_SHARP[mode]
    return tuple(sharp if _fifths(sharp) <= farthest else flat for sharp, flat in zip(SHARP, FLAT, strict=True))


def _fifths(name: str) -> int:
    """Place on the line of fifths, 0 for C, 7 for C sharp, -5 for D flat."""
    return "FCGDAEB".index(name[0]) - 1 + 7 * (name.endswith("♯") - name.endswith("♭"))
