"""Turns one declared context into one page."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import ClassVar
from zoneinfo import ZoneInfo

from fastapi import Request, Response
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from pydantic import BaseModel, ConfigDict

from lumenstat.errors import StorageError
from lumenstat.items.registry import KINDS
from lumenstat.language.values import clock as minutes_and_seconds
from lumenstat.web import urls
from lumenstat.web.drawing.knob import around_a_knob, entry_letters, knob_half, lever_width, sweep
from lumenstat.web.help import OF_TAB
from lumenstat.web.security import FORM, Viewer, cookie_name, form_token, masked, viewer_of

HERE = Path(__file__).parent
STATIC = HERE / "static"
PAGES_KEPT = 48
TOKEN_GOES_HERE = "token-goes-here-8d1f7c"  # noqa: S105 - where it goes, not what it is


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


def moment(at: datetime | None, zone: str = "UTC") -> str:
    """A time of the tables as somebody reads it, in their zone; a dash where there is none."""
    if at is None:
        return "–"
    local = at.replace(tzinfo=UTC).astimezone(ZoneInfo(zone))
    return f"{local:%-d %B %Y, %H:%M} {local.tzname()}"


class FormState(Context):
    """A form that is shown again: what was typed, and what is wrong with it, by field; under "" what is about none."""

    typed: Mapping[str, str] = {}
    wrong: Mapping[str, str] = {}


environment = Environment(
    loader=FileSystemLoader(HERE / "templates"),
    autoescape=select_autoescape(default=True),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
environment.globals.update(urls=urls, static=static, item_kinds=KINDS)
environment.filters.update(
    around_a_knob=around_a_knob,
    entry_letters=lambda part: entry_letters(part.minimum, part.maximum, part.step or 1),
    knob_half=knob_half,
    lever_width=lever_width,
    help_of=lambda tab: OF_TAB.get(tab, "first-steps"),
    sweep=sweep,
    clock=clock,
    points=points,
    moment=moment,
    zip_same=lambda names: [(each, each) for each in names],
)


def render(request: Request, template: str, context: Context, viewer: Viewer | None, token: str) -> str:
    """A template, or a part of one, filled in for whoever is signed in."""
    return environment.get_template(template).render(
        page=context, viewer=viewer, csrf=masked(token), demo=request.app.state.settings.demo
    )


class PageCache:
    """Pages that cost much and seldom change, as text, by all that they depend on; those asked for last are kept."""

    def __init__(self) -> None:
        self._texts: OrderedDict[tuple[object, ...], str] = OrderedDict()
        self._lock = threading.Lock()

    def text(self, key: tuple[object, ...], made: Callable[[], str]) -> str:
        """The text of a key, made where it is not kept."""
        with self._lock:
            if (found := self._texts.get(key)) is not None:
                self._texts.move_to_end(key)
                return found
        text = made()
        with self._lock:
            self._texts[key] = text
            while len(self._texts) > PAGES_KEPT:
                self._texts.popitem(last=False)
        return text


def cached_page(request: Request, viewer: Viewer, key: tuple[object, ...], made: Callable[[], Context]) -> Response:
    """The page of somebody who is signed in, drawn once for a key that names all it depends on but its form token."""

    def drawn() -> str:
        context = made()
        return environment.get_template(context.template).render(
            page=context, viewer=viewer, csrf=TOKEN_GOES_HERE, demo=request.app.state.settings.demo
        )

    text: str = request.app.state.page_cache.text((viewer.id, viewer.name, viewer.time_zone, viewer.theme, *key), drawn)
    return HTMLResponse(text.replace(TOKEN_GOES_HERE, masked(viewer.csrf_token)))


def page(request: Request, context: Context, status: int = 200) -> Response:
    """The page for a context, in the name of whoever is signed in."""
    try:
        viewer: Viewer | None = viewer_of(request)
    except StorageError:
        viewer = None  # the page that says so can be shown to anybody
    token = viewer.csrf_token if viewer else form_token(request)
    body = render(request, context.template, context, viewer, token)
    response = HTMLResponse(body, status)
    settings = request.app.state.settings
    if viewer is None:
        name = cookie_name(settings, FORM)
        response.set_cookie(name, token, httponly=True, samesite="strict", secure=settings.tls, path="/")
    return response
