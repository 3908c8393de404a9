"""The board of tests and the long lists: searched, sorted and paged by the database, in a bounded number of queries."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from programmes.models import Programme
from shop.models import Role
from stand.models import Pull, Standing
from verdicts.home import board

MOST_QUERIES = 12


class Board(TestCase):
    def setUp(self) -> None:
        self.operator = scenes.person(Role.OPERATOR)
        self.planned = scenes.programme(self.operator, setups=2)
        self.client.force_login(self.operator)

    def page(self, **asked: Any) -> dict[str, Any]:
        return dict(self.client.get("/api/tests-table", asked).json())

    def row(self) -> dict[str, Any]:
        return dict(self.page()["rows"][0])

    def test_a_test_goes_from_planned_to_measured_and_says_what_waits(self):
        self.assertEqual((self.row()["stage"], self.row()["last_pull"], self.row()["needs"]), ("planned", None, []))
        session = scenes.day_of_pulls(self.planned, self.operator, [[1.0, 1.0], [1.02, 1.02]])
        session.closed_at = session.opened_at + timedelta(hours=8)
        session.save()
        self.assertEqual(self.row()["stage"], "measured")
        last = Pull.objects.order_by("number").last()
        assert last is not None
        self.assertEqual(
            (self.row()["last_pull"]["number"], self.row()["last_pull"]["setup_id"]), (last.number, last.setup_id)
        )
        Pull.objects.filter(pk=last.pk).update(standing=Standing.UNDECIDED)
        self.assertEqual(self.row()["needs"], ["1 pull to accept or exclude"])

    def test_the_line_is_the_verdicts_own(self):
        self.assertEqual(self.client.get(f"/api/programmes/{self.planned.pk}/verdict-line").json(), {"line": ""})
        scenes.day_of_pulls(self.planned, self.operator, [[1.0, 1.0, 1.0], [1.05, 1.05, 1.05]])
        line = self.client.get(f"/api/programmes/{self.planned.pk}/verdict-line").json()["line"]
        verdict = self.client.get(f"/api/programmes/{self.planned.pk}/verdict").json()
        self.assertIn(line, verdict["headline"])
        self.assertIn("choose", line)

    def test_what_was_never_pulled_comes_last_however_the_last_pulls_are_sorted(self):
        scenes.day_of_pulls(self.planned, self.operator, [[1.0], [1.02]])
        scenes.programme(self.operator, setups=2, engine="5.7 eight", parts="other")
        for order in ("asc", "desc"):
            with self.subTest(order):
                rows = self.page(sort="last", order=order)["rows"]
                self.assertEqual([row["last_pull"] is None for row in rows], [False, True])

    def test_every_word_that_is_sought_must_be_there_in_question_engine_or_setup(self):
        engine, setup = self.planned.build.engine.name, self.planned.setups.last()
        assert setup is not None
        for sought, found in (("", 1), (engine.upper(), 1), (setup.name, 1), (f"{engine} nowhere", 0)):
            with self.subTest(sought):
                self.assertEqual(self.page(search=sought)["total"], found)

    def test_pages_hold_all_once_and_the_queries_do_not_grow(self):
        for number in range(30):
            Programme.objects.create(
                question=f"Test {number:02}?", build=self.planned.build, created_by=self.operator,
                created_at=scenes.DAY, low_rpm=3000, high_rpm=6000, sweep_start_rpm=2000, sweep_end_rpm=6900,
                sweep_rate_rpm_s=350,
            )  # fmt: skip
        pages = [self.page(page=number, size=10, sort="question") for number in (1, 2, 3, 4)]
        questions = [row["question"] for page in pages for row in page["rows"]]
        self.assertEqual(([page["total"] for page in pages], len(questions)), ([31] * 4, 31))
        self.assertEqual(questions, sorted(questions))
        backward = self.page(size=31, sort="question", order="desc")
        self.assertEqual([row["question"] for row in backward["rows"]], questions[::-1])
        counts = []
        for size in (1, 31):
            with CaptureQueriesContext(connection) as asked:
                self.page(size=size, sort="question", order="desc")  # the one with setups stands first
            counts.append(len(asked))
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(counts[0], MOST_QUERIES)

    def test_a_page_that_is_no_page_is_refused_and_one_behind_the_last_is_empty(self):
        self.assertEqual(self.client.get("/api/tests-table", {"page": 0}).status_code, 422)
        self.assertEqual(self.client.get("/api/tests-table", {"size": 100_000}).status_code, 422)
        self.assertEqual(self.page(page=99)["rows"], [])

    def test_a_customer_is_not_asked_for_a_hand(self):
        scenes.day_of_pulls(self.planned, self.operator, [[1.0], [1.02]])
        Pull.objects.update(standing=Standing.UNDECIDED)
        test = board.board(self.operator).get()
        self.assertTrue(board.needs(test, self.operator, scenes.DAY))
        self.assertEqual(board.needs(test, scenes.person(Role.CUSTOMER), scenes.DAY), [])
