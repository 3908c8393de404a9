"""What the simulated engines do with other parts. Common practice, no source, unless another is named."""

from unittest import TestCase

from standin.boost import OWN_RATIO, Turbo, belt, flows_back
from standin.engine import EIGHT, FOUR, SIX
from standin.faults import NoSuchFault, read_script
from standin.stand import Refused, Stand, State
from standin.truth import PLAIN_PARTS, mixing, worth

SPEEDS = [3000.0, 4500.0, 6000.0]


def part(slot: str, **values: float) -> dict[str, object]:
    return {"slot": slot, "name": "Six-port head", "values": values}  # a name whose worth is plain


def truth(engine=SIX, parts=(), **settings: float | str) -> list[float]:
    stand = Stand(engine=engine)
    stand.command("fit", {"label": "x", "parts": list(parts), "settings": settings})
    return stand.truth(SPEEDS)


class Parts(TestCase):
    def gains(self, *parts: dict[str, object], engine=SIX, **settings) -> list[float]:
        return [new / old - 1 for new, old in zip(truth(engine, parts, **settings), truth(engine), strict=True)]

    def test_the_parts_it_came_with_change_nothing(self):
        for engine in (SIX, FOUR, EIGHT):
            own = [part(key.split(".")[0], **{key.split(".")[1]: value}) for key, value in engine.own.items()
                   if "." in key]  # fmt: skip
            with self.subTest(engine=engine.name):
                self.assertEqual(self.gains(*own, engine=engine), [0.0, 0.0, 0.0])

    def test_a_longer_camshaft_loses_below_and_gains_above(self):
        low, _, high = self.gains(part("camshaft", intake_duration_050=250.0))
        self.assertLess(low, -0.01)
        self.assertGreater(high, 0.01)

    def test_an_advanced_camshaft_does_the_opposite(self):
        low, _, high = self.gains(cam_advance=6.0)
        self.assertGreater(low, 0)
        self.assertLess(high, 0)

    def test_a_better_head_helps_most_where_it_breathes_most(self):
        gains = self.gains(part("cylinder_head", intake_flow=SIX.own["cylinder_head.intake_flow"] * 1.15))
        self.assertEqual(gains, sorted(gains))
        self.assertGreater(gains[-1], 0)

    def test_a_small_carburetor_costs_at_the_top_and_shows_as_depression(self):
        """Half again as large gains less than what half the size costs: the square of the flow."""
        rating = EIGHT.own["carburetor.carburetor_rating"]
        small, large = (self.gains(part("carburetor", carburetor_rating=rating * size), engine=EIGHT)
                        for size in (0.6, 1.5))  # fmt: skip
        self.assertEqual(small, sorted(small, reverse=True))
        self.assertLess(small[-1], -0.02)
        self.assertLess(large[-1], -small[-1])
        stand = Stand(engine=EIGHT)
        self.assertAlmostEqual(stand.fitted.depression(rating), 5.08, places=2)  # 1.5 inHg at its rating

    def test_mixture_follows_the_jets_and_spark_has_a_best(self):
        stand = Stand(engine=EIGHT)
        found = {}
        for primary, secondary in ((74, 84), (78, 84), (78, 88)):
            jets = {"main_jet_primary": float(primary), "main_jet_secondary": float(secondary)}
            carburetor = {"slot": "carburetor", "name": "Carburetor 650", "values": {}}
            stand.command("fit", {"label": "a", "parts": [carburetor], "settings": {**jets, "mixture_target": 0.8}})
            found[primary, secondary] = stand.fitted.fuel_lambda()
        self.assertEqual(sorted(found.values(), reverse=True), list(found.values()))
        by_area = (78**2 + 88**2) / (74**2 + 84**2)
        self.assertAlmostEqual(found[74, 84] / found[78, 88], by_area ** mixing("Carburetor 650").slope, places=6)
        self.assertNotEqual(stand.fitted.fuel_lambda(3000), stand.fitted.fuel_lambda(6000))
        advance = [truth(SIX, spark_advance=float(degrees))[1] for degrees in (24, 34, 44)]
        self.assertEqual(max(advance), advance[1])

    def test_a_power_valve_stays_shut_where_too_small_a_carburetor_pulls_a_vacuum(self):
        """A valve stamped 6.5 opens below 6.5 inHg, 22 kPa: the plain meaning of the stamp."""
        stand = Stand(engine=EIGHT)
        carburetor = {"slot": "carburetor", "name": "Carburetor 390", "values": {}}
        jets = {"main_jet_primary": 74.0, "main_jet_secondary": 84.0}
        found = {}
        for stamp in (None, 2.5, 6.5):
            valve = {} if stamp is None else {"power_valve_primary": stamp}
            stand.command("fit", {"label": "a", "parts": [carburetor], "settings": {**jets, **valve}})
            found[stamp] = [stand.fitted.fuel_lambda(5000, vacuum) for vacuum in (5.0, 12.0, 25.0)]
        self.assertEqual(len(set(found[None])), 1)
        self.assertEqual(found[6.5][:2], found[None][:2])
        self.assertGreater(found[6.5][2], found[None][2] * 1.03)
        self.assertEqual(found[2.5][0], found[None][0])
        self.assertEqual(found[2.5][1], found[6.5][2])

    def test_idle_is_set_by_its_screws_and_a_long_camshaft_idles_with_less_vacuum(self):
        stand = Stand(engine=EIGHT)

        def idle(carburetor: str, duration: float = 224.0, **settings: float) -> dict[str, float]:
            parts = [{"slot": "carburetor", "name": carburetor, "values": {}},
                     part("camshaft", intake_duration_050=duration)]  # fmt: skip
            stand.command("fit", {"label": "a", "parts": parts, "settings": settings})
            for _ in range(400):
                row = stand.step(0.02)
            return dict(zip((name for name, _, _ in stand.channels), row, strict=True))

        usual, richer = idle("Carburetor 650"), idle("Carburetor 650", idle_screws=2.5, idle_speed=850.0)
        self.assertAlmostEqual(richer["lambda"], usual["lambda"] - 0.06, delta=0.02)
        self.assertAlmostEqual(richer["rpm"], 850.0, delta=20)
        self.assertNotAlmostEqual(usual["lambda"], idle("Carburetor 390")["lambda"], delta=0.001)
        self.assertGreater(idle("Carburetor 650", 250.0)["manifold_pressure"], usual["manifold_pressure"] + 5)

    def test_the_eight_reads_each_bank_and_a_rich_mixture_cools_the_exhaust(self):
        stand = Stand(engine=EIGHT)
        at = {name: place for place, (name, _, _) in enumerate(stand.channels)}
        exhaust = []
        for jets in (76.0, 84.0):
            settings = {"main_jet_primary": jets, "main_jet_secondary": jets + 8}
            carburetor = {"slot": "carburetor", "name": "Carburetor 650", "values": {}}
            stand.command("fit", {"label": "a", "parts": [carburetor], "settings": settings})
            stand.command("arm", {"start_rpm": 2000, "end_rpm": 3000, "rate_rpm_s": 350})
            stand.command("start", {})
            rows = []
            while stand.state is State.SWEEPING:
                rows.append(stand.step(0.02))
            last = rows[-1]
            self.assertAlmostEqual((last[at["lambda_left"]] + last[at["lambda_right"]]) / 2, last[at["lambda"]],
                                   delta=0.0011)  # fmt: skip
            self.assertNotEqual(last[at["lambda_left"]], last[at["lambda_right"]])
            exhaust.append(last[at["exhaust_temperature"]])
            while stand.state is not State.IDLE:
                stand.step(0.02)
        self.assertLess(exhaust[1], exhaust[0] - 20)
        self.assertNotIn("lambda_left", [name for name, _, _ in Stand().channels])

    def test_a_part_has_a_worth_that_its_dimensions_do_not_say(self):
        self.assertEqual(worth("A ported head"), worth("A ported head"))
        self.assertNotEqual(worth("A ported head"), worth("Another ported head"))
        self.assertEqual({worth(name).level for name in PLAIN_PARTS}, {1.0})

    def test_what_makes_no_sense_is_refused(self):
        stand = Stand()
        for wrong, told in (
            ({"parts": [part("intake_manifold", runner_length=5.0)]}, "runner_length"),
            ({"engine": {"cylinders": 8}}, "6 cylinders stands here"),
        ):
            with self.subTest(told=told), self.assertRaisesRegex(Refused, told):
                stand.command("fit", {"label": "x", **wrong})


