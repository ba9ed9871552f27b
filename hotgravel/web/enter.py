"""The way in where a token is asked for."""

import asyncio
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from hotgravel.web.guard import COOKIE, ENTER, Access
from hotgravel.web.render import page

router = APIRouter()
WRONG = "This is not the token that the server was started with. It is in HOTGRAVEL_TOKEN there."


@router.get(ENTER)
def enter_page(request: Request) -> Response:
    return page(request, "enter.html", fault="")


@router.post(ENTER)
async def enter(request: Request, token: Annotated[str, Form()] = "") -> Response:
    access: Access = request.app.state.access
    if not access.fits(token):
        await asyncio.sleep(0.5)  # makes guessing slow
        return page(request, "enter.html", 401, fault=WRONG)
    response = RedirectResponse("/", 303)
    response.set_cookie(COOKIE, access.pass_, httponly=True, samesite="strict", max_age=30 * 24 * 3600)
    return response
