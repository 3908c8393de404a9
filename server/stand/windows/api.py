"""The windows in which a pull may start: for each channel that the stand sends and somebody cares for."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.units import quantities

from programmes.models import Programme
from shop.permissions import person_of, units_of
from shop.schema import Schema
from stand.live.display import Display, channel_name
from stand.windows import service as windows

router = Router(tags=["windows"])


class WindowOut(Schema):
    """Low and high as they are typed, empty where the channel holds nothing."""

    channel: str
    name: str
    unit: str
    low: str
    high: str
    within: str


class WindowsOut(Schema):
    windows: list[WindowOut]


class WindowIn(Schema):
    """Both empty: the channel holds no pull any more."""

    low: str = ""
    high: str = ""


def to_schema(request: HttpRequest, programme: Programme) -> WindowsOut:
    display = Display(units_of(person_of(request)))
    held = {window.channel: window for window in programme.windows.all()}
    out = []
    for channel in windows.CHANNELS:
        unit, window = display.unit(channel) or "", held.get(channel)
        typed = [quantities.words(each, unit) if window else "" for each in (window.low, window.high)] if window else []
        low, high = typed or ["", ""]
        out.append(WindowOut(channel=channel, name=channel_name(channel), unit=unit, low=low, high=high,
                             within=windows.likeness_words(channel, unit)))  # fmt: skip
    return WindowsOut(windows=out)


@router.get("/programmes/{programme_id}/windows", response=WindowsOut, operation_id="windows")
def read_windows(request: HttpRequest, programme_id: int) -> WindowsOut:
    seen = Programme.objects.visible_to(person_of(request))
    return to_schema(request, get_object_or_404(seen, pk=programme_id))


@router.put("/programmes/{programme_id}/windows/{channel}", response=WindowsOut, operation_id="set_window")
def set_window(request: HttpRequest, programme_id: int, channel: str, given: WindowIn) -> WindowsOut:
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    windows.set_window(person, programme, channel, given.low, given.high)
    return to_schema(request, programme)
