"""A new shop: its one link, what is asked, and that nobody comes through that door twice."""

import scenes
from django.core import signing
from django.test import TestCase

from shop.models import Person, Role, Shop, units_of_system
from shop.setting_up import service as setting_up

GIVEN = {
    "shop_name": "Works", "currency": "SEK", "time_zone": "Europe/Stockholm", "units": "metric", "elevation": "310 m",
    "username": "una", "name": "Una Berg", "password": "a password of my own",
}  # fmt: skip


class FirstRun(TestCase):
    def set_up(self, **changed: str):
        key = setting_up.first_link().rsplit("/", 1)[1]
        body = {**GIVEN, "key": key, **changed}
        return self.client.post("/api/first-run", body, content_type="application/json")

    def test_the_shop_and_its_owner_are_made_and_the_owner_is_signed_in(self):
        self.assertTrue(self.client.get("/api/door").json()["is_new"])
        answer = self.set_up()
        self.assertEqual((answer.status_code, answer.json()["role"], answer.json()["shop"]), (200, "Owner", "Works"))
        me = self.client.get("/api/me").json()
        self.assertEqual((me["units"]["torque"], me["currency"], me["time_zone"]), ("N·m", "SEK", "Europe/Stockholm"))
        self.assertEqual(Shop.here().elevation, 310.0)
        self.assertFalse(self.client.get("/api/door").json()["is_new"])

    def test_the_link_is_good_once(self):
        self.set_up()
        answer = self.set_up(username="eve")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "has_owner"))
        self.assertEqual(Person.objects.count(), 1)

    def test_a_link_that_the_terminal_did_not_print_makes_nobody(self):
        for key in ("", "guess", signing.dumps("owner", salt="another")):
            self.assertEqual(self.set_up(key=key).json()["code"], "link_over")
        self.assertFalse(Person.objects.exists() or Shop.objects.exists())

    def test_every_field_that_cannot_be_used_is_named_and_nothing_is_half_done(self):
        answer = self.set_up(shop_name=" ", currency="XXX", time_zone="Moon/Base", units="cubits", elevation="9 km",
                             username="a b", name="")  # fmt: skip
        fields = {"shop_name", "currency", "time_zone", "units", "elevation", "username", "name"}
        self.assertEqual((answer.status_code, set(answer.json()["fields"])), (422, fields))
        self.assertEqual(self.set_up(password="short").json()["fields"].keys(), {"password"})
        self.assertFalse(Person.objects.exists() or Shop.objects.exists())


class TheShop(TestCase):
    def test_the_owner_changes_it_and_nobody_else(self):
        body = {"shop_name": "Works", "currency": "EUR", "time_zone": "UTC", "elevation": "1000 ft"}
        for role, status in ((Role.VIEWER, 403), (Role.OPERATOR, 403), (Role.OWNER, 200)):
            self.client.force_login(scenes.person(role))
            answer = self.client.put("/api/shop", body, content_type="application/json")
            self.assertEqual(answer.status_code, status, role)
        self.assertEqual(answer.json()["elevation"], "304.8 m")

    def test_one_that_nobody_set_up_keeps_the_clock_of_the_machine(self):
        self.assertEqual((Shop.here().time_zone, Shop.here().name), ("UTC", ""))

    def test_both_systems_have_a_unit_for_every_kind_of_figure(self):
        metric, inch = units_of_system("metric"), units_of_system("inch")
        self.assertEqual((metric["bench"], inch["bench"], inch["fuel"]), ("kPa", "inH2O", "gal"))
        self.assertEqual(metric.keys(), inch.keys())
