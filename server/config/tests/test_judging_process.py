"""What takes long is handed on, as it was asked and answered; and answered here where nobody else does."""

import json
import re
from typing import Any

import httpx
from django.test import SimpleTestCase

from config.api import api
from config.judging_process import TAKES_LONG, HandedOn

# Of the apps that judge: read from a few stored rows, or a choice that somebody makes.
QUICK = {
    "/tests-table", "/search", "/verdict-choices", "/guideline-choices", "/duty-of-gears", "/practice", "/links/1",
    "/programmes/1/decisions", "/programmes/1/practice", "/programmes/1/practice/reveal", "/sheets/1/links",
    "/estimates/1", "/guidelines/1/explanations", "/guidelines/1/archived", "/explanations/1/withdrawn",
}  # fmt: skip


def addresses(app: str) -> set[str]:
    """Of every endpoint of an app, with numbers in the place of keys."""
    found = set()
    for _, router in api._routers:
        for path, view in router.path_operations.items():
            if view.operations[0].view_func.__module__.startswith(f"{app}."):
                found.add(re.sub(r"\{\w+\}", "1", path.replace("{kind}", "csv")))
    return found


class WhatTakesLong(SimpleTestCase):
    def test_of_every_address_that_judges_somebody_has_said_whether_it_takes_long(self):
        unsaid = {path for path in addresses("verdicts") if not TAKES_LONG.match(f"/api{path}")} - QUICK
        self.assertEqual(unsaid, set())

    def test_nothing_that_is_said_to_the_stand_is_handed_on(self):
        for app in ("stand", "jobs", "shop"):
            taken = {path for path in addresses(app) if TAKES_LONG.match(f"/api{path}")}
            self.assertEqual(taken, set())
        self.assertFalse(TAKES_LONG.match("/api/programmes/1/live"))


class Handing(SimpleTestCase):
    async def ask(self, transport: httpx.AsyncBaseTransport, method: str = "GET", body: bytes = b"",
                  path: str = "/api/programmes/3/verdict") -> list[dict[str, Any]]:  # fmt: skip
        """What is sent to the browser."""
        self.here: list[bytes] = []

        async def application(scope, receive, send):
            self.here.append((await receive())["body"])
            await send({"type": "http.response.start", "status": 200, "headers": [(b"x-from", b"here")]})
            await send({"type": "http.response.body", "body": b"here"})

        scope = {"type": "http", "method": method, "path": path, "raw_path": path.encode(), "scheme": "https",
                 "query_string": b"standard=sae", "client": ("192.0.2.5", 1), "server": ("dyno", 443),
                 "headers": [(b"host", b"dyno"), (b"cookie", b"a=b"), (b"x-forwarded-for", b"10.0.0.1")]}  # fmt: skip
        halves = [body[: len(body) // 2], body[len(body) // 2 :]]
        messages = [{"type": "http.request", "body": half, "more_body": not number}
                    for number, half in enumerate(halves)]  # fmt: skip

        async def receive():
            return messages.pop(0)

        sent: list[dict[str, Any]] = []

        async def send(message):
            sent.append(message)

        await HandedOn(application, transport)(scope, receive, send)
        return sent

    async def test_it_is_asked_and_answered_as_it_was(self):
        asked: list[httpx.Request] = []

        async def judging(request: httpx.Request) -> httpx.Response:
            asked.append(request)
            return httpx.Response(201, headers=[("set-cookie", "a=1"), ("set-cookie", "b=2"), ("connection", "close")],
                                  content=b"worked out")  # fmt: skip

        start, *rest = await self.ask(httpx.MockTransport(judging), "POST", b'{"duty": "road"}')
        self.assertEqual(start["status"], 201)
        cookies = [value for name, value in start["headers"] if name == b"set-cookie"]
        self.assertEqual(cookies, [b"a=1", b"b=2"])
        self.assertNotIn(b"connection", dict(start["headers"]))
        self.assertEqual(b"".join(one["body"] for one in rest), b"worked out")
        (request,) = asked
        self.assertEqual((request.method, request.url.raw_path), ("POST", b"/api/programmes/3/verdict?standard=sae"))
        self.assertEqual((request.content, request.headers["host"]), (b'{"duty": "road"}', "dyno"))
        self.assertEqual(request.headers["cookie"], "a=b")
        # Who asks, the web server knows: nobody makes himself another by a header.
        self.assertEqual(request.headers.get_list("x-forwarded-for"), ["192.0.2.5"])
        self.assertEqual(request.headers["x-forwarded-proto"], "https")
        self.assertEqual(self.here, [])

    async def test_where_nobody_is_there_it_is_answered_here_with_all_that_was_sent(self):
        async def nobody(request: httpx.Request) -> httpx.Response:
            raise httpx.ConnectError("no such socket")

        sent = await self.ask(httpx.MockTransport(nobody), "POST", b"abcdef")
        self.assertEqual((sent[-1]["body"], self.here), (b"here", [b"abcdef"]))

    async def test_what_was_begun_and_lost_is_read_again_but_not_done_again(self):
        async def killed(request: httpx.Request) -> httpx.Response:
            raise httpx.RemoteProtocolError("gone")

        self.assertEqual((await self.ask(httpx.MockTransport(killed)))[-1]["body"], b"here")
        start, answer = await self.ask(httpx.MockTransport(killed), "POST", b"{}")
        self.assertEqual((start["status"], self.here), (503, []))
        self.assertIn("Look whether it was done", json.loads(answer["body"])["detail"])

    async def test_everything_else_stays_here(self):
        async def nobody(request: httpx.Request) -> httpx.Response:
            raise AssertionError(request.url)

        sent = await self.ask(httpx.MockTransport(nobody), path="/api/programmes/3/stand")
        self.assertEqual(sent[-1]["body"], b"here")
