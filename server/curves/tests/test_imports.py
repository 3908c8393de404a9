"""Files that somebody brings: taken, mapped, read by the job, recognised when they come again."""

import io
from datetime import timedelta
from typing import Any
from unittest import mock

import numpy as np
import scenes
from django.db import DataError, connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from torvix_core.air.standards import Standard

from curves.files.mapping import Mapped
from curves.intake import imports
from curves.intake.filing import FilingPlace
from curves.intake.imports import FilePlacing
from curves.models import FileState, KnownLayout, SourceFile
from curves.reduction import correct
from jobs.models import Job, JobState
from programmes.models import Programme
from shop.models import Person, Role, Stand
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Pull, PullOrigin, Standing
from stand.pulls.samples import read_raw

WHERE = FilingPlace(
    scenes.DAY.date(),
    "Stand at the lake",
    barometer=98_205.0,
    air_temperature=302.59,
    relative_humidity=0.5,
    inertia_in_torque="included",
    keep=True,
)


Own = dict[str, tuple[str, str]] | None  # columns that are mapped otherwise than guessed


def sweep(level: float = 1.0, seed: int = 1, begin: int = 0, end: int | None = None) -> bytes:
    dice = np.random.default_rng(seed)
    rows = np.array(scenes.samples(level))
    rows[:, 2] += dice.normal(0, 0.5, len(rows))
    rows = rows[begin:end]
    lines = ["time [s],rpm [rpm],torque [Nm],throttle [%],oil [°C]"]
    return "\n".join([*lines, *(",".join(f"{value:.3f}" for value in row) for row in rows)]).encode() + b"\n"


class Watch:
    def __init__(self, after: int = 10_000) -> None:
        self.after = after
        self.told: list[tuple[int, int]] = []

    def wanted(self) -> bool:
        return len(self.told) < self.after

    def tell(self, done: int = 0, total: int = 0, told: str = "") -> None:
        self.told.append((done, total))


class Scene(TestCase):
    operator: Person
    programme: Programme
    a: Any
    b: Any

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a, cls.b, _ = cls.programme.setups.all()

    def bring(self, files: dict[str, bytes], where: FilingPlace = WHERE, watch: Watch | None = None, own: Own = None):
        job, batch = self.ask(files, where, own or {})
        return imports.work(job.arguments, watch or Watch()), batch

    def ask(self, files: dict[str, bytes], where: FilingPlace = WHERE, own: Own = None):
        batch = imports.begin(self.operator, self.programme, scenes.DAY)
        for name, content in files.items():
            imports.take(self.operator, batch, name, content)
        waiting = list(batch.files.filter(state=FileState.WAITING))
        layouts = {
            file.layout_key: imports.LayoutChoice(
                [
                    Mapped(one["name"], *(own or {}).get(one["name"], (one["channel"], one["mapped_unit"])))
                    for one in file.layout["columns"]
                ],
                file.layout["is_table"],
            )
            for file in waiting
        }
        setups = {file.pk: FilePlacing((self.b if "b" in file.name else self.a).pk) for file in waiting}
        with self.captureOnCommitCallbacks():
            job = imports.run(self.operator, batch, layouts, setups, where, scenes.DAY)
        return job, batch


