"""The application: its routes, its headers, and how faults are told."""

import asyncio
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from hotgravel.core.run.frames import CannotKeep, DamagedFrame
from hotgravel.core.shot.faults import ShotFault
from hotgravel.store import settings
from hotgravel.store.runs import NoSuchRun
from hotgravel.store.shots import NoSuchShot
from hotgravel.web import (
    bench,
    compare,
    cutting,
    disk,
    driven,
    editing,
    enter,
    guiding,
    handover,
    history,
    preflight,
    running,
    runs_page,
    shots_page,
    smoke,
    stage_data,
    taking_in,
)
from hotgravel.web.guard import Access, Guard
from hotgravel.web.render import STATIC, templates
from hotgravel.web.room import NoRoom
from hotgravel.web.studio import Studio

# taking_in first: /shots/upload and /shots/7.zip are no numbers of shots.
PARTS = (
    taking_in, shots_page, bench, cutting, compare, editing, history, preflight, runs_page, running, stage_data, smoke,
    handover, disk, driven, enter, guiding,
)  # fmt: skip


def create_app(studio: Studio, *, demo: Sequence[str] = (), access: Access | None = None) -> FastAPI:
    """The application on a studio whose database is up to date; on this machine only, unless told otherwise."""
    access = access or Access()

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        studio.listen_on(asyncio.get_running_loop())
        await asyncio.to_thread(studio.open, demo=demo)
        yield
        await asyncio.to_thread(studio.close)

    app = FastAPI(title="Hot Gravel", lifespan=life, docs_url=None, redoc_url=None)
    app.state.studio, app.state.access = studio, access
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for part in PARTS:
        app.include_router(part.router)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=4)
    app.add_middleware(Guard, access=access)
    app.add_exception_handler(HTTPException, _told)
    app.add_exception_handler(ShotFault, _told)
    app.add_exception_handler(NoSuchShot, _told)
    app.add_exception_handler(NoSuchRun, _told)
    app.add_exception_handler(RequestValidationError, _told)
    app.add_exception_handler(OperationalError, _told)
    app.add_exception_handler(CannotKeep, _told)
    app.add_exception_handler(DamagedFrame, _damaged)
    app.add_exception_handler(NoRoom, _no_room)
    app.add_exception_handler(OverflowError, _told)
    return app


def _sentence(error: Exception) -> tuple[int, str]:
    if isinstance(error, HTTPException):
        return error.status_code, str(error.detail)
    if isinstance(error, NoSuchShot):
        return 404, "There is no such shot; it may be in the bin."
    if isinstance(error, NoSuchRun):
        return 404, "There is no such run; it may be in the bin."
    if isinstance(error, RequestValidationError):
        first = error.errors()[0]
        return 422, f"{'.'.join(str(p) for p in first['loc'][1:])}: {first['msg']}"
    if isinstance(error, OperationalError):
        return 503, f"The database does not take this just now ({error.orig}). Nothing was changed; try again."
    if isinstance(error, OverflowError):  # SQLite's whole numbers end at 2^63
        return 404, "A number in this address or form is larger than any that is there."
    if isinstance(error, CannotKeep):
        return 507, str(error)
    if isinstance(error, DamagedFrame):
        return 410, str(error)
    return 422, str(error)


async def _no_room(request: Request, fault: Exception) -> Response:
    assert isinstance(fault, NoRoom)
    return JSONResponse(fault.told(), 507)


async def _damaged(request: Request, fault: Exception) -> Response:
    """Tell of a damaged frame, and remember it: the run is not shown in place of being run again."""
    studio: Studio = request.app.state.studio
    if "run_id" in request.path_params:
        with studio.database.session() as session:
            settings.put(session, settings.damage_to(int(request.path_params["run_id"])), True)
    return await _told(request, fault)


async def _told(request: Request, error: Exception) -> Response:
    status, sentence = _sentence(error)
    if "text/html" in request.headers.get("accept", "") and not request.headers.get("hx-request"):
        page = templates.get_template("fault.html").render(status=status, sentence=sentence)
        return HTMLResponse(page, status)
    return JSONResponse({"detail": sentence}, status)