class Boosted(TestCase):
    def test_more_boost_is_more_torque_where_the_turbo_is_awake(self):
        low, high = (truth(FOUR, boost_target=target) for target in (50_000.0, 110_000.0))
        self.assertLess(abs(high[0] / low[0] - 1), 0.15)
        self.assertGreater(high[1] / low[1], 1.2)

    def test_boost_comes_late_and_stays_near_its_target(self):
        turbo = Turbo(80.0)
        early = [0.0] * 60
        for step in range(60):
            turbo.settle(5000.0, 1.0, 0.05, 0.0)
            early[step] = turbo.charge(20.0).boost
        self.assertLess(early[2], 40)
        self.assertAlmostEqual(early[-1], 80.0, delta=2)
        self.assertLess(max(early), 80 * 1.06)

    def test_the_charge_is_hot_and_the_exhaust_pushes_back(self):
        turbo = Turbo(100.0, reached=100.0)
        charge = turbo.charge(20.0)
        self.assertTrue(35 < charge.temperature < 60, charge)
        self.assertGreater(charge.back_pressure, charge.boost)

    def test_a_smaller_pulley_makes_more_boost_and_costs_drive(self):
        slow, quick = (truth(EIGHT, [part("pulley", crank_pulley=0.15, blower_pulley=size)]) for size in (0.085, 0.075))
        self.assertTrue(all(more > less for more, less in zip(quick, slow, strict=True)))
        self.assertGreater(slow[1], truth(EIGHT)[1])

    def test_a_pulley_moves_the_pressure_ratio_and_the_blower_droops(self):
        """A drive 1.059 times as fast takes 6.8 psi to about 8.1 by pressure ratio; at the top it falls off again."""
        at = [belt(rpm, 1.0, OWN_RATIO, 20.0).boost for rpm in (2500.0, 3800.0, 6500.0)]
        self.assertEqual(max(at), at[1])
        self.assertLess(at[2], 0.85 * at[1])
        faster = belt(3800.0, 1.0, OWN_RATIO * 3.6 / 3.4, 20.0).boost
        self.assertAlmostEqual((faster + 101.3) / (at[1] + 101.3), 3.6 / 3.4, places=9)

    def test_an_engine_that_breathes_better_has_less_boost_and_more_power(self):
        pulley = part("pulley", crank_pulley=0.15, blower_pulley=0.075)
        small = part("cylinder_head", intake_flow=EIGHT.own["cylinder_head.intake_flow"] * 0.6)
        found = {}
        for name, parts in (("small", [pulley, small]), ("better", [pulley])):
            stand = Stand(engine=EIGHT)
            stand.command("fit", {"label": name, "parts": parts, "settings": {}})
            found[name] = stand._ideal_charge(6000.0).boost, stand.truth([6000.0])[0]
        self.assertLess(found["better"][0], found["small"][0] - 0.5)
        self.assertGreater(found["better"][1], found["small"][1] * 1.005)

    def test_overlap_at_one_boost_pushes_back_spins_the_turbine_and_costs_power(self):
        """Seen on an engine: +15.5 psi in the exhaust, +12 000 rpm, a loss of power, at the same boost."""
        mild, wild = (Turbo(110.0, reached=110.0).charge(20.0, longer) for longer in (0.0, 26.0))
        self.assertEqual(mild.boost, wild.boost)
        self.assertTrue(60 < wild.back_pressure - mild.back_pressure < 110)
        self.assertTrue(8_000 < wild.turbine_rpm - mild.turbine_rpm < 14_000)
        self.assertLess(flows_back(wild) / flows_back(mild), 0.93)

    def test_a_long_camshaft_pays_at_low_boost_and_not_at_high(self):
        def gain(target: float) -> float:
            mild, wild = (truth(FOUR, [part("camshaft", intake_duration_050=duration)], boost_target=target)[2]
                          for duration in (216.0, 242.0))  # fmt: skip
            return wild / mild - 1

        self.assertGreater(gain(50_000.0), 0.02)
        self.assertLess(gain(120_000.0), gain(50_000.0) - 0.04)

    def test_a_head_at_its_limit_takes_back_what_a_larger_carburetor_lets_in(self):
        """Resistances in series: a larger one elsewhere gains little while the head is the ceiling."""
        rating, flow = EIGHT.own["carburetor.carburetor_rating"], EIGHT.own["cylinder_head.intake_flow"]

        def gain(head: float) -> float:
            small, large = (truth(EIGHT, [part("cylinder_head", intake_flow=flow * head),
                                          part("carburetor", carburetor_rating=rating * size)])[2]
                            for size in (0.6, 1.5))  # fmt: skip
            return large / small - 1

        self.assertLess(gain(0.5), 0.5 * gain(1.5))

    def test_too_much_spark_under_boost_knocks(self):
        stand = Stand(engine=FOUR)
        stand.command("fit", {"label": "x", "settings": {"boost_target": 1.1e5, "spark_advance": 36.0}})
        self.assertTrue(stand.fitted.spark(110.0)[1])
        self.assertFalse(stand.fitted.spark(20.0)[1])