class Reading(Scene):
    def test_samples_become_pulls_with_curve_air_and_the_file_itself(self):
        content = sweep()
        result, batch = self.bring({"a 1.csv": content, "b 1.csv": sweep(1.01, 2)})
        self.assertEqual(result, {"read": 2, "refused": 0, "known": 0, "left": 0})
        first, second = Pull.objects.order_by("number")
        self.assertEqual((first.origin, first.standing), (PullOrigin.FILE, Standing.ACCEPTED))
        self.assertEqual((first.setup, second.setup), (self.a, self.b))
        self.assertIsNone(first.started_at)
        curve = correct.corrected(correct.pulls_of(self.programme)[0], Standard.ISO_1585_SI)
        truth = scenes.torque_curve(curve.speed_rpm) * curve.factor
        self.assertLess(float(np.abs(curve.torque / truth - 1).max()), 0.004)
        self.assertAlmostEqual(curve.factor, 1.0449, places=3)  # domain.md 4, worked example
        self.assertEqual(bytes(batch.files.get(pull=first).content), content)
        self.assertEqual(read_raw(first)["oil_temperature"][0], "°C")
        self.assertFalse(Stand.objects.get(name="Stand at the lake").on_line)

    def test_the_same_file_the_same_samples_and_a_part_of_them_are_known(self):
        self.bring({"a 1.csv": sweep()})
        other = sweep().replace(b"torque [Nm]", b"torque [N\xc2\xb7m]").replace(b",", b";")
        result, batch = self.bring(
            {
                "a again.csv": sweep(),
                "a other.csv": other,
                "a cut.csv": sweep(begin=100, end=500),
                "b 1.csv": sweep(1.0, 9),
            }
        )
        self.assertEqual((result["read"], result["known"]), (1, 2))
        told = dict(batch.files.values_list("name", "outcome"))
        self.assertEqual(told["a again.csv"], "The very file that pull 1 came from.")
        self.assertEqual(told["a other.csv"], "The same samples as pull 1: not counted twice.")
        self.assertIn("part of pull 1", told["a cut.csv"])
        self.assertFalse(any(bytes(file.content) for file in batch.files.filter(state=FileState.DUPLICATE)))

    def test_a_recording_of_the_stand_that_comes_back_as_a_file_is_known(self):
        from curves.archive import exports

        opened = scenes.session(self.programme, self.operator)
        pull = scenes.pull(opened, self.a, self.operator)
        result, _ = self.bring({"a.csv": exports.raw_file(pull, "csv"), "a.mf4": exports.raw_file(pull, "mf4")})
        self.assertEqual((result["read"], result["known"]), (0, 2))

    def test_a_reduced_table_is_a_curve_with_the_rest_unknown(self):
        speeds = range(2500, 6600, 100)
        rows = "".join(f"{rpm},{scenes.torque_curve(np.array(rpm)):.0f}\n" for rpm in speeds)
        table = f"rpm,torque Nm\n{rows}".encode()
        with self.assertRaises(Invalid) as caught:
            self.bring({"a table.csv": table})
        self.assertIn("figures_standard", caught.exception.fields)
        self.bring({"a table.csv": table}, FilingPlace(scenes.DAY.date(), figures_standard="sae_j607", keep=True))
        pull = correct.pulls_of(self.programme)[0]
        self.assertEqual((pull.origin, pull.inertia_in_torque, pull.torque_step), (PullOrigin.TABLE, "unknown", 1.0))
        self.assertEqual((pull.reduced.torque_scatter, pull.reduced.means), ([], {}))
        own = correct.corrected(pull, Standard.SAE_J607)
        self.assertEqual((own.factor, len(own.speed_rpm)), (1.0, 41))
        for standard in (Standard.OBSERVED, Standard.ISO_1585_SI):
            with self.assertRaisesMessage(correct.NoAir, "compare under SAE J607 (STP) alone"):
                correct.corrected(pull, standard)

    def test_bad_files_are_refused_by_name_and_the_good_ones_stay(self):
        files = {"a 1.csv": sweep(), "broken.csv": b"time,rpm,torque\n0,1,2\n1,2,x\n2,3,4\n3,4,5\n", "empty.csv": b""}
        result, batch = self.bring(files)
        self.assertEqual(result["read"], 1)
        told = dict(batch.files.values_list("name", "outcome"))
        self.assertEqual(told["broken.csv"], "Line 3, column torque: 'x' is no number.")
        self.assertEqual(told["empty.csv"], "It is empty.")

    def test_a_file_over_which_the_application_falls_costs_no_other(self):
        files = {f"a {at}.csv": sweep(1.0, 40 + at) for at in range(3)}
        real = imports._filed

        def filed(file, *given):
            if file.name == "a 1.csv":
                raise ZeroDivisionError
            return real(file, *given)

        with mock.patch.object(imports, "_filed", filed), self.assertLogs("curves.intake.imports", "ERROR"):
            result, batch = self.bring(files)
        self.assertEqual((result["read"], result["refused"]), (2, 1))
        self.assertIn("a fault of the application", batch.files.get(name="a 1.csv").outcome)

    def test_one_that_the_database_does_not_take_costs_no_other(self):
        files = {f"a {at}.csv": sweep(1.0, 50 + at) for at in range(3)}
        real = imports.keep

        def keep(person, programme, filed, at):
            if any(one.source == "a 1.csv" for one in filed):
                raise DataError("value out of range")
            return real(person, programme, filed, at)

        with mock.patch.object(imports, "keep", keep), self.assertLogs("curves.intake.imports", "ERROR"):
            result, batch = self.bring(files)
        self.assertEqual((result["read"], result["refused"]), (2, 1))
        self.assertEqual(dict(batch.files.values_list("name", "state"))["a 1.csv"], FileState.REFUSED)

    def test_what_a_dead_worker_left_can_be_asked_for_again(self):
        job, batch = self.ask({"a 1.csv": sweep()})
        with self.assertRaisesMessage(Refusal, "being read now"):
            self.again(batch)
        Job.objects.filter(pk=job.pk).update(state=JobState.RUNNING, beat_at=timezone.now() - timedelta(minutes=2))
        again = self.again(batch)
        self.assertEqual(Job.objects.get(pk=job.pk).state, JobState.FAILED)
        self.assertEqual(imports.work(again.arguments, Watch())["read"], 1)

    def again(self, batch) -> Job:
        (file,) = batch.files.all()
        layouts = imports.remembered([file.layout_key])
        with self.captureOnCommitCallbacks():
            return imports.run(self.operator, batch, layouts, {file.pk: FilePlacing(self.a.pk)}, WHERE, scenes.DAY)

    def test_a_file_without_a_sweep_is_kept_and_says_why_it_gives_no_curve(self):
        still = "\n".join(["time,rpm,torque Nm", *(f"{at / 50},3000,{300 + at % 3}" for at in range(200))]).encode()
        self.bring({"a still.csv": still})
        pull = correct.pulls_of(self.programme)[0]
        self.assertEqual((pull.standing, pull.reduced.speed_rpm), (Standing.UNDECIDED, []))
        self.assertTrue(SourceFile.objects.get(pull=pull).outcome.startswith("Pull 1, but without a curve"))

    def test_a_mapping_is_remembered_for_the_next_of_its_make(self):
        self.bring({"a 1.csv": sweep()})
        batch = imports.begin(self.operator, self.programme, scenes.DAY)
        key = imports.take(self.operator, batch, "x.csv", sweep(1.0, 5)).layout_key
        self.assertEqual({one.channel for one in imports.remembered([key])[key].mapped},
                         {"time", "rpm", "torque", "throttle", "oil_temperature"})  # fmt: skip

    def test_what_was_settled_for_a_job_holds_whatever_is_settled_for_the_next(self):
        job, _ = self.ask({"a 1.csv": sweep()})
        KnownLayout.objects.update(mapping={"mapped": [], "is_table": True, "rate_hz": None})
        self.assertEqual(imports.work(job.arguments, Watch())["read"], 1)
        self.assertEqual(Pull.objects.get().origin, PullOrigin.FILE)

    def test_a_channel_in_a_unit_that_nobody_knows_costs_no_curve(self):
        content = sweep().replace(b"[%]", b"[furlong]")
        self.bring({"a 1.csv": content}, own={"throttle": ("gadget", "furlong")})
        pull = correct.pulls_of(self.programme)[0]
        self.assertGreater(len(pull.reduced.speed_rpm), 30)
        self.assertEqual(read_raw(pull)["gadget"][0], "furlong")

    def test_stopped_work_keeps_what_was_read_in_whole_batches(self):
        files = {f"a {at:02}.csv": sweep(1.0, at + 20) for at in range(23)}
        result, batch = self.bring(files, watch=Watch(after=20))
        self.assertEqual((result["read"], result["left"]), (20, 3))
        self.assertEqual(batch.files.filter(state=FileState.WAITING).count(), 3)
        self.assertEqual(sorted(Pull.objects.values_list("number", flat=True)), list(range(1, 21)))

    def test_queries_do_not_grow_with_the_files_of_a_batch(self):
        counts = []
        for files in (4, 19):
            job, _ = self.ask({f"a {at:02}.csv": sweep(1.0, 100 * files + at) for at in range(files)})
            with CaptureQueriesContext(connection) as asked:
                imports.work(job.arguments, Watch())
            counts.append(len(asked))
        self.assertLessEqual(counts[1], counts[0])


