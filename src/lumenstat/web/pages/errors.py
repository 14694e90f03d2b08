"""The page for whatever cannot be shown."""

from __future__ import annotations

from typing import ClassVar

from fastapi import Request, Response

from lumenstat.language.wording import phrase
from lumenstat.web.rendering import Context, json_answer, page


class ErrorContext(Context):
    """What went wrong, in words."""

    template: ClassVar[str] = "error.html"
    status: int
    title: str
    says: str


TITLES = {
    403: phrase("Not yours to do"),
    404: phrase("Not here"),
    400: phrase("That cannot be used"),
    405: phrase("Not that way"),
    409: phrase("Not as it stands"),
    413: phrase("Too large"),
    414: phrase("Too long"),
    422: phrase("Something is missing"),
    429: phrase("Too many tries"),
    500: phrase("Something went wrong here"),
    503: phrase("Not at the moment"),
}


FORM_STAYS = "X-Form"
"""The header of a form that stays on its page: it is answered with a sentence and the field, not with a page."""


def show(request: Request, status: int, says: str, field: str = "") -> Response:
    """The error page; a form that stays where it is gets the sentence and the name of the field."""
    if FORM_STAYS in request.headers:
        return json_answer(request, {"says": says, "field": field}, status)
    title = TITLES.get(status, phrase("This did not work"))
    return page(request, ErrorContext(status=status, title=title, says=says), status)
