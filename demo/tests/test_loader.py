"""The demonstration shows what it promises, and what the stand-in knows agrees with what the verdict says."""

from django.test import TransactionTestCase
from torvix_core.standards import Standard

from demo import loader
from engines import sheets
from engines.models import Build, Part
from programmes.models import Programme
from shop.models import Person
from stand.models import Pull, Standing
from standin.engine import Manifold, full_torque
from verdicts import services


class Demonstration(TransactionTestCase):
    def setUp(self):
        self.assertTrue(loader.load())
        self.finished = Programme.objects.get(sessions__isnull=False)

    def test_it_holds_what_is_promised(self):
        pulls = Pull.objects.filter(session__programme=self.finished)
        standings = [pulls.filter(standing=standing).count() for standing in (Standing.ACCEPTED, Standing.EXCLUDED)]
        self.assertEqual(standings, [9, 2])
        self.assertTrue(all(pull.excluded_reason for pull in pulls.filter(standing=Standing.EXCLUDED)))
        self.assertEqual(Programme.objects.filter(sessions__isnull=True).count(), 1)
        self.assertIsNotNone(self.finished.sessions.get().closed_at)
        self.assertIn("Shake-down", pulls.get(number=1).override_reason)

    def test_the_engine_is_on_paper_with_the_revision_that_was_pulled_and_its_successor(self):
        first, second = Build.objects.order_by("revision")
        self.assertIsNotNone(first.used_at)
        self.assertEqual({pull.build for pull in Pull.objects.all()}, {first})
        worked = {figure.rule.key: figure for figure in sheets.work_out(sheets.sheet_of(first)).figures}
        self.assertEqual(worked["static_ratio"].assumed, ("gasket_thickness",))
        self.assertAlmostEqual(worked["static_ratio"].amount.value, 10.4, delta=0.2)
        worked = {figure.rule.key: figure for figure in sheets.work_out(sheets.sheet_of(second)).figures}
        self.assertEqual(worked["static_ratio"].assumed, ())
        self.assertIn(self.finished.sessions.get().weather.filter(struck_at__isnull=False).count(), [1])
        self.assertGreater(self.finished.sessions.get().weather.filter(source="stand").count(), 4)
        child = Part.objects.get(parent__isnull=False)
        self.assertEqual(child.parent.name, "Middle-runner manifold")

    def test_loading_again_changes_nothing(self):
        before = Pull.objects.count()
        self.assertFalse(loader.load())
        self.assertEqual(Pull.objects.count(), before)

    def test_a_loading_that_was_cut_off_is_told(self):
        Person.objects.filter(username="ines").update(username="kept")
        Person.objects.create_user("ines")
        Programme.objects.filter(sessions__isnull=True).delete()
        with self.assertRaisesMessage(loader.LoadFailed, "there only in part"):
            loader.load()

    def test_the_leads_called_are_those_of_the_engine_that_made_the_pulls(self):
        """The stand-in alone knows what the manifolds are worth; each called lead must be true at its middle."""
        comparison = services.compare(self.finished, Standard.ISO_1585_SI)
        leads, crossovers = services.strip(comparison)
        lengths = [
            sheets.values(setup.parts.get(slot="intake_manifold").readings.all())["runner_length"]
            for setup in comparison.setups
        ]

        def true_torque(length: float, rpm: float) -> float:
            return full_torque(rpm, Manifold(length), 1.15, 90.0, 46.0, 0.872)

        called = [lead for lead in leads if lead.leader >= 0]
        self.assertGreaterEqual(len(called), 3)
        for lead in called:
            middle = (lead.low_rpm + lead.high_rpm) / 2
            truth = [true_torque(length, middle) for length in lengths]
            self.assertEqual(truth.index(max(truth)), lead.leader)
        self.assertEqual(len(crossovers), 2)
        self.assertEqual(Part.objects.filter(slot="intake_manifold").count(), 4)
