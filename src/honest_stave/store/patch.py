"""What differs between two JSON bodies, small where little does, and the way from either to the other."""

from typing import Any

Body = dict[str, Any]
# A value for another; a value that was not there; one that is no longer; items of a list in the place of others; what
# differs inside.
REPLACED, ADDED, GONE, SPLICED, INSIDE = "replaced", "added", "gone", "spliced", "inside"


def difference(before: Body, after: Body) -> Body:
    """How ``after`` differs from ``before``, as JSON: by key, what has become of its value."""
    found: Body = {key: [ADDED, value] for key, value in after.items() if key not in before}
    for key, old in before.items():
        if key not in after:
            found[key] = [GONE, old]
        elif (new := after[key]) != old:
            found[key] = _change(old, new)
    return found


def _change(old: Any, new: Any) -> list[Any]:
    if isinstance(old, dict) and isinstance(new, dict):
        return [INSIDE, difference(old, new)]
    if isinstance(old, list) and isinstance(new, list):
        shorter = min(len(old), len(new))
        first = next((i for i in range(shorter) if old[i] != new[i]), shorter)
        tail = next((i for i in range(shorter - first) if old[-1 - i] != new[-1 - i]), shorter - first)
        return [SPLICED, first, old[first : len(old) - tail], new[first : len(new) - tail]]
    return [REPLACED, old, new]


def patched(body: Body, change: Body, *, back: bool) -> Body:
    """The body with a difference made, or taken back.

    Args:
        body: the one before the difference, or after it where it is taken back.
        change: as from ``difference``.
        back: take it back.
    """
    fresh = dict(body)
    for key, (kind, *said) in change.items():
        if kind == INSIDE:
            fresh[key] = patched(body[key], said[0], back=back)
        elif kind == SPLICED:
            first, gone, come = (said[0], said[2], said[1]) if back else said
            fresh[key] = [*body[key][:first], *come, *body[key][first + len(gone) :]]
        elif kind == REPLACED:
            fresh[key] = said[0] if back else said[1]
        elif back == (kind == ADDED):
            del fresh[key]
        else:
            fresh[key] = said[0]
    return fresh
