"""Tests out of the list and back, the customers who may read one, and what a shop still needs before its first."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Status

from engines.models import Engine, Part
from programmes.archive import service as archiving
from programmes.models import Programme
from shop.models import Person, Role, Stand
from shop.permissions import person_of, require_operator
from shop.schema import Schema

router = Router(tags=["archive"])


class ArchivedProgrammeIn(Schema):
    archived: bool


class CustomerOut(Schema):
    id: int
    name: str
    given: bool


class CustomersIn(Schema):
    people: list[int]


class HomeOut(Schema):
    """How many there are of what a first pull needs."""

    stands: int
    engines: int
    parts: int
    programmes: int


def _programme(request: HttpRequest, programme_id: int) -> Programme:
    return get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)


@router.get("/home", response=HomeOut, operation_id="home")
def read_home(request: HttpRequest) -> HomeOut:
    person = person_of(request)
    return HomeOut(
        stands=Stand.objects.filter(on_line=True, retired_at=None).count(),
        engines=Engine.objects.visible_to(person).listed().count(),
        parts=Part.objects.visible_to(person).listed().count(),
        programmes=Programme.objects.visible_to(person).count(),
    )


@router.put("/archive/programmes/{programme_id}", response={204: None}, operation_id="archive_programme")
def archive_programme(request: HttpRequest, programme_id: int, given: ArchivedProgrammeIn) -> Status[None]:
    at = timezone.now() if given.archived else None
    archiving.archive(person_of(request), _programme(request, programme_id), at)
    return Status(204, None)


@router.delete("/archive/programmes/{programme_id}", response={204: None}, operation_id="delete_programme")
def delete_programme(request: HttpRequest, programme_id: int) -> Status[None]:
    archiving.delete(person_of(request), _programme(request, programme_id))
    return Status(204, None)


@router.get("/programmes/{programme_id}/customers", response=list[CustomerOut], operation_id="customers")
def read_customers(request: HttpRequest, programme_id: int) -> list[CustomerOut]:
    require_operator(person_of(request))
    return _customers(_programme(request, programme_id))


@router.put("/programmes/{programme_id}/customers", response=list[CustomerOut], operation_id="give_to_customers")
def give_to_customers(request: HttpRequest, programme_id: int, given: CustomersIn) -> list[CustomerOut]:
    programme = _programme(request, programme_id)
    return _customers(archiving.give_to(person_of(request), programme, given.people, timezone.now()))


def _customers(programme: Programme) -> list[CustomerOut]:
    given = set(programme.given_to.values_list("pk", flat=True))
    people = Person.objects.filter(role=Role.CUSTOMER, is_active=True).order_by("first_name", "last_name", "username")
    return [CustomerOut(id=person.pk, name=str(person), given=person.pk in given) for person in people]
