"""Counts in words, as people say them."""


def how_many(number: int, noun: str) -> str:
    """A number with its noun: 1 note, 2 notes.

    Args:
        number: how many.
        noun: for one; more of them end in s.
    """
    return f"{number:,} {noun}{'' if number == 1 else 's'}"
