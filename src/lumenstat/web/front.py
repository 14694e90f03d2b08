"""What every request passes first and every answer last: its number, its size, its headers, a line in the log.

It stands outside of everything else, so that answers to what went wrong carry the same headers.
"""

from __future__ import annotations

import logging
import re
import secrets
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from fastapi import FastAPI, Request
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException as StarletteHTTPException
from starlette.types import Message, Receive, Scope, Send

from lumenstat.language.wording import phrase
from lumenstat.logs import request_id
from lumenstat.records.acting import Actor, actor
from lumenstat.settings import Settings
from lumenstat.web.pages import errors

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
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
}
STRICT_TRANSPORT = "max-age=31536000; includeSubDomains"
LONGEST_ADDRESS = 2048

FORM_BYTES = 64_000
BODIES = (
    (re.compile(r"/runs/import"), 5_200_000),
    (re.compile(r"/people/list"), 2_200_000),
    (re.compile(r"/school/archive"), 60_200_000),
    (re.compile(r"/drafts/sheet"), 4_200_000),
    (re.compile(r"/drafts/new"), 4_200_000),
    (re.compile(r"/drafts/[^/]+/edit"), 1_100_000),
)
"""How large a posted body may be, by address; a form that takes no file is small."""

log = logging.getLogger("lumenstat.requests")

Application = Callable[[Scope, Receive, Send], Awaitable[None]]


class TooLarge(StarletteHTTPException):
    """A body is larger than its address takes."""

    def __init__(self, most: int) -> None:
        super().__init__(413, too_large(most))


class Lumenstat(FastAPI):
    """The application, with its front."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer one request, or serve one socket."""
        if scope["type"] not in ("http", "websocket"):
            await super().__call__(scope, receive, send)
            return
        token = request_id.set(secrets.token_hex(6))
        actor.set(Actor())  # who it is, is known once somebody asks
        try:
            if scope["type"] == "http":
                await _answer(self, super().__call__, scope, receive, send)
            else:
                await super().__call__(scope, receive, send)
        finally:
            request_id.reset(token)


async def _answer(app: FastAPI, inner: Application, scope: Scope, receive: Receive, send: Send) -> None:
    begun, status = time.perf_counter(), 0
    settings: Settings = app.state.settings

    async def send_with_headers(message: Message) -> None:
        nonlocal status
        if message["type"] == "http.response.start":
            status = message["status"]
            _add_headers(message, scope, settings)
            _tell_where(message, scope)
        await send(message)

    scope["app"] = app
    # Looked at before anything is read, where the request says how long it is; else while it is read.
    most = _largest_body(scope["path"])
    try:
        if len(scope["path"]) + len(scope["query_string"]) > LONGEST_ADDRESS:
            await _say(scope, send_with_headers, 414, phrase("This address is too long."))
        elif _announced(scope) > most:
            await _say(scope, send_with_headers, 413, too_large(most))
        else:
            await inner(scope, _limited(receive, most), send_with_headers)
    except TooLarge:
        # Once an answer has begun it cannot be turned into another one.
        if not status:
            await _say(scope, send_with_headers, 413, too_large(most))
    finally:
        took = 1000 * (time.perf_counter() - begun)
        log.info("%s %s %d %.1f ms", scope["method"], scope["path"], status, took)


def too_large(most: int) -> str:
    """What is said of a body that is too large."""
    return phrase("What was sent is too large: at most {at:,} kB are taken here.", at=most // 1000)


def _largest_body(path: str) -> int:
    return next((most for pattern, most in BODIES if pattern.fullmatch(path)), FORM_BYTES)


def _announced(scope: MutableMapping[str, Any]) -> int:
    for name, value in scope["headers"]:
        if name == b"content-length":
            return int(value) if value.isdigit() and len(value) < 16 else LONGEST_ADDRESS**4
    return 0


def _limited(receive: Receive, most: int) -> Receive:
    """What is received, up to a size; more is not read. Raises TooLarge."""
    taken = 0

    async def limited() -> Message:
        nonlocal taken
        message = await receive()
        # Counted as it arrives, since a request can lie about its length.
        taken += len(message.get("body", b""))
        if taken > most:
            raise TooLarge(most)
        return message

    return limited


def _add_headers(message: Message, scope: Scope, settings: Settings) -> None:
    headers = MutableHeaders(scope=message)
    for name, value in HEADERS.items():
        headers.setdefault(name, value)
    headers["X-Request-ID"] = request_id.get()
    if settings.tls:
        headers["Strict-Transport-Security"] = STRICT_TRANSPORT
    # Pages hold people's records; shared machines must not keep them.
    if not scope["path"].startswith("/static/") or message["status"] != 200:
        headers.setdefault("Cache-Control", "no-store")


def _tell_where(message: Message, scope: Scope) -> None:
    """Tell a form that stays on its page where to go next: a script cannot read that from a redirect."""
    if message["status"] != 303 or errors.FORM_STAYS not in Headers(scope=scope):
        return
    headers = MutableHeaders(scope=message)
    headers["X-Next"] = headers["location"]
    del headers["location"]
    message["status"] = 204


async def _say(scope: Scope, send: Send, status: int, says: str) -> None:
    async def nothing() -> Message:
        return {"type": "http.disconnect"}

    response = errors.show(Request(scope), status, says)
    response.headers["Connection"] = "close"
    await response(scope, nothing, send)
