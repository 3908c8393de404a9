from io import StringIO

from django.core.management import CommandError, call_command
from django.test import TestCase

from shop.models import Person, Role, Stand


class FirstOwner(TestCase):
    def test_a_new_shop_gets_an_owner_whose_password_is_told_once(self):
        told = StringIO()
        call_command("first_owner", stdout=told)
        password = told.getvalue().split("password ")[1].split()[0]
        owner = Person.objects.get()
        self.assertEqual(owner.role, Role.OWNER)
        self.assertTrue(owner.check_password(password))

    def test_where_people_are_nobody_is_added(self):
        Person.objects.create_user("ines")
        told = StringIO()
        call_command("first_owner", stdout=told)
        self.assertEqual((told.getvalue(), Person.objects.count()), ("", 1))


class PointStand(TestCase):
    def test_the_line_of_a_stand_is_set(self):
        Stand.objects.create(name="Stand 1")
        call_command("point_stand", "--host", "192.0.2.7", "--port", "9000")
        self.assertEqual((Stand.objects.get().host, Stand.objects.get().port), ("192.0.2.7", 9000))

    def test_without_a_stand_it_says_so(self):
        with self.assertRaisesMessage(CommandError, "There is no such stand."):
            call_command("point_stand", "--port", "9000")
