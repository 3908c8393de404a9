"""The order, session and time of files: from a manifest, from times, from numbers in names, and as it was set."""

from datetime import UTC, date, time, timedelta

import scenes
from django.test import TestCase
from django.utils import timezone

from curves.intake import imports
from curves.intake.running_order import FileStart, ManifestRow, natural, read_manifest, read_start
from curves.models import Import
from curves.tests.test_imports import Scene, sweep
from shop.models import Person, Role
from stand.models import Pull


class Names(TestCase):
    def test_numbers_count_as_numbers(self):
        names = ["run 10", "run 9", "Run 1", "day 2 run 1", "day 1 run 11"]
        self.assertEqual(sorted(names, key=natural), ["day 1 run 11", "day 2 run 1", "Run 1", "run 9", "run 10"])

    def test_times_in_names_and_heads(self):
        for text, wanted in (
            ("2026-03-04 14.05 carb A.csv", FileStart(time(14, 5), date(2026, 3, 4))),
            ("20260304_1405.csv", FileStart(time(14, 5), date(2026, 3, 4))),
            ("Recorded 2026-03-04T08:06:22", FileStart(time(8, 6), date(2026, 3, 4))),
            ("pull at 9:07", FileStart(time(9, 7))), ("run 1405.csv", None), ("ratio 12.75:1, 99:99", None),
            ("2026-02-31 14:05", None),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(read_start(text), wanted)


class Manifests(TestCase):
    def test_a_list_is_read_whatever_separates_its_cells(self):
        for separator in ",;\t":
            content = separator.join(["Recording", "Config", "Session", "Order", "Start"]) + "\n"
            content += separator.join(["a.csv", "A", "day 1", "2", "08:05"]) + "\n"
            self.assertEqual(read_manifest(content.encode()), [ManifestRow("a.csv", "A", "day 1", 2.0, "08:05")])

    def test_a_recording_is_none(self):
        self.assertIsNone(read_manifest(sweep()))
        self.assertIsNone(read_manifest(b"\xff\xfe\x00"))
        self.assertIsNone(read_manifest(b"file,remark\na.csv,good\n"))


class Placed(Scene):
    def setUp(self):
        self.client.force_login(self.operator)

    def take(self, files: dict[str, bytes]):
        batch = imports.begin(self.operator, self.programme, scenes.DAY)
        for name, content in files.items():
            imports.take(self.operator, batch, name, content)
        return batch

    def shown(self, batch) -> list[dict]:
        return self.client.get(f"/api/imports/{batch.pk}").json()["files"]

    def run_as(self, batch, files: list[dict], **where):
        layouts = self.client.get(f"/api/imports/{batch.pk}").json()["layouts"]
        body = {
            "layouts": [{"key": one["key"], "mapped": [
                {"column": column["name"], "channel": column["channel"], "unit": column["mapped_unit"]}
                for column in one["columns"]]} for one in layouts],
            "setups": [{"file_id": one["id"], "setup_id": one["setup_id"] or self.a.pk, "session": one["session"],
                        "start": one["start"]} for one in files],
            "where": {"day": "2026-11-02", "keep": True, "inertia_in_torque": "included", **where},
        }  # fmt: skip
        with self.captureOnCommitCallbacks():
            answer = self.client.post(f"/api/imports/{batch.pk}/run", body, "application/json")
        if answer.status_code == 200:
            batch.refresh_from_db()
            imports.work(batch.job.arguments, Patient())
        return answer

    def test_a_manifest_gives_setup_session_order_and_start(self):
        lines = b"file,setup,session,order,start\nx.csv,B,two,1,2026-11-03T08:10\ny.csv,A,one,2,2026-11-02T09:00\n"
        batch = self.take({"x.csv": sweep(1.0, 1), "y.csv": sweep(1.0, 2), "z.csv": sweep(1.0, 3), "list.csv": lines})
        files = [one for one in self.shown(batch) if one["state"] == "waiting"]
        self.assertEqual(
            [(one["name"], one["session"], one["start"]) for one in files],
            [("x.csv", "two", "2026-11-03 08:10"), ("y.csv", "one", "2026-11-02 09:00"), ("z.csv", "", "")],
        )
        self.assertEqual([one["setup_id"] for one in files[:2]], [self.b.pk, self.a.pk])
        listed = next(one for one in self.shown(batch) if one["state"] == "manifest")
        self.assertEqual(listed["outcome"], "It says where 2 files belong.")
        made = scenes.read_back(self.operator, scenes.archive_of(self.operator, self.programme))
        batch.refresh_from_db()
        self.assertEqual(Import.objects.get(programme=made).manifest, batch.manifest)

    def test_the_order_that_was_set_is_that_of_the_pulls_with_sessions_and_times(self):
        batch = self.take({f"run {at}.csv": sweep(1.0, at) for at in (1, 2, 3, 4)})
        files = {one["name"]: one for one in self.shown(batch)}
        wanted = [files[f"run {at}.csv"] for at in (3, 1, 4, 2)]
        for one, session, start in zip(wanted, ("am", "am", "pm", "pm"), ("8:05", "", "14:10", "14:20"), strict=True):
            one["session"], one["start"] = session, start
        self.assertEqual(self.run_as(batch, wanted).status_code, 200)
        pulls = list(Pull.objects.filter(session__programme=self.programme).order_by("number"))
        self.assertEqual([pull.source for pull in pulls], ["run 3.csv", "run 1.csv", "run 4.csv", "run 2.csv"])
        self.assertEqual(len({pull.session_id for pull in pulls}), 2)
        self.assertEqual(pulls[0].session_id, pulls[1].session_id)
        zone = timezone.get_current_timezone()
        self.assertEqual(pulls[0].started_at.astimezone(zone).time(), time(8, 5))
        self.assertIsNone(pulls[1].started_at)
        self.assertEqual(pulls[3].started_at - pulls[2].started_at, timedelta(minutes=10))
        first, second = sorted({pull.session for pull in pulls}, key=lambda session: session.opened_at)
        self.assertLessEqual(first.closed_at, second.opened_at.astimezone(UTC))

    def test_a_time_that_is_none_is_refused_at_its_file(self):
        batch = self.take({"run 1.csv": sweep()})
        (file,) = self.shown(batch)
        answer = self.run_as(batch, [{**file, "start": "after lunch"}])
        self.assertEqual(answer.status_code, 422)
        self.assertIn("a time of day such as 14:05", answer.json()["fields"][f"start_{file['id']}"])

    def test_a_viewer_settles_nothing(self):
        batch = self.take({"run 1.csv": sweep()})
        viewer: Person = scenes.person(Role.VIEWER)
        self.client.force_login(viewer)
        self.assertIn(self.client.get(f"/api/imports/{batch.pk}").status_code, (403, 404))


class Patient:
    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, told: str = "") -> None:
        """Nobody looks."""
