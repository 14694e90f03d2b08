"""Who is asking, and whether a form or a socket may be believed."""

from __future__ import annotations

import hmac
import secrets
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Annotated, cast
from urllib.parse import quote, urlsplit

from fastapi import Depends, Form, HTTPException, Request, Response, WebSocket
from fastapi.requests import HTTPConnection

from lumenstat.records.database import Database
from lumenstat.records.people import find_sign_in

SIGN_IN_COOKIE = "lumenstat_sign_in"
FORM_COOKIE = "lumenstat_form"
CONTENT_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)
HEADERS = {
    "Content-Security-Policy": CONTENT_POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
}


@dataclass(frozen=True)
class Viewer:
    """The person behind a request, and the token that their forms must carry."""

    id: int
    name: str
    role: str
    csrf_token: str

    @property
    def is_instructor(self) -> bool:
        """Whether this person may start, watch and end exercises."""
        return self.role == "instructor"


class SignInNeeded(Exception):  # noqa: N818 - it is a redirect, not a failure
    """The page needs somebody who is signed in."""

    def __init__(self, back_to: str) -> None:
        self.location = f"/sign-in?next={quote(back_to)}"
        super().__init__(back_to)


def viewer_of(connection: HTTPConnection) -> Viewer | None:
    """Whoever is signed in, or nobody."""
    token = connection.cookies.get(SIGN_IN_COOKIE)
    if not token:
        return None
    database = cast(Database, connection.app.state.database)
    found = database.read(lambda session: find_sign_in(session, token))
    if found is None:
        return None
    return Viewer(found.person.id, found.person.name, found.person.role, found.csrf_token)


def signed_in(request: Request) -> Viewer:
    """Whoever is signed in; others are asked to."""
    viewer = viewer_of(request)
    if viewer is None:
        raise SignInNeeded(request.url.path)
    return viewer


def instructor(viewer: Annotated[Viewer, Depends(signed_in)]) -> Viewer:
    """An instructor; a trainee is told that this is not theirs."""
    if not viewer.is_instructor:
        raise HTTPException(403, "Only an instructor can do this.")
    return viewer


SignedIn = Annotated[Viewer, Depends(signed_in)]
Instructor = Annotated[Viewer, Depends(instructor)]


def form_token(request: Request) -> str:
    """The token of forms shown to somebody who is not signed in yet."""
    return request.cookies.get(FORM_COOKIE) or secrets.token_urlsafe(24)


def check_form(request: Request, csrf: Annotated[str, Form()] = "") -> None:
    """Refuse a form that did not come from a page of ours."""
    viewer = viewer_of(request)
    expected = viewer.csrf_token if viewer else request.cookies.get(FORM_COOKIE, "")
    if not expected or not hmac.compare_digest(expected, csrf):
        raise HTTPException(403, "This form is too old. Go back, load the page again and send it once more.")


CheckedForm = Depends(check_form)


def same_origin(socket: WebSocket) -> bool:
    """Whether a socket was opened by a page of ours."""
    origin = socket.headers.get("origin")
    return origin is not None and urlsplit(origin).netloc == socket.headers.get("host")


def safe_next(target: str) -> str:
    """Where to go after signing in: a path of ours and nothing else."""
    ours = target.startswith("/") and not target.startswith("//") and "\\" not in target and target.isprintable()
    return target if ours else "/"


@dataclass
class Throttle:
    """Slows down guessing: after some wrong tries at a name or from an address, a pause that doubles."""

    free_tries: int = 5
    longest_pause: float = 900.0
    clock: Callable[[], float] = time.monotonic
    _tries: dict[str, tuple[int, float]] = field(default_factory=dict)

    def pause(self, *keys: str) -> float:
        """Seconds until the next try is heard."""
        now = self.clock()
        return max((self._tries[key][1] - now for key in keys if key in self._tries), default=0.0)

    def failed(self, *keys: str) -> None:
        """Note a wrong try."""
        now = self.clock()
        if len(self._tries) > 10_000:
            self._tries = {k: v for k, v in self._tries.items() if v[1] > now}
        for key in keys:
            count = self._tries.get(key, (0, now))[0] + 1
            wait = 0.0 if count < self.free_tries else min(self.longest_pause, 2.0 ** (count - self.free_tries + 2))
            self._tries[key] = (count, now + wait)

    def succeeded(self, key: str) -> None:
        """Forget the wrong tries at a name."""
        self._tries.pop(key, None)


async def add_headers(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Put the security headers on every answer."""
    response = await call_next(request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    if not request.url.path.startswith("/static/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response
