"""A test's revision rises with every write that its comparison could show, and what is kept is never old."""

import re
from datetime import timedelta

import scenes
from django.db import connection, transaction
from django.test import TestCase, TransactionTestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard

from curves.models import ComparabilityOverride, ComparisonWindow, CurveAnomaly, StandingTune
from engines.models import Installation
from programmes.models import Programme, SetupSetting, TuneRule
from shop.models import Person, Role, Stand
from stand.models import InstrumentCheck, Pull, PullSetting, Session, Standing, WeatherReading
from verdicts.access import programme_of
from verdicts.comparison import aligned_pulls
from verdicts.comparison.aligned_pulls import Counting, compare
from verdicts.comparison.revisions import MOST_MARKS, SETTLED, UNTOUCHED, revision_of, revisions_of, settle
from verdicts.models import KnownScatter, ProgrammeChange

STANDARD = Standard.ISO_1585_SI
CLOSED_BY_A_PULL = {"programmes_setup_parts", "programmes_setupsetting", "engines_buildreading"}


def marked_tables() -> set[str]:
    """Those that the database leaves marks for, by its own catalog."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT DISTINCT event_object_table FROM information_schema.triggers "
                       "WHERE trigger_name LIKE 'marks_a_change%%'")  # fmt: skip
        return {table for (table,) in cursor.fetchall()}


def touch(table: str) -> None:
    """Write every row of a table as it is."""
    with connection.cursor() as cursor:
        cursor.execute(f'UPDATE "{table}" SET id = id')
        assert cursor.rowcount, f"{table} has no row to write"


def with_everything(planner: Person) -> Programme:
    """A test that has a row in every table that a comparison can read, all but what follows from a pull."""
    programme = scenes.programme(planner, setups=2)
    programme.tune_rule = TuneRule.CHOSEN
    programme.save()
    SetupSetting.objects.create(setup=programme.setups.all()[0], key="setting:main_jet", text="70", value=70.0)
    ComparisonWindow.objects.create(programme=programme, key="oil", note=5.0, block=10.0)
    Installation.objects.create(build=programme.build, item="exhaust", tested="open", installed="closed")
    return programme


def pulled(programme: Programme, planner: Person) -> Session:
    opened = scenes.session(programme, planner)
    for setup in [*programme.setups.all(), programme.setups.all()[0]]:
        pull = scenes.pull(opened, setup, planner, tuned=True)
        CurveAnomaly.objects.create(reduced=pull.reduced, kind="stumble", low_rpm=3000, high_rpm=3100, size=0.01)
        PullSetting.objects.get_or_create(pull=pull, key="setting:main_jet", defaults={"text": "70"})
    ComparabilityOverride.objects.create(pull=pull, reason="both cold", by=planner, at=scenes.DAY)
    StandingTune.objects.create(setup=pull.setup, pull=pull, by=planner, at=scenes.DAY)
    InstrumentCheck.objects.create(stand=opened.stand, channel="torque", kind="span", at=scenes.DAY, by=planner,
                                   error=0.001, uncertainty=0.001, arm=1.0)  # fmt: skip
    WeatherReading.objects.create(session=opened, at=scenes.DAY, barometer=98_000, temperature=300,
                                  relative_humidity=0.4, source="by hand", written_by=planner)  # fmt: skip
    if not KnownScatter.objects.filter(programme=programme).exists():
        KnownScatter.objects.create(programme=programme, scatter=0.003, degrees_of_freedom=5, programmes=1,
                                    made_at=scenes.DAY)  # fmt: skip
    return opened


class RevisionsTest(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = with_everything(cls.operator)

    def rises(self, table: str) -> None:
        before = revision_of(self.programme.pk)
        touch(table)
        with self.subTest(table=table):
            self.assertNotEqual(revision_of(self.programme.pk), before)

    def test_a_write_to_any_table_that_a_comparison_reads_raises_it(self):
        for table in sorted(CLOSED_BY_A_PULL):
            self.rises(table)
        pulled(self.programme, self.operator)
        for table in sorted(marked_tables() - CLOSED_BY_A_PULL - {"shop_person"}):
            self.rises(table)

    def test_every_table_that_a_comparison_reads_is_watched(self):
        pulled(self.programme, self.operator)
        Pull.objects.update(barometer=None, air_temperature=None, relative_humidity=None)
        read = set()
        for standard in (STANDARD, Standard.OBSERVED):
            with CaptureQueriesContext(connection) as asked:
                aligned_pulls._lay_over(self.programme, standard, Counting.KEPT)
            read |= {
                table for one in asked.captured_queries for table in re.findall(r'(?:FROM|JOIN) "(\w+)"', one["sql"])
            }
        self.assertGreater(len(read), 12)
        self.assertLessEqual(read, marked_tables())

    def test_a_new_name_of_who_pulled_raises_it_and_a_sign_in_does_not(self):
        pulled(self.programme, self.operator)
        before = revision_of(self.programme.pk)
        self.operator.last_login = scenes.DAY
        self.operator.save()
        self.assertEqual(revision_of(self.programme.pk), before)
        self.operator.first_name = "Somebody"
        self.operator.save()
        self.assertNotEqual(revision_of(self.programme.pk), before)

    def test_it_is_of_one_test_alone(self):
        other = scenes.programme(self.operator, engine="another six", parts="other manifold")
        before = revision_of(other.pk)
        pulled(self.programme, self.operator)
        self.assertEqual(revision_of(other.pk), before)
        self.assertEqual(revisions_of([]), {})
        self.assertEqual(revision_of(0), UNTOUCHED)

    def test_a_test_of_the_same_engine_rises_with_it(self):
        """Its note names the test of the engine that was run with boost."""
        other = scenes.programme(self.operator, build=self.programme.build, parts="other manifold")
        before = revision_of(other.pk)
        Programme.objects.filter(pk=self.programme.pk).update(boost_policy="equal_boost")
        self.assertNotEqual(revision_of(other.pk), before)

    def test_many_old_marks_are_put_into_one_when_a_session_opens(self):
        ProgrammeChange.objects.bulk_create(
            ProgrammeChange(programme=self.programme.pk, transaction=number, at=scenes.DAY - 2 * SETTLED)
            for number in range(MOST_MARKS + 1)
        )
        before = revision_of(self.programme.pk)
        scenes.session(self.programme, self.operator)
        self.assertNotEqual(revision_of(self.programme.pk), before)
        self.assertLessEqual(ProgrammeChange.objects.filter(programme=self.programme.pk).count(), 2)

    def test_settling_what_is_few_or_new_changes_nothing(self):
        after = revision_of(self.programme.pk)
        settle(self.programme.pk, scenes.DAY + timedelta(days=3))
        self.assertEqual(revision_of(self.programme.pk), after)

    def test_settling_is_a_new_revision(self):
        """A revision that was seen before must not come back with another count."""
        ProgrammeChange.objects.bulk_create(
            ProgrammeChange(programme=987_654_321, transaction=number, at=scenes.DAY - 2 * SETTLED)
            for number in range(MOST_MARKS + 1)
        )
        before = revision_of(987_654_321).split(".")
        settle(987_654_321, scenes.DAY)
        after = revision_of(987_654_321).split(".")
        self.assertEqual(after[0], "1")
        self.assertGreater(int(after[1]), int(before[1]))


class KeptComparisonTest(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator, setups=2)
        cls.session = scenes.session(cls.programme, cls.operator, Stand.objects.create(name="Stand 1"))
        for setup in [*cls.programme.setups.all(), cls.programme.setups.all()[0]]:
            scenes.pull(cls.session, setup, cls.operator, level=1 + 0.01 * setup.position)

    def seen(self) -> Programme:
        return programme_of(self.operator, self.programme.pk)

    def test_a_second_reader_gets_it_with_his_own_rows_of_the_test_in_one_query_more(self):
        first = compare(self.seen(), STANDARD)
        mine = self.seen()
        mine.setups.all()[0]
        with self.assertNumQueries(1):
            again = compare(mine, STANDARD)
        self.assertIs(again.torque, first.torque)
        self.assertIs(again.overall, first.overall)
        self.assertIs(again.programme, mine)
        self.assertIs(again.setups[0], mine.setups.all()[0])

    def test_it_is_made_anew_once_a_pull_is_excluded_and_once_that_is_undone(self):
        self.assertEqual(len(compare(self.seen(), STANDARD).kept), 3)
        last = Pull.objects.filter(session=self.session).order_by("number").last()
        with transaction.atomic():
            Pull.objects.filter(pk=last.pk).update(standing=Standing.EXCLUDED, excluded_reason="spilled")
            self.assertEqual(len(compare(self.seen(), STANDARD).kept), 2)
            transaction.set_rollback(True)
        self.assertEqual(len(compare(self.seen(), STANDARD).kept), 3)

    def test_standards_are_kept_apart_and_the_longest_unused_goes(self):
        self.assertNotEqual(
            compare(self.seen(), STANDARD).torque[0, 0], compare(self.seen(), Standard.OBSERVED).torque[0, 0]
        )
        for _ in range(aligned_pulls.MOST_KEPT + 3):
            touch("stand_pull")
            compare(self.seen(), STANDARD)
        self.assertEqual(len(aligned_pulls._kept), aligned_pulls.MOST_KEPT)


class WritersAtOnceTest(TransactionTestCase):
    def test_a_transaction_that_began_earlier_and_ends_later_is_seen_and_holds_nobody_up(self):
        """Both wrote into the same test; the later one has the higher number and is seen first."""
        operator = scenes.person(Role.OPERATOR)
        programme = scenes.programme(operator, setups=2)
        opened = scenes.session(programme, operator)
        pull = scenes.pull(opened, programme.setups.all()[0], operator)
        early, late = connection.copy(), connection.copy()
        try:
            early.set_autocommit(False)
            with early.cursor() as cursor:
                cursor.execute("UPDATE curves_reduced SET id = id WHERE pull_id = %s", [pull.pk])
            with late.cursor() as cursor:
                cursor.execute("SET lock_timeout = '2s'")
                cursor.execute("UPDATE curves_channelmean SET id = id WHERE reduced_id = %s", [pull.reduced.pk])
            between = revision_of(programme.pk)
            early.commit()
            self.assertNotEqual(revision_of(programme.pk), between)
            newest = ProgrammeChange.objects.filter(programme=programme.pk).order_by("pk").last()
            self.assertEqual(between.split(".")[1], str(newest.pk))
        finally:
            early.close()
            late.close()
