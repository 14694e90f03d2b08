"""The page for whatever cannot be shown."""

from __future__ import annotations

from typing import ClassVar

from fastapi import Request, Response
from fastapi.responses import JSONResponse

from lumenstat.web.rendering import Context, page


class ErrorContext(Context):
    """What went wrong, in words."""

    template: ClassVar[str] = "error.html"
    status: int
    title: str
    says: str


TITLES = {
    403: "Not yours to do",
    404: "Not here",
    400: "That cannot be used",
    405: "Not that way",
    409: "Not as it stands",
    413: "Too large",
    414: "Too long",
    422: "Something is missing",
    429: "Too many tries",
    500: "Something went wrong here",
    503: "Not at the moment",
}


FORM_STAYS = "X-Form"
"""The header of a form that stays on its page: it is answered with a sentence and the field, not with a page."""


def show(request: Request, status: int, says: str, field: str = "") -> Response:
    """The error page; a form that stays where it is gets the sentence and the name of the field."""
    if FORM_STAYS in request.headers:
        return JSONResponse({"says": says, "field": field}, status)
    title = TITLES.get(status, "This did not work")
    return page(request, ErrorContext(status=status, title=title, says=says), status)
