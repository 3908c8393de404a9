"""Sheets: the numbers of the screen to the digit, frozen, redacted; links that are signed, expire, are taken back."""

import html
import io
import re
from datetime import timedelta
from typing import Any
from unittest import mock

import scenes
from django.core import signing
from django.db import IntegrityError, transaction
from django.test import TestCase
from django.utils import timezone
from pypdf import PdfReader
from torvix_core.air.standards import Standard

from curves.models import ChannelMean
from engines.builds.service import describe_owner
from programmes.models import Programme, Setup
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Pull, PullOrigin, Session
from verdicts.customer_report import links, rendering, report, setup_marks
from verdicts.customer_report.links import LinkClosed
from verdicts.customer_report.number_format import figure, plus_minus, signed
from verdicts.customer_report.report import ReportOptions
from verdicts.decisions import service as decisions
from verdicts.judging import answers
from verdicts.judging.choice import Choice
from verdicts.models import Sheet, SheetLink

LEVELS = ((1.0, 1.002, 0.999), (1.0301, 1.031, 1.029), (0.9985, 1.0016, 1.0003))
USUAL = ReportOptions(Choice(Standard.ISO_1585_SI))
NOW = timezone.now()


class Scene(TestCase):
    operator: Person
    viewer: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator, cls.viewer = scenes.person(Role.OPERATOR), scenes.person(Role.VIEWER)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.day_of_pulls(cls.programme, cls.operator, LEVELS)

    def issue(self, wanted: ReportOptions = USUAL, change: str = "") -> Sheet:
        return report.issue(self.operator, self.programme, wanted, change, NOW)


class Simulated(Scene):
    """K18: what no engine ran for is never taken for a measurement, on the screen or on paper."""

    def read(self, what: str):
        self.client.force_login(self.operator)
        return self.client.get(f"/api/programmes/{self.programme.pk}/{what}").json()

    def test_a_measured_day_says_nothing_of_simulation(self):
        self.assertEqual({setup["made_of"] for setup in self.read("curves")["setups"]}, {""})
        self.assertNotIn("imulated", rendering.html(self.issue().document))

    def test_pulls_of_the_simulated_stand_are_marked_on_curves_verdict_and_sheet(self):
        Pull.objects.update(origin=PullOrigin.SIMULATED)
        for setup in self.read("curves")["setups"]:
            self.assertEqual(setup["made_of"], "simulated")
            self.assertEqual({pull["nature"] for pull in setup["pulls"]}, {"simulated"})
        self.assertIn("no engine ran, so this is practice and no evidence", " ".join(self.read("verdict")["notes"]))
        page = rendering.html(self.issue().document)
        self.assertIn("from the simulated stand, no engine ran", page)
        self.assertIn("SIMULATED", page[page.index("<svg") : page.index("</svg>")])

    def test_a_simulated_setup_is_not_held_against_a_measured_one(self):
        Pull.objects.filter(setup__position=1).update(origin=PullOrigin.SIMULATED)
        notes = " ".join(self.read("verdict")["notes"])
        self.assertIn("Not comparable, so not counted: Pull 4 against pull 3: engine or simulated stand", notes)
        self.assertEqual(len(self.read("verdict")["placings"]), 2)


class SelfContained(Scene):
    """A customer who was not in the shop finds on it what was run, with what, and what the words mean."""

    def test_engine_tune_peaks_pulls_and_meanings_are_there_on_two_pages(self):
        pull = Pull.objects.filter(setup__position=1).order_by("-number").first()
        pull.settings.create(key="setting:spark_advance", text="32°")
        document = self.issue().document
        page = rendering.html(document)
        for words in (
            "6 cylinders, 2.91 l (178 in³), bore 86.6 mm, stroke 82.4 mm, ratio", "Camshaft: not written down.",
            "Ignition timing 32°", "Pulls that count: 1, 2, 3", "Average torque over the duty", "Peak power, hp",
            "Undecided: these pulls do not tell, and it may matter.",
        ):  # fmt: skip
            self.assertIn(words, page.replace("&#x27;", "'"))
        of_a = document["peaks"]["rows"][0]["cells"]
        curve = document["curves"]["setups"][0]
        self.assertAlmostEqual(float(of_a[0]), max(curve["torque"]), delta=0.06)
        self.assertIn(float(of_a[1]), document["curves"]["speed_rpm"])
        self.assertLessEqual(len(PdfReader(io.BytesIO(rendering.pdf(document))).pages), 2)

    def test_boost_is_told_where_it_was_measured(self):
        self.assertNotIn("Boost held", " ".join(self.issue().document["peaks"]["heads"]))
        for pull in Pull.objects.all():
            bins = len(pull.reduced.speed_rpm)
            ChannelMean.objects.create(reduced=pull.reduced, channel="boost", values=[55_000.0] * bins)
        peaks = self.issue(change="boost").document["peaks"]
        self.assertIn("Boost held", peaks["heads"][-1])
        self.assertTrue(peaks["rows"][0]["cells"][-1])


