"""The API: its routers, and every error as a problem document."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from starlette.exceptions import HTTPException
from starlette.responses import Response

from honest_stave import __version__
from honest_stave.api import beats, evidence, folios, handing, instruments, kit_parts, kits, parts, readings, takes
from honest_stave.api.guard import problem
from honest_stave.core.errors import StaveError
from honest_stave.service.studio import Studio


def make_api(studio: Studio | None) -> FastAPI:
    """The API on an open studio; None where only its description is wanted."""
    app = FastAPI(title="Honest Stave", version=__version__, docs_url=None, redoc_url=None, openapi_url=None)
    app.state.studio = studio
    for module in (folios, takes, readings, evidence, parts, handing, instruments, kits, kit_parts, beats):
        app.include_router(module.router)

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

    @app.exception_handler(Exception)
    async def on_anything(_: Request, error: Exception) -> Response:
        said = "Nothing was changed. Try again; if it stays, restart the program."
        return problem(500, "error", f"The program failed at this ({type(error).__name__}).", said)

    return app
