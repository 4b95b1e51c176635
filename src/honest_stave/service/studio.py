"""Everything the use cases need, opened once: database, files, workers, news."""

import os
from dataclasses import dataclass
from pathlib import Path

from honest_stave.service.bus import Bus
from honest_stave.service.jobs import Jobs
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
        most_upload_bytes: larger files are refused.
    """

    folder: Path
    database: Database
    files: Files
    bus: Bus
    pool: Pool
    jobs: Jobs
    most_upload_bytes: int = MOST_UPLOAD_BYTES

    def close(self) -> None:
        """Ends the workers and lets go of the files."""
        self.bus.close()
        self.pool.close()
        self.database.close()


def open_studio(folder: Path, *, workers: int | None = None) -> Studio:
    """Opens a data folder, making it if needed.

    Raises:
        NewerData: it was written by a newer version.
        NoRoom: it cannot be written.
    """
    database = Database(folder)
    files = Files(folder)
    files.sweep()
    pool = Pool(folder, workers or max(1, min(4, os.cpu_count() or 2)))
    bus = Bus()
    studio = Studio(folder, database, files, bus, pool, Jobs(database, pool, bus))
    from honest_stave.service import aligning, batch, beat_maps, takes

    studio.jobs.on_result("decode", lambda job, result: takes.finish_decoding(studio, job, result))
    studio.jobs.on_result("notes", lambda job, result: batch.finish_reading(studio, job, result))
    studio.jobs.on_result("hits", lambda job, result: batch.finish_hits(studio, job, result))
    studio.jobs.on_result("beats", lambda job, result: beat_maps.finish_reading(studio, job, result))
    studio.jobs.on_result("align", lambda job, result: aligning.finish(studio, job, result))
    studio.jobs.on_result("straighten", lambda job, result: result)
    pool.start()
    studio.jobs.resume()
    return studio