class SameNumbers(Scene):
    def words(self, sheet: Sheet) -> str:
        pages = PdfReader(io.BytesIO(rendering.pdf(sheet.document))).pages
        return re.sub(r"\s+", " ", " ".join(page.extract_text() for page in pages))

    def test_the_pdf_has_the_digits_of_the_screen(self):
        for units in ({"torque": "lb-ft", "power": "hp"}, {"torque": "N·m", "power": "kW"}):
            self.operator.units = units
            self.operator.save()
            sheet = self.issue(change="units")
            self.client.force_login(self.operator)
            shown = self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()
            curves = self.client.get(f"/api/programmes/{self.programme.pk}/curves").json()
            words = self.words(sheet)
            for one in shown["placings"]:
                told = [figure(one["score"]), figure(one["power"])]
                if gap := one["to_baseline"]:
                    told += [plus_minus(gap["value"], gap["low"], gap["high"]), signed(gap["percent"], 2)]
                for number in told:
                    self.assertIn(number, words)
            for sentence in shown["headline"]:
                self.assertIn(sentence, words)
            page = html.unescape(rendering.html(sheet.document))
            for sentence in [*shown["notes"], shown["method"], *shown["thresholds"]]:
                self.assertIn(sentence, page)
            table = rendering.table_file(sheet.document, "csv").decode().splitlines()
            self.assertEqual(len(table) - 1, len(curves["speed_rpm"]))
            for row, speed in zip(table[1:], range(len(table) - 1), strict=True):
                cells = [float(cell) for cell in row.split(",")]
                wanted = [curves["speed_rpm"][speed]]
                for setup in curves["setups"]:
                    wanted += [setup["torque"][speed], setup["power"][speed]]
                self.assertEqual(cells, wanted)

    def test_figures_are_rounded_as_the_browser_rounds_them(self):
        """Intl.NumberFormat rounds halves away from zero, on the exact value of the double."""
        for value, digits, text in ((0.25, 1, "0.3"), (-0.25, 1, "−0.3"), (2.675, 2, "2.67"), (-0.04, 1, "0.0"),
                                    (1e6, 0, "1000000"), (None, 1, "–")):  # fmt: skip
            self.assertEqual(figure(value, digits), text)
        self.assertEqual((signed(0.04), signed(0.06), signed(-1.0)), ("0.0", "+0.1", "−1.0"))

    def test_marks_on_paper_are_those_of_the_screens(self):
        from django.conf import settings

        source = (settings.ROOT / "web/src/ui/setups/marks.ts").read_text()
        daylight = re.search(r"daylight: \[(.*?)\]", source).group(1)
        self.assertEqual(tuple(re.findall(r"#\w{6}", daylight)), setup_marks.COLOURS)
        shapes = re.search(r"const SHAPES: Shape\[\] = \[(.*?)\]", source).group(1)
        self.assertEqual(tuple(re.findall(r"'(\w+)'", shapes)), setup_marks.SHAPES)
        dashes = re.search(r"const DASHES: number\[\]\[\] = \[(.*?)\n\]", source, re.DOTALL).group(1)
        found = tuple(tuple(map(int, re.findall(r"\d+", dash))) for dash in re.findall(r"\[(.*?)\]", dashes))
        self.assertEqual(found, setup_marks.DASHES)


class FromTheApplicationAlone(Scene):
    def test_a_pdf_is_made_without_any_connection_and_with_the_fonts_that_ship(self):
        sheet = self.issue()
        with mock.patch("socket.socket.connect", side_effect=AssertionError("something was fetched")):
            made = rendering.pdf(sheet.document)
        names = {
            str(font.get_object()["/BaseFont"])
            for page in PdfReader(io.BytesIO(made)).pages
            for font in page["/Resources"]["/Font"].get_object().values()  # type: ignore[index]
        }
        self.assertTrue(any("B612" in name for name in names), names)
        self.assertTrue(any("Source-Sans" in name or "SourceSans" in name for name in names), names)

    def test_the_page_names_no_address_elsewhere(self):
        page = rendering.html(self.issue().document, page=True)
        wanted = re.findall(r"url\(([^)]*)\)|\b(?:src|href)=\"([^\"]*)\"", page)
        for address in (one or other for one, other in wanted):
            self.assertRegex(address.strip("\"'"), r"^(/static/|#)")


