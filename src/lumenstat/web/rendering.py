"""Turns one declared context into one page."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from pathlib import Path
from typing import ClassVar

from fastapi import Request, Response
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from pydantic import BaseModel, ConfigDict

from lumenstat.documents.values import clock as minutes_and_seconds
from lumenstat.web import urls
from lumenstat.web.security import FORM_COOKIE, Viewer, form_token, viewer_of

HERE = Path(__file__).parent
STATIC = HERE / "static"


class Context(BaseModel):
    """Base of every page's context: what the template is given, and nothing else."""

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True, extra="forbid")
    template: ClassVar[str]
    tab: ClassVar[str] = ""


@lru_cache(maxsize=256)
def static(path: str) -> str:
    """The address of a shipped file, with a mark that changes when the file does."""
    mark = hashlib.sha256((STATIC / path).read_bytes()).hexdigest()[:10]
    return f"/static/{path}?v={mark}"


def clock(seconds: float | None) -> str:
    """Seconds as minutes and seconds, a dash where there are none."""
    return "–" if seconds is None else minutes_and_seconds(seconds)


def points(value: float) -> str:
    """Points without needless noughts."""
    return f"{value:g}"


environment = Environment(
    loader=FileSystemLoader(HERE / "templates"),
    autoescape=select_autoescape(default=True),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
environment.globals.update(urls=urls, static=static)
environment.filters.update(clock=clock, points=points)


def render(request: Request, template: str, context: Context, viewer: Viewer | None, token: str) -> str:
    """A template, or a part of one, filled in for whoever is signed in."""
    return environment.get_template(template).render(
        page=context, viewer=viewer, csrf=token, demo=request.app.state.settings.demo
    )


def page(request: Request, context: Context, status: int = 200) -> Response:
    """The page for a context, in the name of whoever is signed in."""
    viewer: Viewer | None = viewer_of(request)
    token = viewer.csrf_token if viewer else form_token(request)
    body = render(request, context.template, context, viewer, token)
    response = HTMLResponse(body, status)
    if viewer is None:
        secure = request.app.state.settings.secure_cookies
        response.set_cookie(FORM_COOKIE, token, httponly=True, samesite="strict", secure=secure)
    return response
