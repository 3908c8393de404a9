"""What takes long to work out is worked out in a process of its own: whoever has the stand does not wait behind it.

A judgement over a few hundred pulls holds the interpreter, and with it every other request of its process. The web
server hands such requests on through a socket of this machine; where nobody answers there, it answers them itself.
"""

from __future__ import annotations

import json
import re
from typing import Any

import httpx

from config.door import WORDS
from config.turnstile import Application, Message, Receive, Send

TAKES_LONG = re.compile(
    r"^/api/(?:"
    r"programmes/\d+/(?:verdict|verdict-line|robustness|steps|curves|overlays|boosted|regimes|restriction|knock-on"
    r"|claim|odds|outcomes|earlier-results|pulls-needed|road|duty-of-log|slot-in|transfer|estimates|theories"
    r"|sheets|sheet-preview|handovers|books|guideline-predictions|next-pulls|pulls|comparability-results"
    r"|curves\.\w+|setups\.\w+)"
    r"|(?:sheets|handovers|books)/\d+/\w[\w.]*|sessions/\d+/books|parts/\d+/uses|guidelines(?:/\d+)?|next-pulls|overlay"
    r")$"
)
LONGEST_BODY = 2_500_000  # bytes, as Django takes without a file
# They are of one connection alone, and each side says its own.
OF_THE_CONNECTION = {b"connection", b"keep-alive", b"transfer-encoding", b"upgrade", b"te", b"expect"}
FORWARDED = {b"x-forwarded-for", b"x-forwarded-proto"}
GONE = 503


class HandedOn:
    """Hands requests on that take long; `transport` leads to the process that works them out."""

    def __init__(self, application: Application, transport: httpx.AsyncBaseTransport) -> None:
        self.application, self.transport = application, transport

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not TAKES_LONG.match(scope["path"]):
            await self.application(scope, receive, send)
            return
        body, whole = b"", False
        while not whole and len(body) <= LONGEST_BODY:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            body += message.get("body", b"")
            whole = not message.get("more_body", False)
        if not whole or not await self._answered(scope, body, send):
            await self.application(scope, _again(body, whole, receive), send)

    async def _answered(self, scope: dict[str, Any], body: bytes, send: Send) -> bool:
        """False where nobody is there, or nobody any more and it does no harm to work it out once more."""
        begun = False
        query = scope["query_string"].decode("latin-1")
        url = httpx.URL("http://judging").copy_with(
            raw_path=scope["raw_path"] + (f"?{query}".encode("latin-1") if query else b"")
        )
        request = httpx.Request(scope["method"], url, headers=_headers(scope), content=body)
        try:
            # No limit of time: whoever asked waits for as long as it takes.
            answer = await self.transport.handle_async_request(request)
            try:
                headers = [(name.lower(), value) for name, value in answer.headers.raw]
                kept = [one for one in headers if one[0] not in OF_THE_CONNECTION]
                await send({"type": "http.response.start", "status": answer.status_code, "headers": kept})
                begun = True
                async for piece in answer.stream:  # type: ignore[union-attr]
                    await send({"type": "http.response.body", "body": piece, "more_body": True})
                await send({"type": "http.response.body", "body": b""})
            finally:
                await answer.aclose()
        except httpx.ConnectError:
            return False
        except httpx.TransportError:
            if begun:
                raise
            if scope["method"] in ("GET", "HEAD"):
                return False
            await _lost(send)
        return True


def _headers(scope: dict[str, Any]) -> list[tuple[bytes, bytes]]:
    passed = [(name, value) for name, value in scope["headers"] if name not in OF_THE_CONNECTION | FORWARDED]
    client = scope.get("client")
    forwarded = [(b"x-forwarded-proto", scope["scheme"].encode())]
    if client:
        forwarded.append((b"x-forwarded-for", client[0].encode()))
    return [*passed, *forwarded]


def _again(body: bytes, whole: bool, receive: Receive) -> Receive:
    """What was read already, and then what still comes."""
    given = False

    async def replayed() -> Message:
        nonlocal given
        if given:
            return await receive()
        given = True
        return {"type": "http.request", "body": body, "more_body": not whole}

    return replayed


async def _lost(send: Send) -> None:
    """It may have been done: nobody does it a second time unasked."""
    code, detail = WORDS[500]
    content = json.dumps({"code": code, "detail": detail, "fields": {}}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(content)).encode())]
    await send({"type": "http.response.start", "status": GONE, "headers": headers})
    await send({"type": "http.response.body", "body": content})