class Refused(Scene):
    def test_what_cannot_be_is_told_by_field_and_a_viewer_brings_nothing(self):
        batch = imports.begin(self.operator, self.programme, scenes.DAY)
        imports.take(self.operator, batch, "a.csv", sweep())
        with self.assertRaises(Invalid) as caught:
            imports.run(self.operator, batch, {}, {}, WHERE, scenes.DAY)
        self.assertTrue(any(key.startswith("layout_") for key in caught.exception.fields))
        self.assertTrue(any(key.startswith("setup_") for key in caught.exception.fields))
        with self.assertRaises(Invalid) as caught:
            imports.run(self.operator, batch, {}, {}, FilingPlace(scenes.DAY.date(), barometer=101_000.0), scenes.DAY)
        self.assertIn("barometer", caught.exception.fields)
        with self.assertRaises(NotAllowed):
            imports.begin(scenes.person(Role.VIEWER), self.programme, scenes.DAY)
        self.assertEqual((Pull.objects.count(), Job.objects.count()), (0, 0))

    def test_what_was_given_and_not_read_is_found_again_by_who_gave_it(self):
        self.assertIsNone(imports.unfinished(self.operator, self.programme))
        job, batch = self.ask({"a 1.csv": sweep()})
        self.assertEqual(imports.unfinished(self.operator, self.programme), batch)
        self.assertIsNone(imports.unfinished(scenes.person(Role.OWNER), self.programme))
        imports.work(job.arguments, Watch())
        self.assertEqual(imports.unfinished(self.operator, self.programme), batch, "its job is not over")
        Job.objects.filter(pk=job.pk).update(state=JobState.DONE)
        self.assertIsNone(imports.unfinished(self.operator, self.programme))

    def test_another_import_that_was_begun_takes_the_place_of_what_waits(self):
        self.ask({"a 1.csv": sweep()})
        imports.begin(self.operator, self.programme, scenes.DAY)
        self.assertIsNone(imports.unfinished(self.operator, self.programme))

    def test_over_the_api_from_the_first_file_to_the_job(self):
        self.client.force_login(self.operator)
        batch = self.client.post(f"/api/programmes/{self.programme.pk}/imports").json()
        file = io.BytesIO(sweep())
        file.name = "manifold 1 b.csv"
        given = self.client.post(f"/api/imports/{batch['id']}/files", {"file": file}).json()
        self.assertEqual((given["state"], given["setup_id"]), ("waiting", self.b.pk))
        layout = self.client.get(f"/api/imports/{batch['id']}").json()["layouts"][0]
        keys = {"column": "name", "channel": "channel", "unit": "mapped_unit"}
        mapped = [{key: one[of] for key, of in keys.items()} for one in layout["columns"]]
        body = {
            "layouts": [{"key": layout["key"], "mapped": mapped}],
            "setups": [{"file_id": given["id"], "setup_id": self.b.pk}],
            "where": {"day": "2026-11-02"},
        }
        answer = self.client.post(f"/api/imports/{batch['id']}/run", body, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["job"]["state"]), (200, "waiting"))
