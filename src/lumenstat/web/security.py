"""Who is asking, and whether a form or a socket may be believed."""

from __future__ import annotations

import base64
import binascii
import hmac
import secrets
import time
from dataclasses import dataclass
from typing import Annotated, cast
from urllib.parse import quote, urlsplit

from fastapi import Depends, Form, HTTPException, Path, Request, WebSocket
from fastapi.requests import HTTPConnection
from pydantic import Field
from starlette.datastructures import FormData, UploadFile

from lumenstat.errors import StorageError
from lumenstat.language.intake import check_text
from lumenstat.language.wording import SOURCE_LANGUAGE, catalogue_of, phrase, told
from lumenstat.records.acting import actor
from lumenstat.records.database import Database
from lumenstat.records.preferences import preferences_of
from lumenstat.records.sign_ins import find_sign_in, hash_token, note_seen, seen_long_ago
from lumenstat.settings import Settings

SIGN_IN, FORM, BROWSER = "lumenstat_sign_in", "lumenstat_form", "lumenstat_browser"
"""Names of cookies: who is signed in, the token of forms before that, the browser that is known."""
BY_ITSELF = "X-Refresh"
"""The header of a page that looks again by itself: nobody is there for it, so it does not keep a sign-in alive."""
OWN_PAGES = ("/account", "/sign-out")
"""What somebody reaches who has to give themselves a password first."""
TOO_OLD = phrase("This form is too old. Go back, load the page again and send it once more.")


@dataclass(frozen=True)
class Viewer:
    """The person behind a request, and the token that their forms must carry.

    With `run_id` they came in by a run's code and reach that run alone; with a `part` only on a phone: to ask the
    ground crew ("crew"), or to look on ("observer").
    """

    id: int
    name: str
    role: str
    csrf_token: str
    time_zone: str = "UTC"
    must_change: bool = False
    run_id: str | None = None
    hints_read: frozenset[str] = frozenset()
    theme: str = "paper"
    part: str | None = None
    language: str = SOURCE_LANGUAGE

    def says(self, text: str) -> str:
        """A text as it becomes part of what this person writes."""
        return told(text, catalogue_of(self.language))

    @property
    def is_instructor(self) -> bool:
        """Whether this person may start, watch and end exercises."""
        return self.role in ("instructor", "head")

    @property
    def is_head(self) -> bool:
        """Whether this person administers the school."""
        return self.role == "head"


class SignInNeeded(Exception):  # noqa: N818 - it is a redirect, not a failure
    """The page needs somebody who is signed in."""

    def __init__(self, back_to: str) -> None:
        self.location = f"/sign-in?next={quote(back_to)}"
        super().__init__(back_to)


class PasswordNeeded(Exception):  # noqa: N818 - it is a redirect, not a failure
    """Whoever is signed in still has a password that somebody else made."""

    location = "/account/password"


def cookie_name(settings: Settings, name: str) -> str:
    """The name of a cookie: behind TLS one that no other host and no plain connection can set."""
    return f"__Host-{name}" if settings.tls else name


def cookie(connection: HTTPConnection, name: str) -> str | None:
    """The value of one of our cookies."""
    return connection.cookies.get(cookie_name(connection.app.state.settings, name)) or None


def viewer_of(connection: HTTPConnection) -> Viewer | None:
    """Whoever is signed in, or nobody."""
    token = cookie(connection, SIGN_IN)
    if not token:
        return None
    database = cast(Database, connection.app.state.database)
    idle = connection.app.state.settings.idle
    found = database.read(lambda session: find_sign_in(session, token, idle))
    if found is None or not found.person.active:
        return None
    # A page that asks by itself keeps nobody signed in.
    if seen_long_ago(found) and BY_ITSELF not in connection.headers:
        database.submit(lambda session: note_seen(session, hash_token(token)))
    person = found.person
    if (acts := actor.get()) is not None:
        acts.name = person.name
    # A browser that joined by a code never had a password to change.
    must_change = person.must_change and found.run_id is None
    wants = preferences_of(person)
    return Viewer(
        person.id,
        person.name,
        person.role,
        found.csrf_token,
        person.time_zone,
        must_change,
        found.run_id,
        wants.hints_read,
        wants.theme,
        found.part,
        wants.language,
    )


