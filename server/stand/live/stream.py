"""The live stream of one programme's stand as server-sent events."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from importlib import import_module
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import InterfaceError, OperationalError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, units_of
from stand.live import notifications
from stand.live.display import Display
from stand.models import Pull, PullState, Session
from stand.pulls.gates import Gate, gates
from stand.pulls.starting import like_next

CHANGING = ("pull", "session")  # after which a reader may be none any more, and gates are others


async def stream(request: HttpRequest, programme_id: int) -> HttpResponse | StreamingHttpResponse:
    """Frames and events of the stand on which the programme has its open session."""
    person = await request.auser()
    if not is_person(person):
        return JsonResponse({"code": "signed_out", "detail": "You are signed out. Sign in to go on.", "fields": {}},
                            status=401)  # fmt: skip
    session = await Session.objects.filter(programme_id=programme_id, closed_at=None).select_related("stand").afirst()
    seen = Programme.objects.visible_to(person).prefetch_related("windows")
    programme = await seen.filter(pk=programme_id).afirst()
    if session is None or programme is None:
        return JsonResponse({"code": "no_session", "detail": "No session is open. Open one to see the stand.",
                             "fields": {}}, status=409)  # fmt: skip
    display = Display(units_of(person))
    # Everybody who reads the same programme in the same units gets the same bytes: they are made once.
    reader = (programme.pk, *(display.units[kind] for kind in sorted(display.units)))
    watched = await _gates(programme)
    key = request.session.session_key or ""
    await _give_back()

    async def events() -> AsyncIterator[bytes]:
        nonlocal watched
        async for message in notifications.frames(session.stand_id):
            if message is None:
                yield b": still here\n\n"
            elif message.told["type"] == "frame":
                shown = (*reader, tuple(watched))
                if shown not in message.shown:
                    told = {"sides": display.sides(watched, message.told),
                            "opens": display.opens(watched, message.told)}  # fmt: skip
                    message.shown[shown] = _event({**display.frame(message.told), **told})
                yield message.shown[shown]
                continue
            try:
                # Before anything is sent: it may be that somebody else's engine is on the stand now.
                if (message is None or message.told["type"] in CHANGING) and not await _may_go_on(person, key, session):
                    yield _event({"type": "ended"})
                    return
                if message is not None and message.told["type"] in CHANGING:
                    # Narrowed to the pulls there are now.
                    watched = await message.once(programme.pk, lambda: _gates(programme))
            except (OperationalError, InterfaceError):
                yield _event({"type": "database_lost"})
                continue
            if message is not None:
                yield _event(message.told)

    return StreamingHttpResponse(
        events(), content_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )


async def _may_go_on(person: Person, key: str, session: Session) -> bool:
    async with notifications.hub.checks:
        return await _reads(person, key, session)


@sync_to_async
def _reads(person: Person, key: str, session: Session) -> bool:
    """Whether the reader is still signed in, as the same, may see the programme, and it still has the stand."""
    try:
        now = Person.objects.filter(pk=person.pk, is_active=True, role=person.role).first()
        if now is None or not import_module(settings.SESSION_ENGINE).SessionStore().exists(key):
            return False
        seen = Programme.objects.visible_to(now).filter(pk=session.programme_id)
        return seen.exists() and Session.objects.filter(pk=session.pk, closed_at=None).exists()
    finally:
        connection.close()  # see _give_back


@sync_to_async
def _give_back() -> None:
    """A stream lasts for hours; it must not hold a connection to the database all the while."""
    connection.close()


@sync_to_async
def _gates(programme: Programme) -> list[Gate]:
    armed = Pull.objects.filter(session__programme=programme, state__in=(PullState.ARMED, PullState.RUNNING)).first()
    fresh = Programme.objects.prefetch_related("windows").get(pk=programme.pk)
    found = gates(fresh, None, like_next(armed, fresh))
    connection.close()  # see _give_back
    return found


def _event(message: dict[str, Any]) -> bytes:
    return f"data: {json.dumps(message, separators=(',', ':'), ensure_ascii=False)}\n\n".encode()
