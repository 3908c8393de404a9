"""What a practice test hides is drawn from its seed, and shows in the pulls."""

import json
import subprocess
import sys
import unittest
from pathlib import Path
from typing import Any, ClassVar

from standin.practice import APART, MISSED_KPA, TRAITS, NoSuchPractice, Practice, read_practice, reveal
from standin.stand import Refused, Stand

SPEEDS = [3000.0, 4500.0, 6000.0]


def fit(part: str, *more: str, **practice: Any) -> dict[str, Any]:
    names = [("intake_manifold", part), *(("header", name) for name in more)]
    return {"label": part, "parts": [{"slot": slot, "name": name, "values": {}} for slot, name in names],
            "practice": practice}  # fmt: skip


def hidden(*traits: str, seed: str = "one", session: str = "1") -> Practice:
    return Practice(seed, frozenset(traits), session)


class Hidden(unittest.TestCase):
    def test_three_parts_lie_apart_and_a_wash_makes_two_of_them_one(self):
        for seed in map(str, range(20)):
            levels = sorted(hidden(seed=seed).worth(f"x {letter}").level - 1 for letter in "ABC")
            for level, wanted in zip(levels, APART, strict=True):
                self.assertAlmostEqual(level, wanted)
            levels = sorted(hidden("wash", seed=seed).worth(f"x {letter}").level for letter in "ABC")
            self.assertEqual(levels[1], levels[2])
            self.assertGreater(levels[1] - levels[0], 0.01)

    def test_the_seed_decides_who_is_best(self):
        of_all = [hidden(seed=str(seed)) for seed in range(30)]
        best = {max((one.worth(f"x {letter}").level, letter) for letter in "ABC")[1] for one in of_all}
        self.assertEqual(best, set("ABC"))

    def test_a_second_part_takes_back_what_the_first_gained_only_where_it_is_confounded(self):
        self.assertEqual(hidden().worth("header 2").level, 1.0)
        self.assertLess(hidden("confounded").worth("header 2").level, 0.995)
        self.assertEqual(hidden("confounded").worth("header 1").level, 1.0)

    def test_drift_is_straight_or_bent(self):
        self.assertEqual(hidden().level(9), 1.0)
        self.assertAlmostEqual(abs(hidden("drift").level(10) - 1), 0.015)
        bent = [hidden("curved_drift").level(before) for before in (0, 3, 30)]
        self.assertEqual(bent[0], 1.0)
        self.assertAlmostEqual(1 - bent[1], 0.014 * 0.632, places=4)
        self.assertAlmostEqual(1 - bent[2], 0.014, places=4)

    def test_what_is_no_practice_test_is_refused(self):
        self.assertIsNone(read_practice(None))
        for given in ("x", {"traits": ["luck"]}):
            with self.assertRaises(NoSuchPractice):
                read_practice(given)
        with self.assertRaisesRegex(Refused, "traits of a practice test"):
            Stand().command("fit", fit("x A", traits=["luck"]))


class OnTheStand(unittest.TestCase):
    def pulled(self, stand: Stand, **practice: Any) -> float:
        stand.command("fit", fit("x A", **practice))
        stand.command("arm", {"start_rpm": 2000, "end_rpm": 2600, "rate_rpm_s": 400})
        stand.command("start", {})
        level = stand.level
        stand.command("abort", {})
        for _ in range(400):
            stand.step(0.05)
        return level

    def test_drift_begins_anew_with_each_session(self):
        with_drift, without = Stand(seed=4), Stand(seed=4)
        for session, before in (("1", 0), ("1", 1), ("2", 0), ("1", 2)):
            practiced = self.pulled(with_drift, seed="s", traits=["drift"], session=session)
            plain = self.pulled(without, seed="s", traits=[], session=session)
            self.assertAlmostEqual(practiced / plain, hidden("drift", seed="s").level(before))

    def test_a_change_of_parts_cools_the_engine_where_starts_are_cold(self):
        warm = {}
        for traits in ((), ("cold_starts",)):
            stand = Stand()
            stand.command("fit", fit("x A", seed="s", traits=[*traits]))
            stand.skip(3600)
            stand.command("fit", fit("x B", seed="s", traits=[*traits]))
            warm[traits] = stand.oil
        self.assertGreater(warm[()] - warm["cold_starts",], 15)

    def test_the_boost_is_missed_with_one_part_alone(self):
        from standin.engine import ENGINES

        targets = []
        for letter in "ABC":
            stand = Stand(engine=ENGINES["four"])
            asked = {**fit(f"x {letter}", seed="s", traits=["boost_miss"]), "settings": {"boost_target": 80e3}}
            stand.command("fit", asked)
            targets.append(stand.turbo.target)
        self.assertEqual(sorted(targets), [80.0, 80.0, 80.0 + MISSED_KPA])


class Revealed(unittest.TestCase):
    ASKED: ClassVar[dict[str, Any]] = {
        "engine": "six", "speeds": SPEEDS, "practice": {"seed": "s", "traits": ["drift", "confounded"]},
        "fits": [fit("x A"), fit("x B"), fit("x C", "x 2")],
    }  # fmt: skip

    def test_it_is_the_torque_that_the_stand_makes_of_these_parts(self):
        found = reveal(self.ASKED)
        stand = Stand()
        stand.command("fit", {**self.ASKED["fits"][1], "practice": self.ASKED["practice"]})
        self.assertEqual(found["torque"][1], stand.truth(SPEEDS))
        self.assertEqual(set(found["parts"]), {"x A", "x B", "x C", "x 2"})
        self.assertNotEqual(found["torque"][0], found["torque"][1])

    def test_it_is_asked_as_a_program_with_every_trait(self):
        asked = {**self.ASKED, "practice": {"seed": "s", "traits": [*TRAITS]}}
        said = subprocess.run(
            [sys.executable, "-m", "standin.practice"], input=json.dumps(asked), capture_output=True, text=True,
            cwd=Path(__file__).parents[2], check=True, timeout=120,
        )  # fmt: skip
        self.assertEqual(json.loads(said.stdout), reveal(asked))


if __name__ == "__main__":
    unittest.main()
