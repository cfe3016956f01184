"""Signing in and out, one's own devices and passphrase, and the people an owner lets in."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.records.models.people import ROLES
from mirvo.studio.ground import people as use
from mirvo.web.access import COOKIE, KNOWN_DEVICE, SIGN_IN, Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import Context, PageReader, Reader, StudioDep

router = APIRouter(dependencies=only(Role.OWNER))
PEOPLE, ME, RESET = "/kit/people", "/me", "/sign-in/reset"
# So long a device is known again after it was signed out.
KNOWN_FOR_S = 2 * 366 * 24 * 3600


class PersonForm(use.PersonFields, FormModel):
    """A new person, as it is filled in."""


class PassphraseForm(use.PassphraseFields, FormModel):
    """One's own passphrase, as it is filled in."""


class ResetForm(use.ResetFields, FormModel):
    """A new passphrase by a code, as it is filled in."""


class RoleForm(FormModel):
    """What somebody may do from now on."""

    role: str = ""


class SignInForm(FormModel):
    """Who wants to come in, and where to."""

    name: str = ""
    passphrase: str = ""
    to: str = "/"


class ReachableForm(FormModel):
    """Whether other devices of the network are answered from the next start on."""

    reachable: bool = False


def _sign_in_page(
    reader: PageReader, to: str, said: str = "", name: str = "", status: int = 200
) -> Response:
    context = {"to": to, "said": said, "name": name, "renewed": "renewed" in _asked(reader)}
    return reader.page("yard/sign_in.html", context, status)


def _asked(reader: PageReader) -> list[str]:
    return list(reader.request.query_params)


@router.get(SIGN_IN, dependencies=only(Role.ANYONE))
def ask_to_sign_in(reader: Reader, to: str = "/") -> Response:
    return _sign_in_page(reader, _own(to))


@router.post(SIGN_IN, dependencies=only(Role.ANYONE))
def sign_in(request: Request, reader: Reader, form: Annotated[SignInForm, Form()]) -> Response:
    device, known = request.headers.get("user-agent", ""), request.cookies.get(KNOWN_DEVICE, "")
    try:
        made = use.sign_in(
            reader.studio, form.name, form.passphrase, device, _address(request), known
        )
    except use.NotAllowed as error:
        return _sign_in_page(reader, _own(form.to), str(error), form.name, 403)
    answer = RedirectResponse(_own(form.to), 303)
    _set_cookie(request, answer, COOKIE, made.token, round(use.LASTS.total_seconds()))
    _set_cookie(request, answer, KNOWN_DEVICE, made.known, KNOWN_FOR_S)
    return answer


def _set_cookie(request: Request, answer: Response, name: str, value: str, lasts_s: int) -> None:
    secure = request.url.scheme == "https"
    answer.set_cookie(name, value, max_age=lasts_s, httponly=True, samesite="lax", secure=secure)


@router.post("/sign-out", dependencies=only(Role.GUEST))
def sign_out(request: Request, studio: StudioDep) -> Response:
    person = request.state.signed_in
    if person.sign_in_id is not None:
        use.end_sign_in(studio, person.sign_in_id)
    answer = RedirectResponse(SIGN_IN, 303)
    answer.delete_cookie(COOKIE)
    # Where the browser can, it forgets the pages it kept; the worker empties its own.
    answer.headers["Clear-Site-Data"] = '"cache"'
    return answer


def _reset_page(reader: PageReader, filled: Filled) -> Response:
    context = {"fields": filled.fields, "errors": filled.errors}
    return reader.page("yard/reset.html", context, filled.status)


@router.get(RESET, dependencies=only(Role.ANYONE))
def ask_for_code(reader: Reader) -> Response:
    return _reset_page(reader, Filled())


@router.post(RESET, dependencies=only(Role.ANYONE))
@shown_again_on(_reset_page)
def reset_passphrase(
    request: Request, studio: StudioDep, form: Annotated[ResetForm, Form()]
) -> Response:
    try:
        use.reset_passphrase(studio, form, _address(request))
    except use.NotAllowed as error:
        raise BadInput("code", str(error)) from None
    return RedirectResponse(f"{SIGN_IN}?renewed=1", 303)


