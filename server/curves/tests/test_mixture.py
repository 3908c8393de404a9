"""The mixture adviser of a pull: what it reads, advises, withholds, and learns from the shop's jet changes."""

from typing import Any

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from curves.mixture import jet_cases
from curves.models import ChannelMean
from curves.reduction.nature import Nature
from engines.models import Part
from programmes.models import MixturePolicy, Programme
from programmes.settings import service as adjusting
from programmes.settings import tune_sizes
from shop.models import Person, Role
from shop.refusals import Invalid
from stand.models import Pull, PullSetting, Purpose, Session, Standing

PRIMARY, SECONDARY, TARGET = "setting:main_jet_primary", "setting:main_jet_secondary", "setting:mixture_target"


class Mixture(TestCase):
    operator: Person
    programme: Programme
    a: Any
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a = cls.programme.setups.first()
        cls.a.parts.add(Part.objects.create(name="Four barrel", slot="carburetor", created_by=cls.operator,
                                            created_at=scenes.DAY))  # fmt: skip
        cls.session = scenes.session(cls.programme, cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def pull(
        self, ratio: float | None, jets: tuple[str, str] | None, tilt: float = 0.0,
        settings: dict[str, str] | None = None,
    ) -> Pull:  # fmt: skip
        made = scenes.pull(self.session, self.a, self.operator)
        texts = {
            TARGET: "0.8605 lambda",
            **({PRIMARY: jets[0], SECONDARY: jets[1]} if jets else {}),
            **(settings or {}),
        }
        PullSetting.objects.bulk_create(PullSetting(pull=made, key=key, text=text) for key, text in texts.items())
        ChannelMean.objects.filter(reduced=made.reduced, channel="lambda").delete()
        if ratio is not None:
            bins = len(made.reduced.speed_rpm)
            values = ratio / 14.7 + tilt * np.linspace(-1, 1, bins)
            ChannelMean.objects.create(reduced=made.reduced, channel="lambda", values=values.tolist())
        return made

    def advice(self, pull: Pull) -> dict:
        answer = self.client.get(f"/api/pulls/{pull.pk}/mixture-advice")
        self.assertEqual(answer.status_code, 200)
        return answer.json()

    def test_jets_by_position_are_advised_with_what_they_should_give(self):
        found = self.advice(self.pull(11.65, ("77", "87")))
        self.assertIn("Lambda 0.793 on average, target 0.861 ± 0.010", found["reading"])
        self.assertRegex(found["advice"], r"^Try main jet 7\d primary \(-\d\) and 8\d secondary \(-\d\): lambda 0\.8")
        self.assertEqual(set(found["jets"]), {PRIMARY, SECONDARY})
        self.assertIn("no jet changes of this carburetor, no jet changes in all", found["basis"][0])

    def test_both_ends_are_named_and_a_lean_end_is_a_hazard(self):
        found = self.advice(self.pull(12.65, ("77", "87"), tilt=0.13))
        self.assertIn("richest 0.7", found["reading"])
        self.assertIn("Lean under load: lambda 0.9", found["hazard"])
        self.assertIn("Richer for safety first", found["advice"])

    def test_it_learns_from_jets_alone_and_keeps_what_it_predicted(self):
        self.pull(11.65, ("77", "87"))
        self.pull(12.00, ("75", "85"))
        self.pull(12.20, ("75", "85"), settings={"setting:spark_advance": "36 °"})  # more than jets: no case
        last = self.pull(12.50, ("73", "83"), settings={"setting:spark_advance": "36 °"})
        found = self.advice(last)
        self.assertIn("2 jet changes of this carburetor, 2 jet changes in all", found["basis"][0])
        self.assertIn("Primary and secondary always moved together", found["basis"][1])
        self.assertEqual(len(found["scored"]), 2)
        self.assertRegex(found["scored"][0], r"Pull 2 .*: lambda 0\.8\d\d predicted, .*; 0\.816 came, inside\.$")

    def test_pulls_that_change_no_jet_are_not_read_for_it_however_many_they_are(self):
        first = self.pull(11.65, ("77", "87"))
        for _ in range(3):
            self.pull(11.65, ("77", "87"))
        changed = self.pull(12.00, ("75", "85"))
        excluded = self.pull(12.40, ("73", "83"))
        Pull.objects.filter(pk=excluded.pk).update(standing=Standing.EXCLUDED, excluded_reason="a plug wire came off")
        back = self.pull(11.66, ("77", "87"))
        with CaptureQueriesContext(connection) as asked:
            (one, other) = jet_cases.cases(Nature.MEASURED)
        self.assertEqual((one.before.number, one.pull, other.before, other.pull),
                         (changed.number - 1, changed, changed, back))  # fmt: skip
        read = [query["sql"] for query in asked if 'FROM "curves_channelmean"' in query["sql"]]
        self.assertNotRegex(" ".join(read), rf"\b{first.reduced.pk}\b")
        self.assertEqual(jet_cases.cases(Nature.SIMULATED), [])

    def test_what_is_missing_is_said_and_nothing_is_guessed(self):
        for wanted, pull in (
            ("No mixture was measured", self.pull(None, ("77", "87"))),
            ("not written down by position", self.pull(11.65, None, settings={"setting:jets": "77/87"})),
            ("In the band", self.pull(12.65, ("72", "82"))),
        ):
            with self.subTest(wanted):
                found = self.advice(pull)
                self.assertIn(wanted, found["advice"])
                self.assertEqual(found["jets"], {})
        none = self.pull(11.65, ("77", "87"))
        none.settings.filter(key=TARGET).delete()
        self.assertIn("No mixture target", self.advice(none)["advice"])
        Programme.objects.filter(pk=self.programme.pk).update(mixture_policy=MixturePolicy.DELIVERED)
        self.assertIn("runs as delivered", self.advice(self.pull(11.65, ("77", "87")))["advice"])

    def test_an_injected_engine_is_told_per_cent_of_fuel_by_speed(self):
        b = self.programme.setups.all()[1]
        b.parts.add(Part.objects.create(name="Throttle 68", slot="throttle_body", created_by=self.operator,
                                        created_at=scenes.DAY))  # fmt: skip
        made = scenes.pull(self.session, b, self.operator)
        PullSetting.objects.create(pull=made, key=TARGET, text="0.87 lambda")
        ChannelMean.objects.filter(reduced=made.reduced, channel="lambda").delete()
        bins = np.array(made.reduced.speed_rpm)
        values = np.where(bins < 4500, 0.82, 0.95)
        ChannelMean.objects.create(reduced=made.reduced, channel="lambda", values=values.tolist())
        found = self.advice(made)
        self.assertRegex(found["advice"], r"^Change the fuel by -3 % at 3000.*\+9 % at 6000 rpm")
        self.assertEqual(found["jets"], {})

    def test_jets_of_another_position_or_no_number_spoil_nothing(self):
        """As an older pull, or a file of somebody else's, may have them."""
        front, rear = "setting:main_jet_front_primary", "setting:main_jet_rear_primary"
        self.pull(11.65, None, settings={front: "70", rear: "72"})
        self.pull(11.90, None, settings={front: "68", rear: "70"})
        found = self.advice(self.pull(11.9, ("75", "85")))
        self.assertIn("no jet changes of this carburetor, 1 jet change in all", found["basis"][0])
        self.assertIn("not written down by position", self.advice(self.pull(11.9, ("PV 6.5", "85")))["advice"])

    def test_front_and_rear_beside_one_carburetor_are_a_contradiction_and_no_jets_are_advised(self):
        rear = "setting:main_jet_rear_primary"
        found = self.advice(self.pull(11.65, ("77", "87"), settings={rear: "70"}))
        self.assertIn("written down for one carburetor and for two", found["advice"])
        self.a.settings.create(key=PRIMARY, text="77", value=77.0)
        with self.assertRaises(Invalid) as refused:
            adjusting.adjust(self.operator, self.a, rear, "70", scenes.DAY)
        self.assertIn(
            "Main jet, rear carburetor, primary and main jet, primary contradict", refused.exception.fields["key"]
        )
        self.assertFalse(self.a.adjustments.exists())
        adjusting.adjust(self.operator, self.a, "setting:main_jet_secondary", "87", scenes.DAY)

    def test_the_curve_to_expect_stands_beside_the_advice(self):
        found = self.advice(self.pull(11.65, ("77", "87"), tilt=0.01))
        curve = found["predicted"]
        self.assertGreater(len(curve), 20)
        self.assertTrue(all(one["low"] < one["expected"] < one["high"] for one in curve))
        self.assertGreater(curve[-1]["expected"], curve[0]["expected"])  # its shape stays
        self.assertEqual(self.advice(self.pull(12.65, ("72", "82")))["predicted"], [])

    def test_a_jet_that_the_shop_s_table_lacks_is_said_and_nothing_is_guessed(self):
        tune_sizes.write(self.operator, "main_jet", "\n".join(f"{at} {at * 0.0254:.3f} mm" for at in range(70, 90)))
        self.assertIn("Try main jet", self.advice(self.pull(11.65, ("77", "87")))["advice"])
        found = self.advice(self.pull(11.65, ("77", "91")))
        self.assertIn("not in the shop's table of sizes", found["advice"])
        answer = self.client.post(f"/api/setups/{self.a.pk}/settings", {"key": SECONDARY, "text": "91"},
                                  content_type="application/json")  # fmt: skip
        self.assertEqual(answer.status_code, 200)
        self.assertIn("91 is written down, but the shop's table of the main jet has 70 to 89", answer.json()["remark"])

    def channel(self, pull: Pull, name: str, value: float) -> None:
        bins = len(pull.reduced.speed_rpm)
        ChannelMean.objects.create(reduced=pull.reduced, channel=name, values=[value] * bins)

    def test_one_bank_is_held_against_the_other_and_the_leaner_one_counts(self):
        alike, apart = self.pull(11.65, ("77", "87")), self.pull(11.65, ("77", "87"))
        for pull, left, right in ((alike, 0.795, 0.790), (apart, 0.93, 0.80)):
            self.channel(pull, "lambda_left", left)
            self.channel(pull, "lambda_right", right)
        self.assertEqual(self.advice(alike)["banks"], "The banks agree: 0.005 lambda apart on average.")
        found = self.advice(apart)
        self.assertIn("The left bank is 0.130 lambda leaner than the right one", found["banks"])
        self.assertIn("One bank is lean under load: lambda 0.93, limit 0.92", found["hazard"])
        self.assertIn("Richer for safety first", found["advice"])

    def test_one_bank_alone_gives_no_jets(self):
        pull = self.pull(None, ("77", "87"))
        self.channel(pull, "lambda_left", 0.79)
        found = self.advice(pull)
        self.assertIn("read on the left bank alone", found["advice"])
        self.assertEqual(found["jets"], {})

    def test_a_hot_exhaust_holds_back_leaner_jets_by_the_limit_that_guarded_the_pull(self):
        pull = self.pull(11.65, ("77", "87"))
        self.channel(pull, "exhaust_temperature", 1190.0)
        self.assertIn("Try main jet", self.advice(pull)["advice"])  # 33 K below the usual limit
        Pull.objects.filter(pk=pull.pk).update(active_limits=[["exhaust", 1200.0]])
        self.assertIn("The exhaust is at its limit", self.advice(pull)["advice"])

    def test_what_the_mixture_is_worth_is_learned_from_the_engine_s_own_jet_changes(self):
        self.pull(11.65, ("77", "87"))
        found = self.advice(self.pull(12.00, ("75", "85")))
        self.assertIn("1 jet change of this engine", found["basis"][-1])
        self.assertRegex(found["basis"][-1], r"^Power is best at lambda 0\.8\d\d ± 0\.0\d\d, and 0\.05 away from it")

    def test_a_warm_up_teaches_the_mixture_and_not_the_power(self):
        first = self.pull(11.65, ("77", "87"))
        Pull.objects.filter(pk=first.pk).update(purpose=Purpose.WARM_UP, standing="undecided", first_after_change=True)
        found = self.advice(self.pull(12.00, ("75", "85")))
        self.assertIn("1 jet change of this carburetor", found["basis"][0])
        self.assertIn("no jet changes of this engine", found["basis"][-1])

    def test_another_idle_is_no_other_tune(self):
        self.pull(11.65, ("77", "87"), settings={"setting:idle_speed": "900 rpm"})
        found = self.advice(self.pull(12.00, ("75", "85"), settings={"setting:idle_speed": "1000 rpm"}))
        self.assertIn("1 jet change of this carburetor", found["basis"][0])

    def test_without_jets_written_down_nothing_is_said_of_them(self):
        self.assertEqual(self.advice(self.pull(None, None))["advice"], "")

    def test_the_queries_do_not_grow_with_the_jet_changes(self):
        counts = []
        self.pull(11.9, ("79", "85"))
        for jets in ("77", "75", "73", "71"):
            last = self.pull(11.9, (jets, "85"))
            with self.subTest(jets):
                with CaptureQueriesContext(connection) as asked:
                    self.advice(last)
                counts.append(len(asked))
        self.assertEqual(len(set(counts)), 1, counts)

    def test_free_text_is_refused_where_a_size_belongs(self):
        for key, text, wanted in (
            (PRIMARY, "PV 6.5", "stamped on it"), (PRIMARY, "82/72", "stamped on it"),
            (PRIMARY, "5", "between 20 and 300"),
            ("setting:power_valve_primary", "65", "between 1 and 15"),
        ):  # fmt: skip
            with self.subTest(text):
                answer = self.client.post(
                    f"/api/setups/{self.a.pk}/settings", {"key": key, "text": text}, content_type="application/json"
                )
                self.assertEqual(answer.status_code, 422)
                self.assertIn(wanted, answer.json()["fields"]["text"])
        answer = self.client.post(f"/api/setups/{self.a.pk}/settings",
                                  {"key": "setting:power_valve_primary", "text": "6.5"},
                                  content_type="application/json")  # fmt: skip
        self.assertEqual(answer.json()["settings"][-1]["text"], "6.5")
