"""The live stream as an ASGI server gives it: who may see it, what is in it, and that it ends."""

import asyncio
import json
from unittest import mock

import scenes
from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session as DjangoSession
from django.db import OperationalError
from django.test import TransactionTestCase

from engines.models import Engine
from shop.models import Person, Role
from stand.live import notifications
from stand.live.notifications import Hub
from stand.pulls import keeping
from stand.session import opening


class Stream(TransactionTestCase):
    def setUp(self):
        self.operator = scenes.person(Role.OPERATOR)
        self.programme = scenes.programme(self.operator)
        self.address = f"/api/programmes/{self.programme.pk}/live"

    async def read(self, count: int, send) -> list[dict]:
        """The first messages of the stream; `send` is called once the stream listens."""
        answer = await self.async_client.get(self.address)
        self.assertEqual(answer.headers["Content-Type"], "text/event-stream")
        messages: list[dict] = []
        parts = answer.streaming_content  # type: ignore[attr-defined]
        await anext(parts)
        while not notifications.hub.listening.is_set():
            await asyncio.sleep(0.02)
        await sync_to_async(send)()
        while len(messages) < count:
            part = (await asyncio.wait_for(anext(parts), 60)).decode()
            if part.startswith("data: "):
                messages.append(json.loads(part[6:]))
        await parts.aclose()
        return messages

    async def test_signed_out_or_without_a_session_there_is_no_stream(self):
        answer = await self.async_client.get(self.address)
        self.assertEqual((answer.status_code, answer.json()["code"]), (401, "signed_out"))
        await self.async_client.aforce_login(self.operator)
        answer = await self.async_client.get(self.address)
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "no_session"))

    async def test_frames_come_converted_and_with_the_side_of_each_gate(self):
        session = await sync_to_async(scenes.session)(self.programme, self.operator)
        await self.async_client.aforce_login(self.operator)
        frame = {"type": "frame", "stand": session.stand_id, "n": 4, "state": "idle", "pull": None, "faulty": [],
                 "values": {"torque": 135.58179, "oil_temperature": 340.0}, "points": [[3000.0, 135.58]]}  # fmt: skip
        other = {**frame, "stand": session.stand_id + 1, "n": 5}

        def send() -> None:
            notifications.notify(notifications.FRAMES, other)
            notifications.notify(notifications.FRAMES, frame)

        (got,) = await self.read(1, send)
        self.assertEqual(got["n"], 4)
        self.assertAlmostEqual(got["values"]["torque"], 100.0, places=2)
        self.assertEqual(got["sides"], {"oil_temperature": "low"})

    async def test_judging_a_pull_is_told_to_everyone_who_looks(self):
        session = await sync_to_async(scenes.session)(self.programme, self.operator)
        setup = await self.programme.setups.afirst()
        pull = await sync_to_async(scenes.pull)(session, setup, self.operator)
        await self.async_client.aforce_login(self.operator)
        (got,) = await self.read(1, lambda: keeping.exclude(self.operator, pull, scenes.DAY, "hose off"))
        self.assertEqual((got["type"], got["pull"]), ("pull", pull.pk))

    async def read_on(self, person, change) -> tuple[list[dict], bool]:
        """What comes after a change by which the reader may be none any more, and whether the stream ended."""
        await self.async_client.aforce_login(person)
        answer = await self.async_client.get(self.address)
        messages: list[dict] = []
        with mock.patch.object(notifications, "HEARTBEAT_S", 0.2):
            parts = answer.streaming_content  # type: ignore[attr-defined]
            await anext(parts)
            while not notifications.hub.listening.is_set():
                await asyncio.sleep(0.02)
            await sync_to_async(change)()
            async for part in parts:
                if part.startswith(b"data: "):
                    messages.append(json.loads(part[6:]))
                    if messages[-1]["type"] == "frame":
                        await parts.aclose()
                        return messages, False
        return messages, True

    def frame(self, session) -> dict:
        return {"type": "frame", "stand": session.stand_id, "n": 4, "state": "idle", "pull": None, "faulty": [],
                "values": {"torque": 1.0}, "points": []}  # fmt: skip

    async def test_it_ends_with_the_right_to_read(self):
        session = await sync_to_async(scenes.session)(self.programme, self.operator)

        def sign_out(reader):
            DjangoSession.objects.all().delete()

        def another_role(reader):
            Person.objects.filter(pk=reader.pk).update(role=Role.OPERATOR)

        def no_account(reader):
            Person.objects.filter(pk=reader.pk).update(is_active=False)

        def confidential(reader):
            Engine.objects.update(confidential=True)

        def another_test(reader):
            opening.close_session(self.operator, session, scenes.DAY)
            other = scenes.programme(self.operator, build=self.programme.build, parts="other")
            scenes.session(other, self.operator, stand=session.stand)
            notifications.notify(notifications.FRAMES, self.frame(session))

        def as_before(reader):
            Person.objects.filter(pk=reader.pk).update(role=Role.VIEWER, is_active=True)
            Engine.objects.update(confidential=False)

        reader = await sync_to_async(scenes.person)(Role.VIEWER)
        for change in (sign_out, another_role, no_account, confidential, another_test):
            with self.subTest(change=change.__name__):
                messages, ended = await self.read_on(reader, lambda change=change: change(reader))
                self.assertEqual((messages, ended), ([{"type": "ended"}], True))
                await sync_to_async(as_before)(reader)

    async def test_a_reader_who_still_may_reads_on(self):
        session = await sync_to_async(scenes.session)(self.programme, self.operator)

        def nothing_that_matters():
            notifications.notify(notifications.FRAMES, {"type": "session", "stand": session.stand_id})
            notifications.notify(notifications.FRAMES, self.frame(session))

        messages, ended = await self.read_on(self.operator, nothing_that_matters)
        self.assertEqual(([message["type"] for message in messages], ended), (["session", "frame"], False))

    async def test_a_database_that_goes_away_while_a_reader_is_checked_ends_nothing(self):
        session = await sync_to_async(scenes.session)(self.programme, self.operator)

        def change():
            notifications.notify(notifications.FRAMES, {"type": "session", "stand": session.stand_id})
            notifications.notify(notifications.FRAMES, self.frame(session))

        with mock.patch("stand.live.stream._reads", side_effect=OperationalError):
            messages, ended = await self.read_on(self.operator, change)
        self.assertIn({"type": "database_lost"}, messages)
        self.assertFalse(ended)

    def test_a_message_too_long_for_a_notification_is_an_error_here_not_in_the_database(self):
        with self.assertRaisesMessage(ValueError, "is too long"):
            notifications.notify(notifications.FRAMES, {"stand": 1, "text": "x" * 9000})


class SlowBrowser(TransactionTestCase):
    async def test_loses_its_oldest_frames_and_the_server_does_not_grow(self):
        hub = Hub()
        with mock.patch.object(hub, "_run", new_callable=mock.AsyncMock):
            queue = hub.join()
        for number in range(notifications.MOST_WAITING + 30):
            hub._hand_out(str(number))
        self.assertEqual(queue.qsize(), notifications.MOST_WAITING)
        self.assertEqual(queue.get_nowait().told, 30)
        hub.leave(queue)
        self.assertIsNone(hub.task)
