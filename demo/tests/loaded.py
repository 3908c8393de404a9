"""The demonstration for tests: loaded once a run into a template database, copied for each test that asks."""

from __future__ import annotations

import os

from django.db import connection
from django.test import TransactionTestCase

from demo.loader import load
from ops.lanes import OURS, clean_database, other_database

TEMPLATE, MAKING = f"{OURS}_demonstration", f"{OURS}_demonstration_making"
LOCK = 7_420  # advisory; the other lane waits while the template is made


class CopyCase(TransactionTestCase):
    """Each test has a database of its own, a copy of a template, and may do with it what it likes."""

    @classmethod
    def template(cls) -> str:
        """Of a shop that nobody has set up."""
        return clean_database()

    @classmethod
    def setUpClass(cls) -> None:
        cls.enterClassContext(other_database(f"{OURS}_copy_{os.getpid()}"))
        super().setUpClass()

    @classmethod
    def _fixture_setup(cls) -> None:
        connection.close()
        name = connection.settings_dict["NAME"]
        with connection._nodb_cursor() as cursor:
            # By force: a server or a worker of the test before may still be there.
            cursor.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
            cursor.execute(f'CREATE DATABASE "{name}" TEMPLATE "{cls.template()}"')

    def _fixture_teardown(self) -> None:
        """Nothing is put back: the next test has a copy of its own."""


class DemonstrationCase(CopyCase):
    @classmethod
    def template(cls) -> str:
        return TEMPLATE

    @classmethod
    def setUpClass(cls) -> None:
        make_template()
        super().setUpClass()


def make_template() -> None:
    """By the simulated stands, which take a minute for the days of pulls: once a run, by whoever asks first."""
    with connection._nodb_cursor() as cursor:
        cursor.execute("SELECT pg_advisory_lock(%s)", [LOCK])  # given back with this connection
        cursor.execute("SELECT 1 FROM pg_database WHERE datname = %s", [TEMPLATE])
        if cursor.fetchone():
            return
        cursor.execute(f'DROP DATABASE IF EXISTS "{MAKING}" WITH (FORCE)')
        cursor.execute(f'CREATE DATABASE "{MAKING}" TEMPLATE "{clean_database()}"')
        with other_database(MAKING):
            load()
        cursor.execute(f'ALTER DATABASE "{MAKING}" RENAME TO "{TEMPLATE}"')
