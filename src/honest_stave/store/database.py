"""Opens the data folder: migrates it, refuses newer data, gives sessions."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session

from honest_stave.core.errors import NewerData, NoRoom
from honest_stave.store.changed_notes import ChangedNotes

BUSY_TIMEOUT_MS = 5000
# Name under which a session carries what its database knows of changed notes.
CHANGED_NOTES = "changed notes"
FULL_DISK_WORDS = ("disk is full", "disk i/o error", "readonly database", "unable to open database")


def _on_connect(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA synchronous=NORMAL")
    cursor.execute(f"PRAGMA busy_timeout={BUSY_TIMEOUT_MS}")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.close()


class Database:
    """The SQLite file of a data folder.

    Args:
        folder: the data folder; made if it is missing.

    Raises:
        NewerData: it was written by a newer version; it is left untouched.
        NoRoom: it cannot be written.
    """

    def __init__(self, folder: Path) -> None:
        # What changed before the folder was opened is not known, but when it was opened.
        self.changed_notes = ChangedNotes()
        self.opened_at = int(time.time())
        path = folder / "folios.sqlite"
        scripts = Config()
        scripts.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        scripts.set_main_option("sqlalchemy.url", f"sqlite:///{path}")
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if path.exists():
                _refuse_newer(path, scripts)
            self.engine: Engine = create_engine(f"sqlite:///{path}")
            event.listen(self.engine, "connect", _on_connect)
            with self.engine.begin() as connection:
                scripts.attributes["connection"] = connection
                command.upgrade(scripts, "head")
        except OSError as error:
            raise NoRoom(f"The data folder {folder} cannot be written.", f"{error.strerror}. Use --data.") from None

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back when anything fails.

        Raises:
            NoRoom: the disk is full; nothing was changed.
        """
        try:
            with (
                Session(self.engine, expire_on_commit=False, info={CHANGED_NOTES: self.changed_notes}) as session,
                session.begin(),
            ):
                yield session
        except (OperationalError, DatabaseError) as error:
            if any(words in str(error.orig).lower() for words in FULL_DISK_WORDS):
                raise NoRoom(
                    "There is no room on the disk; the change was not made.",
                    "Free some space and do it again. Everything before it is kept.",
                ) from None
            raise

    def close(self) -> None:
        """Lets go of the file."""
        self.engine.dispose()


def _refuse_newer(path: Path, scripts: Config) -> None:
    known = {revision.revision for revision in ScriptDirectory.from_config(scripts).walk_revisions()}
    engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true")
    try:
        with engine.connect() as connection:
            current = MigrationContext.configure(connection).get_current_revision()
    finally:
        engine.dispose()
    if current is not None and current not in known:
        raise NewerData(
            "This data folder was written by a newer version of Honest Stave.",
            f"It was left untouched. Update the program, or name another folder with --data ({path.parent}).",
        )
