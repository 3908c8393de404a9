"""People: the owner's list, the link to choose a password, one's own password, and who arranged what."""

from __future__ import annotations

from django.contrib.auth import login, update_session_auth_hash
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router, Status

from shop import permissions
from shop.models import AuditEntry, Person, Role
from shop.paging import PageIn, page_of, searched
from shop.people import service as people
from shop.people.schemas import (
    AuditPage,
    ChangePasswordIn,
    InvitedOut,
    PasswordIn,
    PeopleOut,
    PersonChangeIn,
    PersonIn,
    PersonOut,
    RoleOut,
    WayIn,
    audit_out,
    person_out,
)
from shop.sign_in.own_page import require_own_page
from shop.sign_in.schemas import Me, me_out

router = Router(tags=["people"])
AUDIT_SEARCHED = ("what", "by__first_name", "by__last_name", "by__username")


def _owner(request: HttpRequest) -> Person:
    assert permissions.is_person(request.user)
    permissions.require_owner(request.user)
    return request.user


@router.get("/people", response=PeopleOut, operation_id="people")
def list_people(request: HttpRequest) -> PeopleOut:
    owner = _owner(request)
    # Those that only a file tells of are no people of the shop (curves/archive/read_zip.py).
    found = Person.objects.exclude(username__startswith="file-").order_by(
        "-is_active", "first_name", "last_name", "username"
    )
    roles = [RoleOut(value=role, label=role.label, may=permissions.MAY[role]) for role in Role]
    return PeopleOut(people=[person_out(person, owner) for person in found], roles=roles)


@router.post("/people", response=InvitedOut, operation_id="add_person")
def add_person(request: HttpRequest, given: PersonIn) -> InvitedOut:
    owner = _owner(request)
    person = people.add(owner, given.username.strip(), given.name, given.role, timezone.now())
    return InvitedOut(person=person_out(person, owner), way_in=people.way_in(person))


@router.patch("/people/{person_id}", response=PersonOut, operation_id="change_person")
def change_person(request: HttpRequest, person_id: int, given: PersonChangeIn) -> PersonOut:
    owner, person = _owner(request), get_object_or_404(Person, pk=person_id)
    if given.role is not None and given.role != person.role:
        person = people.change_role(owner, person, given.role, timezone.now())
    if given.active is not None and given.active != person.is_active:
        person = people.set_active(owner, person, given.active, timezone.now())
    return person_out(person, owner)


@router.post("/people/{person_id}/reset", response=InvitedOut, operation_id="reset_person")
def reset_person(request: HttpRequest, person_id: int) -> InvitedOut:
    owner, person = _owner(request), get_object_or_404(Person, pk=person_id)
    link = people.reset_password(owner, person, timezone.now())
    return InvitedOut(person=person_out(person, owner), way_in=link)


@router.post("/people/{person_id}/unlock", response=PersonOut, operation_id="unlock_person")
def unlock_person(request: HttpRequest, person_id: int) -> PersonOut:
    owner, person = _owner(request), get_object_or_404(Person, pk=person_id)
    people.unlock(owner, person, timezone.now())
    return person_out(person, owner)


@router.get("/welcome/{coded}/{token}", response=WayIn, auth=None, operation_id="read_way_in")
def read_way_in(request: HttpRequest, coded: str, token: str) -> WayIn:
    person = people.invited(coded, token)
    return WayIn(username=person.username, name=str(person))


@router.post("/welcome/{coded}/{token}", response=Me, auth=None, operation_id="choose_password")
def choose_password(request: HttpRequest, coded: str, token: str, given: PasswordIn) -> Me:
    require_own_page(request)
    person = people.choose_password(coded, token, given.password)
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    get_token(request)
    return me_out(person)


@router.post("/me/password", response=Me, operation_id="change_password")
def change_password(request: HttpRequest, given: ChangePasswordIn) -> Me:
    assert permissions.is_person(request.user)
    people.change_password(request.user, given.old, given.password)
    update_session_auth_hash(request, request.user)  # this browser stays signed in, every other is signed out
    return me_out(request.user)


@router.post("/me/sign-out-everywhere", response={204: None}, operation_id="sign_out_everywhere")
def sign_out_everywhere(request: HttpRequest) -> Status[None]:
    assert permissions.is_person(request.user)
    people.sign_out_everywhere(request.user)
    return Status(204, None)


@router.get("/audit", response=AuditPage, operation_id="audit")
def read_audit(request: HttpRequest, asked: Query[PageIn]) -> AuditPage:
    """Who arranged what in the shop, the newest first."""
    _owner(request)
    entries = searched(AuditEntry.objects.select_related("by"), asked.search, AUDIT_SEARCHED)
    return AuditPage(**page_of(entries, asked, {"at": "at"}, audit_out))
