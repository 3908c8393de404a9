import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.models import Programme, Setup
from programmes.plan import saving
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed


class Planning(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def test_the_first_setup_is_the_baseline_and_letters_follow_the_order(self):
        told = [(setup.letter, setup.is_baseline) for setup in self.programme.setups.all()]
        self.assertEqual(told, [("A", True), ("B", False), ("C", False)])

    def test_a_sweep_beyond_the_redline_is_refused_at_its_field(self):
        with self.assertRaises(Invalid) as refused:
            plan = Plan("Too fast?", [PlannedSetup("one")], [PlannedVisit(0, 1)], Sweep(2000, 7500, 350), (3000, 6000))
            saving.plan_programme(self.operator, scenes.DAY, self.programme.build, plan)
        self.assertIn("above the redline of 7200", str(refused.exception))
        self.assertIn("sweep_end_rpm", refused.exception.fields)

    def test_a_viewer_may_not_plan_nor_change_the_standard(self):
        viewer = scenes.person(Role.VIEWER)
        with self.assertRaises(NotAllowed):
            saving.choose_standard(viewer, self.programme, "sae_j607", scenes.DAY)
        self.programme.refresh_from_db()
        self.assertEqual(self.programme.standard, "iso_1585_si")

    def test_an_unknown_standard_is_refused_with_those_there_are(self):
        with self.assertRaises(Invalid) as refused:
            saving.choose_standard(self.operator, self.programme, "made_up", scenes.DAY)
        self.assertIn("sae_j1349", refused.exception.fields["standard"])

    def test_the_database_refuses_what_cannot_be(self):
        programmes = Programme.objects.filter(pk=self.programme.pk)
        for constraint, fields in (
            ("programme_standard_is_known", {"standard": "made_up"}),
            ("programme_range_rises", {"low_rpm": 7000}),
            ("programme_sweep_rises", {"sweep_rate_rpm_s": 0}),
            ("programme_smallest_difference_is_small", {"smallest_difference": 0.9}),
        ):
            refused = self.assertRaisesMessage(IntegrityError, constraint)
            with self.subTest(constraint=constraint), refused, transaction.atomic():
                programmes.update(**fields)

    def test_there_is_one_baseline(self):
        with self.assertRaisesMessage(IntegrityError, "setup_one_baseline_per_programme"), transaction.atomic():
            Setup.objects.filter(programme=self.programme, position=1).update(is_baseline=True)
