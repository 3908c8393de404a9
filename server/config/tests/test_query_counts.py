"""No endpoint asks the database once for each row: it answers over many as it does over few."""

from datetime import timedelta

import scenes
from django.db import connection
from django.test.utils import CaptureQueriesContext

from config.tests.test_api import ENDPOINTS, OneOfEverything
from shop.models import Stand
from stand.models import Note
from verdicts.results import service as results


class QueryCounts(OneOfEverything):
    def setUp(self):
        self.client.force_login(self.owner)

    def counted(self) -> dict[str, int]:
        """By address, of what is read; asked twice, as the first finds nothing remembered."""
        results.refresh(600)
        found = {}
        for method, address, _, _ in ENDPOINTS:
            if method != "get":
                continue
            self.read(address)
            with CaptureQueriesContext(connection) as asked:
                self.read(address)
            found[address] = len(asked)
        return found

    def grow(self, numbers: range) -> None:
        """More pulls of every setup, with notes, and further tests on engines of their own."""
        for setup in self.programme.setups.all():
            pull = scenes.pull(self.session, setup, self.operator)
            Note.objects.create(session=self.session, pull=pull, kind="note", text="heard", person=self.operator,
                                at=scenes.DAY)  # fmt: skip
        for number in numbers:
            planned = scenes.programme(self.operator, engine=f"another {number}", parts=f"part of {number},")
            opened = scenes.session(planned, self.operator, Stand.objects.create(name=f"Another stand {number}"),
                                    scenes.DAY + timedelta(days=number + 1))  # fmt: skip
            for setup in planned.setups.all():
                scenes.pull(opened, setup, self.operator)

    def test_they_do_not_grow_with_the_rows(self):
        self.grow(range(1))
        few = self.counted()
        self.grow(range(1, 3))
        many = self.counted()
        grown = {address: (few[address], count) for address, count in many.items() if count > few[address]}
        self.assertEqual(grown, {})
