"""Signing in and out, and the people and devices that may."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mirvo.studio.yard import people as use
from mirvo.web.door import COOKIE, SIGN_IN
from mirvo.web.form_models import FormModel
from mirvo.web.forms import shown_again_on
from mirvo.web.reader import PageReader, Reader, StudioDep
from mirvo.web.routes.yard.kit import kit_page

router = APIRouter()


class PersonForm(use.PersonFields, FormModel):
    """A new person, as it is filled in."""


class SignInForm(FormModel):
    """Who wants to come in, and where to."""

    name: str = ""
    passphrase: str = ""
    to: str = "/"


class ReachableForm(FormModel):
    """Whether other devices of the network are answered from the next start on."""

    reachable: bool = False


def _page(
    reader: PageReader, to: str, said: str = "", name: str = "", status: int = 200
) -> Response:
    return reader.page("yard/sign_in.html", {"to": to, "said": said, "name": name}, status)


@router.get(SIGN_IN)
def ask(reader: Reader, to: str = "/") -> Response:
    return _page(reader, _own(to))


@router.post(SIGN_IN)
def come_in(request: Request, reader: Reader, form: Annotated[SignInForm, Form()]) -> Response:
    address = request.client.host if request.client else ""
    device = request.headers.get("user-agent", "")
    try:
        token = use.sign_in(reader.studio, form.name, form.passphrase, device, address)
    except use.NotAllowed as error:
        return _page(reader, _own(form.to), str(error), form.name, 403)
    answer = RedirectResponse(_own(form.to), 303)
    answer.set_cookie(
        COOKIE,
        token,
        max_age=round(use.LASTS.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


@router.post("/sign-out")
def go_out(request: Request, studio: StudioDep) -> Response:
    person = request.state.signed_in
    if person.sign_in_id is not None:
        use.end_sign_in(studio, person.sign_in_id)
    answer = RedirectResponse(SIGN_IN, 303)
    answer.delete_cookie(COOKIE)
    return answer


@router.post("/kit/people")
@shown_again_on(kit_page)
def add(studio: StudioDep, form: Annotated[PersonForm, Form()]) -> Response:
    use.add_person(studio, form)
    return RedirectResponse("/kit#people", 303)


@router.post("/kit/people/{person_id}/remove")
def remove(studio: StudioDep, person_id: int) -> Response:
    use.remove_person(studio, person_id)
    return RedirectResponse("/kit#people", 303)


@router.post("/kit/reachable")
@shown_again_on(kit_page)
def reach(studio: StudioDep, form: Annotated[ReachableForm, Form()]) -> Response:
    use.set_reachable(studio, form.reachable)
    return RedirectResponse("/kit#people", 303)


@router.post("/kit/devices/{sign_in_id}/end")
def end(studio: StudioDep, sign_in_id: int) -> Response:
    use.end_sign_in(studio, sign_in_id)
    return RedirectResponse("/kit#people", 303)


def _own(to: str) -> str:
    """An address of this site, never of another one."""
    return to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/"