class Frozen(Scene):
    def test_an_issued_sheet_never_changes_and_a_correction_says_what_changed(self):
        first = self.issue()
        before = rendering.html(first.document)
        scenes.pull(self.session, self.programme.setups.first(), self.operator, level=0.95)
        first.refresh_from_db()
        self.assertEqual(rendering.html(first.document), before)
        with self.assertRaises(Invalid) as refused:
            self.issue()
        self.assertEqual(list(refused.exception.fields), ["change"])
        second = self.issue(change="One pull more")
        self.assertEqual((first.number, second.number), (1, 2))
        told = rendering.html(second.document, report.history_of(second))
        self.assertIn("This is version 2", told)
        self.assertIn("One pull more", told)

    def test_the_database_keeps_versions_apart_and_explained(self):
        made = self.issue()
        for fields in ({"number": 1}, {"number": 2, "change": ""}):
            with self.assertRaises(IntegrityError), transaction.atomic():
                Sheet.objects.create(
                    programme=self.programme, document=made.document, by=self.operator, at=NOW, **fields
                )

    def test_nothing_is_issued_of_nothing_or_by_a_reader(self):
        with self.assertRaises(NotAllowed):
            report.issue(self.viewer, self.programme, USUAL, "", NOW)
        empty = scenes.programme(self.operator, engine="3.2 six", parts="inlet")
        with self.assertRaises(Refusal):
            report.issue(self.operator, empty, USUAL, "", NOW)
        self.assertEqual(Sheet.objects.count(), 0)


class Shown(Scene):
    def test_the_owner_and_prices_are_there_only_if_asked_for(self):
        engine = self.programme.build.engine
        engine.owner = "Ravel"
        engine.save()
        plain, open_ = (
            rendering.html(self.compose(**kind)) for kind in ({}, {"show_owner": True, "show_prices": True})
        )
        self.assertNotIn("Ravel", plain)
        self.assertNotIn("Parts cost", plain)
        self.assertIn("Ravel", open_)
        self.assertIn("Parts cost", open_)

    def compose(self, **kind: Any) -> dict:
        self.programme.refresh_from_db()
        return report.compose(self.operator, self.programme, ReportOptions(Choice(Standard.ISO_1585_SI), **kind), NOW)

    def test_losers_excluded_pulls_interests_and_the_handover_are_told(self):
        from stand.pulls import keeping

        out = scenes.pull(self.session, self.programme.setups.first(), self.operator, keep=False)
        keeping.exclude(self.operator, out, NOW, "hose off")
        setup = Setup.objects.get(programme=self.programme, position=1)
        decisions.decide(self.operator, self.programme, Choice(Standard.ISO_1585_SI), setup, "Most torque", NOW)
        told = rendering.html(self.compose(interests="We sell B", remark="<script>alert(1)</script>"))
        for words in ("Pull 10: hose off.", "Interests.", "We sell B", "The engine leaves with", "Decided: B",
                      "emergency stop", "piston-to-valve clearance", "&lt;script&gt;", "behind"):  # fmt: skip
            self.assertIn(words, told)
        self.assertNotIn("<script", told)

    def test_a_long_remark_is_refused_at_its_field(self):
        with self.assertRaises(Invalid) as refused:
            self.compose(remark="x" * 700)
        self.assertEqual(list(refused.exception.fields), ["remark"])

    def test_the_chart_is_drawn_with_text_and_without_scripts(self):
        told = rendering.html(self.compose())
        self.assertIn("<svg", told)
        self.assertNotIn("<script", told)
        self.assertIn("Who leads in torque", told)


