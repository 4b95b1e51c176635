"""A data folder, kept to one application while it runs; loads nothing else, for the application answers at once."""

from contextlib import AbstractContextManager
from pathlib import Path

from honest_stave.store import lock


def held(folder: Path) -> AbstractContextManager[None]:
    """Keeps a data folder to this process.

    Raises:
        InUse: another process has it.
        NoRoom: it cannot be written.
    """
    return lock.held(folder)
