"""News to those who watch a folio: that it moved on, how far its jobs are."""

import asyncio
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

News = dict[str, Any]


class Bus:
    """Carries news from any thread to the event streams of the web server."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._listeners: list[tuple[asyncio.AbstractEventLoop, asyncio.Queue[News | None]]] = []

    def tell(self, news: News) -> None:
        """Tells everybody, from any thread."""
        with self._lock:
            listeners = list(self._listeners)
        for loop, queue in listeners:
            loop.call_soon_threadsafe(queue.put_nowait, news)

    def close(self) -> None:
        """Ends all streams."""
        with self._lock:
            listeners = list(self._listeners)
        for loop, queue in listeners:
            loop.call_soon_threadsafe(queue.put_nowait, None)

    @asynccontextmanager
    async def listening(self) -> AsyncIterator["asyncio.Queue[News | None]"]:
        """A queue of news; None at its end."""
        queue: asyncio.Queue[News | None] = asyncio.Queue()
        entry = (asyncio.get_running_loop(), queue)
        with self._lock:
            self._listeners.append(entry)
        try:
            yield queue
        finally:
            with self._lock:
                self._listeners.remove(entry)
