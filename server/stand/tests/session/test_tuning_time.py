"""How long a setup was tuned: kept when the next one comes on or the session closes, offered to the next plan."""

from datetime import timedelta

from programmes.models import FuelBy, TimedTuning
from programmes.plan import tuning_times
from programmes.settings import service as adjusting
from stand.session import opening
from stand.tests.session.test_day import Scene


class TuningTime(Scene):
    def tune(self, key: str, text: str) -> None:
        self.now += timedelta(minutes=4)
        adjusting.adjust(self.mats, self.a, f"setting:{key}", text, self.now)
        self.now += timedelta(minutes=1)

    def test_from_the_first_pull_to_the_first_with_the_tune_it_was_left_with(self):
        first = self.pull()
        self.tune("main_jet_primary", "84")
        self.pull()
        self.tune("main_jet_primary", "82")
        settled = self.pull()
        self.pull()
        self.assertFalse(TimedTuning.objects.exists())
        self.arm(self.b)
        row = TimedTuning.objects.get()
        self.assertEqual(row.took_min, (settled.armed_at - first.armed_at).total_seconds() / 60)
        self.assertEqual((row.fuel_by, row.at), (FuelBy.PROGRAM, first.armed_at))

    def test_a_visit_without_a_retune_says_nothing_and_one_is_kept_once(self):
        self.pull()
        self.arm(self.b)
        self.assertFalse(TimedTuning.objects.exists())

    def test_the_end_of_the_session_ends_the_visit(self):
        self.pull()
        self.tune("spark_advance", "34")
        self.pull()
        opening.close_session(self.mats, self.session, self.now)
        self.assertEqual(TimedTuning.objects.count(), 1)

    def test_the_next_plan_is_offered_the_median_of_the_newest(self):
        self.assertEqual(tuning_times.usual(), {})
        for number, minutes in enumerate((90.0, 10.0, 14.0, 12.0, 30.0, 13.0)):
            tuning_times.note(self.programme, FuelBy.CARBURETOR, minutes, self.now + timedelta(hours=number))
        self.assertEqual(tuning_times.usual(), {FuelBy.CARBURETOR: tuning_times.UsualTuning(13.0, 5)})
        self.client.force_login(self.mats)
        self.assertEqual(
            self.client.get("/api/plan-choices").json()["tuning"],
            [{"label": "Carburetor", "minutes": 13.0, "visits": 5}],
        )
