"""Opens a data folder, and says what becomes of the work that is done in it."""

import os
from pathlib import Path

from honest_stave.service import aligning, batch, beat_maps, laying, takes, worker
from honest_stave.service.bus import Bus
from honest_stave.service.jobs import Jobs
from honest_stave.service.part_notes import PartNotes
from honest_stave.service.pool import Pool
from honest_stave.service.studio import Studio
from honest_stave.store.database import Database
from honest_stave.store.files import Files


def open_studio(folder: Path, *, workers: int | None = None) -> Studio:
    """Opens a data folder, making it if needed.

    Raises:
        NewerData: it was written by a newer version.
        NoRoom: it cannot be written.
    """
    database = Database(folder)
    files = Files(folder)
    files.sweep()
    pool = Pool(folder, worker.main, workers or max(1, min(4, os.cpu_count() or 2)))
    bus = Bus()
    studio = Studio(folder, database, files, bus, pool, Jobs(database, pool, bus), PartNotes(database))
    studio.jobs.on_result("decode", lambda job, result: takes.finish_decoding(studio, job, result))
    studio.jobs.on_result("notes", lambda job, result: batch.finish_reading(studio, job, result))
    studio.jobs.on_result("hits", lambda job, result: batch.finish_hits(studio, job, result))
    studio.jobs.on_result("beats", lambda job, result: beat_maps.finish_reading(studio, job, result))
    studio.jobs.on_result("align", lambda job, result: aligning.finish(studio, job, result))
    studio.jobs.on_result("lay", lambda job, result: laying.finish(studio, job, result))
    studio.jobs.on_result("straighten", lambda job, result: result)
    pool.start()
    studio.jobs.resume()
    return studio
