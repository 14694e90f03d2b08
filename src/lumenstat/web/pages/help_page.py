"""Help: a page for each topic, and a search over all of them."""

from __future__ import annotations

from typing import ClassVar

from fastapi import APIRouter, HTTPException, Request, Response

from lumenstat.language.wording import phrase
from lumenstat.web.help import HelpPassage, Topic, search, topics
from lumenstat.web.rendering import Context, page, reader_language

router = APIRouter()

FOUND_AT_MOST = 40
WORDS_AT_MOST = 100


class HelpContext(Context):
    """A topic, or what was found."""

    template: ClassVar[str] = "help.html"
    tab: ClassVar[str] = "help"
    topics: tuple[Topic, ...]
    topic: Topic | None
    words: str
    found: tuple[HelpPassage, ...]


@router.get("/help", name="help_home")
def find(request: Request, q: str = "") -> Response:
    """All topics, and where the words of a search stand."""
    words = q.strip()[:WORDS_AT_MOST]
    language = reader_language(request)
    found = tuple(search(words, language))[:FOUND_AT_MOST]
    first = None if words else topics(language)["first-steps"]
    return page(request, HelpContext(topics=tuple(topics(language).values()), topic=first, words=words, found=found))


@router.get("/help/{topic}", name="help_topic")
def show(request: Request, topic: str) -> Response:
    """One topic."""
    language = reader_language(request)
    found = topics(language).get(topic)
    if found is None:
        raise HTTPException(404, phrase("There is no such page of help. Search for a word instead."))
    return page(request, HelpContext(topics=tuple(topics(language).values()), topic=found, words="", found=()))
