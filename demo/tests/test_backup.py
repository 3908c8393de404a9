"""A backup of the demonstration, restored elsewhere: the same verdicts to the digit, the same sign-ins and links."""

import os
import tarfile
import tempfile
from pathlib import Path
from unittest import mock

from django.db import connection
from django.test import Client

from demo.tests.loaded import CopyCase, DemonstrationCase
from ops import backup, upgrading
from ops.lanes import OURS, other_database
from ops.machine import CannotGoOn, environment
from programmes.models import Programme
from shop.models import Person
from verdicts.models import SheetLink


class Place(CopyCase):
    """A folder, and an empty database beside the one of the test."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name in ("VAR", "FOLDER"):
            self.enterContext(mock.patch.object(backup, name, self.folder))
        (self.folder / "secrets").mkdir()
        (self.folder / "secrets" / "django").write_text("a key")
        (self.folder / "secrets" / "pg-password").write_text("of this machine")
        (self.folder / "spool").mkdir()
        (self.folder / "spool" / "stand-1.jsonl").write_text("{}\n")
        self.elsewhere = f"{OURS}_restored_{os.getpid()}"

    def env(self, database: str) -> dict[str, str]:
        told = connection.settings_dict
        return environment(
            **{f"TORVIX_DB_{name}": str(told[name]) for name in ("HOST", "PORT", "USER", "PASSWORD")},
            TORVIX_DB_NAME=database, TORVIX_SECRET_KEY="x" * 60, TORVIX_TESTING="1",
        )  # fmt: skip

    def here(self) -> dict[str, str]:
        return self.env(str(connection.settings_dict["NAME"]))

    def empty(self) -> dict[str, str]:
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'CREATE DATABASE "{self.elsewhere}"')
        self.addCleanup(self.drop)
        return self.env(self.elsewhere)

    def drop(self) -> None:
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{self.elsewhere}" WITH (FORCE)')


class Keeping(Place):
    def setUp(self):
        super().setUp()
        Person.objects.create_user("una", role="owner")

    def test_a_shop_that_is_here_is_not_written_over(self):
        file = backup.back_up(self.here(), self.folder / "kept.tar")
        with self.assertRaisesRegex(CannotGoOn, "there is a shop here already"):
            backup.restore(self.here(), file)
        with self.assertRaisesRegex(CannotGoOn, "is there already"):
            backup.back_up(self.here(), file)

    def test_a_broken_one_and_one_of_a_newer_torvix_are_refused(self):
        file = backup.back_up(self.here(), self.folder / "kept.tar")
        whole = file.read_bytes()
        target = self.empty()
        for broken in (whole[: len(whole) // 2], whole.replace(b"a key", b"b key"), b"not a tar file"):
            file.write_bytes(broken)
            with self.assertRaisesRegex(CannotGoOn, "broken"):
                backup.restore(target, file)
        file.write_bytes(whole)
        older = mock.patch.object(backup, "known_migrations", return_value=["shop.0001_initial"])
        with older, self.assertRaisesRegex(CannotGoOn, "of a newer Torvix"):
            backup.restore(target, file)
        self.assertFalse(backup.has_people(target))

    def test_a_full_disk_leaves_nothing_half_done(self):
        full = mock.patch.object(tarfile.TarFile, "addfile", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaisesRegex(CannotGoOn, "could not be written .* No space left"):
            backup.back_up(self.here(), self.folder / "kept.tar")
        self.assertEqual(list(self.folder.glob("kept*")), [])

    def test_the_older_database_is_put_back_where_it_cannot_be_brought_up_to_date(self):
        here = self.here()
        with connection.cursor() as cursor:  # as if the last change of the tables were still to come
            cursor.execute("DELETE FROM django_migrations WHERE app = 'shop' AND name LIKE '0004%'")
        connection.close()
        with self.assertRaisesRegex(CannotGoOn, "the migration failed"):
            upgrading.bring_up_to_date(here)
        self.assertEqual(len(list(self.folder.glob("before-upgrade-*.tar"))), 1)
        self.assertTrue(upgrading.is_due(here))  # as it was before
        self.assertTrue(backup.has_people(here))

    def test_going_back_keeps_what_was_recorded_since(self):
        file = backup.back_up(self.here(), self.folder / "kept.tar")
        Person.objects.create_user("late")
        with connection.cursor() as cursor:  # a newer Torvix has tables that hold on to the older ones
            cursor.execute("CREATE TABLE shop_later (person bigint REFERENCES shop_person)")
            cursor.execute("CREATE TABLE somebody_elses (text text)")
        connection.close()
        upgrading.go_back(self.here(), file)
        self.assertFalse(Person.objects.filter(username="late").exists())
        tables = connection.introspection.table_names()
        self.assertEqual(("shop_later" in tables, "somebody_elses" in tables), (False, True))
        self.assertEqual(len(list(self.folder.glob("before-going-back-*.tar"))), 1)

    def test_only_the_newest_stay(self):
        for number in range(5):
            (self.folder / f"nightly-2026110{number}-030000.tar").touch()
        for other in ("mine.tar", "before-upgrade-20261101-120000.tar"):
            (self.folder / other).touch()
        backup.thin_out(2)
        names = sorted(file.name for file in self.folder.glob("*.tar"))
        self.assertEqual(
            names,
            [
                "before-upgrade-20261101-120000.tar",
                "mine.tar",
                "nightly-20261103-030000.tar",
                "nightly-20261104-030000.tar",
            ],
        )


class Demonstration(Place, DemonstrationCase):
    def seen(self, client: Client) -> dict[str, object]:
        """What somebody who signed in before sees of every test."""
        return {
            f"{programme.question} {what}": client.get(f"/api/programmes/{programme.pk}/{what}").json()
            for programme in Programme.objects.order_by("pk")
            for what in ("verdict", "pulls", "sheets")
        }

    def test_restored_elsewhere_it_shows_the_same_to_the_digit(self):
        client = Client()
        client.force_login(Person.objects.get(username="mats"))
        before = self.seen(client)
        file = backup.back_up(self.here(), self.folder / "kept.tar")
        self.assertEqual(file.stat().st_mode & 0o777, 0o600)
        target = self.empty()
        with mock.patch.object(backup, "VAR", self.folder / "other"):
            (self.folder / "other").mkdir()
            backup.restore(target, file)
        self.assertEqual((self.folder / "other/secrets/django").read_text(), "a key")
        self.assertEqual((self.folder / "other/spool/stand-1.jsonl").read_text(), "{}\n")
        self.assertFalse((self.folder / "other/secrets/pg-password").exists())
        links = SheetLink.objects.count()
        with other_database(self.elsewhere):
            self.assertEqual(self.seen(client), before)
            self.assertEqual(SheetLink.objects.count(), links)
        self.assertFalse(upgrading.is_due(target))
