"""A job begun on the engine has one owner and blocks arming until it is closed."""

from datetime import datetime, timedelta

import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import OpenJob, Session
from stand.open_jobs import service as open_jobs
from stand.pulls import arming


class OpenJobs(TestCase):
    mats: Person
    ines: Person
    programme: Programme
    session: Session
    now: datetime

    @classmethod
    def setUpTestData(cls):
        cls.mats, cls.ines = scenes.person(Role.OPERATOR), scenes.person(Role.OWNER)
        cls.programme = scenes.programme(cls.mats)
        cls.session = scenes.session(cls.programme, cls.mats)
        scenes.link(cls.session.stand)
        cls.now = scenes.DAY + timedelta(hours=2)

    def arm(self):
        return arming.arm(self.mats, self.session, self.programme.setups.first(), self.now)

    def begin(self, kind="torque", note="stage 2 of 3"):
        return open_jobs.begin(self.mats, self.session, kind, note, self.now)

    def test_nothing_is_armed_while_a_job_is_open_and_its_owner_is_named(self):
        job = self.begin()
        told = "Torque sequence, not through all stages: stage 2 of 3 (Operator). Finish it and close it first."
        with self.assertRaisesMessage(Refusal, told):
            self.arm()
        open_jobs.close(self.mats, job, "", self.now)
        self.assertEqual(self.arm().state, "armed")

    def test_somebody_else_who_closes_it_says_how_he_knows(self):
        job = self.begin()
        with self.assertRaisesMessage(Invalid, "Operator began this. Say how you know that it is done."):
            open_jobs.close(self.ines, job, " ", self.now)
        open_jobs.close(self.ines, job, "wrench clicked on all ten", self.now)
        with self.assertRaisesMessage(Refusal, "closed already"):
            open_jobs.close(self.mats, job, "", self.now)

    def test_nobody_works_on_an_armed_engine(self):
        self.arm()
        with self.assertRaisesMessage(Refusal, "nobody works on the engine now"):
            self.begin()

    def test_slips_and_roles(self):
        with self.assertRaises(Invalid):
            self.begin(kind="paint")
        with self.assertRaisesMessage(Invalid, "Say what is begun."):
            self.begin(kind="other", note="")
        viewer = scenes.person(Role.VIEWER)
        with self.assertRaises(NotAllowed):
            open_jobs.begin(viewer, self.session, "torque", "", self.now)
        job = self.begin()
        with self.assertRaises(NotAllowed):
            open_jobs.close(viewer, job, "x", self.now)

    def test_the_database_keeps_a_closed_job_with_who_closed_it(self):
        job = self.begin()
        with self.assertRaises(IntegrityError), transaction.atomic():
            OpenJob.objects.filter(pk=job.pk).update(closed_at=self.now)
