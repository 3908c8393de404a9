"""Entries that wait on disk: read back as they were, written once, and what is broken passed over."""

from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
import scenes
from django.db import OperationalError
from django.test import SimpleTestCase, TestCase

from shop.models import Person, Role
from stand.models import Command, CommandState, Link, Pull, PullState, Session
from stand.pulls import arming
from stand.pulls.samples import read_raw
from stand.worker import entries, pull_records
from stand.worker.entries import (
    BrowserMessage,
    CommandAnswered,
    PullBegan,
    PullEnded,
    PullGuarded,
    SamplesRecorded,
    UnaskedSweep,
    WeatherReported,
    from_line,
    to_line,
)
from stand.worker.journal import Journal
from stand.worker.pull_records import HelloFacts, MeanAir

AT = datetime(2026, 11, 2, 9, 30, 1, 250_000, tzinfo=UTC)
FACTS = HelloFacts(50.0, ["rpm", "torque"], ["rpm", "N·m"], "included", 0.0)
LASTING = (
    PullGuarded(7, [["coolant", 383.15]]),
    PullBegan(7, AT, FACTS, {"rpm": 2000.0}),
    SamplesRecorded(7, 0, 2, np.arange(6.0).tobytes()),
    PullEnded(7, "complete", "", AT, 3, MeanAir(98_000.0, 295.0, 0.4), ""),
    PullEnded(7, "aborted", "why", AT),
    CommandAnswered(4, False, "too hot"),
    WeatherReported(1, AT, MeanAir(98_000.0, 295.0, 0.4)),
    UnaskedSweep(1, AT),
)


class Lines(SimpleTestCase):
    def test_every_lasting_entry_comes_back_as_it_was(self):
        for entry in LASTING:
            with self.subTest(entry=type(entry).__name__):
                self.assertEqual(from_line(to_line(entry)), entry)
        self.assertEqual({type(entry) for entry in LASTING}, set(entries.KINDS.values()))

    def test_a_line_that_is_cut_off_or_none_of_ours_is_refused(self):
        whole = to_line(LASTING[2])
        for line in (whole[:-9], b"{}", b"[]", b'{"kind":"Dance"}', b'{"kind":"Answered","command":1}', b"\xff\n"):
            with self.subTest(line=line[:20]), self.assertRaises(ValueError):
                from_line(line)


