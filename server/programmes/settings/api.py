"""Settings adjusted between pulls: mixture, spark, boost."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from programmes.models import Programme, Setup
from programmes.plan.plans import row_label
from programmes.settings import service as adjusting
from programmes.settings import tune_sizes
from shop.models import Person, Role
from shop.permissions import is_person, person_of, units_of
from shop.schema import Schema

router = Router(tags=["adjusting"])


class SettingOut(Schema):
    key: str
    label: str
    text: str


class SettingsOut(Schema):
    """What a setup is set to, and what else could be set."""

    setup_id: int
    settings: list[SettingOut]
    others: dict[str, str]
    remark: str = ""  # what to know of the value that was typed last


class SettingIn(Schema):
    key: str
    text: str


def to_schema(setup: Setup) -> SettingsOut:
    settings_in_force = adjusting.in_force(setup)
    held = [
        SettingOut(key=key, label=row_label(key), text=value.text)
        for key, value in settings_in_force.items()
        if key in adjusting.ADJUSTABLE or key not in adjusting.KNOWN_SETTINGS
    ]
    return SettingsOut(
        setup_id=setup.pk, settings=held,
        others={key: row_label(key) for key in adjusting.ADJUSTABLE if key not in settings_in_force},
    )  # fmt: skip


def _setup(request: HttpRequest, setup_id: int) -> Setup:
    assert is_person(request.user)
    seen = Setup.objects.filter(programme__in=Programme.objects.visible_to(request.user))
    return get_object_or_404(seen.select_related("programme__build"), pk=setup_id)


@router.get("/setups/{setup_id}/settings", response=SettingsOut, operation_id="settings_of_setup")
def read_settings(request: HttpRequest, setup_id: int) -> SettingsOut:
    return to_schema(_setup(request, setup_id))


@router.post("/setups/{setup_id}/settings", response=SettingsOut, operation_id="adjust_setting")
def adjust_setting(request: HttpRequest, setup_id: int, given: SettingIn) -> SettingsOut:
    assert is_person(request.user)
    setup = _setup(request, setup_id)
    made = adjusting.adjust(request.user, setup, given.key, given.text, timezone.now())
    found = to_schema(setup)
    found.remark = tune_sizes.remark(made.key, made.value)
    return found


class TuneSizesOut(Schema):
    """A table for each kind that has sizes, as it would be typed."""

    kinds: dict[str, str]
    tables: dict[str, str]
    may_write: bool


class TuneSizesIn(Schema):
    text: str


def _sizes(person: Person) -> TuneSizesOut:
    kinds, unit = tune_sizes.kinds(), units_of(person)["length"]
    return TuneSizesOut(
        kinds=kinds, tables={kind: tune_sizes.text_of(kind, unit) for kind in kinds},
        may_write=person.role in (Role.OWNER, Role.OPERATOR),
    )  # fmt: skip


@router.get("/tune-sizes", response=TuneSizesOut, operation_id="tune_sizes")
def read_sizes(request: HttpRequest) -> TuneSizesOut:
    return _sizes(person_of(request))


@router.put("/tune-sizes/{tune_kind}", response=TuneSizesOut, operation_id="write_tune_sizes")
def write_sizes(request: HttpRequest, tune_kind: str, given: TuneSizesIn) -> TuneSizesOut:
    person = person_of(request)
    tune_sizes.write(person, tune_kind, given.text)
    return _sizes(person)
