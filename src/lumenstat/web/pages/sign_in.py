"""Signing in and out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from lumenstat.demo import DEMO_PASSWORD, DEMO_PEOPLE
from lumenstat.language.wording import phrase
from lumenstat.records.people import check_password, find_person
from lumenstat.records.sign_ins import hash_token, is_known, know_browser
from lumenstat.records.sign_ins import sign_in as open_sign_in
from lumenstat.records.sign_ins import sign_out as close_sign_in
from lumenstat.records.sign_ins import sign_out_everywhere as close_all_sign_ins
from lumenstat.records.tables import Person
from lumenstat.web import urls
from lumenstat.web.guessing import Try
from lumenstat.web.rendering import Context, json_answer, keep_form_token, page
from lumenstat.web.security import (
    BROWSER,
    SIGN_IN,
    CheckedForm,
    RowId,
    SignedIn,
    cookie,
    cookie_name,
    form_token,
    masked,
    safe_next,
    viewer_of,
)

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
def way_in(request: Request) -> Response:
    """Everybody's way in: to their home page, the sign-in page, or the making of the first account."""
    if request.app.state.first_code:
        return RedirectResponse(urls.first_instructor(), 303)
    viewer = viewer_of(request)
    if viewer is None:
        return RedirectResponse(urls.sign_in(), 303)
    return RedirectResponse(urls.station(viewer.run_id) if viewer.run_id else urls.home(), 303)


@router.get("/sign-in", name="sign_in")
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
    # Case and spaces around it are slips of the hand, not another person.
    name = sign_in_name.strip().lower()
    found = _let_in(request, name, password)
    if isinstance(found, _NotLetIn):
        return page(request, _context(request, safe_next(next), name, found.says), found.status)
    return signed_in_response(request, found, RedirectResponse(safe_next(next), 303))


@router.get("/sign-in/beside")
def who_is_here(request: Request) -> Response:
    """Who is signed in, asked by a page that is open; and the token for its forms, or for signing in beside it."""
    viewer = viewer_of(request)
    token = viewer.csrf_token if viewer else form_token(request)
    answer = json_answer(request, {"person": viewer.id if viewer else None, "csrf": masked(token)})
    if viewer is None:
        keep_form_token(request, answer, token)
    return answer


@router.post("/sign-in/beside", dependencies=[CheckedForm])
def sign_in_beside(
    request: Request,
    sign_in_name: Annotated[str, Form(max_length=40)],
    password: Annotated[str, Form(max_length=200)],
    person: RowId,
) -> Response:
    """Sign in again beside a page that stays as it is: only whoever it belongs to, for it shows what is theirs."""
    found = _let_in(request, sign_in_name.strip().lower(), password)
    if isinstance(found, _NotLetIn):
        return json_answer(request, {"says": found.says}, found.status)
    if found.id != person:
        says = phrase("This page was opened by somebody else. Sign in with their name, or load the page again.")
        return json_answer(request, {"says": says}, 403)
    return signed_in_response(request, found, json_answer(request, {"says": ""}))


@dataclass(frozen=True)
class _NotLetIn:
    status: int
    says: str


def _let_in(request: Request, name: str, password: str) -> Person | _NotLetIn:
    """The person whose name and password these are. The try is counted before the password is looked at."""
    state = request.app.state
    person: Person | None = state.database.read(lambda session: find_person(session, name))
    # A browser that this person signed in from before has tries of its own, so that whoever guesses from elsewhere
    # cannot lock them out.
    tried = Try.at(name, address_of(request), _known_browser(request, person))
    if (pause := state.guessing.begin(tried)) > 0:
        says = phrase("Too many tries. Wait {pause} seconds, then try again.", pause=max(1, round(pause)))
        return _NotLetIn(429, says)
    with state.hashing.turn() as turn:
        if not turn:
            return _NotLetIn(503, phrase("Many people sign in just now. Try again in a few seconds."))
        # As long for a name that nobody has, or the time would tell which names there are.
        right = check_password(person, password)
    if not right or person is None:
        return _NotLetIn(401, phrase("Name and password do not match."))
    state.guessing.right(tried)
    return person


def address_of(request: Request) -> str:
    """Where a request comes from; behind a trusted proxy, where the proxy says that it comes from."""
    return request.client.host if request.client else "?"


def _known_browser(request: Request, person: Person | None) -> str | None:
    token = cookie(request, BROWSER)
    if person is None or token is None:
        return None
    known = request.app.state.database.read(lambda session: is_known(session, person.id, token))
    return hash_token(token) if known else None


def signed_in_response(
    request: Request, person: Person, response: Response, run_id: str | None = None, part: str | None = None
) -> Response:
    """Sign a person in with an answer; with `run_id` into that run alone, and the browser is not known as theirs."""
    settings, database = request.app.state.settings, request.app.state.database
    hours = settings.session_hours
    token = database.write(lambda session: open_sign_in(session, person.id, hours, run_id, part))
    cookies = [(SIGN_IN, token, hours * 3600)]
    # A browser that joined by a code is not known as theirs: it may stand in a classroom.
    if run_id is None:
        before = cookie(request, BROWSER)
        browser = database.write(lambda session: know_browser(session, person.id, before))
        cookies.append((BROWSER, browser, 400 * 86_400))
    for name, value, seconds in cookies:
        response.set_cookie(
            cookie_name(settings, name),
            value,
            max_age=int(seconds),
            httponly=True,
            samesite="lax",
            secure=settings.tls,
            path="/",
        )
    return response


@router.post("/sign-out", dependencies=[CheckedForm])
def sign_out(request: Request) -> Response:
    """Sign out here."""
    token = cookie(request, SIGN_IN)
    if token:
        request.app.state.database.write(lambda session: close_sign_in(session, token))
    request.app.state.sign_outs += 1
    return _signed_out(request)


@router.post("/sign-out-everywhere", dependencies=[CheckedForm])
def sign_out_everywhere(request: Request, viewer: SignedIn) -> Response:
    """End all sign-ins of whoever is signed in, on every device."""
    request.app.state.database.write(lambda session: close_all_sign_ins(session, viewer.id))
    request.app.state.sign_outs += 1
    return _signed_out(request)


def _signed_out(request: Request) -> Response:
    settings = request.app.state.settings
    response = RedirectResponse(urls.sign_in(), 303)
    response.delete_cookie(cookie_name(settings, SIGN_IN), path="/", secure=settings.tls, httponly=True)
    return response
