"""Old files as shops keep them, with their truth: brought in through the API as a user would, everything kept.

Four made-up tests of one made-up engine stand in `data/old_days`, each with its recordings, a manifest, and the torque
curves at SAE J1349 from which they were made (`truth.json`).
"""

import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import scenes
from django.test import TestCase

from curves.intake import imports
from curves.models import Import
from engines.builds.service import describe_engine
from programmes.models import Programme
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from programmes.plan.saving import plan_programme
from shop.models import Person, Role
from stand.models import Pull

DATA = Path(__file__).parent / "data" / "old_days"
ENGINE = {
    "cycle": "4", "cylinders": "8", "bore": "4.000 in", "stroke": "3.000 in", "rod_length": "5.400 in",
    "redline": "6800", "chamber_volume": "60 cc", "gasket_bore": "4.100 in", "gasket_thickness": "0.040 in",
    "deck_clearance": "0 in",
}  # fmt: skip


class Patient:
    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, told: str = "") -> None:
        """Nobody looks."""


class OldDay(TestCase):
    """One case; the plan is written, the files are dropped, what the page proposes is taken, everything is kept."""

    case: str
    person: Person
    programme: Programme
    truth: dict[str, Any]
    batch: Import

    @classmethod
    def bring(cls, case: str, manifest: bool = True, plan: tuple[str, ...] | None = None) -> None:
        cls.person = scenes.person(Role.OWNER)
        held = zipfile.ZipFile(DATA / f"{case}.zip")
        cls.truth = json.loads(held.read("truth.json"))
        names = plan or tuple(cls.truth["configs"])
        build = describe_engine(cls.person, scenes.DAY, "302", ENGINE)
        cls.programme = plan_programme(
            cls.person, scenes.DAY, build,
            Plan(question=case, setups=[PlannedSetup(name, [], pulls=3) for name in names],
                 order=[PlannedVisit(place, 3) for place in range(len(names))],
                 sweep=Sweep(2400, 6600, 350), range_rpm=(2500, 6500)),
        )  # fmt: skip
        cls.programme.standard = "sae_j1349"
        cls.programme.save()
        batch = imports.begin(cls.person, cls.programme, scenes.DAY)
        for name in held.namelist():
            if name != "truth.json" and (manifest or name != "manifest.csv"):
                imports.take(cls.person, batch, name, held.read(name))
        cls.batch = batch

    def setUp(self):
        self.client.force_login(self.person)

    def run_import(self) -> None:
        shown = self.client.get(f"/api/imports/{self.batch.pk}").json()
        waiting = [file for file in shown["files"] if file["state"] == "waiting"]
        body = {
            "layouts": [{"key": one["key"], "is_table": one["is_table"], "rate_hz": one["rate_hz"], "mapped": [
                {"column": column["name"], "channel": column["channel"], "unit": column["mapped_unit"]}
                for column in one["columns"]]} for one in shown["layouts"]],
            "setups": [{"file_id": file["id"], "setup_id": file["setup_id"], "session": file["session"],
                        "start": file["start"]} for file in waiting],
            "where": {"day": "2026-09-02", "keep": True, "inertia_in_torque": "included"},
        }  # fmt: skip
        with self.captureOnCommitCallbacks():
            answer = self.client.post(f"/api/imports/{self.batch.pk}/run", body, "application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.batch.refresh_from_db()
        result = imports.work(self.batch.job.arguments, Patient())
        self.assertEqual((result["read"], result["refused"]), (len(waiting), 0))

    def verdict(self) -> dict[str, Any]:
        return self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()

    def to_baseline(self, name: str) -> dict[str, Any]:
        pk = self.programme.setups.get(name=name).pk
        return next(one for one in self.verdict()["placings"] if one["setup_id"] == pk)["to_baseline"]

    def true_gain(self, name: str, base: str) -> float:
        bands = self.truth["configs"]
        return 100 * (bands[name]["band"]["2500-6500"]["torque"] / bands[base]["band"]["2500-6500"]["torque"] - 1)

    def assert_order(self) -> None:
        """Pulls stand in the order in which they were run, in their sessions."""
        wanted = sorted(self.truth["pulls"], key=lambda pull: (pull["session"], pull["order"]))
        made = Pull.objects.filter(session__programme=self.programme).order_by("number")
        self.maxDiff = None
        self.assertEqual([pull.source for pull in made], [pull["file"] for pull in wanted])
        self.assertEqual([pull.setup.name for pull in made], [pull["config"] for pull in wanted])

    def true_leader(self, rpm: float) -> str:
        bins, configs = self.truth["bins_rpm"], self.truth["configs"]
        return max(configs, key=lambda name: np.interp(rpm, bins, configs[name]["torque_lbft"]))

    def assert_leads_are_true(self, lost_percent: float = 0.3) -> list[dict[str, Any]]:
        """Whoever leads, alone or with others, the true leader is among them or ahead by less than matters."""
        names = {setup.pk: setup.name for setup in self.programme.setups.all()}
        leads = self.client.get(f"/api/programmes/{self.programme.pk}/curves").json()["leads"]
        bins, configs = self.truth["bins_rpm"], self.truth["configs"]
        for lead in leads:
            middle = (lead["low_rpm"] + lead["high_rpm"]) / 2
            best = np.interp(middle, bins, configs[self.true_leader(middle)]["torque_lbft"])
            named = max(np.interp(middle, bins, configs[names[key]]["torque_lbft"]) for key in lead["setup_ids"])
            self.assertLess(100 * (best / named - 1), lost_percent, (lead, self.true_leader(middle)))
        return leads


class Carburetors(OldDay):
    """A cold first pull that was kept; a drifting day with a return; names that sort by part."""

    @classmethod
    def setUpTestData(cls):
        cls.bring("carburetors")

    def test_only_the_cold_pull_is_left_out_and_who_leads_where_is_true(self):
        self.run_import()
        self.assert_order()
        answer = self.verdict()
        notes = " ".join(answer["notes"])
        self.assertIn("A cold pull, so not counted: Pull 1: oil and coolant colder than usual in its session.", notes)
        self.assertEqual(sum(one["pulls"] for one in answer["placings"]), 10)
        self.assert_leads_are_true()
        for name in ("carb 700", "carb 800"):
            found, true = self.to_baseline(name), self.true_gain(name, "carb 600")
            self.assertLess(found["low_percent"], true)
            self.assertGreater(found["high_percent"], true)
        (drift,) = answer["drifts"]
        self.assertLess(drift["percent_per_pull"], -0.05)  # -0.2 % a pull was put in
        self.assertGreater(drift["high"], -0.2)
        self.assertLess(drift["low"], -0.2)

    def test_a_called_crossing_is_near_the_true_one(self):
        self.run_import()
        names = {setup.pk: setup.name for setup in self.programme.setups.all()}
        curves = self.client.get(f"/api/programmes/{self.programme.pk}/curves").json()
        for cross in curves["crossovers"]:
            pair = {names[cross["before_id"]], names[cross["after_id"]]}
            true = next(at for key, at in self.truth["crossover_rpm"].items() if set(key.split("|")) == pair)
            self.assertTrue(true, f"{pair} do not cross")
            self.assertLess(min(abs(cross["speed_rpm"] - at) for at in true), 400)


class HeadsDrifting(OldDay):
    """Equal parts under drift: nobody may win, no chance may look sure."""

    @classmethod
    def setUpTestData(cls):
        cls.bring("heads_equal_drifting")

    def test_nobody_wins_and_no_chance_looks_sure(self):
        self.run_import()
        self.assert_order()
        answer = self.verdict()
        self.assertIsNone(answer["winner_id"])
        self.assertTrue(all(one["chance_percent"] < 95 for one in answer["placings"]))
        self.assertIn("inlet air", " ".join(self.batch.files.exclude(layout={}).first().layout["notes"]))

    def test_without_the_manifest_numbers_sort_as_numbers_and_times_are_not_invented(self):
        self.batch.manifest = []
        self.batch.save()
        shown = self.client.get(f"/api/imports/{self.batch.pk}").json()
        names = [file["name"] for file in shown["files"] if file["state"] == "waiting"]
        self.assertEqual(names, [f"run {number}.csv" for number in range(1, 9)])
        self.assertEqual({file["start"] for file in shown["files"]}, {""})


class SpacerNoReturn(OldDay):
    """A real gain of 2.1 % without a return."""

    @classmethod
    def setUpTestData(cls):
        cls.bring("spacer_no_return")

    def test_ahead_or_probably_better_and_never_equal(self):
        self.run_import()
        self.assert_order()
        answer = self.verdict()
        spacer = next(one for one in answer["placings"] if one["to_baseline"])
        self.assertIn(spacer["to_baseline"]["state"], ("ahead", "undecided"))
        self.assertGreater(spacer["chance_percent"], 90)
        headline = " ".join(answer["headline"])
        self.assertNotIn("equal", headline)
        self.assertNotIn("on cost", headline)
        true = self.true_gain("spacer open", "spacer none")
        self.assertTrue(spacer["to_baseline"]["low_percent"] < true < spacer["to_baseline"]["high_percent"])


class ManifoldsTwoDays(OldDay):
    """Two days in other weather, one common setup, a meter that reads 2.7 % off on the second."""

    @classmethod
    def setUpTestData(cls):
        cls.bring("manifolds_two_days")

    def test_the_meter_of_the_second_day_is_out_and_who_leads_where_is_true(self):
        self.run_import()
        self.assert_order()
        found = self.to_baseline("ported stock")
        self.assertTrue(found["low_percent"] < 0.9 < found["high_percent"])
        self.assertLess(found["high_percent"], 3.0)
        self.assertEqual(self.programme.sessions.count(), 2)
        leads = self.assert_leads_are_true(0.6)
        pk = {setup.name: setup.pk for setup in self.programme.setups.all()}
        self.assertIn(pk["long runner"], leads[0]["setup_ids"])
        self.assertIn(pk["short runner"], leads[-1]["setup_ids"])
        self.assertNotIn(pk["short runner"], leads[0]["setup_ids"])
        self.assertNotIn(pk["long runner"], leads[-1]["setup_ids"])

    def test_without_the_manifest_run_10_comes_after_run_9(self):
        self.batch.manifest = []
        self.batch.save()
        names = [file["name"] for file in self.client.get(f"/api/imports/{self.batch.pk}").json()["files"]]
        waiting = [name for name in names if name.endswith(".txt")]
        self.assertEqual(waiting[:11], [f"day 1 run {number}.txt" for number in range(1, 12)])
        self.assertTrue(waiting[-1].startswith("day 2"))
