"""The very first account, made with the one-time code that the console printed."""

from __future__ import annotations

import hmac
from typing import Annotated, ClassVar

from fastapi import APIRouter, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.errors import RecordError
from lumenstat.language.wording import phrase
from lumenstat.records.people import add_person
from lumenstat.web import urls
from lumenstat.web.guessing import Try
from lumenstat.web.pages.sign_in import address_of, signed_in_response
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import CheckedForm

router = APIRouter()


class FirstInstructorContext(Context):
    """The form for the first account."""

    template: ClassVar[str] = "first_instructor.html"
    says: str | None = None
    name: str = ""
    sign_in_name: str = ""


@router.get("/first-instructor", name="first_instructor")
def show(request: Request) -> Response:
    """The form, while there is no account at all."""
    if not request.app.state.first_code:
        return RedirectResponse(urls.sign_in(), 303)
    return page(request, FirstInstructorContext())


@router.post("/first-instructor", dependencies=[CheckedForm])
def create(
    request: Request,
    code: Annotated[str, Form(max_length=40)],
    name: Annotated[str, Form(max_length=80)],
    sign_in_name: Annotated[str, Form(max_length=40)],
    password: Annotated[str, Form(max_length=200)],
) -> Response:
    """Make the account and use the code up."""
    state = request.app.state
    if not state.first_code:
        raise HTTPException(403, phrase("The first account has been made already. Sign in."))
    says: str | None = None
    if (pause := state.guessing.begin(Try((f"code {address_of(request)}",)))) > 0:
        says = phrase("Too many tries. Wait {pause} seconds, then try again.", pause=max(1, round(pause)))
    # In the same time whatever was typed, and as bytes: a code with an umlaut is a wrong code, not an error.
    elif not hmac.compare_digest(state.first_code.encode(), code.strip().encode()):
        says = phrase("That is not the code which the console printed.")
    else:
        try:
            person = state.database.write(lambda session: add_person(session, name, sign_in_name, "head", password))
        except RecordError as error:
            says = str(error)
        else:
            # A second head is made by the first, under their name in the audit list.
            state.first_code = None
            return signed_in_response(request, person, RedirectResponse(urls.home(), 303))
    return page(request, FirstInstructorContext(says=says, name=name, sign_in_name=sign_in_name), 400)
