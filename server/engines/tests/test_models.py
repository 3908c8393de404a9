from django.db import IntegrityError, transaction
from django.test import TestCase

from engines.models import Build
from engines.services import add_part, describe_engine, displacement


class Promises(TestCase):
    def setUp(self):
        self.build = describe_engine("six", bore=0.0866, stroke=0.0824, cylinders=6, redline_rpm=7000)

    def test_displacement_comes_from_the_dimensions(self):
        self.assertAlmostEqual(displacement(self.build) * 1000, 2.912, places=3)

    def test_the_database_refuses_what_cannot_be(self):
        for constraint, fields in (
            ("build_dimensions_above_zero", {"bore": 0.0}),
            ("build_has_two_or_four_strokes", {"strokes_per_cycle": 3}),
        ):
            refused = self.assertRaisesMessage(IntegrityError, constraint)
            with self.subTest(constraint=constraint), refused, transaction.atomic():
                Build.objects.filter(pk=self.build.pk).update(**fields)

    def test_a_revision_is_given_once(self):
        self.build.pk = None
        with self.assertRaisesMessage(IntegrityError, "build_revision_once_per_engine"), transaction.atomic():
            self.build.save()

    def test_a_runner_has_a_length(self):
        with self.assertRaisesMessage(IntegrityError, "part_runner_length_above_zero"), transaction.atomic():
            add_part("stub", "intake_manifold", runner_length=-0.1)
