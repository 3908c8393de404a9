"""What the shop is called and counts in, and the page on which a new one begins."""

from __future__ import annotations

import segno
from django.contrib.auth import login
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from django.utils import timezone
from ninja import Router
from torvix_core.units import quantities

from shop import permissions
from shop.models import CURRENCIES, UNIT_SYSTEMS, Shop, time_zones
from shop.schema import Schema
from shop.setting_up import service as setting_up
from shop.setting_up.service import ShopFacts
from shop.sign_in.own_page import require_own_page
from shop.sign_in.schemas import Me, me_out

router = Router(tags=["shop"])


class DoorOut(Schema):
    """What is known before anybody signs in."""

    is_new: bool
    currencies: list[str]
    time_zones: list[str]
    unit_systems: list[str]


class ShopOut(Schema):
    name: str
    currency: str
    time_zone: str
    elevation: str  # as it would be typed, in the person's unit
    elevation_unit: str
    currencies: list[str]
    time_zones: list[str]


class ShopIn(Schema):
    shop_name: str
    currency: str
    time_zone: str
    units: str = ""
    elevation: str = ""

    def facts(self) -> ShopFacts:
        return ShopFacts(self.shop_name, self.currency, self.time_zone, self.units, self.elevation)


class FirstRunIn(ShopIn):
    key: str
    username: str
    name: str
    password: str


@router.get("/door", response=DoorOut, auth=None, operation_id="door")
def read_door(request: HttpRequest) -> DoorOut:
    new = setting_up.is_new()
    return DoorOut(
        is_new=new,
        currencies=list(CURRENCIES) if new else [],
        time_zones=time_zones() if new else [],
        unit_systems=list(UNIT_SYSTEMS),
    )


@router.post("/first-run", response=Me, auth=None, operation_id="first_run")
def first_run(request: HttpRequest, given: FirstRunIn) -> Me:
    require_own_page(request)
    owner = setting_up.set_up(
        given.key, given.facts(), given.username.strip(), given.name, given.password, timezone.now()
    )
    login(request, owner, backend="django.contrib.auth.backends.ModelBackend")
    get_token(request)
    return me_out(owner)


@router.get("/shop", response=ShopOut, operation_id="shop")
def read_shop(request: HttpRequest) -> ShopOut:
    return _shop_out(request, Shop.here())


@router.put("/shop", response=ShopOut, operation_id="change_shop")
def change_shop(request: HttpRequest, given: ShopIn) -> ShopOut:
    assert permissions.is_person(request.user)
    return _shop_out(request, setting_up.change_shop(request.user, given.facts(), timezone.now()))


@router.get("/address.svg", response={200: None}, operation_id="address_code")
def read_address_code(request: HttpRequest, path: str = "/") -> HttpResponse:
    """A code for the camera of a tablet: the address under which this page was asked for."""
    drawn = segno.make(request.build_absolute_uri(path if path.startswith("/") else "/"), error="m")
    return HttpResponse(drawn.svg_inline(scale=4, border=2, light="#fff"), content_type="image/svg+xml")


def _shop_out(request: HttpRequest, shop: Shop) -> ShopOut:
    assert permissions.is_person(request.user)
    unit = permissions.units_of(request.user)["elevation"]
    elevation = "" if shop.elevation is None else f"{float(quantities.from_si(shop.elevation, unit)):.4g} {unit}"
    return ShopOut(
        name=shop.name, currency=shop.currency, time_zone=shop.time_zone, elevation=elevation, elevation_unit=unit,
        currencies=list(CURRENCIES), time_zones=time_zones(),
    )  # fmt: skip
