"""Every error of ours, in one tree: what happened, and what to do about it."""

from collections.abc import Callable

Progress = Callable[[float], None]


class StaveError(Exception):
    """Base of all errors meant for the user.

    Args:
        title: what happened, in one plain sentence.
        detail: what to do about it.
    """

    code = "error"
    status = 400

    def __init__(self, title: str, detail: str = "") -> None:
        super().__init__(f"{title} {detail}".strip())
        self.title = title
        self.detail = detail

    def __reduce__(self) -> tuple[type["StaveError"], tuple[str, str]]:
        return (type(self), (self.title, self.detail))


class BadInput(StaveError):
    """A file or a value that cannot be used as it is."""

    code = "bad-input"
    status = 422


class TooLarge(StaveError):
    """Input over one of the limits (bytes, seconds, channels, rate, notes, tracks)."""

    code = "too-large"
    status = 413


class NotFound(StaveError):
    """Something asked for by its id that is not in the folio."""

    code = "not-found"
    status = 404


class Conflict(StaveError):
    """A change based on an older state of the folio."""

    code = "conflict"
    status = 409


class Refused(StaveError):
    """A request from a place we do not answer to, or without the key."""

    code = "refused"
    status = 403


class NoRoom(StaveError):
    """The disk is full or cannot be written."""

    code = "no-room"
    status = 507


class NewerData(StaveError):
    """The data folder was written by a newer version."""

    code = "newer-data"
    status = 409


class InUse(StaveError):
    """The data folder is kept by another process."""

    code = "in-use"
    status = 409


class Stopped(StaveError):
    """The user stopped the work."""

    code = "stopped"
    status = 409


def no_progress(_share: float) -> None:
    """The progress callable of those who do not want to know."""
