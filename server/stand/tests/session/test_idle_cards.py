"""Idle cards: read from a stand that idles, written by hand, said in words, and shown beside the power."""

from datetime import datetime, timedelta
from typing import Any

import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role
from shop.permissions import units_of
from shop.refusals import Invalid, NotAllowed
from stand.idle_cards import service as idle_cards
from stand.models import IdleCard, Link, Session

SEEN = {"starting": "second", "returning": "hangs", "low_pull": "bogs"}


class Cards(TestCase):
    person: Person
    programme: Programme
    session: Session
    a: Any
    b: Any
    c: Any
    now: datetime

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.person.units |= {"air_pressure": "kPa"}
        cls.person.save()
        cls.programme = scenes.programme(cls.person)
        cls.session = scenes.session(cls.programme, cls.person)
        scenes.link(cls.session.stand)
        cls.a, cls.b, cls.c = cls.programme.setups.all()
        cls.now = scenes.DAY

    def write(self, setup=None, person=None, **entry: Any) -> IdleCard:
        filled = idle_cards.IdleEntry(**{"measured": {}, "chosen": {}, **entry})
        self.now += timedelta(minutes=1)
        return idle_cards.write(person or self.person, self.session, setup or self.a, filled, self.now)

    def test_what_the_stand_reads_while_it_idles_and_nothing_while_it_does_not(self):
        link = Link.objects.get()
        link.values |= {"manifold_pressure": 48_000.0, "lambda": 0.93}
        link.save()
        read = idle_cards.at_the_stand(self.session.stand)
        self.assertEqual(read, {"rpm": 1100.0, "manifold_pressure": 48_000.0, "mixture": 0.93})
        for changed in ({"state": "sweeping"}, {"connected": False}):
            Link.objects.update(**{"state": "idle", "connected": True, **changed})
            self.assertEqual(idle_cards.at_the_stand(self.session.stand), {})
        Link.objects.update(state="idle", connected=True, faulty=["lambda"])
        self.assertNotIn("mixture", idle_cards.at_the_stand(self.session.stand))

    def test_a_card_is_said_in_one_line_in_the_readers_units(self):
        card = self.write(
            measured={"rpm": "950", "manifold_pressure": "48", "mixture": "0.93", "spark_advance": "12"},
            chosen=SEEN, note="Smells rich",
        )  # fmt: skip
        self.assertEqual(
            idle_cards.card_words(card, units_of(self.person)),
            "Idles at 950 rpm, 48 kPa, lambda 0.93, 12° of spark; starts at the second try; hangs above idle; "
            "bogs at low rpm. Smells rich",
        )
        inch = units_of(self.person) | {"air_pressure": "inHg"}
        self.assertIn("14.17 inHg", idle_cards.card_words(card, inch))

    def test_what_nobody_looked_at_is_not_judged_and_nothing_is_guessed(self):
        self.assertEqual(idle_cards.of_setups(self.programme, units_of(self.person)), {})
        self.write(chosen={"starting": "at_once"})
        self.write(self.b, hardware_missing=True, measured={"rpm": "950"}, note="No idle valve here")
        said = idle_cards.of_setups(self.programme, units_of(self.person))
        self.assertEqual(said[self.a.pk], "Starts at once")
        self.assertEqual(said[self.b.pk], "Idle not judged: the idle hardware was not on. No idle valve here")
        self.assertEqual(said[self.c.pk], "Idle not judged")

    def test_the_newest_card_stands_and_the_one_before_stays(self):
        self.write(measured={"rpm": "1400"})
        self.write(measured={"rpm": "900"})
        self.assertEqual(idle_cards.of_setups(self.programme, units_of(self.person))[self.a.pk], "Idles at 900 rpm")
        self.assertEqual(IdleCard.objects.count(), 2)

    def test_each_field_says_what_cannot_be_used(self):
        for entry, field in (
            ({"measured": {"rpm": "90"}}, "rpm"),
            ({"measured": {"manifold_pressure": "12.5 rpm"}}, "manifold_pressure"),
            ({"measured": {"mixture": "13.2"}}, "mixture"),
            ({"measured": {"spark_advance": "early"}}, "spark_advance"),
            ({"chosen": {"returning": "x"}}, "returning"),
            ({}, "rpm"),
        ):
            with self.subTest(field=field), self.assertRaises(Invalid) as refused:
                self.write(**entry)
            self.assertEqual(list(refused.exception.fields), [field])
        with self.assertRaises(NotAllowed):
            self.write(person=scenes.person(Role.VIEWER), measured={"rpm": "900"})
        with self.assertRaises(Invalid):
            self.write(scenes.programme(self.person, engine="another", parts="other").setups.first(),
                       measured={"rpm": "900"})  # fmt: skip
        with self.assertRaises(IntegrityError), transaction.atomic():
            IdleCard.objects.create(session=self.session, setup=self.a, at=self.now, by=self.person)

    def test_the_screen_is_given_what_the_stand_reads_as_it_would_be_typed(self):
        self.client.force_login(self.person)
        path = f"/api/sessions/{self.session.pk}/idle-cards"
        shown = self.client.get(path, {"setup_id": self.a.pk}).json()
        self.assertEqual((shown["now"], shown["cards"]), ({"rpm": "1100"}, []))
        body = {"setup_id": self.a.pk, "measured": shown["now"], "chosen": {"returning": "clean"}}
        shown = self.client.post(path, body, "application/json").json()
        self.assertEqual(shown["cards"][0]["text"], "Idles at 1100 rpm; returns to idle clean")
