"""What is sent is small, whole and at most so much at once."""

import asyncio
import gzip
import warnings
from typing import Any

import scenes
from django.conf import settings
from django.http import StreamingHttpResponse
from django.test import AsyncRequestFactory, SimpleTestCase, TestCase

from config.delivery import CompressedText
from config.turnstile import Turnstile
from shop.models import Role


class BuiltFiles(SimpleTestCase):
    """The front end as it was built and compressed for this run."""

    def script(self) -> str:
        largest = max((settings.WEB_BUILD / "assets").glob("*.js"), key=lambda file: file.stat().st_size)
        return f"/static/assets/{largest.name}"

    def test_a_script_comes_compressed_whole_and_to_be_kept(self):
        address = self.script()
        plain = self.client.get(address)
        for way in ("br", "gzip"):
            with self.subTest(way=way):
                answer = self.client.get(address, headers={"Accept-Encoding": way})
                self.assertEqual(answer.headers["Content-Encoding"], way)
                self.assertLess(len(answer.content), 0.4 * len(plain.content))
                self.assertEqual(int(answer.headers["Content-Length"]), len(answer.content))
                self.assertIn("immutable", answer.headers["Cache-Control"])
        self.assertEqual(gzip.decompress(answer.content), plain.content)

    async def test_nothing_is_streamed_that_would_be_read_to_its_end_first(self):
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            answer = await self.async_client.get(self.script())
        self.assertFalse(answer.streaming)

    def test_a_part_of_a_file_and_a_file_that_did_not_change(self):
        answer = self.client.get(self.script(), headers={"Range": "bytes=0-9"})
        self.assertEqual((answer.status_code, len(answer.content)), (206, 10))
        again = self.client.get(self.script(), headers={"If-Modified-Since": answer.headers["Last-Modified"]})
        self.assertEqual((again.status_code, again.content), (304, b""))


class Text(TestCase):
    def test_json_is_compressed_for_those_who_can_read_it(self):
        self.client.force_login(scenes.person(Role.VIEWER))
        plain = self.client.get("/api/sheet")
        self.assertNotIn("Content-Encoding", plain.headers)
        answer = self.client.get("/api/sheet", headers={"Accept-Encoding": "gzip"})
        self.assertLess(len(answer.content), 0.5 * len(plain.content))
        self.assertEqual(gzip.decompress(answer.content), plain.content)

    def test_the_live_stream_is_sent_as_it_comes(self):
        async def events():
            yield b"data: " + b"x" * 1000 + b"\n\n"

        stream = StreamingHttpResponse(events(), content_type="text/event-stream")
        request = AsyncRequestFactory().get("/", headers={"Accept-Encoding": "gzip"})
        answer = CompressedText(lambda _: stream).process_response(request, stream)
        self.assertNotIn("Content-Encoding", answer.headers)


class AtTheTurnstile(SimpleTestCase):
    """An application that counts who is in it, and lets nobody go before it is told."""

    def setUp(self):
        self.inside = self.most = self.done = 0
        self.go = asyncio.Event()

    async def application(self, scope, receive, send):
        await receive()
        self.inside += 1
        self.most = max(self.most, self.inside)
        await self.go.wait()
        self.inside -= 1
        self.done += 1

    @staticmethod
    def ask(turnstile: Turnstile, path: str, body: tuple[dict, ...] = ({"type": "http.request"},)) -> asyncio.Task:
        sent = iter(body)

        async def receive(*_: object) -> Any:
            return next(sent, {"type": "http.disconnect"})

        return asyncio.ensure_future(turnstile({"type": "http", "path": path}, receive, receive))

    @staticmethod
    async def everybody_waits() -> None:
        for _ in range(20):
            await asyncio.sleep(0)

    async def test_no_more_are_worked_on_than_there_are_places_and_all_are_in_the_end(self):
        turnstile = Turnstile(self.application, places=3, reserved=1)
        asked = [self.ask(turnstile, "/api/tests-table") for _ in range(10)]
        await self.everybody_waits()
        self.assertEqual(self.inside, 3)
        self.go.set()
        await asyncio.gather(*asked)
        self.assertEqual((self.most, self.done), (3, 10))

    async def test_an_abort_does_not_wait_behind_them_and_files_and_streams_take_no_place(self):
        turnstile = Turnstile(self.application, places=1, reserved=1)
        asked = [self.ask(turnstile, "/api/tests-table") for _ in range(5)]
        await self.everybody_waits()
        for number, path in enumerate(("/api/pulls/3/abort", "/static/assets/a.js", "/api/programmes/1/live"), 2):
            asked.append(self.ask(turnstile, path))
            await self.everybody_waits()
            self.assertEqual(self.inside, number, path)
        self.go.set()
        await asyncio.gather(*asked)

    async def test_whoever_has_not_sent_everything_takes_no_place(self):
        turnstile = Turnstile(self.application, places=1, reserved=1)
        slow = self.ask(turnstile, "/api/archives", ({"type": "http.request", "more_body": True},))
        quick = self.ask(turnstile, "/api/tests-table")
        await self.everybody_waits()
        self.assertEqual(self.inside, 2)  # the slow one is heard, and holds no place
        self.go.set()
        await asyncio.gather(slow, quick)

    async def test_work_that_is_begun_is_not_told_that_nobody_waits_for_it_any_more(self):
        heard = []

        async def application(scope, receive, send):
            heard.append((await receive())["type"])
            gone = asyncio.ensure_future(receive())
            await self.everybody_waits()
            heard.append(gone.done())
            gone.cancel()

        await self.ask(Turnstile(application), "/api/tests-table")
        self.assertEqual(heard, ["http.request", False])
