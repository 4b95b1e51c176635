"""Files beside the database, named by the SHA-256 of their content and nothing else."""

import hashlib
import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from honest_stave.core.errors import NoRoom, NotFound

NAME = re.compile(r"[0-9a-f]{64}")
COPY_BYTES = 1 << 20


class Files:
    """The files of a data folder; a path is only ever built from a hash.

    Args:
        folder: where they lie.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder / "files"
        self._folder.mkdir(parents=True, exist_ok=True)

    def path(self, name: str) -> Path:
        """Path of a file.

        Raises:
            NotFound: no hash, or no such file.
        """
        path = self._folder / name
        if not NAME.fullmatch(name) or not path.exists():
            raise NotFound("A file of this folio is missing from the data folder.", "Bring the take in again.")
        return path

    @contextmanager
    def writing(self) -> Iterator["Incoming"]:
        """A new file; it is kept when ``keep`` was called, else it leaves no trace.

        Raises:
            NoRoom: the disk is full.
        """
        handle, name = tempfile.mkstemp(dir=self._folder, prefix="incoming-")
        incoming = Incoming(os.fdopen(handle, "w+b"), Path(name), self._folder)
        try:
            yield incoming
        except OSError as error:
            raise NoRoom(
                "There is no room on the disk for this file.", f"{error.strerror}. Free some space."
            ) from None
        finally:
            incoming.file.close()
            Path(name).unlink(missing_ok=True)

    def add(self, data: bytes) -> str:
        """Keeps ``data``; returns its name."""
        with self.writing() as incoming:
            incoming.file.write(data)
            return incoming.keep()

    def sweep(self) -> None:
        """Removes what a crash left half written."""
        for path in self._folder.glob("incoming-*"):
            path.unlink(missing_ok=True)


class Incoming:
    """A file being written."""

    def __init__(self, file: IO[bytes], path: Path, folder: Path) -> None:
        self.file = file
        self._path = path
        self._folder = folder

    def keep(self) -> str:
        """Closes the file and gives it the name of its content."""
        self.file.flush()
        self.file.seek(0)
        digest = hashlib.sha256()
        while block := self.file.read(COPY_BYTES):
            digest.update(block)
        name = digest.hexdigest()
        self.file.close()
        os.replace(self._path, self._folder / name)
        return name
