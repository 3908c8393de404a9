"""Measured on removal: read, noted, proposed beside what the sheet has, taken into a new revision once."""

import math

import scenes
from torvix_core.engine.evidence import Origin

from engines.builds.service import write_down
from engines.sheet import sheets
from engines.sheet.readings import ReadingChange as Reading
from shop.models import Role
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Note, NoteKind, RemovalReading
from stand.session import removal
from stand.tests.session.test_day import Scene


class Removal(Scene):
    def proposed(self) -> list[removal.ProposedReading]:
        return removal.proposed(self.mats, self.programme, removal.open_readings(self.programme))

    def would_move(self) -> list[str]:
        return removal.would_move(self.mats, self.programme, removal.open_readings(self.programme))

    def test_an_assumed_value_gives_way_to_what_was_measured_in_a_new_revision(self):
        build = self.programme.build
        write_down(self.mats, build, "runner_length", Reading("380 mm", Origin.ASSUMED), self.now)
        removal.write(self.mats, self.session, "runner_length", "15 in", self.now)
        removal.write(self.mats, self.session, "runner_length", "371 mm", self.now)  # measured once more
        (shown,) = self.proposed()
        self.assertEqual((shown.label, shown.origin), ("Runner, valve to open end", "assumed"))
        self.assertEqual(Note.objects.filter(kind=NoteKind.MEASURED).count(), 2)
        self.pull()
        made = removal.revise(self.mats, self.programme, self.now)
        self.assertEqual((made.revision, made.reason), (2, "Measured on removal: runner, valve to open end"))
        self.assertAlmostEqual(sheets.value(made, "runner_length") or 0, 0.371)
        self.assertAlmostEqual(sheets.value(build, "runner_length") or 0, 0.380)  # a used revision stays
        self.programme.refresh_from_db()
        self.assertEqual(self.programme.build_id, build.pk)  # until somebody chooses the new one
        self.assertEqual(RemovalReading.objects.filter(build=made).count(), 2)
        self.assertEqual(self.proposed(), [])
        with self.assertRaisesMessage(Refusal, "Nothing was measured"):
            removal.revise(self.mats, self.programme, self.now)

    def test_what_a_revision_would_change_is_said_before_it_is_written(self):
        """By hand: bore 86.6, stroke 82.4, chamber 46 cc; with 1.2 mm of gasket 10.11, with 1.5 mm 9.81."""
        self.assertEqual(self.would_move(), [])
        removal.write(self.mats, self.session, "gasket_thickness", "1.5 mm", self.now)
        swept, chambers = math.pi / 4 * 8.66**2 * 8.24, [46 + math.pi / 4 * 8.8**2 * gasket for gasket in (0.12, 0.15)]
        old, new = (f"{1 + swept / chamber:.2f}".rstrip("0") for chamber in chambers)
        self.assertEqual((old, new), ("10.11", "9.8"))
        self.assertIn(f"Static compression ratio {old}:1 → {new}:1", self.would_move())
        removal.revise(self.mats, self.programme, self.now)
        self.assertEqual(self.would_move(), [])

    def test_what_cannot_be_read_or_is_not_measured_there_is_refused(self):
        for key, text, field in (
            ("runner_length", "", "text"), ("runner_length", "long", "text"), ("runner_length", "3 kg", "text"),
            ("bore", "87 mm", "key"), ("song", "1", "key"),
        ):  # fmt: skip
            with self.subTest(key=key, text=text), self.assertRaises(Invalid) as refused:
                removal.write(self.mats, self.session, key, text, self.now)
            self.assertIn(field, refused.exception.fields)
        with self.assertRaises(NotAllowed):
            removal.write(scenes.person(Role.VIEWER), self.session, "runner_length", "371 mm", self.now)
        self.assertFalse(Note.objects.exists())

    def test_the_screen_is_given_both(self):
        self.client.force_login(self.mats)
        path, body = f"/api/sessions/{self.session.pk}", {"setup_id": self.a.pk}
        shown = self.client.post(f"{path}/removal-readings", {**body, "key": "runner_length", "text": "371 mm"},
                                 "application/json").json()  # fmt: skip
        self.assertEqual([one["key"] for one in shown["measured"]], ["runner_length"])
        shown = self.client.post(f"{path}/removal-revision", body, "application/json").json()
        self.assertEqual(shown["measured"], [])