def _my_page(reader: PageReader, filled: Filled) -> Response:
    person = reader.request.state.signed_in
    context = {
        "devices": use.devices_of(reader.db, person.person_id or 0),
        "errors": filled.errors,
        "changed": "changed" in _asked(reader),
    }
    return reader.page("yard/me.html", context, filled.status)


@router.get(ME, dependencies=only(Role.GUEST))
def show_me(reader: Reader) -> Response:
    """Who is signed in: their devices, and their passphrase."""
    return _my_page(reader, Filled())


@router.post(f"{ME}/passphrase", dependencies=only(Role.GUEST))
@shown_again_on(_my_page)
def change_passphrase(
    request: Request, studio: StudioDep, form: Annotated[PassphraseForm, Form()]
) -> Response:
    try:
        use.change_passphrase(studio, request.state.signed_in, form)
    except use.NotAllowed as error:
        raise BadInput("now", str(error)) from None
    return RedirectResponse(f"{ME}?changed=1", 303)


@router.post(f"{ME}/devices/{{sign_in_id}}/end", dependencies=only(Role.GUEST))
def end_my_device(request: Request, studio: StudioDep, sign_in_id: int) -> Response:
    use.end_sign_in(studio, sign_in_id, request.state.signed_in.person_id or 0)
    return RedirectResponse(ME, 303)


def people_page(reader: PageReader, filled: Filled) -> Response:
    """Everybody who may sign in, what they may, and the devices they are on."""
    return reader.page("yard/people.html", _people(reader, filled), filled.status)


def _people(reader: PageReader, filled: Filled) -> Context:
    return {
        "people": use.people_and_devices(reader.db),
        # Where a server listens for other devices too.
        "answers_at": getattr(reader.request.app.state, "address", ""),
        "roles": ROLES,
        "fields": filled.fields,
        "errors": filled.errors,
        "code": None,
    }


@router.get(PEOPLE)
def show_people(reader: Reader) -> Response:
    return people_page(reader, Filled())


@router.post(PEOPLE)
@shown_again_on(people_page)
def add_person(studio: StudioDep, form: Annotated[PersonForm, Form()]) -> Response:
    use.add_person(studio, form)
    return RedirectResponse(PEOPLE, 303)


@router.post(f"{PEOPLE}/{{person_id}}/role")
@shown_again_on(people_page)
def change_role(studio: StudioDep, person_id: int, form: Annotated[RoleForm, Form()]) -> Response:
    use.change_role(studio, person_id, form.role)
    return RedirectResponse(PEOPLE, 303)


@router.post(f"{PEOPLE}/{{person_id}}/code")
def make_code(reader: Reader, person_id: int) -> Response:
    """A code for a new passphrase, shown this once."""
    code = use.make_reset_code(reader.studio, person_id)
    name = next(one.name for one, _ in use.people_and_devices(reader.db) if one.id == person_id)
    context = {**_people(reader, Filled()), "code": code, "code_of": name}
    answer = reader.page("yard/people.html", context)
    answer.headers["Cache-Control"] = "no-store"
    return answer


@router.post(f"{PEOPLE}/{{person_id}}/remove")
@shown_again_on(people_page)
def remove_person(studio: StudioDep, person_id: int) -> Response:
    use.remove_person(studio, person_id)
    return RedirectResponse(PEOPLE, 303)


@router.post("/kit/reachable")
@shown_again_on(people_page)
def reach(studio: StudioDep, form: Annotated[ReachableForm, Form()]) -> Response:
    use.set_reachable(studio, form.reachable)
    return RedirectResponse(PEOPLE, 303)


@router.post("/kit/devices/{sign_in_id}/end")
def end_device(studio: StudioDep, sign_in_id: int) -> Response:
    use.end_sign_in(studio, sign_in_id)
    return RedirectResponse(PEOPLE, 303)


def _address(request: Request) -> str:
    return request.client.host if request.client else ""


def _own(to: str) -> str:
    """An address of this site, never of another one."""
    return to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/"
