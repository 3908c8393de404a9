"""The live stream of one programme's stand as server-sent events."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from typing import Any

from asgiref.sync import sync_to_async
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from programmes.models import Programme
from shop.services import is_person, units_of
from stand import live
from stand.display import Display
from stand.gates import Gate, gates
from stand.models import Pull, PullState, Session
from stand.services import like_next


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
    await _give_back()

    async def events() -> AsyncIterator[bytes]:
        nonlocal watched
        async for message in live.frames(session.stand_id):
            if message is None:
                yield b": still here\n\n"
                continue
            if message.told["type"] != "frame":
                if message.told["type"] in ("pull", "session"):
                    # Narrowed to the pulls there are now.
                    watched = await message.once(programme.pk, lambda: _gates(programme))
                yield _event(message.told)
                continue
            key = (*reader, tuple(watched))
            if key not in message.shown:
                told = {"sides": display.sides(watched, message.told), "opens": display.opens(watched, message.told)}
                message.shown[key] = _event({**display.frame(message.told), **told})
            yield message.shown[key]

    return StreamingHttpResponse(
        events(), content_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )


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
