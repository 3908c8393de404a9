"""The live stream of one programme's stand as server-sent events."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator

from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from programmes.models import Programme
from shop.services import is_person, units_of
from stand import live
from stand.display import Display
from stand.gates import gates
from stand.models import Session


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
    watched, display = gates(programme, None), Display(units_of(person))

    async def events() -> AsyncIterator[bytes]:
        async for message in live.frames(session.stand_id):
            if message is None:
                yield b": still here\n\n"
                continue
            if message["type"] == "frame":
                message = {**display.frame(message), "sides": display.sides(watched, message)}
            yield f"data: {json.dumps(message, separators=(',', ':'), ensure_ascii=False)}\n\n".encode()

    return StreamingHttpResponse(
        events(), content_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )
