"""The web application: routers, problems, the guard, the built front end."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from starlette.exceptions import HTTPException
from starlette.responses import FileResponse, Response

from honest_stave import __version__
from honest_stave.api import folios, handing, instruments, parts, readings, takes
from honest_stave.api.guard import Guard, problem
from honest_stave.core.errors import StaveError
from honest_stave.service.studio import Studio

WEB = Path(__file__).parent.parent / "web_dist"


def make_application(
    open_it: Callable[[], Studio], *, hosts: set[str] | None = None, key: str | None = None, web: Path = WEB
) -> FastAPI:
    """The application.

    Args:
        open_it: opens the studio when the application starts.
        hosts: names answered beside this machine's own.
        key: required from everybody if given.
        web: folder of the built front end.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.studio = open_it()
        yield
        app.state.studio.close()

    app = FastAPI(title="Honest Stave", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.add_middleware(Guard, hosts=hosts or set(), key=key)
    for module in (folios, takes, readings, parts, handing, instruments):
        app.include_router(module.router)

    @app.get("/api/health")
    def health() -> dict[str, str]:
        """Answers as soon as the server is up."""
        return {"version": __version__}

    @app.exception_handler(StaveError)
    async def on_stave_error(_: Request, error: StaveError) -> Response:
        return problem(error.status, error.code, error.title, error.detail)

    @app.exception_handler(RequestValidationError)
    async def on_validation(_: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"][1:])
        return problem(422, "bad-input", f"{where or 'The request'}: {first['msg']}.", "Correct it and try again.")

    @app.exception_handler(HTTPException)
    async def on_http(_: Request, error: HTTPException) -> Response:
        return problem(error.status_code, "http", str(error.detail), "Check the address.")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        """The front end: a file that exists, else the page itself."""
        if path.startswith("api/"):
            return problem(404, "not-found", "There is nothing at this address.", "Check the address.")
        asset = (web / path).resolve()
        if path and asset.is_file() and asset.is_relative_to(web.resolve()):
            caching = "max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
            return FileResponse(asset, headers={"cache-control": caching})
        if not (web / "index.html").is_file():
            return problem(503, "no-page", "The interface has not been built.", "Run ./stave build once.")
        return FileResponse(web / "index.html", headers={"cache-control": "no-cache"})

    return app
