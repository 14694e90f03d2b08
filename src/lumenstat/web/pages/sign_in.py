"""Signing in and out."""

from __future__ import annotations

from typing import Annotated, ClassVar

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.demo import DEMO_PASSWORD, DEMO_PEOPLE
from lumenstat.records.people import check_password, find_person
from lumenstat.records.people import sign_in as open_sign_in
from lumenstat.records.people import sign_out as close_sign_in
from lumenstat.web import urls
from lumenstat.web.rendering import Context, page
from lumenstat.web.security import SIGN_IN_COOKIE, CheckedForm, safe_next, viewer_of

router = APIRouter()


class DemoAccount(Context):
    """An account that the demo lists."""

    name: str
    sign_in_name: str
    role: str


class SignInContext(Context):
    """The sign-in form, what was wrong with the last try, and the demo's accounts."""

    template: ClassVar[str] = "sign_in.html"
    next: str
    sign_in_name: str = ""
    says: str | None = None
    demo_accounts: tuple[DemoAccount, ...] = ()
    demo_password: str | None = None


def _context(request: Request, back_to: str, name: str = "", says: str | None = None) -> SignInContext:
    demo = request.app.state.settings.demo
    accounts = [DemoAccount(name=n, sign_in_name=s, role=r) for n, s, r in DEMO_PEOPLE] if demo else []
    return SignInContext(
        next=back_to,
        sign_in_name=name,
        says=says,
        demo_accounts=tuple(accounts),
        demo_password=DEMO_PASSWORD if demo else None,
    )


@router.get("/")
def home(request: Request) -> Response:
    """Everybody's way in: to the exercises, the sign-in page, or the making of the first account."""
    if request.app.state.first_code:
        return RedirectResponse(urls.first_instructor(), 303)
    viewer = viewer_of(request)
    if viewer is None:
        return RedirectResponse(urls.sign_in(), 303)
    return RedirectResponse(urls.exercises() if viewer.is_instructor else urls.runs(), 303)


@router.get("/sign-in")
def show(request: Request, next: str = "/") -> Response:  # noqa: A002 - the name in the address
    """The sign-in page."""
    if request.app.state.first_code:
        return RedirectResponse(urls.first_instructor(), 303)
    return page(request, _context(request, safe_next(next)))


@router.post("/sign-in", dependencies=[CheckedForm])
def sign_in(
    request: Request,
    sign_in_name: Annotated[str, Form(max_length=40)],
    password: Annotated[str, Form(max_length=200)],
    next: Annotated[str, Form()] = "/",  # noqa: A002 - the name in the form
) -> Response:
    """Sign somebody in, or say that it did not work."""
    state = request.app.state
    name = sign_in_name.strip().lower()
    address = f"from {request.client.host if request.client else '?'}"
    if (pause := state.throttle.pause(name, address)) > 0:
        says = f"Too many tries. Wait {pause:.0f} seconds, then try again."
        return page(request, _context(request, safe_next(next), name, says), 429)
    person = state.database.read(lambda session: find_person(session, name))
    if not check_password(person, password):
        state.throttle.failed(name, address)
        return page(request, _context(request, safe_next(next), name, "Name and password do not match."), 401)
    state.throttle.succeeded(name)
    hours = state.settings.session_hours
    token = state.database.write(lambda session: open_sign_in(session, person.id, hours))
    response = RedirectResponse(safe_next(next), 303)
    response.set_cookie(
        SIGN_IN_COOKIE,
        token,
        max_age=int(hours * 3600),
        httponly=True,
        samesite="lax",
        secure=state.settings.secure_cookies,
    )
    return response


@router.post("/sign-out", dependencies=[CheckedForm])
def sign_out(request: Request) -> Response:
    """Sign out."""
    token = request.cookies.get(SIGN_IN_COOKIE)
    if token:
        request.app.state.database.write(lambda session: close_sign_in(session, token))
    response = RedirectResponse(urls.sign_in(), 303)
    response.delete_cookie(SIGN_IN_COOKIE)
    return response
