"""JSON keeps its shape: what has another is refused with the name of its field, on the way in and on the way out."""

import scenes
from django.apps import apps
from django.db import connection, models, transaction
from django.test import TestCase

from shop.checked_json import CheckedJSONField
from shop.models import Person, Role


class Kept(TestCase):
    def setUp(self):
        self.person = scenes.person(Role.VIEWER)

    def test_what_has_the_shape_comes_back_as_it_went(self):
        self.person.units = {**self.person.units, "torque": "N·m"}
        self.person.save()
        self.assertEqual(Person.objects.get(pk=self.person.pk).units, self.person.units)

    def test_what_has_not_is_never_kept(self):
        kept = Person.objects.get(pk=self.person.pk).units
        for wrong, where in ((["lb-ft"], "shop.Person.units"), ({"torque": 4.5}, "shop.Person.units.torque")):
            self.person.units = wrong
            refused = self.assertRaisesMessage(ValueError, f"{where} cannot be kept")
            with self.subTest(wrong=wrong), refused, transaction.atomic():
                self.person.save()
        self.assertEqual(Person.objects.get(pk=self.person.pk).units, kept)

    def test_what_somebody_else_spoiled_is_named_when_it_is_read(self):
        with connection.cursor() as cursor:
            cursor.execute("UPDATE shop_person SET units = '[1, 2]' WHERE id = %s", [self.person.pk])
        with self.assertRaisesMessage(ValueError, "shop.Person.units is not what it should be"):
            Person.objects.get(pk=self.person.pk)

    def test_a_part_of_it_can_be_asked_for(self):
        unit = Person.objects.filter(pk=self.person.pk).values_list("units__torque", flat=True).get()
        self.assertEqual(unit, self.person.units["torque"])
        self.assertTrue(Person.objects.filter(units__torque=unit).exists())

    def test_every_json_of_ours_has_a_shape(self):
        ours = ("shop", "jobs", "engines", "programmes", "stand", "curves", "verdicts")
        fields = [
            field for app in ours for model in apps.get_app_config(app).get_models() for field in model._meta.fields
        ]
        json = [field for field in fields if isinstance(field, models.JSONField)]
        self.assertGreater(len(json), 15)
        self.assertEqual([str(field) for field in json if not isinstance(field, CheckedJSONField)], [])
