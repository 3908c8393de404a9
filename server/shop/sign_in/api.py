"""Signing in and out, and what a person sets."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from ninja import Body, Router, Schema, Status

from shop import permissions
from shop.models import UNIT_CHOICES, Person, Role, Shop
from shop.refusals import Refusal
from shop.sign_in import attempts

router = Router(tags=["shop"])


class SignIn(Schema):
    username: str
    password: str


class Me(Schema):
    username: str
    name: str
    role: str
    role_may: str
    may_operate: bool
    is_owner: bool
    shop: str
    currency: str
    time_zone: str
    units: dict[str, str]
    unit_choices: dict[str, list[str]]


def me(person: Person) -> Me:
    shop = Shop.here()
    return Me(
        username=person.username,
        name=str(person),
        role=person.get_role_display(),
        role_may=permissions.MAY[Role(person.role)],
        may_operate=permissions.may_operate(person),
        is_owner=person.role == Role.OWNER,
        shop=shop.name,
        currency=shop.currency,
        time_zone=shop.time_zone,
        units=permissions.units_of(person),
        unit_choices={kind: list(choices) for kind, choices in UNIT_CHOICES.items()},
    )


def locked_out(request: HttpRequest, response: HttpResponse | None, credentials: object) -> JsonResponse:
    """The answer that the lock-out gives in place of ours (settings: AXES_LOCKOUT_CALLABLE)."""
    told = (
        f"Too many wrong passwords for this name. Wait {attempts.in_words(attempts.wait(request))}, or ask the owner."
    )
    return JsonResponse({"code": "locked_out", "detail": told, "fields": {}}, status=401)


class WrongPassword(Refusal):
    code = "wrong_password"
    status = 401


class NotFromHere(Refusal):
    code = "csrf"
    status = 403


def require_own_page(request: HttpRequest) -> None:
    """Endpoints without a session check the token themselves, or a foreign page could sign its visitor in."""
    from django.middleware.csrf import CsrfViewMiddleware

    if CsrfViewMiddleware(lambda _: None).process_view(request, None, (), {}):  # type: ignore[arg-type]
        raise NotFromHere("This page is out of date. Reload it and sign in again.")


@router.post("/sign-in", response=Me, auth=None, operation_id="sign_in")
def sign_in(request: HttpRequest, response: HttpResponse, given: SignIn):
    require_own_page(request)
    request.trying = given.username  # type: ignore[attr-defined]  # whose wait it is (shop/sign_in/attempts.py)
    person = authenticate(request, username=given.username, password=given.password)
    if person is None:
        raise WrongPassword("Name and password do not belong together. Check both and try again.")
    assert permissions.is_person(person)
    login(request, person)
    attempts.remember(response, person.username)
    get_token(request)
    return me(person)


@router.post("/sign-out", response={204: None}, operation_id="sign_out")
def sign_out(request: HttpRequest):
    logout(request)
    return Status(204, None)


@router.get("/me", response=Me, operation_id="me")
def read_me(request: HttpRequest):
    assert permissions.is_person(request.user)
    return me(request.user)


@router.patch("/me/units", response=Me, operation_id="choose_units")
def choose_units(request: HttpRequest, chosen: Body[dict[str, str]]):
    assert permissions.is_person(request.user)
    return me(permissions.choose_units(request.user, chosen))
