"""Around a change of parts: how each is handled, what the swap record says, and how far a torque sequence is."""

import scenes
from django.db import IntegrityError, transaction
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin

from engines.parts.service import write_down
from engines.sheet.readings import ReadingChange as Reading
from shop.models import Role
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Change, JobKind, Link, OpenJob
from stand.open_jobs import service as open_jobs
from stand.open_jobs.service import JobCount
from stand.session import changes, handling
from stand.tests.session.test_day import Scene

UNITS = {"mass": "kg", "temperature": "°C"}


class Handling(Scene):
    def test_weight_lift_heat_coolant_and_fuel_by_the_part(self):
        hot = 353.15
        cases: tuple[tuple[str, dict[str, float | str], float | None, list[str]], ...] = (
            (Slot.CYLINDER_HEAD, {"mass": 24.0, "lifting": "Chain from the rocker studs"}, hot,
             ["24 kg: two people or a lift", "Chain from the rocker studs",
              "hot, coolant at 80 °C: gloves, let it cool", "coolant drained and its pressure off"]),
            (Slot.CYLINDER_HEAD, {}, 293.15,
             ["mass not known: two people until it was weighed", "coolant drained and its pressure off"]),
            (Slot.HEADER, {"mass": 6.5}, None, ["6.5 kg", "may be hot: gloves, let it cool"]),
            (Slot.CARBURETOR, {}, hot, ["fuel off, spills wiped up"]),
            (Slot.CAMSHAFT, {}, hot, []),
            ("setting:spark_advance", {}, hot, []),
        )  # fmt: skip
        for slot, facts, coolant, said in cases:
            with self.subTest(slot=slot, facts=facts):
                self.assertEqual(handling.words(slot, facts, coolant, UNITS), said)

    def test_the_card_of_a_change_says_it(self):
        self.pull()
        part = self.b.parts.get()
        write_down(self.mats, part, "mass", Reading("31 kg", Origin.MEASURED), self.now)
        link = Link.objects.get()
        link.values |= {"coolant_temperature": 360.0}
        link.save()
        self.client.force_login(self.mats)
        asked = self.client.get(f"/api/sessions/{self.session.pk}/next", {"setup_id": self.b.pk}).json()
        (swap,) = asked["swaps"]
        self.assertIn("two people or a lift", swap["handling"][0])
        self.assertIn("hot, coolant at", swap["handling"][1])


class SwapRecord(Scene):
    def test_gasket_sealer_and_milling_are_kept_with_the_change_and_a_field_not_sent_stays(self):
        self.pull()
        self.client.force_login(self.mats)
        path = f"/api/sessions/{self.session.pk}/swap-record"
        self.client.post(path, {"setup_id": self.b.pk, "gasket": "new, 1.2 mm", "sealer": "at the ends"},
                         "application/json")  # fmt: skip
        shown = self.client.post(path, {"setup_id": self.b.pk, "milling": "0.3 mm"}, "application/json").json()
        self.assertEqual(
            {key: shown["change"][key] for key in changes.RECORDED},
            {"gasket": "new, 1.2 mm", "sealer": "at the ends", "milling": "0.3 mm"},
        )
        self.assertEqual(Change.objects.count(), 1)

    def test_too_long_and_not_allowed(self):
        self.pull()
        with self.assertRaises(Invalid) as refused:
            changes.record(self.mats, self.session, self.b, {"gasket": "x" * 121}, self.now)
        self.assertIn("gasket", refused.exception.fields)
        with self.assertRaises(NotAllowed):
            changes.record(scenes.person(Role.VIEWER), self.session, self.b, {"gasket": "new"}, self.now)


class Counting(Scene):
    def begin(self, **count: str) -> OpenJob:
        return open_jobs.begin(self.mats, self.session, JobKind.TORQUE, "", self.now, JobCount(**count))

    def test_a_torque_sequence_is_closed_once_it_is_through_every_stage_and_fastener(self):
        job = self.begin(stage="1", stages="3", fasteners="10")
        self.assertEqual(str(job), "Torque sequence, not through all stages: stage 1 of 3, 0 of 10 fasteners")
        with self.assertRaisesMessage(Refusal, "Not closed: stage 1 of 3, 0 of 10 fasteners."):
            open_jobs.close(self.mats, job, "", self.now)
        with self.assertRaisesMessage(Refusal, "stage 1 of 3"):
            self.arm()
        open_jobs.go_on(self.mats, job, JobCount("3", "3", "10", "10"))
        open_jobs.close(self.mats, job, "", self.now)
        with self.assertRaisesMessage(Refusal, "closed already"):
            open_jobs.go_on(self.mats, job, JobCount("3", "3", "10", "10"))
        self.arm()

    def test_a_job_that_nobody_counts_is_closed_as_before(self):
        open_jobs.close(self.mats, self.begin(), "", self.now)

    def test_a_count_that_cannot_be_is_refused_at_its_field(self):
        for count, field in (
            ({"stage": "4", "stages": "3"}, "stage"),
            ({"stage": "2"}, "stages"),
            ({"fastened": "11", "fasteners": "10"}, "fastened"),
            ({"fasteners": "ten"}, "fasteners"),
            ({"stages": "0"}, "stages"),
        ):
            with self.subTest(count=count), self.assertRaises(Invalid) as refused:
                self.begin(**count)
            self.assertEqual(list(refused.exception.fields), [field])
        job = self.begin(stages="3")
        with self.assertRaises(IntegrityError), transaction.atomic():
            OpenJob.objects.filter(pk=job.pk).update(stage=4)