class Kept(TestCase):
    operator: Person
    session: Session
    pull: Pull

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        programme = scenes.programme(cls.operator)
        cls.session = scenes.session(programme, cls.operator)
        scenes.link(cls.session.stand)
        cls.pull = arming.arm(cls.operator, cls.session, programme.setups.first(), scenes.DAY)

    def setUp(self):
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "stand-1.jsonl"
        self.journal = Journal(self.path)

    def whole_pull(self) -> list[entries.JournalEntry]:
        rows = np.array(scenes.samples(1.0))
        names, units = zip(*scenes.CHANNELS, strict=True)
        chunks = [SamplesRecorded(self.pull.pk, number, len(part), part.tobytes())
                  for number, part in enumerate(np.array_split(rows, 5))]  # fmt: skip
        began = PullBegan(self.pull.pk, AT, HelloFacts(50.0, names, units, "included", 0.0), {"rpm": 2000.0})
        return [began, *chunks, PullEnded(self.pull.pk, "complete", "", AT)]

    def post(self, *posted: entries.JournalEntry) -> None:
        for entry in posted:
            self.journal.post(entry)

    def assert_recorded(self) -> None:
        self.pull.refresh_from_db()
        self.assertEqual(self.pull.state, PullState.COMPLETE)
        self.assertEqual(len(read_raw(self.pull)["rpm"][1]), 800)
        self.assertFalse(self.path.exists())

    def test_what_was_kept_is_written_first_and_the_file_goes(self):
        begin, *rest = self.whole_pull()
        self.post(begin, *rest[:2], BrowserMessage({"type": "frame"}))
        self.journal.keep()
        self.assertEqual(len(self.path.read_bytes().splitlines()), 3)  # the frame is not worth keeping
        self.post(*rest[2:])
        self.journal.write()
        self.assert_recorded()

    def test_a_worker_killed_while_it_wrote_the_file_out_writes_nothing_twice(self):
        self.post(*self.whole_pull())
        self.journal.keep()
        text = self.path.read_bytes()
        self.journal.write()
        self.path.write_bytes(text)  # as if it had been killed just before the file was removed
        Journal(self.path).write()
        self.assert_recorded()
        self.assertFalse(self.pull.chunks.exists())

    def test_a_database_that_goes_away_again_in_the_middle_goes_on_where_it_was(self):
        self.post(*self.whole_pull())
        self.journal.keep()
        real, left = SamplesRecorded.write, iter([True, True])

        def write(entry):
            if next(left, False):
                return real(entry)
            raise OperationalError("gone again")

        with mock.patch.object(SamplesRecorded, "write", write), self.assertRaises(OperationalError):
            self.journal.write()
        self.assertEqual(self.pull.chunks.count(), 2)
        self.journal.write()
        self.assert_recorded()

    def test_half_a_line_of_a_killed_worker_is_passed_over(self):
        self.post(*self.whole_pull())
        self.journal.keep()
        self.path.write_bytes(self.path.read_bytes() + b'{"kind":"Recorded","pull":')
        self.journal.write()
        self.assert_recorded()

    def test_what_cannot_be_written_at_all_is_set_aside_and_the_rest_goes_on(self):
        self.post(CommandAnswered(987_654, True, ""), *self.whole_pull())
        with self.assertLogs("torvix.bench", "ERROR"):
            self.journal.write()
        self.assert_recorded()
        self.assertIn(b"987654", self.path.with_suffix(".refused").read_bytes())

    def test_what_was_set_aside_is_told_and_tried_again_by_the_next_worker(self):
        with mock.patch.object(PullEnded, "write", side_effect=ValueError("a fault of the day")):
            self.post(*self.whole_pull(), CommandAnswered(987_654, True, ""))
            with self.assertLogs("torvix.bench", "ERROR"):
                self.journal.write()
        self.assertIn("2 records of this stand could not be saved and are kept in", self.journal.unsaved())
        after = Journal(self.path)
        self.assertEqual(after.unsaved(), self.journal.unsaved())
        with (
            mock.patch.object(CommandAnswered, "write", side_effect=OperationalError),
            self.assertRaises(OperationalError),
        ):
            after.try_again()
        self.assertEqual(Journal(self.path).set_aside, 2)  # none is lost, whatever happens in between
        with self.assertLogs("torvix.bench", "ERROR"):
            after.try_again()
        self.assert_recorded()
        self.assertIn("1 record of this stand", Journal(self.path).unsaved())

    def test_the_screen_says_what_was_set_aside(self):
        Link.objects.update(unsaved="1 record of this stand could not be saved.")
        self.client.force_login(self.operator)
        answer = self.client.get(f"/api/programmes/{self.session.programme_id}/stand").json()
        self.assertEqual(answer["unsaved"], "1 record of this stand could not be saved.")

    def test_an_answer_that_comes_twice_counts_once(self):
        command = Command.objects.get(pull=self.pull)
        CommandAnswered(command.pk, True, "").write()
        CommandAnswered(command.pk, False, "the stand did not answer").write()
        command.refresh_from_db()
        self.assertEqual((command.state, command.answer), (CommandState.DONE, ""))

    def test_a_pull_that_has_ended_is_not_begun_or_filled_again(self):
        begin, chunk, *_ = self.whole_pull()
        pull_records.end_pull(self.pull, PullState.ABORTED, "Disarmed.", AT)
        begin.write()
        chunk.write()
        self.assertEqual(Pull.objects.get(pk=self.pull.pk).state, PullState.ABORTED)
        self.assertFalse(self.pull.chunks.exists())
