"""Everybody's own account: name, time zone, password, the end of other sign-ins; and the link of a slip."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from fastapi import APIRouter, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse
from sqlalchemy.orm import Session

from lumenstat.errors import EntryRefused
from lumenstat.language.wording import SOURCE_LANGUAGE, language_name, languages, phrase
from lumenstat.records.invitations import invited, use_up
from lumenstat.records.people import check_password, get_person, set_account, set_password, time_zones
from lumenstat.records.preferences import (
    checked_language,
    checked_theme,
    preferences_of,
    put_hint_away,
    set_preferences,
)
from lumenstat.records.sign_ins import sign_out_others
from lumenstat.records.tables import Person
from lumenstat.web import urls
from lumenstat.web.guessing import Try
from lumenstat.web.pages.sign_in import address_of, signed_in_response
from lumenstat.web.pages.station_keys import ShownKey, checked_keys, shown_keys
from lumenstat.web.rendering import Context, FormState, page
from lumenstat.web.security import SIGN_IN, CheckedForm, PostedForm, SignedIn, Viewer, cookie

router = APIRouter()

HINTS = frozenset({"trainee", "instructor", "station", "desk", "builder"})
"""Hints for a first time, by the page that they stand on."""
NOT_ALIKE = {"again": phrase("The two are not the same.")}


class AccountContext(Context):
    """Somebody's own account."""

    template: ClassVar[str] = "account.html"
    tab: ClassVar[str] = "account"
    name: str
    sign_in_name: str
    time_zone: str
    time_zones: tuple[str, ...]
    theme: str
    language: str
    languages: tuple[tuple[str, str], ...]
    single_keys: bool
    announces_lamps: bool
    keys: tuple[ShownKey, ...]
    form: FormState
    said: str = ""


class NewPasswordContext(Context):
    """A password of one's own, in place of one that somebody else made."""

    template: ClassVar[str] = "new_password.html"
    name: str
    action: str
    form: FormState


@router.get("/account", name="account")
def show(request: Request, viewer: SignedIn, said: str = "") -> Response:
    """One's own account."""
    words = {
        "kept": phrase("Kept."),
        "password": phrase("Your password is another now."),
        "others": phrase("Your other sign-ins have ended."),
    }
    return page(request, _account(request, viewer, said=words.get(said, "")))


def _account(request: Request, viewer: Viewer, form: FormState | None = None, said: str = "") -> AccountContext:
    person: Person = request.app.state.database.read(lambda session: get_person(session, viewer.id))
    wants = preferences_of(person)
    return AccountContext(
        name=person.name,
        sign_in_name=person.sign_in_name,
        time_zone=person.time_zone,
        time_zones=time_zones(),
        theme=wants.theme,
        language=wants.language,
        languages=tuple((each, language_name(each)) for each in languages()),
        single_keys=wants.single_keys,
        announces_lamps=wants.announces_lamps,
        keys=tuple(shown_keys(wants)),
        form=form or FormState(),
        said=said,
    )


@router.post("/account", dependencies=[CheckedForm])
def change(
    request: Request,
    viewer: SignedIn,
    name: Annotated[str, Form()] = "",
    time_zone: Annotated[str, Form()] = "",
    theme: Annotated[str, Form()] = "paper",
    language: Annotated[str, Form(max_length=12)] = SOURCE_LANGUAGE,
) -> Response:
    """Keep another name, time zone, theme or language."""

    def keep(session: Session) -> None:
        set_account(session, viewer.id, name, time_zone)
        _keep_wants(session, viewer.id, {"theme": checked_theme(theme), "language": checked_language(language)})

    try:
        request.app.state.database.write(keep)
    except EntryRefused as error:
        # What was typed comes back with the refusal, so that nobody types it again.
        typed = {"name": name, "time_zone": time_zone, "theme": theme, "language": language}
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _account(request, viewer, form), 422)
    return RedirectResponse(f"{urls.account()}?said=kept", 303)


@router.post("/account/keys", name="own_keys", dependencies=[CheckedForm])
def change_keys(request: Request, viewer: SignedIn, posted: PostedForm) -> Response:
    """Keep other keys of the station, or none without Alt."""
    # A file where a key is expected is left out and then refused as a key that is missing.
    typed = {name: str(value) for name, value in posted.items() if isinstance(value, str)}
    try:
        keys = checked_keys({name.removeprefix("key_"): value for name, value in typed.items()})
    except EntryRefused as error:
        form = FormState(typed=typed, wrong={error.field: str(error)})
        return page(request, _account(request, viewer, form), 422)
    put = {"single_keys": "single_keys" in typed, "announces_lamps": "announces_lamps" in typed, "keys": keys}
    request.app.state.database.write(lambda session: _keep_wants(session, viewer.id, put))
    return RedirectResponse(f"{urls.account()}?said=kept", 303)


def _keep_wants(session: Session, person_id: int, put: dict[str, Any]) -> None:
    wants = preferences_of(get_person(session, person_id))
    set_preferences(session, person_id, wants.model_copy(update=put))


