"""The register of instruments: what a check finds, what is due, and where the figures say it."""

from datetime import datetime, timedelta
from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from shop.models import Person, Role, Shop, Stand
from shop.refusals import Invalid, NotAllowed
from stand.instruments import service as instruments
from stand.models import InstrumentCheck

SPAN = {"weights": ["0", "20 kg", "40", "20", ""], "readings": ["0.4", "197.5", "394.5", "197.7", ""], "arm": "1 m",
        "arm_uncertainty": "0.5 mm", "weights_percent": "0.1", "latitude": "45"}  # fmt: skip


class Register(TestCase):
    owner: Person
    operator: Person
    stand: Stand
    now: datetime

    @classmethod
    def setUpTestData(cls):
        cls.owner, cls.operator = scenes.person(Role.OWNER), scenes.person(Role.OPERATOR)
        cls.operator.units |= {"torque": "N·m", "mass": "kg", "length": "mm", "temperature": "°C"}
        cls.operator.save()
        cls.stand = Stand.objects.create(name="Stand 1")
        scenes.link(cls.stand)
        cls.now = scenes.DAY

    def span(self, **changed: Any) -> InstrumentCheck:
        return instruments.write_span(self.operator, self.stand, instruments.SpanEntry(**{**SPAN, **changed}), self.now)

    def test_weights_on_an_arm_say_how_far_torque_reads_off(self):
        """By hand: 40 kg on 1 m at 9.80620 m/s² is 392.25 N·m; the line through the readings rises 0.46 % too fast."""
        found = self.span()
        self.assertAlmostEqual(100 * (found.error or 0), 0.46, delta=0.03)
        self.assertEqual(len(found.points), 4)
        self.client.force_login(self.operator)
        (stand,) = self.client.get("/api/instruments").json()["stands"]
        torque = stand["instruments"][0]
        self.assertEqual((torque["channel"], torque["days"], torque["is_due"]), ("torque", 90, False))
        self.assertRegex(torque["check"]["found"], r"^reads 0\.4\d % high ± 0\.\d\d %, 0\.\d N·m with no load$")

    def test_torque_against_a_reference_cell_is_a_share_as_well(self):
        found = instruments.write_reference(self.operator, self.stand, "torque", "400", "402", "1", self.now)
        error, uncertainty = instruments.torque_error(found) or (0.0, 0.0)
        self.assertAlmostEqual(error, 0.005)
        self.assertAlmostEqual(uncertainty, 0.0025)
        self.assertIn("reads 0.50 % high ± 0.25 %", instruments.torque_words(self.stand, self.now))

    def test_each_field_says_what_is_wrong_and_nothing_is_kept(self):
        for changed, field, words in (
            ({"arm": ""}, "arm", "number"),
            ({"arm": "1 kg"}, "arm", "length"),
            ({"weights": ["0", "x", "40", "20"]}, "weights.1", "number"),
            ({"readings": ["0", "1", "2 bar", "3"]}, "readings.2", "torque"),
            ({"latitude": "91"}, "latitude", ""),
            ({"weights_percent": "50"}, "weights_percent", ""),
            ({"weights": ["0", "", ""], "readings": ["1", "", ""]}, "weights", "3 readings are the least"),
            ({"weights": ["20", "20", "20", "20"]}, "weights", "another weight"),
            ({"weights": ["1"] * 41, "readings": ["1"] * 41}, "weights", "at most 40"),
        ):
            with self.subTest(field=field, words=words), self.assertRaises(Invalid) as refused:
                self.span(**changed)
            self.assertIn(words, refused.exception.fields[field])
        self.assertFalse(InstrumentCheck.objects.exists())

    def test_a_reference_for_a_temperature_is_a_difference_in_degrees(self):
        found = instruments.write_reference(
            self.operator, self.stand, "oil_temperature", "90", "91.5 °C", "0.9 °F", self.now
        )
        self.assertAlmostEqual(found.error or 0, 1.5)
        self.assertAlmostEqual(found.uncertainty or 0, 0.5)  # 0.9 °F wide is 0.5 K
        self.client.force_login(self.operator)
        (stand,) = self.client.get("/api/instruments").json()["stands"]
        oil = next(one for one in stand["instruments"] if one["channel"] == "oil_temperature")
        self.assertEqual(oil["check"]["found"], "reads 1.5 °C high ± 0.5 °C")
        for known_to in ("", "0", "-1", "much"):
            with self.assertRaises(Invalid) as refused:
                instruments.write_reference(
                    self.operator, self.stand, "oil_temperature", "90", "91", known_to, self.now
                )
            self.assertIn("known_to", refused.exception.fields)

    def test_a_channel_that_measures_nothing_known_is_refused(self):
        for channel in ("song", "../etc", ""):
            with self.assertRaises(Invalid):
                instruments.write_zero(self.operator, self.stand, channel, "0", self.now)

    def test_what_has_run_out_is_asked_for_and_what_nobody_ever_checked_is_not(self):
        self.assertEqual(instruments.due(self.stand, self.now), [])
        self.span()
        self.assertEqual(instruments.due(self.stand, self.now + timedelta(days=89)), [])
        late = self.now + timedelta(days=90)
        self.assertEqual(instruments.due(self.stand, late), ["Torque: the check of 2026-11-02 ran out on 2027-01-31"])
        instruments.set_interval(self.owner, self.stand, "torque", "30", self.now)
        self.assertEqual(len(instruments.due(self.stand, self.now + timedelta(days=30))), 1)
        instruments.set_interval(self.owner, self.stand, "torque", "", self.now)
        self.assertEqual(instruments.due(self.stand, late), [])

    def test_the_day_of_a_check_is_the_shops(self):
        shop = Shop.here()
        shop.time_zone = "Pacific/Auckland"
        shop.save()
        self.now = self.now.replace(hour=20)  # the next morning there
        self.span()
        self.assertIn("by the span check of 2026-11-03", instruments.torque_words(self.stand, self.now))

    def test_who_may_write_what(self):
        with self.assertRaises(NotAllowed):
            instruments.write_zero(scenes.person(Role.VIEWER), self.stand, "torque", "0", self.now)
        with self.assertRaises(NotAllowed):
            instruments.set_interval(self.operator, self.stand, "torque", "30", self.now)
        with self.assertRaises(Invalid) as refused:
            instruments.set_interval(self.owner, self.stand, "torque", "often", self.now)
        self.assertIn("days", refused.exception.fields)

    def test_figures_say_what_the_last_check_before_them_found(self):
        self.assertEqual(instruments.torque_words(self.stand, self.now), "")
        self.span()
        self.assertEqual(instruments.torque_words(self.stand, self.now - timedelta(minutes=1)), "")
        said = instruments.torque_words(self.stand, self.now)
        self.assertRegex(
            said, r"^reads 0\.4\d % high ± 0\.\d\d %, not corrected here, by the span check of 2026-11-02$"
        )
        self.assertIn("run out", instruments.torque_words(self.stand, self.now + timedelta(days=91)))
        self.now += timedelta(days=1)
        self.span(readings=["0", "196.12", "392.25", "196.12", ""])  # set right at the stand, and checked again
        self.assertRegex(instruments.torque_words(self.stand, self.now), r"^± 0\.\d\d %, by the span check of")
        self.assertIn("high", instruments.torque_words(self.stand, self.now - timedelta(hours=1)))

    def test_a_pull_and_its_session_say_it(self):
        self.span()
        programme = scenes.programme(self.operator)
        session = scenes.session(programme, self.operator, self.stand, self.now)
        setup = programme.setups.first()
        self.client.force_login(self.operator)
        asked = self.client.get(f"/api/sessions/{session.pk}/next", {"setup_id": setup.pk}).json()
        self.assertEqual(asked["instruments_due"], [])
        InstrumentCheck.objects.update(at=self.now - timedelta(days=400))
        asked = self.client.get(f"/api/sessions/{session.pk}/next", {"setup_id": setup.pk}).json()
        self.assertEqual(len(asked["instruments_due"]), 1)

    def test_the_register_of_many_stands_takes_a_bounded_count_of_queries(self):
        self.client.force_login(self.operator)
        self.client.get("/api/instruments")

        def queries() -> int:
            with CaptureQueriesContext(connection) as counted:
                self.client.get("/api/instruments")
            return len(counted)

        self.span()
        before = queries()
        for number in range(3):
            self.span()
            scenes.link(Stand.objects.create(name=f"Another {number}"))
        self.assertEqual(queries(), before)
