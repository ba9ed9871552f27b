"""Who may ask, and how much: Host, Origin, token and size are checked before anything else is done."""

import asyncio
import hashlib
import hmac
import re
from contextlib import suppress
from dataclasses import dataclass, field
from http.cookies import CookieError, SimpleCookie

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse, RedirectResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hotgravel.core.shape.mesh import LARGEST_BYTES

# No inline or evaluated script; styles may be set by script on elements, as the stage does.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)
LOCAL = frozenset(("127.0.0.1", "localhost", "[::1]"))
COOKIE = "hotgravel"
HOST = re.compile(r"(\[[0-9a-f:.]+\]|[^:@/\[\]]+)(?::\d{1,5})?", re.IGNORECASE)
PATIENCE = 30.0  # seconds that a body may stop coming for
ENTER = "/enter"
SHORTEST_TOKEN = 16
MOST_BYTES = 4 * 2**20  # of a request that is no upload
MOST_UPLOADED = LARGEST_BYTES + 2**20
UPLOADS = ("/meshes", "/upload")


@dataclass(frozen=True)
class Access:
    """To which names the application answers, and the token it asks for, if any."""

    hosts: frozenset[str] = LOCAL
    token: str = field(default="", repr=False)

    def fits(self, token: str) -> bool:
        """Whether this is the token; takes as long for a near miss as for a far one."""
        return hmac.compare_digest(token.encode(), self.token.encode())

    @property
    def pass_(self) -> str:
        """What a browser that has shown the token keeps instead of it."""
        return hmac.new(self.token.encode(), b"hot gravel page", hashlib.sha256).hexdigest()

    def admits(self, headers: Headers) -> bool:
        """Whether a request carries the token as a bearer, or the pass as a cookie."""
        if not self.token:
            return True
        bearer = headers.get("authorization", "").removeprefix("Bearer ")
        try:
            shown = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
        except CookieError:
            shown = None
        return self.fits(bearer) or (
            shown is not None and hmac.compare_digest(shown.value.encode(), self.pass_.encode())
        )


class _GivenUp(Exception):
    """A body grew over the limit while it came in, or ceased to come."""


class Guard:
    """Stands before the application."""

    def __init__(self, app: ASGIApp, access: Access) -> None:
        self.app, self.access = app, access

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        path: str = scope["path"]
        most = MOST_UPLOADED if path.endswith(UPLOADS) else MOST_BYTES
        came, whole = 0, False
        given_up: ASGIApp | None = None  # the answer to a body that was not taken to its end

        async def guarded(message: Message) -> None:
            if given_up:
                return  # whatever is made of half a body is not the answer
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["Content-Security-Policy"] = POLICY
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "same-origin"
                if path.startswith("/static"):
                    headers["Cache-Control"] = "no-cache"
                elif headers.get("content-type", "").startswith("text/html"):
                    headers["Cache-Control"] = "no-store"  # Back shows the page as it is now, not as it was
            await send(message)

        async def counted() -> Message:
            nonlocal came, whole, given_up
            try:
                message = await (receive() if whole else asyncio.wait_for(receive(), PATIENCE))
            except TimeoutError:
                given_up = _late()
                raise _GivenUp from None
            whole |= message["type"] != "http.request" or not message.get("more_body", False)
            came += len(message.get("body", b""))
            if came > most:
                given_up = _too_large(most)
                raise _GivenUp
            return message

        refusal = self._refusal(scope, path, most)
        with suppress(_GivenUp):
            await (refusal or self.app)(scope, counted, guarded)
        if given_up:
            answer, given_up = given_up, None
            await answer(scope, receive, guarded)

    def _refusal(self, scope: Scope, path: str, most: int) -> ASGIApp | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        named = HOST.fullmatch(host)
        if not named or named[1] not in self.access.hosts:
            names = ", ".join(sorted(self.access.hosts))
            return JSONResponse({"detail": f"Hot Gravel does not answer to this name. It answers to {names}."}, 421)
        changes = scope["method"] not in ("GET", "HEAD")
        origin = headers.get("origin")
        elsewhere = (origin and origin.split("://", 1)[-1] != host) or headers.get("sec-fetch-site") == "cross-site"
        if changes and elsewhere:
            return JSONResponse({"detail": "This request comes from another site and was refused."}, 403)
        if not (path == ENTER or path.startswith("/static/") or self.access.admits(headers)):
            if scope["method"] == "GET" and "text/html" in headers.get("accept", ""):
                return RedirectResponse(ENTER, 303)
            return JSONResponse(
                {"detail": "This address asks for a token. Open it in a browser, or send it as a bearer."}, 401
            )
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > most:
            return _too_large(most)
        return None


def _late() -> JSONResponse:
    said = f"The rest of this did not come within {PATIENCE:.0f} s, so it was given up. Nothing was changed."
    return JSONResponse({"detail": said}, 408, {"Connection": "close"})


def _too_large(most: int) -> JSONResponse:
    return JSONResponse({"detail": f"This is more than is taken at once. Accepted: up to {most // 2**20} MiB."}, 413)
