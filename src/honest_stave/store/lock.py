"""One application a data folder: a second would take the work of the first for left over from a crash."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from honest_stave.core.errors import InUse, NoRoom


@contextmanager
def held(folder: Path) -> Iterator[None]:
    """Keeps a data folder, making it if needed, to this process; a process that dies lets it go.

    Args:
        folder: the data folder.

    Raises:
        InUse: another process has it.
        NoRoom: it cannot be written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        # A transaction that never ends on a database of its own is a lock on every system.
        lock = sqlite3.connect(folder / "in use.sqlite", timeout=0, isolation_level=None)
        lock.execute("BEGIN EXCLUSIVE")
    except OSError as error:
        raise NoRoom(f"The data folder {folder} cannot be written.", f"{error.strerror}. Use --data.") from None
    except sqlite3.OperationalError as error:
        if error.sqlite_errorcode == sqlite3.SQLITE_BUSY:
            raise InUse(
                f"The data folder {folder} is in use by another Honest Stave.",
                "Go on there, stop it, or name another folder with --data.",
            ) from None
        raise NoRoom(f"The data folder {folder} cannot be written.", f"{error}. Use --data.") from None
    with closing(lock):
        yield
