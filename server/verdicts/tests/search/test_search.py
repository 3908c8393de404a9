"""One line finds what was written down: by word, word stem, name, figure, person and day, as far as one may see it."""

from datetime import timedelta

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from engines.parts.service import PartFacts, add_part, name_alias
from programmes.models import Programme, SetupSetting
from shop.models import Person, Role, Shop, Stand
from stand.models import Note, Pull, Standing
from verdicts.models import Decision
from verdicts.search.query import read_query
from verdicts.search.service import FoundKind


class Scene(TestCase):
    operator: Person
    programme: Programme
    pull: Pull

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator, setups=2)
        opened = scenes.session(cls.programme, cls.operator)
        first, second = cls.programme.setups.all()
        cls.pull = scenes.pull(opened, first, cls.operator)
        spoiled = scenes.pull(opened, second, cls.operator, keep=False)
        Pull.objects.filter(pk=spoiled.pk).update(standing=Standing.EXCLUDED, excluded_reason="a plug wire came off")
        Note.objects.create(session=opened, pull=cls.pull, text="It stumbles when it is cold.", at=scenes.DAY,
                            person=cls.operator)  # fmt: skip
        Decision.objects.create(programme=cls.programme, setup=second, reason="Pulled longest above the crossing.",
                                by=cls.operator, at=scenes.DAY)  # fmt: skip
        carburetor = add_part(cls.operator, scenes.DAY, Slot.CARBURETOR, PartFacts("Four-barrel 650"),
                                  {"throttle_bore": "1.6875 in"})  # fmt: skip
        name_alias(cls.operator, carburetor, "old double pumper")

    def setUp(self):
        self.client.force_login(self.operator)

    def asked(self, q: str, **more: str) -> dict:
        answer = self.client.get("/api/search", {"q": q, **more})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def titles(self, q: str) -> dict[str, list[str]]:
        return {one["kind"]: [row["title"] for row in one["rows"]] for one in self.asked(q)["found"]}


class WordsTest(Scene):
    def test_each_kind_is_found_by_what_was_written(self):
        self.assertEqual(self.titles("which manifold")["test"], ["Which manifold?"])
        self.assertEqual(self.titles("2.9 six")["engine"], ["2.9 six"])
        self.assertEqual(self.titles("plug wire"), {"pull": ["Pull 2 of B"]})
        self.assertEqual(self.titles("crossing"), {"decision": ["Pulled longest above the crossing."]})
        self.assertEqual(self.titles("DOUBLE pump"), {"part": ["Four-barrel 650"]})

    def test_sentences_are_found_by_the_stem_of_a_word(self):
        for word in ("stumble", "stumbling", "stumbled"):
            with self.subTest(word):
                self.assertEqual(self.titles(word), {"note": ["It stumbles when it is cold."]})

    def test_every_word_must_be_there_and_not_in_the_same_field(self):
        self.assertEqual(self.titles("650 pumper"), {"part": ["Four-barrel 650"]})
        self.assertEqual(self.titles("650 tunnel"), {})

    def test_a_row_says_where_it_is_looked_at(self):
        (row,) = self.asked("stumbles")["found"][0]["rows"]
        self.assertEqual((row["programme_id"], row["pull_id"]), (self.programme.pk, self.pull.pk))
        self.assertEqual(row["about"], "Note · Which manifold?")

    def test_another_spelling_is_offered_where_nothing_holds_the_word(self):
        found = self.asked("manifolt")
        self.assertEqual(found["found"], [])
        self.assertIn("manifold 0", [row["title"] for row in found["otherwise"]])
        self.assertEqual([row["title"] for row in self.asked("dubble pumper")["otherwise"]], ["Four-barrel 650"])
        self.assertEqual(self.asked("manifold 0")["otherwise"], [])

    def test_an_empty_line_finds_nothing_and_asks_nothing(self):
        with self.assertNumQueries(2):
            self.assertEqual(self.asked("  "), {"understood": [], "found": [], "otherwise": []})


