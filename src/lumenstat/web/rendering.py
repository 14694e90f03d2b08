"""Turns one declared context into one page."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from contextvars import ContextVar
from datetime import UTC, datetime
from functools import cache, lru_cache, partial
from pathlib import Path
from typing import Annotated, Any, ClassVar
from zoneinfo import ZoneInfo

from fastapi import Request, Response
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, Template, select_autoescape
from markupsafe import Markup
from pydantic import BaseModel, ConfigDict, Field, GetCoreSchemaHandler, SkipValidation
from pydantic_core import CoreSchema

from lumenstat.errors import StorageError
from lumenstat.items.registry import KINDS
from lumenstat.language.code_words import code_words
from lumenstat.language.values import clock as minutes_and_seconds
from lumenstat.language.wording import (
    SOURCE_LANGUAGE,
    Catalogue,
    Names,
    Phrase,
    catalogue_of,
    filled_in,
    keeping_phrases,
    kept,
    languages,
    phrase,
    retold,
    told,
)
from lumenstat.web import urls
from lumenstat.web.drawing.knob import around_a_knob, entry_letters, knob_half, lever_width, sweep
from lumenstat.web.help import OF_TAB
from lumenstat.web.script_words import mark_of
from lumenstat.web.security import FORM, Viewer, cookie_name, form_token, masked, viewer_of

HERE = Path(__file__).parent
STATIC = HERE / "static"
PAGES_KEPT = 48
TOKEN_GOES_HERE = "token-goes-here-8d1f7c"  # noqa: S105 - where it goes, not what it is


class Context(BaseModel):
    """Base of every page's context: what the template is given, and nothing else."""

    # Built when a page is first asked for: a hundred and fifty of them would make every start a sixth longer.
    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True, extra="forbid", defer_build=True)
    template: ClassVar[str]
    tab: ClassVar[str] = ""
    document_names: Annotated[SkipValidation[Names | None], Field(exclude=True)] = None
    """What the documents that it is about say, in words of their own for its reader."""

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        """Texts that can be told in another language stay so until the page is written."""
        kept: CoreSchema = keeping_phrases(handler(source))
        return kept


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
    return phrase("{at:%-d %B %Y, %H:%M} {zone}", at=local, zone=local.tzname())


class FormState(Context):
    """A form that is shown again: what was typed, and what is wrong with it, by field; under "" what is about none."""

    typed: Mapping[str, str] = {}
    wrong: Mapping[str, str] = {}


_document_names: ContextVar[Names | None] = ContextVar("document_names", default=None)
"""What the documents of the page that is being written say, in words of their own."""


@cache
def environment_of(language: str) -> Environment:
    """Templates in one language: their own texts, and the phrases that they are given."""
    catalogue = catalogue_of(language)
    environment = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=select_autoescape(default=True),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: _told(value, catalogue) if isinstance(value, Phrase) else value,
    )
    environment.globals.update(urls=urls, static=static, item_kinds=KINDS, language=language)
    environment.globals.update(words_mark=mark_of(language) if catalogue else "")
    environment.globals.update(_=partial(_text, catalogue), _n=partial(_texts, catalogue))
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
        named=lambda code: told(code_words(code), catalogue),
        told=lambda text: _told(text, catalogue),
        zip_same=lambda names: [(each, code_words(each)) for each in names],
    )
    return environment


def _told(text: str, catalogue: Catalogue | None) -> str:
    return told(text, catalogue, _document_names.get())


def _text(catalogue: Catalogue | None, template: str, /, **values: Any) -> Markup:
    """A text of a template in its language; what is filled in is escaped."""
    words = catalogue.gettext(template) if catalogue else template
    return Markup(words).format(**filled_in(values, catalogue, _document_names.get()))  # noqa: S704 - ours


def _texts(catalogue: Catalogue | None, one: str, many: str, count: int, /, **values: Any) -> Markup:
    """The same for so many."""
    template = catalogue.ngettext(one, many, count) if catalogue else one if count == 1 else many
    return Markup(template).format(count=count, **filled_in(values, catalogue, _document_names.get()))  # noqa: S704 - ours


def language_of(request: Request, viewer: Viewer | None) -> str:
    """The language of an account; of somebody who is not signed in the first that their browser asks for."""
    if viewer is not None:
        return viewer.language
    asked = (part.split(";")[0].strip()[:2].lower() for part in request.headers.get("Accept-Language", "").split(","))
    return next((name for name in asked if name in languages()), SOURCE_LANGUAGE)


def render(request: Request, template: str, context: Context, viewer: Viewer | None, token: str) -> str:
    """A template, or a part of one, filled in for whoever is signed in."""
    found = environment_of(language_of(request, viewer)).get_template(template)
    return _written(found, context, viewer=viewer, csrf=masked(token), demo=request.app.state.settings.demo)


def _written(template: Template, context: Context, **values: Any) -> str:
    before = _document_names.set(context.document_names)
    try:
        return template.render(page=context, **values)
    finally:
        _document_names.reset(before)


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
        found = environment_of(viewer.language).get_template(context.template)
        return _written(found, context, viewer=viewer, csrf=TOKEN_GOES_HERE, demo=request.app.state.settings.demo)

    text: str = request.app.state.page_cache.text(
        (viewer.id, viewer.name, viewer.time_zone, viewer.theme, viewer.language, *key), drawn
    )
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
    if viewer is None:
        keep_form_token(request, response, token)
    return response


def keep_form_token(request: Request, response: Response, token: str) -> None:
    """Have the browser keep the token of forms for somebody who is not signed in."""
    settings = request.app.state.settings
    name = cookie_name(settings, FORM)
    response.set_cookie(name, token, httponly=True, samesite="strict", secure=settings.tls, path="/")


def reader_language(request: Request) -> str:
    """The language of whoever asks."""
    try:
        return language_of(request, viewer_of(request))
    except StorageError:
        return SOURCE_LANGUAGE


def json_answer(request: Request, content: Any, status: int = 200) -> Response:
    """Content for a script of ours, told in the language of whoever asks."""
    text = json.dumps(kept(content), ensure_ascii=False, allow_nan=False)
    return Response(retold(text, reader_language(request)), status, media_type="application/json")
