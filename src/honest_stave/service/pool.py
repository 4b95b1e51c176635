"""Worker processes: hand work to them, hear of progress, stop it, replace those that die."""

import multiprocessing
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection, wait
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any

from honest_stave.core.errors import StaveError, Stopped

# A worker that has not answered a stop after this time is ended.
STOP_PATIENCE_S = 0.6
TICK_S = 0.1


@dataclass
class Task:
    """One piece of work and those who want to hear of it."""

    id: str
    kind: str
    arguments: dict[str, Any]
    on_start: Callable[[], None]
    on_progress: Callable[[float], None]
    on_done: Callable[[dict[str, Any]], None]
    on_failed: Callable[[StaveError], None]


@dataclass
class _Worker:
    process: Any
    connection: Connection
    stop: Any
    task: Task | None = None
    stop_asked_at: float = 0.0


@dataclass
class Pool:
    """A few worker processes and a queue, minded by one thread.

    Args:
        folder: the data folder the workers read and write files in.
        work: what each of them runs, with its end of a pipe, the flag that stops it, and the folder.
        size: how many processes.
    """

    folder: Path
    work: Callable[[Connection, Event, str], None]
    size: int = 2
    _queue: deque[Task] = field(default_factory=deque)
    _workers: list[_Worker] = field(default_factory=list)
    _lock: threading.RLock = field(default_factory=threading.RLock)
    _closing: bool = False

    def start(self) -> None:
        """Starts the minding thread; processes start when there is work."""
        self._context = multiprocessing.get_context("spawn")
        self._wake_reader, self._wake_writer = self._context.Pipe(duplex=False)
        self._thread = threading.Thread(target=self._mind, name="pool", daemon=True)
        self._thread.start()

    def submit(self, task: Task) -> None:
        """Queues a task."""
        with self._lock:
            self._queue.append(task)
        self._wake_writer.send(None)

    def stop(self, task_id: str) -> bool:
        """Stops a task, queued or running; False where it is neither."""
        with self._lock:
            for task in list(self._queue):
                if task.id == task_id:
                    self._queue.remove(task)
                    task.on_failed(Stopped("Stopped.", ""))
                    return True
            for each in self._workers:
                if each.task is not None and each.task.id == task_id:
                    each.stop.set()
                    each.stop_asked_at = time.monotonic()
                    self._wake_writer.send(None)
                    return True
        return False

    def close(self) -> None:
        """Ends all workers at once."""
        self._closing = True
        self._wake_writer.send(None)
        self._thread.join(timeout=3)
        for each in self._workers:
            each.process.kill()
        for each in self._workers:
            each.process.join(timeout=2)
            each.connection.close()
        self._workers.clear()

    def _spawn(self) -> _Worker:
        ours, theirs = self._context.Pipe()
        stop = self._context.Event()
        process = self._context.Process(
            target=self.work, args=(theirs, stop, str(self.folder)), daemon=True, name="stave-worker"
        )
        process.start()
        theirs.close()
        return _Worker(process, ours, stop)

    def _mind(self) -> None:
        while not self._closing:
            with self._lock:
                self._hand_out()
                waiting = [self._wake_reader, *[w.connection for w in self._workers]]
            for ready in wait(waiting, timeout=TICK_S if self._any_stopping() else None):
                if ready is self._wake_reader:
                    self._wake_reader.recv()
                else:
                    self._hear(next(w for w in self._workers if w.connection is ready))
            self._end_the_deaf()

    def _any_stopping(self) -> bool:
        return any(w.stop_asked_at for w in self._workers)

    def _hand_out(self) -> None:
        while self._queue:
            idle = next((w for w in self._workers if w.task is None), None)
            if idle is None:
                if len(self._workers) >= self.size:
                    return
                idle = self._spawn()
                self._workers.append(idle)
            task = self._queue.popleft()
            idle.task, idle.stop_asked_at = task, 0.0
            idle.stop.clear()
            task.on_start()
            idle.connection.send((task.kind, task.arguments))

    def _hear(self, each: _Worker) -> None:
        task = each.task
        try:
            what, value = each.connection.recv()
        except (EOFError, OSError):
            self._workers.remove(each)
            each.process.join(timeout=1)
            if task is not None:
                crashed = StaveError(
                    "The worker that was doing this died; a new one has taken its place.",
                    "The file may be damaged, or memory ran out. Try again, or a shorter stretch.",
                )
                task.on_failed(crashed)
            return
        if task is None:
            return
        if what == "progress":
            task.on_progress(value)
            return
        each.task, each.stop_asked_at = None, 0.0
        if what == "done":
            task.on_done(value)
        else:
            task.on_failed(value)

    def _end_the_deaf(self) -> None:
        now = time.monotonic()
        for each in list(self._workers):
            if each.stop_asked_at and now - each.stop_asked_at > STOP_PATIENCE_S:
                self._workers.remove(each)
                each.process.kill()
                each.process.join(timeout=1)
                if each.task is not None:
                    each.task.on_failed(Stopped("Stopped.", ""))
