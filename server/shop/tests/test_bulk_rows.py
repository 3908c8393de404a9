"""Rows in the database's binary form: as they were given, under every rule of the table, or none of them."""

from datetime import UTC, datetime

import scenes
from django.db import DataError, IntegrityError, transaction
from django.test import TestCase

from shop.bulk_rows import copy_rows, next_keys
from shop.models import AuditEntry, Role, Shop

AT = datetime(2026, 11, 30, 8, 15, 30, 123456, UTC)
FIELDS = ("at", "by", "what")


class BulkRows(TestCase):
    def test_they_come_back_as_they_were_given_with_keys_of_their_own(self):
        person = scenes.person(Role.OWNER)
        copy_rows(AuditEntry, FIELDS, [(AT, person.pk, "Häuser, 1 µm"), (AT, None, "")])
        first, second = AuditEntry.objects.order_by("pk")
        self.assertEqual((first.at, first.by, first.what), (AT, person, "Häuser, 1 µm"))
        self.assertEqual((second.by, second.what), (None, ""))
        self.assertEqual(AuditEntry.objects.create(at=AT, what="next").pk, second.pk + 1)

    def test_nothing_of_them_where_one_breaks_a_rule(self):
        for error, rows in (
            (IntegrityError, [(AT, None, "fine"), (None, None, "no time")]),
            (DataError, [(AT, None, "fine"), (AT, None, "x" * 301)]),
        ):
            with self.assertRaises(error), transaction.atomic():
                copy_rows(AuditEntry, FIELDS, rows)
        self.assertEqual(AuditEntry.objects.count(), 0)

    def test_keys_that_were_taken_beforehand_are_nobody_elses(self):
        first, second = next_keys(AuditEntry, 2)
        other = AuditEntry.objects.create(at=AT, what="in between")
        copy_rows(AuditEntry, ("id", *FIELDS), [(second, AT, None, "b"), (first, AT, None, "a")])
        self.assertEqual(len({first, second, other.pk}), 3)
        self.assertEqual(AuditEntry.objects.get(pk=first).what, "a")

    def test_what_has_a_shape_is_checked_for_it(self):
        rows = [("x", "USD", "UTC", {"torque": 3})]
        with self.assertRaisesMessage(ValueError, "shop.Shop.units.torque cannot be kept"):
            copy_rows(Shop, ("name", "currency", "time_zone", "units"), rows)

    def test_none_at_all_is_fine(self):
        copy_rows(AuditEntry, FIELDS, [])
        self.assertEqual(AuditEntry.objects.count(), 0)
