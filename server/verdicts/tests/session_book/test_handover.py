"""What an engine leaves with, frozen: parts, tune, liquids, limits, what it made, and what must be checked first."""

import io
import re

import scenes
from django.test import TestCase
from pypdf import PdfReader
from torvix_core.air.standards import Standard

from curves.reduction.correct import corrected
from engines.models import Part
from programmes.models import Programme, Setup, SetupSetting
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed
from stand.models import JobKind, OpenJob, Pull, Session
from verdicts.access import programme_with_parts
from verdicts.customer_report import rendering
from verdicts.handover import sheet
from verdicts.handover.sheet import HandoverOptions
from verdicts.models import HandoverSheet


class Handover(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        SetupSetting.objects.create(setup=cls.programme.setups.all()[1], key="setting:main_jet", text="70", value=70.0)
        cls.session = scenes.session(cls.programme, cls.operator)
        for level, setup in zip((1.0, 1.03, 1.03, 0.97), (0, 1, 1, 2), strict=True):
            scenes.pull(cls.session, cls.programme.setups.all()[setup], cls.operator, level=level, tuned=True)
        Session.objects.update(fuel="Pump fuel 98, drum 3", oil="15W-50")

    def issue(self, place: int = 1, change: str = "", **wanted) -> HandoverSheet:
        programme = programme_with_parts(self.operator, self.programme.pk)
        setup = programme.setups.all()[place]
        return sheet.issue(self.operator, programme, setup, HandoverOptions(**wanted), change, scenes.DAY)

    def test_it_says_what_is_on_the_engine_what_it_ran_on_and_what_it_made(self):
        document = self.issue().document
        self.assertIn("Intake manifold: manifold 1", document["parts"])
        self.assertTrue([line for line in document["tune"] if "70" in line], document["tune"])
        self.assertEqual(document["liquids"], ["fuel Pump fuel 98, drum 3", "oil 15W-50"])
        (made,) = document["made"]
        # By hand: the scene's curve has 280 N·m at 4200 rpm; times 1.03, times the factor of its air.
        torque = 280 * 1.03 * corrected(Pull.objects.get(number=2), Standard.ISO_1585_SI).factor / 1.3558179
        self.assertRegex(made, rf"^{torque:.1f} lb-ft at 4200 rpm; \d{{3}}\.\d hp at 6800 rpm, ISO 1585\.$")
        self.assertIn("Last accepted pull 3", document["ran"])

    def test_what_must_be_checked_is_there_and_jobs_that_are_open(self):
        OpenJob.objects.create(session=self.session, kind=JobKind.choices[0][0], note="header bolts",
                               owner=self.operator, begun_at=scenes.DAY)  # fmt: skip
        checks = " ".join(self.issue().document["checks"])
        self.assertIn("header bolts", checks)
        self.assertIn("wants piston-to-valve clearance measured", checks)
        self.assertIn("Local codes", checks)

    def test_the_paper_says_the_same_and_it_stays_what_it_was(self):
        made = self.issue(remark="Run it in for 20 minutes")
        page = sheet.html(made.document, made.number, page=True)
        Part.objects.filter(name="manifold 1").update(name="another name")
        kept = HandoverSheet.objects.get(pk=made.pk)
        self.assertEqual(sheet.html(kept.document, kept.number, page=True), page)
        text = " ".join(one.extract_text() for one in PdfReader(io.BytesIO(rendering.pdf_of(page))).pages)
        for words in (
            "Handover sheet",
            "Intake manifold: manifold 1",
            "Run it in for 20 minutes",
            "Check before it runs",
        ):
            self.assertIn(words, re.sub(r"\s+", " ", text))

    def test_a_correction_is_another_version_and_comes_along_in_the_archive(self):
        self.issue()
        with self.assertRaises(Invalid):
            self.issue()
        second = self.issue(place=0, change="the first manifold went back on")
        self.assertEqual(second.number, 2)
        elsewhere = scenes.read_back(
            self.operator, scenes.archive_of(self.operator, self.programme))  # fmt: skip
        theirs = HandoverSheet.objects.filter(programme=elsewhere)
        self.assertEqual(theirs.first().document, second.document)
        self.assertEqual({one.setup.programme for one in theirs}, {elsewhere})

    def test_a_setup_that_was_not_pulled_says_so_and_a_viewer_issues_none(self):
        Setup.objects.filter(programme=self.programme)[2].pulls.update(standing="excluded", excluded_reason="cold")
        self.assertEqual(
            self.issue(place=2).document["made"], ["No pull of it is accepted: nothing is known of what it makes."]
        )
        with self.assertRaises(NotAllowed):
            programme = programme_with_parts(self.operator, self.programme.pk)
            viewer = scenes.person(Role.VIEWER)
            sheet.issue(viewer, programme, programme.setups.first(), HandoverOptions(), "x", scenes.DAY)