class Scripts(TestCase):
    def test_a_script_brings_its_faults_once_and_where_it_says(self):
        stand = Stand(script=read_script([{"pull": 2, "at_rpm": 3000, "channel": "lambda", "kind": "silent"}]))
        stand.skip(2000)
        place = stand.faults.channels.index("lambda")
        for wanted in (False, True):
            stand.command("arm", {"start_rpm": 2000, "end_rpm": 3500, "rate_rpm_s": 350})
            stand.command("start", {})
            silent_from = None
            while stand.state in (State.SWEEPING, State.ROLLING_OFF):
                if stand.step(0.02)[place] is None and silent_from is None:
                    silent_from = stand.rpm
            self.assertEqual(silent_from is not None, wanted)
        self.assertAlmostEqual(silent_from, 3000, delta=10)

    def test_lines_that_say_too_little_or_too_much_are_refused(self):
        for line in ({"pull": 1, "trouble": "knock"}, {"at_rpm": 1, "trouble": "knock"}, {"pull": 1, "at_s": 1},
                     {"pull": 1, "at_s": 1, "at_rpm": 2, "trouble": "knock"}):  # fmt: skip
            with self.subTest(line=line), self.assertRaises(NoSuchFault):
                read_script([line])

    def test_an_engine_that_does_not_run_is_not_armed(self):
        stand = Stand()
        stand.command("trouble", {"kind": "stall"})
        for _ in range(100):
            stand.step(0.02)
        self.assertEqual(stand.rpm, 0.0)
        with self.assertRaisesRegex(Refused, "does not run"):
            stand.command("arm", {"start_rpm": 2000, "end_rpm": 3500, "rate_rpm_s": 350})
        with self.assertRaisesRegex(Refused, "trouble is one of"):
            stand.command("trouble", {"kind": "rain"})
