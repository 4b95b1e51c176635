"""Counts in words, as people say them, and names that no other thing has."""

from collections.abc import Iterable


def how_many(number: int, noun: str) -> str:
    """A number with its noun: 1 note, 2 notes.

    Args:
        number: how many.
        noun: for one; more of them end in s.
    """
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def free_name(name: str, taken: Iterable[str], ending: str = "") -> str:
    """The name with its ending, and the first number from 2 on between them that makes it no other’s.

    Args:
        name: as wished.
        taken: names that others have; files of some systems do not tell capitals, so that these make no difference.
        ending: of a file.
    """
    known = {each.casefold() for each in taken}
    free, number = f"{name}{ending}", 2
    while free.casefold() in known:
        free, number = f"{name} {number}{ending}", number + 1
    return free
