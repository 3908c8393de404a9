"""Signing in and out, and what a person sets."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from ninja import Body, Router, Status

from shop import permissions
from shop.refusals import Refusal
from shop.sign_in import attempts
from shop.sign_in.own_page import require_own_page
from shop.sign_in.schemas import Me, SignIn, me_out

router = Router(tags=["shop"])


def locked_out(request: HttpRequest, response: HttpResponse | None, credentials: object) -> JsonResponse:
    """The answer that the lock-out gives in place of ours (settings: AXES_LOCKOUT_CALLABLE)."""
    detail = (
        f"Too many wrong passwords for this name. Wait {attempts.in_words(attempts.wait(request))}, or ask the owner."
    )
    return JsonResponse({"code": "locked_out", "detail": detail, "fields": {}}, status=401)


class WrongPassword(Refusal):
    code = "wrong_password"
    status = 401


@router.post("/sign-in", response=Me, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, response: HttpResponse, given: SignIn) -> Me:
    require_own_page(request)
    request.trying = given.username  # type: ignore[attr-defined]  # whose wait it is (shop/sign_in/attempts.py)
    person = authenticate(request, username=given.username, password=given.password)
    if person is None:
        raise WrongPassword("Name and password do not belong together. Check both and try again.")
    assert permissions.is_person(person)
    login(request, person)
    attempts.remember(response, person.username)
    get_token(request)
    return me_out(person)


@router.post("/sign-out", response={204: None}, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Status[None]:
    logout(request)
    return Status(204, None)


@router.get("/me", response=Me, operation_id="me")
def read_me(request: HttpRequest) -> Me:
    assert permissions.is_person(request.user)
    return me_out(request.user)


@router.patch("/me/units", response=Me, operation_id="choose_units")
def choose_units(request: HttpRequest, chosen: Body[dict[str, str]]) -> Me:
    assert permissions.is_person(request.user)
    return me_out(permissions.choose_units(request.user, chosen))
