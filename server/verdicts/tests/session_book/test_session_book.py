"""The book of a session: all of it, kept or not, frozen, and every number to be found in the test's archive."""

import io
import json
import re
import zipfile
from datetime import timedelta
from typing import Any

import scenes
from django.test import TestCase
from PIL import Image
from pypdf import PdfReader

from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import NotAllowed, Refusal
from stand.models import Change, Note, Pull, Session, WeatherReading
from stand.session import opening
from verdicts.models import SessionBook
from verdicts.session_book import book, rendering
from verdicts.session_book.book import BookOptions


class Scene(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.day_of_pulls(cls.programme, cls.operator, ((1.0, 1.001), (1.03,), (0.97,)))
        out = cls.session.pulls.last()
        out.standing, out.excluded_reason = "excluded", "hose came off"
        out.save()
        first, second, _ = cls.programme.setups.all()
        Change.objects.create(session=cls.session, before=first, after=second, planned_min=40, begun_at=scenes.DAY,
                              ended_at=scenes.DAY + timedelta(minutes=52), begun_by=cls.operator,
                              gasket="new")  # fmt: skip
        WeatherReading.objects.create(session=cls.session, at=scenes.DAY, barometer=98_200, temperature=297.15,
                                      relative_humidity=0.5, source="by hand")  # fmt: skip
        photo = io.BytesIO()
        Image.new("RGB", (40, 30), "#b8460f").save(photo, "JPEG")
        Note.objects.create(session=cls.session, pull=out, kind="heard", text="a hiss above 4500", rpm=4600,
                            at=scenes.DAY, person=cls.operator)  # fmt: skip
        Note.objects.create(session=cls.session, text="the bench", at=scenes.DAY, person=cls.operator,
                            photo=photo.getvalue(), width=40, height=30)  # fmt: skip
        opening.close_session(cls.operator, cls.session, scenes.DAY + timedelta(hours=3))

    def issue(self, **wanted: Any) -> SessionBook:
        rows = Session.objects.select_related("programme__build__engine", "stand", "opened_by")
        session = rows.get(pk=self.session.pk)
        change = wanted.pop("change", "")
        return book.issue(self.operator, session, BookOptions(**wanted), change, scenes.DAY + timedelta(hours=4))


class Books(Scene):
    def test_it_holds_every_pull_kept_or_not_with_all_that_belongs_to_it(self):
        made = self.issue()
        pulls = made.document["pulls"]
        self.assertEqual([pull["number"] for pull in pulls], [1, 2, 3, 4])
        self.assertEqual((pulls[3]["standing"], pulls[3]["reason"]), ("Excluded", "hose came off"))
        self.assertEqual(pulls[3]["notes"][0]["text"], "a hiss above 4500")
        self.assertEqual(made.document["changes"][0]["took"], "52 min, 40 planned")
        self.assertIn("98.2", made.document["weather"][0]["words"])
        self.assertIn("oil 90.0 °C", pulls[0]["temperatures"])
        page = rendering.html(made)
        for words in ("Pull 4", "hose came off", "a hiss above 4500", "at 4600 rpm", "52 min, 40 planned"):
            self.assertIn(words, page)
        self.assertIn("data:image/jpeg;base64,", page)

    def test_a_pull_is_comparable_as_the_log_has_it_also_where_the_baseline_ran_on_another_day(self):
        later = scenes.session(self.programme, self.operator, self.session.stand, scenes.DAY + timedelta(days=1))
        scenes.pull(later, self.programme.setups.all()[2], self.operator, level=0.97)
        opening.close_session(self.operator, later, scenes.DAY + timedelta(days=1, hours=2))
        rows = Session.objects.select_related("programme__build__engine", "stand", "opened_by")
        (pull,) = book.compose(self.operator, rows.get(pk=later.pk), BookOptions(), scenes.DAY)["pulls"]
        self.client.force_login(self.operator)
        logged = self.client.get(f"/api/programmes/{self.programme.pk}/pulls").json()["rows"][-1]
        self.assertEqual((pull["number"], pull["comparable"]), (logged["number"], logged["comparable"]["line"]))

    def test_the_paper_says_what_the_page_says(self):
        made = self.issue()
        paper = PdfReader(io.BytesIO(rendering.pdf(made)))
        text = " ".join(page.extract_text() for page in paper.pages)
        for words in ("Session book", "hose came off", made.document["pulls"][0]["peaks"][0].split(" at ")[0]):
            self.assertIn(words, re.sub(r"\s+", " ", text))
        self.assertTrue(any(page.images for page in paper.pages))

    def test_it_stays_what_it_was_and_a_correction_is_another_version(self):
        made = self.issue()
        before = rendering.html(made)
        Pull.objects.filter(session=self.session).update(excluded_reason="another reason", standing="excluded")
        self.assertEqual(rendering.html(SessionBook.objects.get(pk=made.pk)), before)
        with self.assertRaisesMessage(Refusal, "Say what changed"):
            self.issue()
        again = self.issue(change="all were cold")
        self.assertEqual((again.number, again.document["pulls"][0]["reason"]), (2, "another reason"))

    def test_every_number_is_found_in_the_archive_and_the_book_comes_back_with_it(self):
        made = self.issue()
        archive = scenes.archive_of(self.operator, self.programme)
        with zipfile.ZipFile(io.BytesIO(archive)) as opened:
            record = json.loads(opened.read(next(name for name in opened.namelist() if name.endswith(".json"))))
        (kept,) = record["tables"]["session_books"] if "tables" in record else record["session_books"]
        self.assertEqual(kept["document"], made.document)
        elsewhere = scenes.read_back(self.operator, archive)
        theirs = SessionBook.objects.get(session__programme=elsewhere)
        self.assertEqual(rendering.html(theirs), rendering.html(made))  # the photograph, too

    def test_the_owner_stays_in_the_shop_unless_asked_and_interests_are_printed(self):
        self.programme.build.engine.owner = "Somebody of ours"
        self.programme.build.engine.save()
        self.assertNotIn("Somebody of ours", rendering.html(self.issue()))
        shown = self.issue(show_owner=True, interests="The manifolds are lent by their maker", change="for the owner")
        page = rendering.html(shown)
        self.assertIn("Somebody of ours", page)
        self.assertIn("Interests: The manifolds are lent by their maker", page)

    def test_an_open_session_has_none_and_who_only_watches_issues_none(self):
        other = scenes.programme(self.operator, build=self.programme.build, parts="other, number")
        opened = scenes.session(other, self.operator, self.session.stand, scenes.DAY + timedelta(days=1))
        with self.assertRaisesMessage(Refusal, "The session is open."):
            book.issue(self.operator, opened, BookOptions(), "", scenes.DAY)
        with self.assertRaises(NotAllowed):
            book.issue(scenes.person(Role.VIEWER), self.session, BookOptions(), "", scenes.DAY)