class SignedSocket:
    """Whether the person behind a socket is still signed in: looked up anew after some seconds, not at every act, and
    at once when anybody has signed out here."""

    LOOK_SECONDS = 10.0

    def __init__(self, socket: WebSocket) -> None:
        self.socket = socket
        self._until, self._sign_outs = 0.0, -1

    def still(self) -> bool:
        """Whether acts still count in that person's name."""
        # Looked up again after a while, and at once when anybody signed out.
        now, sign_outs = time.monotonic(), self.socket.app.state.sign_outs
        if now >= self._until or sign_outs != self._sign_outs:
            try:
                if viewer_of(self.socket) is None:
                    return False
            except StorageError:
                return True  # it cannot be known now, and nothing that is done can be stored either
            self._until, self._sign_outs = now + self.LOOK_SECONDS, sign_outs
        return True


def signed_in(request: Request) -> Viewer:
    """Whoever is signed in; others are asked to."""
    viewer = viewer_of(request)
    if viewer is None:
        raise SignInNeeded(request.url.path)
    if viewer.must_change and not request.url.path.startswith(OWN_PAGES):
        raise PasswordNeeded
    # With the slash, so that run 1 does not open run 12.
    if viewer.run_id is not None and not request.url.path.startswith(f"/runs/{viewer.run_id}/"):
        raise HTTPException(
            403, phrase("You joined one exercise with its code. Sign in with your name for everything else.")
        )
    if viewer.part is not None and not request.url.path.endswith("/phone"):
        raise HTTPException(403, phrase("You joined for the crew line, or to look on. Join again for the station."))
    return viewer


def instructor(viewer: Annotated[Viewer, Depends(signed_in)]) -> Viewer:
    """An instructor; a trainee is told that this is not theirs."""
    if not viewer.is_instructor:
        raise HTTPException(403, phrase("Only an instructor can do this."))
    return viewer


def head(viewer: Annotated[Viewer, Depends(signed_in)]) -> Viewer:
    """A head of training; others are told that this is not theirs."""
    if not viewer.is_head:
        raise HTTPException(403, phrase("Only a head of training can do this."))
    return viewer


SignedIn = Annotated[Viewer, Depends(signed_in)]
Instructor = Annotated[Viewer, Depends(instructor)]
Head = Annotated[Viewer, Depends(head)]


def form_token(request: Request) -> str:
    """The token of forms shown to somebody who is not signed in yet."""
    return cookie(request, FORM) or secrets.token_urlsafe(24)


def masked(token: str) -> str:
    """A token as it stands in a page: another text each time, so that a packed page's length tells nothing of it."""
    content = token.encode()
    pad = secrets.token_bytes(len(content))
    return base64.urlsafe_b64encode(pad + _xor(pad, content)).decode()


def _unmasked(text: str) -> bytes:
    try:
        both = base64.urlsafe_b64decode(text.encode("ascii", "replace"))
    except (binascii.Error, ValueError):
        return b""
    return _xor(both[: len(both) // 2], both[len(both) // 2 :])


def _xor(one: bytes, other: bytes) -> bytes:
    return bytes(a ^ b for a, b in zip(one, other, strict=False))


async def check_form(request: Request, csrf: Annotated[str, Form()] = "") -> None:
    """Refuse a form that did not come from a page of ours, or that holds text which nothing could keep.

    Raises HTTPException and InputRefused.
    """
    for name, value in (await request.form()).multi_items():
        written = (value.filename or "") if isinstance(value, UploadFile) else value
        check_text(written, phrase("The field {name}", name=repr(name[:40])))
    viewer = viewer_of(request)
    expected = viewer.csrf_token if viewer else cookie(request, FORM) or ""
    if not expected or not hmac.compare_digest(expected.encode(), _unmasked(csrf)):
        raise HTTPException(403, TOO_OLD)


CheckedForm = Depends(check_form)


async def posted_form(request: Request) -> FormData:
    """A form whose fields are not known beforehand. All else about it is done on another thread than the stations'."""
    return await request.form()


PostedForm = Annotated[FormData, Depends(posted_form)]

LONGEST_ROW = 19
Row = Annotated[int, Field(ge=1, le=2**63 - 1)]
"""The number of a row, as the database has them."""
RowId = Annotated[Row, Form()]
RowInPath = Annotated[Row, Path()]
Edition = Annotated[int, Form(ge=0, le=2**63 - 1)]
"""How often a draft was changed."""


def same_origin(socket: WebSocket) -> bool:
    """Whether a socket was opened by a page of ours."""
    origin = socket.headers.get("origin")
    return origin is not None and urlsplit(origin).netloc == socket.headers.get("host")


def safe_next(target: str) -> str:
    """Where to go after signing in: a path of ours and nothing else."""
    ours = target.startswith("/") and not target.startswith("//") and "\\" not in target and target.isprintable()
    return target if ours else "/"


def row_of(text: str) -> int | None:
    """The number of a row as a list's address or a choice gives it; None for what no row can have."""
    return int(text) if text.isdecimal() and 0 < len(text) < LONGEST_ROW else None