@router.post("/account/hints", name="put_hint_away", dependencies=[CheckedForm])
def hint_read(request: Request, viewer: SignedIn, hint: Annotated[str, Form(max_length=20)]) -> Response:
    """A hint for a first time has been read."""
    if hint not in HINTS:
        raise HTTPException(404, phrase("There is no such hint."))
    request.app.state.database.write(lambda session: put_hint_away(session, viewer.id, hint))
    return Response(status_code=204)


@router.post("/account/other-sign-ins", name="end_other_sign_ins", dependencies=[CheckedForm])
def end_others(request: Request, viewer: SignedIn) -> Response:
    """End one's sign-ins everywhere but here."""
    token = cookie(request, SIGN_IN) or ""
    request.app.state.database.write(lambda session: sign_out_others(session, viewer.id, token))
    request.app.state.sign_outs += 1
    return RedirectResponse(f"{urls.account()}?said=others", 303)


# ---- passwords -------------------------------------------------------------------------------------------------------


@router.get("/account/password", name="own_password")
def show_password(request: Request, viewer: SignedIn) -> Response:
    """The form for a password of one's own."""
    return page(request, NewPasswordContext(name=viewer.name, action=urls.own_password(), form=FormState()))


@router.post("/account/password", dependencies=[CheckedForm])
def change_password(
    request: Request,
    viewer: SignedIn,
    password: Annotated[str, Form(max_length=200)] = "",
    again: Annotated[str, Form(max_length=200)] = "",
    present: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    """Keep a password; where it was one's own already the present one is asked for. Other sign-ins end."""
    state = request.app.state
    person: Person = state.database.read(lambda session: get_person(session, viewer.id))
    wrong = _wrong_password(request, person, password, again, present)
    if not wrong:
        try:
            state.database.write(lambda session: _keep(session, person.id, password, cookie(request, SIGN_IN) or ""))
        except EntryRefused as error:
            wrong = {error.field: str(error)}
    if wrong:
        form = FormState(wrong=wrong)
        # Whoever must change a password sees nothing else until it is done, not even the account.
        if viewer.must_change:
            again_page: Context = NewPasswordContext(name=viewer.name, action=urls.own_password(), form=form)
        else:
            again_page = _account(request, viewer, form)
        return page(request, again_page, 422)
    # Sockets of the sign-ins that ended look at this and close.
    state.sign_outs += 1
    return RedirectResponse("/" if viewer.must_change else f"{urls.account()}?said=password", 303)


def _wrong_password(request: Request, person: Person, password: str, again: str, present: str) -> dict[str, str]:
    if password != again:
        return NOT_ALIKE
    # The first password came on a slip and was just typed to get here.
    if person.must_change:
        return {}
    tried = Try((f"password {person.id}",))
    if (pause := request.app.state.guessing.begin(tried)) > 0:
        return {"present": phrase("Too many tries. Wait {pause} seconds.", pause=max(1, round(pause)))}
    # Hashing is slow on purpose; so many at a time and no more, or sign-ins would stop a class that is flying.
    with request.app.state.hashing.turn() as turn:
        if not turn:
            return {"present": phrase("The server is busy. Try again in a few seconds.")}
        if not check_password(person, present):
            return {"present": phrase("That is not your present password.")}
    request.app.state.guessing.right(tried)
    return {}


def _keep(session: Session, person_id: int, password: str, token: str) -> None:
    set_password(session, person_id, password)
    use_up(session, person_id)
    sign_out_others(session, person_id, token)


# ---- the link of a slip ----------------------------------------------------------------------------------------------


@router.get("/welcome/{token}", name="welcome")
def show_welcome(request: Request, token: str) -> Response:
    """The form that a slip's link leads to."""
    person = _invited(request, token)
    return page(request, NewPasswordContext(name=person.name, action=urls.welcome(token), form=FormState()))


def _invited(request: Request, token: str) -> Person:
    # The link is the whole secret, so trying links out is guessing passwords.
    tried = Try((f"link {address_of(request)}",))
    if request.app.state.guessing.begin(tried) > 0:
        raise HTTPException(429, phrase("Too many links were tried from here. Wait a minute."))
    person: Person | None = request.app.state.database.read(lambda session: invited(session, token))
    if person is None:
        raise HTTPException(404, phrase("This link was used or is too old. Ask your instructor for another slip."))
    request.app.state.guessing.right(tried)
    return person


@router.post("/welcome/{token}", dependencies=[CheckedForm])
def use_welcome(
    request: Request,
    token: str,
    password: Annotated[str, Form(max_length=200)] = "",
    again: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    """Keep the password and sign in."""
    person = _invited(request, token)
    wrong = {} if password == again else NOT_ALIKE
    if not wrong:
        try:
            request.app.state.database.write(lambda session: _keep(session, person.id, password, ""))
        except EntryRefused as error:
            wrong = {error.field: str(error)}
    if wrong:
        context = NewPasswordContext(name=person.name, action=urls.welcome(token), form=FormState(wrong=wrong))
        return page(request, context, 422)
    return signed_in_response(request, person, RedirectResponse("/", 303))
