"""The application: its routes, its headers, and how faults are told."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from hotgravel.core.run.frames import CannotKeep
from hotgravel.core.shot.faults import ShotFault
from hotgravel.store.runs import NoSuchRun
from hotgravel.store.shots import NoSuchShot
from hotgravel.web import bench, compare, editing, handover, history, running, runs_page, shots_page, stage_data
from hotgravel.web.render import STATIC, templates
from hotgravel.web.studio import Studio

# No inline or evaluated script; styles may be set by script on elements, as the stage does.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)
LOCAL = ("127.0.0.1", "localhost", "[::1]")


def create_app(studio: Studio, *, demo: bool = False) -> FastAPI:
    """The application on a studio whose database is up to date."""

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        studio.listen_on(asyncio.get_running_loop())
        await asyncio.to_thread(studio.open, demo=demo)
        yield
        await asyncio.to_thread(studio.close)

    app = FastAPI(title="Hot Gravel", lifespan=life, docs_url=None, redoc_url=None)
    app.state.studio = studio
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for part in (shots_page, bench, compare, editing, history, runs_page, running, stage_data, handover):
        app.include_router(part.router)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=4)
    app.middleware("http")(_guarded)
    app.add_exception_handler(HTTPException, _told)
    app.add_exception_handler(ShotFault, _told)
    app.add_exception_handler(NoSuchShot, _told)
    app.add_exception_handler(NoSuchRun, _told)
    app.add_exception_handler(RequestValidationError, _told)
    app.add_exception_handler(OperationalError, _told)
    app.add_exception_handler(CannotKeep, _told)
    return app


async def _guarded(request: Request, call: Callable[[Request], Awaitable[Response]]) -> Response:
    """Only this machine's own pages may ask, and pages may only run what is shipped."""
    host = request.headers.get("host", "")
    if host.rsplit(":", 1)[0] not in (*LOCAL, "testserver"):
        return JSONResponse({"detail": "Hot Gravel answers at 127.0.0.1 and localhost only."}, 421)
    origin = request.headers.get("origin")
    if request.method not in ("GET", "HEAD") and origin and origin.split("://", 1)[-1] != host:
        return JSONResponse({"detail": "This request comes from another site and was refused."}, 403)
    response = await call(request)
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if request.url.path.startswith("/static"):
        response.headers["Cache-Control"] = "no-cache"
    return response


def _sentence(error: Exception) -> tuple[int, str]:
    if isinstance(error, HTTPException):
        return error.status_code, str(error.detail)
    if isinstance(error, NoSuchShot):
        return 404, "There is no such shot; it may have been deleted."
    if isinstance(error, NoSuchRun):
        return 404, "There is no such run; it may have been deleted."
    if isinstance(error, RequestValidationError):
        first = error.errors()[0]
        return 422, f"{'.'.join(str(p) for p in first['loc'][1:])}: {first['msg']}"
    if isinstance(error, OperationalError):
        return 503, f"The database does not take this just now ({error.orig}). Nothing was changed; try again."
    if isinstance(error, CannotKeep):
        return 507, str(error)
    return 422, str(error)


async def _told(request: Request, error: Exception) -> Response:
    status, sentence = _sentence(error)
    if "text/html" in request.headers.get("accept", "") and not request.headers.get("hx-request"):
        page = templates.get_template("fault.html").render(status=status, sentence=sentence)
        return HTMLResponse(page, status)
    return JSONResponse({"detail": sentence}, status)