class Links(Scene):
    def link(self, days: int = 5) -> SheetLink:
        return links.give(self.operator, self.issue(), days, "Ravel", NOW)

    def get(self, token: str, kind: str = ""):
        return self.client.get(f"/shared/{token}" + (f"/sheet.{kind}" if kind else ""))

    def test_a_link_shows_one_sheet_without_an_account_and_counts(self):
        token = links.token_of(self.link())
        page = self.get(token)
        self.assertContains(page, self.programme.question)
        self.assertEqual(page.headers["Cache-Control"], "private, no-store")
        self.assertEqual(page.headers["Referrer-Policy"], "no-referrer")
        self.assertNotIn("sessionid", page.cookies)
        self.assertEqual(self.get(token, "pdf").content[:5], b"%PDF-")
        self.assertEqual(self.get(token, "xlsx").content[:2], b"PK")
        self.assertEqual(self.get(token, "exe").status_code, 404)
        self.assertEqual(SheetLink.objects.get().opened, 4)
        self.assertEqual(self.client.post(f"/shared/{token}").status_code, 405)

    def test_a_link_that_was_taken_back_opens_nothing(self):
        link = self.link()
        links.revoke(self.operator, link, NOW)
        for kind in ("", "pdf", "csv"):
            answer = self.get(links.token_of(link), kind)
            self.assertEqual(answer.status_code, 410)
            self.assertContains(answer, "This link was taken back.", status_code=410)

    def test_an_engine_that_becomes_confidential_closes_its_links_and_one_given_afterwards_is_meant(self):
        given = self.link()
        before = links.token_of(given)
        engine = self.programme.build.engine
        describe_owner(self.operator, engine, owner="A customer", confidential=True)
        self.assertContains(self.get(before), "This link was taken back.", status_code=410)
        after = links.token_of(links.give(self.operator, given.sheet, 5, "The customer", NOW))
        describe_owner(self.operator, engine, owner="The same customer", confidential=True)
        self.assertEqual(self.get(after).status_code, 200)

    def test_a_link_expires(self):
        link = self.link(days=1)
        with self.assertRaisesMessage(LinkClosed, "has expired"):
            links.open_with(links.token_of(link), NOW + timedelta(days=1, seconds=1))
        links.open_with(links.token_of(link), NOW + timedelta(hours=23))

    def test_a_token_cannot_be_made_up_or_changed(self):
        link = self.link()
        other = signing.Signer(salt="another").sign(str(link.pk))
        for token in (
            "1",
            f"{link.pk}:x",
            other,
            links.token_of(link)[:-1],
            f"{link.pk + 1}:{links.token_of(link).split(':')[1]}",
        ):
            with self.subTest(token=token), self.assertRaisesMessage(LinkClosed, "not complete"):
                links.open_with(token, NOW)

    def test_readers_neither_give_links_nor_see_their_addresses(self):
        link = self.link()
        with self.assertRaises(NotAllowed):
            links.give(self.viewer, link.sheet, 3, "", NOW)
        with self.assertRaises(NotAllowed):
            links.revoke(self.viewer, link, NOW)
        self.client.force_login(self.viewer)
        seen = self.client.get(f"/api/programmes/{self.programme.pk}/sheets").json()
        self.assertEqual(seen[0]["links"][0]["address"], "")

    def test_a_link_lasts_for_days_that_make_sense(self):
        made = self.issue()
        for days in (0, -1, 10_000):
            with self.assertRaises(Invalid):
                links.give(self.operator, made, days, "", NOW)

    def test_a_confidential_engine_shows_its_sheets_to_nobody_else(self):
        made = self.issue()
        engine = self.programme.build.engine
        engine.confidential = True
        engine.save()
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.get(f"/api/sheets/{made.pk}/html").status_code, 404)


class TheAnswer(Scene):
    def test_screen_and_sheet_have_one_source(self):
        found = answers.out(self.operator, answers.answer(self.operator, self.programme, USUAL.choice))
        self.assertEqual(self.issue().document["headline"], found.headline)


class Charts(Scene):
    def test_they_can_be_taken_along_from_the_curves_and_from_a_report(self):
        self.client.force_login(self.operator)
        issued = self.issue()
        for base in (f"/api/programmes/{self.programme.pk}/setups", f"/api/sheets/{issued.pk}/sheet"):
            drawing, picture = (self.client.get(f"{base}.{kind}") for kind in ("svg", "png"))
            self.assertTrue(drawing.content.startswith(b"<svg") and drawing.headers["Content-Type"] == "image/svg+xml")
            self.assertEqual(picture.content[:8], b"\x89PNG\r\n\x1a\n")
        self.assertEqual(self.client.get(f"/api/programmes/{self.programme.pk}/setups.gif").status_code, 422)
