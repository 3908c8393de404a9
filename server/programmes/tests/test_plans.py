"""Plans: what they say of themselves, how they are changed, and what a pull closes."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import scenes
from django.db import IntegrityError, connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.builds.service import describe_engine, describe_owner
from engines.models import Build, Part
from engines.parts.service import PartFacts, add_part
from programmes.expectations.service import seal
from programmes.models import PlanVersion, Programme, Setup
from programmes.order import orders
from programmes.plan import confounding, drafts, plans, saving, templates, version_changes, versions
from programmes.plan.drafts import Draft, DraftRow, DraftSession, DraftSetup, DraftVisit
from programmes.plan.schemas import draft_out
from programmes.tests.test_drafts import TEXTS
from shop.models import Person, Role, Shop
from shop.refusals import Invalid, NotAllowed

NINE = scenes.DAY
EVERYTHING = {
    **TEXTS, "fuel_available": "40", "fuel_pull": "0.5 L", "fuel_warm_up": "3", "hour_price": "90",
    "cost_ceiling": "500",
    "height_limit": "250 mm", "extension_rpm": "200", "sweep_end_rpm": "6800",
}  # fmt: skip


class Planned(TestCase):
    person: Person
    build: Build
    parts: list[Part]
    spacer: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)
        cls.parts = [scenes.manifold(cls.person, name, 420 - 90 * place) for place, name in enumerate("LMS")]
        cls.spacer = add_part(cls.person, scenes.DAY, Slot.SPACER, PartFacts("Open spacer", price="60"), {})

    def draft(self, **more) -> Draft:
        setups = [DraftSetup(f"{part.name}-manifold", [part.pk]) for part in self.parts]
        setups.append(DraftSetup("L and spacer", [self.parts[0].pk, self.spacer.pk], {"setting:jets": "72/82"}))
        base = {
            "question": "Which manifold?", "setups": setups, "texts": EVERYTHING,
            "order": [DraftVisit(place, "2") for place in (0, 1, 2, 0, 3, 0)],
            "rows": [DraftRow("intake_manifold", "7", "10"), DraftRow("spacer", "1", "2", ["own:Air box"]),
                     DraftRow("setting:jets", "0", "6"), DraftRow("own:Air box", "1", "1")],
            "sessions": [DraftSession(NINE, "4 h")],
            "words": {"held_constant": "Spark", "answers_change": "What is bought", "stand_in": ""},
        }  # fmt: skip
        return Draft(**{**base, **more})

    def make(self, **more) -> Programme:
        plan = drafts.read_or_refuse(self.draft(**more), self.person)
        return saving.plan_programme(self.person, NINE, self.build, plan)

    def plan_of(self, programme: Programme):
        return saving.plan_in_force(programme)

    def again(self, programme: Programme) -> Draft:
        """The plan in force as the form would send it back unchanged."""
        return draft_out(self.plan_of(programme), self.build.pk, self.person).draft()


class Written(Planned):
    def test_everything_typed_comes_back_as_it_was_meant(self):
        programme = self.make()
        plan = self.plan_of(programme)
        self.assertAlmostEqual(plan.times.fuel_available, 0.04)
        self.assertAlmostEqual(plan.times.fuel_pull, 0.0005)
        self.assertEqual(plan.times.cool_down_min, 1.5)
        self.assertEqual(plan.objective.height_limit, 0.25)
        self.assertEqual([visit.setup for visit in plan.order], [0, 1, 2, 0, 3, 0])
        self.assertEqual(plan.sessions[0].paid_min, 240)
        self.assertEqual(plan.setups[3].levels(), {"intake_manifold": "L", "spacer": "Open spacer",
                                                   "setting:jets": "72/82"})  # fmt: skip
        self.assertEqual([row.label for row in plan.rows], ["Intake manifold", "Spacer", "Jets, in words", "Air box"])
        sent_back = drafts.read_or_refuse(self.again(programme), self.person)
        self.assertEqual(versions.document(sent_back), versions.document(plan))

    def test_rows_alike_in_every_setup_are_what_is_held_constant(self):
        alike = [DraftSetup(name, [self.parts[0].pk], {"setting:spark_advance": "31"}) for name in ("one", "two")]
        plan, _ = drafts.read(self.draft(setups=alike, order=[DraftVisit(0, "2")]), self.person)
        self.assertEqual(plan.held(), [("Intake manifold", "L"), ("Ignition timing", "31 °")])

    def test_jets_are_a_question_only_where_the_mixture_is_one(self):
        jets = [DraftSetup(name, [self.parts[0].pk], {"setting:main_jet_primary": number})
                for name, number in (("one", "72"), ("two", "76"))]  # fmt: skip
        for policy, asked in (("matched", 0), ("factor", 1), ("delivered", 1)):
            with self.subTest(policy):
                plan, wrong = drafts.read(self.draft(setups=jets, order=[DraftVisit(0, "2")], mixture_policy=policy),
                                          self.person)  # fmt: skip
                self.assertEqual(wrong, {})
                found = confounding.ask(plan)
                self.assertEqual(len(found.answers), asked)
                self.assertEqual(any("in jets alone" in copy for copy in found.copies), not asked)

    def test_thirty_setups_have_letters_beyond_z(self):
        many = [DraftSetup(f"setup {place}", [self.parts[place % 3].pk]) for place in range(30)]
        programme = self.make(setups=many)
        self.assertEqual([setup.letter for setup in programme.setups.all()][25:28], ["Z", "AA", "AB"])
        _, wrong = drafts.read(self.draft(setups=many * 2), self.person)
        self.assertIn("there are 52 letters", wrong["setups"])

    def test_a_viewer_changes_no_plan(self):
        programme = self.make()
        with self.assertRaises(NotAllowed):
            saving.change_plan(scenes.person(Role.VIEWER), programme, self.plan_of(programme), NINE)

    def test_the_fuel_is_estimated_from_the_power_hoped_for_and_says_so(self):
        plan, _ = drafts.read(self.draft(texts=TEXTS), self.person)
        self.assertEqual(plans.fuel_need(plan.times, plan.sweep, self.build),
                         (None, "The build sheet has no target power: type what a pull burns."))  # fmt: skip
        strong = describe_engine(self.person, NINE, "strong six", {**scenes.SIX, "target_power": "210 hp"})
        need, basis = plans.fuel_need(plan.times, plan.sweep, strong)
        self.assertIn("estimated", basis)
        self.assertTrue(0.1 < need.pull / plans.LITRE < 1)


class TheDay(Planned):
    def found(self, minutes: int, protected: int | None = None) -> dict:
        setups = [replace(one, protected=place == protected) for place, one in enumerate(self.draft().setups)]
        short = self.draft(setups=setups, sessions=[DraftSession(NINE, f"{minutes} min")])
        plan, _ = drafts.read(short, self.person)
        return orders.search(orders.arguments(plan, self.build), Watching())

    def test_a_protected_setup_is_dropped_last_and_a_day_that_cannot_hold_it_says_so(self):
        dropped = self.found(105)["dropped"]
        self.assertTrue(dropped)
        guarded = self.found(105, dropped[0])
        self.assertNotIn(dropped[0], guarded["dropped"])
        self.assertTrue(guarded["dropped"])
        said = " ".join(self.found(90, 1)["advice"])  # the spacer's short change fits, another manifold does not
        self.assertIn("The question is about B, and it does not fit: pay for more time", said)

    def test_tuning_is_planned_at_the_first_visit_and_a_check_pass_at_each(self):
        plan = self.plan_of(self.make())
        before = orders.lay_out(plan, self.build)
        tuned = replace(plan, times=replace(plan.times, tuning_min=15.0, check_pass_first=True))
        after = orders.lay_out(tuned, self.build)
        assert before.finishes_at is not None
        assert after.finishes_at is not None
        # 4 setups tuned once each, 6 visits with a check pass of a minute.
        self.assertEqual((after.finishes_at - before.finishes_at).total_seconds() / 60, 4 * 15 + 6)
        assert before.fuel is not None
        assert after.fuel is not None
        self.assertAlmostEqual(after.fuel - before.fuel, 6 * 0.25 * 0.0005)

    def test_the_order_is_laid_out_on_the_clock_with_its_fuel_and_price(self):
        laid = orders.lay_out(self.plan_of(self.make()), self.build)
        first, last = laid.stretches[0], laid.stretches[-1]
        self.assertEqual((first.doing, first.starts_at), ("warm_up", NINE))
        # 20 warm-up, 6 visits of (1 + 2) pulls of 3.5 minutes, manifolds 3 x 17, jets with spacer on 8 and off 7.
        self.assertAlmostEqual(laid.total_min, 20 + 6 * 3 * 3.5 + 3 * 17 + (2 + 6) + 1, places=6)
        self.assertEqual(laid.finishes_at, NINE + timedelta(minutes=laid.total_min))
        self.assertAlmostEqual(laid.fuel, (3 + 6 * 3 * 0.5) * plans.LITRE)
        self.assertAlmostEqual(laid.price, 90 * laid.total_min / 60)
        self.assertEqual((laid.broken, laid.missing, last.unpaid), ((), [], False))
        changes = [(stretch.setup, stretch.touched) for stretch in laid.stretches if stretch.doing == "change"]
        self.assertEqual(changes[0], (1, ["Intake manifold"]))

    def test_a_setup_left_out_of_the_order_is_missing_and_one_out_of_the_plan_is_not(self):
        setups = list(self.draft().setups)
        setups[2] = DraftSetup("S", [self.parts[2].pk], candidate="late", reason="still at the welder's")
        plan, wrong = drafts.read(
            self.draft(setups=setups, order=[DraftVisit(0, "2"), DraftVisit(1, "2")]), self.person
        )
        self.assertEqual(wrong, {})
        self.assertEqual(orders.lay_out(plan, self.build).missing, [3])

    def test_the_search_takes_plain_numbers_and_answers_with_places_in_the_plan(self):
        setups = list(self.draft().setups)
        setups[1] = DraftSetup("M", [self.parts[1].pk], candidate="skipped", reason="made last year")
        plan, _ = drafts.read(self.draft(setups=setups, order=[DraftVisit(0, "2")]), self.person)
        found = orders.search(orders.arguments(plan, self.build), Watching())
        self.assertEqual({visit[0] for visit in found["visits"]}, {0, 2, 3})
        self.assertTrue(found["proven"])
        self.assertEqual((found["dropped"], found["advice"]), ([], []))

    def test_a_short_day_says_what_falls_off_and_what_an_hour_more_buys(self):
        plan, _ = drafts.read(self.draft(sessions=[DraftSession(NINE, "100 min")]), self.person)
        found = orders.search(orders.arguments(plan, self.build), Watching())
        self.assertTrue(found["dropped"])
        self.assertRegex(" ".join(found["advice"]), r"Falls off, least informative first: .*One more hour buys [B-D]")

    def test_a_day_too_short_for_the_baseline_says_how_much_it_takes(self):
        plan, _ = drafts.read(self.draft(sessions=[DraftSession(NINE, "30 min")]), self.person)
        with self.assertRaisesMessage(orders.Unusable, "The baseline and one setup take"):
            orders.search(orders.arguments(plan, self.build), Watching())

    def test_a_fixed_place_that_contradicts_an_arrival_is_told_with_what_freeing_it_saves(self):
        setups = list(self.draft().setups)
        setups[1] = DraftSetup("M", [self.parts[1].pk], place="first", available_at=NINE + timedelta(hours=2))
        plan, _ = drafts.read(self.draft(setups=setups, sessions=[DraftSession(NINE)]), self.person)
        found = orders.search(orders.arguments(plan, self.build), Watching())
        self.assertRegex(" ".join(found["advice"]), r"fixed place of B contradicts what arrives when: it costs \d+ min")

    def test_a_part_that_arrives_when_all_is_over_is_named(self):
        setups = list(self.draft().setups)
        setups[1] = DraftSetup("M", [self.parts[1].pk], place="last", available_at=NINE + timedelta(hours=5))
        plan, _ = drafts.read(self.draft(setups=setups), self.person)
        found = orders.search(orders.arguments(plan, self.build), Watching())
        self.assertEqual(found["dropped"], [1])
        self.assertIn("B arrives when the paid time is over", " ".join(found["advice"]))


class Watching:
    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        pass


class Changed(Planned):
    def setUp(self):
        self.programme = self.make()

    def change(self, **more):
        draft = self.again(self.programme)
        draft = Draft(**{**{name: getattr(draft, name) for name in Draft.__dataclass_fields__}, **more})
        plan = drafts.read_or_refuse(draft, self.person)
        return saving.change_plan(self.person, self.programme, plan, NINE + timedelta(hours=1))

    def changes(self, before: PlanVersion, after: PlanVersion) -> list[str]:
        reader = version_changes.reader_of(self.person)
        return version_changes.differences(before.document, after.document, reader)

    def pull_of(self, letter: str) -> Setup:
        setup = next(one for one in self.programme.setups.all() if one.letter == letter)
        seal(setup, NINE)
        versions.mark_used(self.programme, NINE)
        return setup

    def test_before_the_first_pull_a_change_takes_the_place_of_the_plan(self):
        self.change(question="Which manifold for the hill?")
        self.assertEqual([version.number for version in self.programme.versions.all()], [1])

    def test_after_a_pull_it_makes_a_new_version_and_says_what_differs(self):
        self.pull_of("A")
        setups = list(self.again(self.programme).setups)
        setups[3] = DraftSetup("L and spacer", [self.parts[0].pk, self.spacer.pk], {"setting:jets": "74/84"},
                               pk=setups[3].pk)  # fmt: skip
        setups.append(DraftSetup("M and spacer", [self.parts[1].pk, self.spacer.pk]))
        self.change(setups=setups, texts={**EVERYTHING, "warm_up": "30"})
        first, second = self.programme.versions.all()
        self.assertEqual((first.number, second.number), (1, 2))
        self.assertEqual(self.changes(first, second), [
            "D, jets, in words: 72/82 → 74/84.", "E M and spacer added: Open spacer and M.",
            "Warm-up: 20 min → 30 min."])  # fmt: skip
        self.assertEqual(first.document["setups"][3]["has"]["Jets, in words"], "72/82")

    def test_the_windows_of_the_gates_are_left_alone(self):
        """The form does not hold them: whoever changes the plan does not change when a pull may start."""
        self.programme.windows.all().delete()
        self.programme.windows.create(channel="inlet_temperature", low=285.0, high=305.0)
        self.change(question="Which manifold for the hill?")
        kept = list(self.programme.windows.values_list("channel", "low", "high"))
        self.assertEqual(kept, [("inlet_temperature", 285.0, 305.0)])

    def test_a_setup_that_was_pulled_stays_as_it_was(self):
        held = self.pull_of("B")
        setups = list(self.again(self.programme).setups)
        setups[1] = DraftSetup("M", [self.parts[2].pk], pk=setups[1].pk)
        with self.assertRaises(Invalid) as refused:
            self.change(setups=setups)
        self.assertIn("B has been pulled: what was on it stays.", refused.exception.fields["setups.1.parts"])
        with self.assertRaises(Invalid) as refused:
            self.change(setups=[one for place, one in enumerate(setups) if place != 1],
                        order=[DraftVisit(0, "2"), DraftVisit(1, "2")])  # fmt: skip
        self.assertIn("cannot be taken out", refused.exception.fields["setups"])
        self.assertEqual([part.name for part in held.parts.all()], ["M"])

    def test_the_database_itself_refuses_to_change_what_was_pulled(self):
        held = self.pull_of("B")
        for change in (
            lambda: held.parts.add(self.spacer),
            lambda: held.parts.clear(),
            lambda: held.settings.create(key="setting:jets", text="70/80"),
        ):
            with self.assertRaisesMessage(IntegrityError, "setup_pulled_is_closed"), transaction.atomic():
                change()

    def test_a_setup_taken_out_gives_its_letter_to_the_next_new_one_and_the_others_keep_theirs(self):
        setups = list(self.again(self.programme).setups)
        new = DraftSetup("S and spacer", [self.parts[2].pk, self.spacer.pk])
        self.change(setups=[setups[0], setups[2], setups[3], new], order=[DraftVisit(0, "2"), DraftVisit(3, "2")])
        self.assertEqual(
            [(setup.letter, setup.name) for setup in self.programme.setups.all()],
            [("A", "L-manifold"), ("B", "S and spacer"), ("C", "S-manifold"), ("D", "L and spacer")],
        )

    def test_one_that_is_left_out_stays_listed_with_the_reason(self):
        setups = list(self.again(self.programme).setups)
        late = DraftSetup("S-manifold", [self.parts[2].pk], pk=setups[2].pk, candidate="late", reason="In the post")
        order = [visit for visit in self.again(self.programme).order if visit.setup != 2]
        self.change(setups=[*setups[:2], late, setups[3]], order=order)
        row = self.programme.setups.get(position=2)
        self.assertEqual((row.candidate, row.candidate_reason), ("late", "In the post"))
        with self.assertRaises(IntegrityError), transaction.atomic():
            Setup.objects.filter(pk=row.pk).update(candidate_reason="")

    def test_a_standard_put_in_force_is_on_record(self):
        versions.mark_used(self.programme, NINE)
        saving.choose_standard(self.person, self.programme, "sae_j607", NINE)
        self.assertEqual(self.changes(*self.programme.versions.all()), ["Standard: ISO 1585 → SAE J607 (STP)."])

    def test_changes_are_in_the_reader_s_units_the_shop_s_money_and_by_its_clock(self):
        Shop.objects.update_or_create(pk=1, defaults={"name": "Ours", "currency": "SEK",
                                                      "time_zone": "Europe/Stockholm"})  # fmt: skip
        self.person.units = {**self.person.units, "length": "in"}
        self.pull_of("A")
        setups = list(self.again(self.programme).setups)
        late = datetime(2026, 11, 28, 8, tzinfo=UTC)
        setups[3] = DraftSetup("L and spacer", [self.parts[0].pk, self.spacer.pk], {"setting:jets": "72/82"},
                               pk=setups[3].pk, available_at=late)  # fmt: skip
        texts = {**EVERYTHING, "height_limit": "310 mm", "hour_price": "165.50", "cost_ceiling": "1234567"}
        self.change(setups=setups, texts=texts, sessions=[DraftSession(late, "8 h")])
        lines = self.changes(*self.programme.versions.all())
        self.assertIn("Height limit: 9.8425 in → 12.2047 in.", lines)
        self.assertIn("D, parts due: none → 28 Nov 09:00.", lines)
        self.assertIn("Dyno time: 90 SEK per hour → 165.5 SEK per hour.", lines)
        self.assertIn("Cost ceiling: 500 SEK → 1234567 SEK.", lines)
        self.assertTrue(any(line.endswith("→ 28 Nov 09:00, 480 min paid.") for line in lines), lines)
        self.pull_of("B")
        self.change(setups=list(self.again(self.programme).setups), texts=texts, sessions=[DraftSession(late, "")])
        lines = self.changes(*list(self.programme.versions.all())[-2:])
        self.assertIn("Session 1: 28 Nov 09:00, 480 min paid → 28 Nov 09:00.", lines)


class Templates(Planned):
    def apply(self, key: str, setup: int = 0):
        return templates.apply(key, setup, draft_out(self.plan_of(self.make()), self.build.pk, self.person))

    def test_stock_to_maximum_goes_as_listed_and_keeps_the_visits_that_are_there(self):
        found = self.apply("stock_to_maximum")
        self.assertEqual([visit.setup for visit in found.order], [0, 1, 2, 3, 0])
        self.assertEqual(sum(visit.id is not None for visit in found.order), 5)

    def test_the_others_fix_a_place_or_a_second_visit(self):
        self.assertEqual([setup.place for setup in self.apply("best_known_first", 2).setups], ["", "", "first", ""])
        self.assertEqual([setup.place for setup in self.apply("as_installed_last", 1).setups], ["", "last", "", ""])
        twice = self.apply("with_without_with", 3)
        self.assertEqual((twice.setups[3].visits, twice.texts["return_every"]), ("2", "1"))

    def test_a_template_about_nothing_is_refused(self):
        for key, setup, message in (("made_up", 1, "no such template"), ("best_known_first", 0, "Choose the setup")):
            with self.assertRaisesMessage(Invalid, message):
                self.apply(key, setup)


class WhoMayWhat(Planned):
    def test_a_draft_that_carries_the_rows_of_another_programme_makes_its_own(self):
        programme = self.make()
        draft = draft_out(self.plan_of(programme), self.build.pk, self.person).model_dump(mode="json")
        self.client.force_login(self.person)
        made = self.client.post("/api/plans", draft, content_type="application/json")
        self.assertEqual(made.status_code, 200, made.content)
        self.assertEqual(Programme.objects.count(), 2)
        self.assertEqual(self.programme_setups(programme), self.programme_setups(Programme.objects.latest("pk")))

    def programme_setups(self, programme: Programme) -> list[tuple[str, str]]:
        return [(setup.letter, setup.name) for setup in programme.setups.all()]

    def test_a_refused_change_changes_nothing(self):
        programme = self.make()
        draft = draft_out(self.plan_of(programme), self.build.pk, self.person).model_dump(mode="json")
        before = versions.document(self.plan_of(programme))
        self.client.force_login(scenes.person(Role.VIEWER))
        answer = self.client.put(f"/api/plans/{programme.pk}", {**draft, "question": "x"}, "application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (403, "not_allowed"))
        self.assertEqual(versions.document(self.plan_of(programme)), before)

    def test_the_plan_of_a_confidential_engine_is_hidden_from_viewers(self):
        programme = self.make()
        describe_owner(self.person, self.build.engine, owner="x", confidential=True)
        self.client.force_login(scenes.person(Role.VIEWER))
        for path in (f"plans/{programme.pk}", f"programmes/{programme.pk}/progress"):
            self.assertEqual(self.client.get(f"/api/{path}").status_code, 404)
        self.assertEqual(self.client.get("/api/open-tests").json()["rows"], [])


class Bounded(Planned):
    def test_a_check_while_typing_asks_the_database_little_and_no_more_for_more_setups(self):
        self.client.force_login(self.person)
        counts = []
        for many in (2, 12):
            setups = [DraftSetup(f"setup {place}", [self.parts[place % 3].pk]) for place in range(many)]
            plan, _ = drafts.read(self.draft(setups=setups, order=[DraftVisit(0, "2")]), self.person)
            body = draft_out(plan, self.build.pk, self.person).model_dump(mode="json")
            with CaptureQueriesContext(connection) as asked:
                self.assertEqual(self.client.post("/api/plans/check", body, "application/json").status_code, 200)
            counts.append(len(asked))
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(counts[1], 8)


class OpenTests(Planned):
    def test_what_was_late_or_fell_off_or_was_not_reached_stays_open_with_its_cost(self):
        setups = list(self.draft().setups)
        setups[2] = DraftSetup("S", [self.parts[2].pk], candidate="late", reason="in the post")
        setups.append(DraftSetup("not legal", [self.parts[2].pk], candidate="ineligible", reason="over the limit"))
        programme = self.make(setups=setups, order=[DraftVisit(0, "2"), DraftVisit(1, "2"), DraftVisit(0, "2")])
        self.client.force_login(self.person)

        def reasons() -> dict[str, str]:
            answer = self.client.get(f"/api/open-tests?programme_id={programme.pk}").json()["rows"]
            return {one["letter"]: one["why"] for one in answer}

        self.assertEqual(reasons(), {"C": "Arrives too late: in the post", "D": "Did not fit the paid time"})
        seal(programme.setups.get(position=0), NINE)
        self.assertEqual(reasons()["B"], "Not pulled yet")
        open_b = self.client.get(f"/api/open-tests?programme_id={programme.pk}").json()["rows"][0]
        # The manifold there and back, (1 + 3) pulls of B, (1 + 2) of the return, 3.5 minutes each.
        self.assertAlmostEqual(open_b["minutes"], 2 * 17 + 4 * 3.5 + 3 * 3.5)
        self.assertAlmostEqual(open_b["price"], 90 * open_b["minutes"] / 60)
