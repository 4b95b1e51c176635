"""The application as the web server runs it: it answers at once and loads the rest behind.

The guard, the pages and the health check need next to nothing and are there within a
fraction of a second; the API with its database is loaded in a thread, and requests to it
wait until it is there.
"""

import asyncio
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from starlette.responses import FileResponse, JSONResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from honest_stave import __version__
from honest_stave.api.guard import Guard, problem
from honest_stave.core.errors import StaveError

if TYPE_CHECKING:
    from honest_stave.service.studio import Studio

WEB = Path(__file__).parent.parent / "web_dist"


def page(web: Path, path: str) -> Response:
    """A file of the front end that exists, else the page itself."""
    asset = (web / path).resolve()
    if path and asset.is_file() and asset.is_relative_to(web.resolve()):
        caching = "max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
        return FileResponse(asset, headers={"cache-control": caching})
    if not (web / "index.html").is_file():
        return problem(503, "no-page", "The interface has not been built.", "Run ./stave build once.")
    return FileResponse(web / "index.html", headers={"cache-control": "no-cache"})


@dataclass
class Application:
    """Pages and health at once, the API as soon as it is loaded.

    Args:
        open_it: opens the studio, in a thread.
        web: folder of the built front end.
        on_refused: told when the data folder cannot be opened.
        opened: how much of opening is done, 0 to 1, for those who wait.
    """

    open_it: "Callable[[], Studio]"
    web: Path = WEB
    on_refused: Callable[[StaveError], None] | None = None
    studio: "Studio | None" = None
    opened: float = 0.0
    _loading: "asyncio.Task[ASGIApp] | None" = field(default=None, repr=False)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await self._live(receive, send)
            return
        path = scope["path"].lstrip("/")
        if path == "api/health":
            await JSONResponse({"version": __version__, "opened": self.opened})(scope, receive, send)
        elif path.startswith("api/"):
            try:
                api = await asyncio.shield(self._loading) if self._loading else None
            except StaveError as error:
                await problem(503, error.code, error.title, error.detail)(scope, receive, send)
                return
            if api is not None:
                await api(scope, receive, send)
        else:
            await page(self.web, path)(scope, receive, send)

    async def _live(self, receive: Receive, send: Send) -> None:
        await receive()
        self._loading = asyncio.create_task(asyncio.to_thread(self._load))
        await send({"type": "lifespan.startup.complete"})
        await receive()
        await asyncio.wait([self._loading])
        if self.studio is not None:
            self.studio.close()
        await send({"type": "lifespan.shutdown.complete"})

    def opening(self, share: float) -> None:
        """Takes how much of a long opening is done."""
        self.opened = share

    def hush(self) -> None:
        """Ends the event streams, so that a stopping server does not wait for them."""
        if self.studio is not None:
            self.studio.bus.close()

    def _load(self) -> ASGIApp:
        from honest_stave.api.resources import make_api

        try:
            self.studio = self.open_it()
        except StaveError as error:
            if self.on_refused:
                self.on_refused(error)
            raise
        api = make_api(self.studio)
        self.opened = 1.0
        return api


def make_application(
    open_it: "Callable[[], Studio]",
    *,
    hosts: set[str] | None = None,
    key: str | None = None,
    web: Path = WEB,
    on_refused: Callable[[StaveError], None] | None = None,
) -> Any:
    """The application behind its guard.

    Args:
        open_it: opens the studio.
        hosts: names answered beside this machine's own.
        key: required from everybody if given.
        web: folder of the built front end.
        on_refused: told when the data folder cannot be opened.
    """
    return Guard(Application(open_it, web, on_refused), hosts=hosts or set(), key=key)
