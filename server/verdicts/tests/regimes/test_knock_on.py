"""What a choice asks for next, each from a figure; and what no correction repairs."""

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from engines.builds.service import describe_engine
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme, Setup
from shop.models import Person, Role

# The scenes make about 230 hp. In the trade, 36 lb/h × 8 are at their end at 436 hp: 16 kg/h for 54 hp each
SHEET = {**scenes.SIX, "injectors": "6", "injector_size": "10 kg/h", "intake_lift": "10 mm", "intake_clearance": "2 mm",
         "throttles": "6", "throttle_bore": "60 mm"}  # fmt: skip


class Scene(TestCase):
    operator: Person
    programme: Programme
    a: Setup
    b: Setup
    SHEET = SHEET

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        build = describe_engine(cls.operator, scenes.DAY, "2.9 six, injected", cls.SHEET)
        cls.programme = scenes.programme(cls.operator, 2, build=build)
        cls.a, cls.b = cls.programme.setups.all()
        cam = add_part(cls.operator, scenes.DAY, Slot.CAMSHAFT, PartFacts("Longer"), {"intake_lift": "11 mm"})
        cls.b.parts.add(cam)

    def setUp(self):
        self.client.force_login(self.operator)

    def notes(self) -> str:
        return " ".join(self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()["notes"])

    def needs(self) -> dict[str, dict]:
        found = self.client.get(f"/api/programmes/{self.programme.pk}/knock-on").json()
        return {"A" if one["setup_id"] == self.a.pk else "B": one for one in found}


class Needs(Scene):
    def test_injectors_clearance_and_torque_that_moved(self):
        opened = scenes.session(self.programme, self.operator)
        for _ in range(2):
            scenes.pull(opened, self.a, self.operator)
            scenes.pull(opened, self.b, self.operator, level=1.02, tilt=0.06)
        found = self.needs()
        self.assertRegex(found["A"]["needs"][0], r"^Injectors: \d+ to \d+ % duty at the measured 2\d\d hp")
        text = " ".join(found["B"]["needs"])
        self.assertIn("Clearance: piston to intake valve is not measured with these parts. Measure it.", text)
        self.assertRegex(text, r"Converter or gears: peak torque comes \d{3,4} rpm later, so a looser converter")
        self.assertNotIn("Clearance", " ".join(found["A"]["needs"]))
        self.assertRegex(found["A"]["manners"][0], r"^Throttle \d+ % wider than the air asks for: .+ touchy")

    def test_a_setup_that_asks_for_nothing_more_has_no_line_of_its_own(self):
        self.programme.build.readings.filter(dimension__in=("injectors", "throttles")).delete()
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001), (1.0, 1.001)))
        self.assertEqual(self.needs()["A"], {"setup_id": self.a.pk, "needs": [], "manners": []})


class NotRepaired(Scene):
    def test_heat_in_the_manifold(self):
        opened = scenes.session(self.programme, self.operator)
        for celsius in (40.0, 41.0, 58.0):
            scenes.pull(opened, self.a, self.operator, more={"manifold_temperature": (celsius, "°C")})
            scenes.pull(opened, self.b, self.operator, more={"manifold_temperature": (celsius, "°C")})
        self.assertIn("The manifold was up to 18 K hotter", self.notes())

    def test_boost_that_is_held_to_an_absolute_pressure(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001), (1.0, 1.001)))
        self.assertNotIn("absolute pressure", self.notes())
        self.programme.boost_policy = "equal_boost"
        self.programme.save()
        self.assertIn("so much of the correction is too much", self.notes())

    def test_a_stand_in_without_boost_says_what_it_cannot_tell(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001), (1.0, 1.001)))
        self.programme.stand_in = "unblown, boost comes later"
        self.programme.save()
        self.assertNotIn("It cannot tell overlap", self.notes())


class StandIn(Scene):
    SHEET = {**SHEET, "boost_hardware": "Turbocharger"}

    def test_a_stand_in_without_boost_says_what_it_cannot_tell(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001), (1.0, 1.001)))
        self.assertNotIn("It cannot tell overlap", self.notes())
        self.programme.stand_in = "unblown, boost comes later"
        self.programme.save()
        self.assertIn("It cannot tell overlap under back pressure", self.notes())
        self.assertNotIn("was run with boost", self.notes())
        blown = scenes.programme(self.operator, 2, build=self.programme.build, parts="blown")
        blown.boost_policy = "equal_boost"
        blown.save()
        opened = self.programme.sessions.get()
        opened.pk, opened.programme, opened.closed_at = None, blown, scenes.DAY
        opened.save()
        self.assertIn("The same engine was run with boost: Which manifold?", self.notes())
