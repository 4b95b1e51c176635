"""The main loop of a worker process. It dies with its parent and answers a stop at its next step."""

import ctypes
import os
import signal
import sys
from multiprocessing.connection import Connection
from multiprocessing.synchronize import Event
from pathlib import Path

from honest_stave.core.errors import StaveError, Stopped

PR_SET_PDEATHSIG = 1
# Progress is told at most this often: each message wakes the server.
LEAST_STEP = 0.01


def _die_with_parent() -> None:
    if sys.platform == "linux":
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def main(connection: Connection, stop: Event, folder: str) -> None:
    """Waits for work on ``connection`` until it closes."""
    _die_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(5)
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
        os.environ.setdefault(name, "1")
    # After that: numerical libraries ask for their threads as they are imported.
    from honest_stave.service.tasks import TASKS
    from honest_stave.store.files import Files

    files = Files(Path(folder))
    told = 0.0

    def progress(share: float) -> None:
        nonlocal told
        if stop.is_set():
            raise Stopped("Stopped.", "")
        if share - told >= LEAST_STEP or share < told:
            told = share
            connection.send(("progress", share))

    while True:
        try:
            kind, arguments = connection.recv()
        except EOFError:
            return
        told = 0.0
        try:
            connection.send(("done", TASKS[kind](files, arguments, progress)))
        except StaveError as error:
            connection.send(("failed", error))
        except MemoryError:
            short = StaveError("There was not enough memory for this.", "Choose a shorter stretch to read.")
            connection.send(("failed", short))
        except Exception as error:  # a worker reports whatever went wrong and lives on
            connection.send(("failed", StaveError("Something in this file could not be handled.", repr(error)[:200])))