class FiguresTest(Scene):
    def test_parts_and_the_tests_that_held_them_are_found_by_a_dimension(self):
        """Runners of 420 and 330 mm are 16.5 and 13.0 in long."""
        self.assertEqual(self.titles("runner length 10–14 in"), {"test": ["Which manifold?"], "part": ["manifold 1"]})
        self.assertEqual(self.titles("runner length > 17 in"), {})
        self.assertEqual(self.titles("throttle bore 1.6875 in"), {"part": ["Four-barrel 650"]})
        self.assertEqual(self.asked("runner length 10–14 in")["understood"], ["runner length from 10 to 14 in"])

    def test_tests_are_found_by_what_a_setup_was_set_to(self):
        plan = scenes.programme(self.operator, engine="blown", parts="other")
        SetupSetting.objects.create(setup=plan.setups.all()[0], key="setting:boost_target", text="1.1 bar", value=1.1e5)
        self.assertEqual(len(self.asked("boost > 1 bar")["found"][0]["rows"]), 1)
        self.assertEqual(self.titles("boost > 1.2 bar"), {})

    def test_boost_is_found_as_it_was_measured_too(self):
        planned = scenes.programme(self.operator, engine="blown six", parts="manifold of the blown six,")
        opened = scenes.session(planned, self.operator, Stand.objects.create(name="Another"))
        pull = scenes.pull(opened, planned.setups.all()[0], self.operator, more={"boost": (1.2, "bar")})
        found = self.titles("boost > 1.1 bar")
        self.assertEqual(found, {"test": [planned.question], "pull": [f"Pull {pull.number} of A"]})
        self.assertEqual(self.titles("boost 1.3–1.5 bar"), {})

    def test_engines_are_found_by_their_sheet(self):
        self.assertEqual(self.titles("bore 86.6 mm")["engine"], ["2.9 six"])

    def test_a_range_that_falls_is_refused_at_the_field(self):
        answer = self.client.get("/api/search", {"q": "runner length 14–10 in"})
        self.assertEqual((answer.status_code, answer.json()["fields"]), (422, {"q": "write the lower value first"}))


class PeopleAndDaysTest(Scene):
    def test_by_whom(self):
        self.assertEqual(set(self.titles("by operator")), {"test", "engine", "part", "pull", "note", "decision"})
        self.assertEqual(self.titles("stumbles by operator"), {"note": ["It stumbles when it is cold."]})
        self.assertEqual(self.titles("stumbles by nobody"), {})

    def test_on_a_day_in_a_month_and_between_two(self):
        kinds = {"test", "engine", "part", "pull", "note", "decision"}
        for written in ("2026-11-02", "2026-11", "since 2026-11-01 until 2026-11-02", "since 2026-11-02"):
            with self.subTest(written):
                self.assertEqual(set(self.titles(written)), kinds)
        for written in ("2026-11-01", "2026-10", "before 2026-11-02", "since 2026-11-03"):
            with self.subTest(written):
                self.assertEqual(self.titles(written), {})

    def test_a_day_is_one_of_the_shops_clock(self):
        """9:00 in London on the 2nd is 22:00 in Auckland, where the 3rd begins two hours later."""
        Shop(pk=1, name="x", time_zone="Pacific/Auckland").save()
        Note.objects.update(at=scenes.DAY + timedelta(hours=3))
        self.assertEqual(self.titles("stumbles 2026-11-02"), {})
        self.assertEqual(set(self.titles("stumbles 2026-11-03")), {"note"})

    def test_a_day_that_there_is_not_is_refused_at_the_field(self):
        for written in ("2026-13", "2026-02-30", "since 2026-11-03 before 2026-11-01"):
            self.assertEqual(self.client.get("/api/search", {"q": written}).status_code, 422, written)

    def test_a_month_ends_where_the_next_begins_also_in_december(self):
        query = read_query(self.operator, "2026-12")
        assert query.since
        assert query.until
        self.assertEqual((query.until - query.since).days, 31)


class WhoSeesWhatTest(Scene):
    def test_a_viewer_finds_nothing_of_a_confidential_engine(self):
        engine = self.programme.build.engine
        engine.confidential = True
        engine.save()
        self.client.force_login(scenes.person(Role.VIEWER))
        for q in ("which manifold", "2.9 six", "plug wire", "crossing", "stumbles", "runner length > 1 in", "manifolt"):
            found = self.asked(q)
            self.assertEqual((found["found"], found["otherwise"]), ([], []), q)

    def test_a_customer_finds_what_is_of_the_own_tests(self):
        customer = scenes.person(Role.CUSTOMER)
        self.client.force_login(customer)
        self.assertEqual(self.titles("stumbles"), {})
        self.programme.given_to.add(customer)
        self.assertEqual(set(self.titles("manifold")), {"test", "part", "decision"})
        self.assertEqual(self.titles("pumper"), {})


class SizeTest(Scene):
    def test_all_of_one_kind_come_page_by_page_and_none_is_cut(self):
        for number in range(60):
            at = scenes.DAY + timedelta(minutes=number)
            Note.objects.create(session=self.pull.session, text=f"rattle {number}", at=at, person=self.operator)
        some = self.asked("rattle")["found"][0]
        self.assertEqual((some["kind"], some["total"], len(some["rows"])), (FoundKind.NOTE, 60, 5))
        pages = [self.asked("rattle", kind="note", page=str(page))["found"][0]["rows"] for page in (1, 2)]
        self.assertEqual([len(rows) for rows in pages], [50, 10])
        self.assertEqual(len({row["id"] for rows in pages for row in rows}), 60)

    def test_queries_do_not_grow_with_what_is_found(self):
        # Who asks; the clock; who there is; a count for each kind; rows of those that have some; revisions and aliases.
        with self.assertNumQueries(2 + 1 + 1 + 7 + 6 + 2):
            self.asked("by operator since 2026-11-01")
