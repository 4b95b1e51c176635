"""Everything the use cases need, opened once: database, files, workers, news."""

from dataclasses import dataclass
from pathlib import Path

from honest_stave.service.bus import Bus
from honest_stave.service.jobs import Jobs
from honest_stave.service.part_notes import PartNotes
from honest_stave.service.pool import Pool
from honest_stave.store.database import Database
from honest_stave.store.files import Files

MOST_UPLOAD_BYTES = 4 << 30


@dataclass
class Studio:
    """An open data folder.

    Args:
        folder: where it lies.
        database, files: what is stored.
        bus: news for those who watch.
        jobs: long work.
        part_notes: notes of parts as they are stored.
        most_upload_bytes: larger files are refused.
    """

    folder: Path
    database: Database
    files: Files
    bus: Bus
    pool: Pool
    jobs: Jobs
    part_notes: PartNotes
    most_upload_bytes: int = MOST_UPLOAD_BYTES

    def close(self) -> None:
        """Ends the workers and lets go of the files."""
        self.bus.close()
        self.pool.close()
        self.database.close()
