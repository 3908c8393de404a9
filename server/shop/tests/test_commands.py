from io import StringIO

import scenes
from django.core.management import CommandError, call_command
from django.test import TestCase

from shop.models import AuditEntry, Person, Role, Stand


class FirstRun(TestCase):
    def tell(self) -> str:
        told = StringIO()
        call_command("first_run", "--address", "http://127.0.0.1:8420/", stdout=told)
        return told.getvalue()

    def test_a_new_shop_is_told_the_link_behind_which_its_owner_is_made(self):
        self.assertIn("Open http://127.0.0.1:8420/first-run/", self.tell())

    def test_where_people_are_nothing_is_told(self):
        Person.objects.create_user("ines")
        self.assertEqual(self.tell(), "")


class PersonCommand(TestCase):
    def call(self, *words: str) -> str:
        told = StringIO()
        call_command("person", *words, stdout=told)
        return told.getvalue()

    def test_somebody_is_added_and_chooses_a_password_at_the_path_that_is_printed(self):
        told = self.call("add", "una", "Una Berg", "--role", "owner")
        path = next(word for word in told.split() if word.startswith("/welcome/"))
        answer = self.client.post(f"/api{path}", {"password": "a very long one"}, content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["name"]), (200, "Una Berg"))
        self.assertEqual(AuditEntry.objects.get().by, None)
        self.assertIn("una", self.call("list"))

    def test_a_reset_ends_the_password_and_unlock_forgets_wrong_ones(self):
        person = scenes.person(Role.OPERATOR)
        self.assertIn("/welcome/", self.call("reset", "operator"))
        person.refresh_from_db()
        self.assertFalse(person.has_usable_password())
        self.assertEqual(self.call("unlock", "operator"), "operator may try again\n")

    def test_what_cannot_be_done_is_refused_in_words(self):
        for words, told in (
            (("add", "two words", "Una Berg"), "letters, digits"),
            (("reset", "nobody"), "Nobody is called nobody"),
        ):
            with self.assertRaisesMessage(CommandError, told):
                self.call(*words)


class PointStand(TestCase):
    def test_the_line_of_a_stand_is_set(self):
        Stand.objects.create(name="Stand 1")
        call_command("point_stand", "--host", "192.0.2.7", "--port", "9000")
        self.assertEqual((Stand.objects.get().host, Stand.objects.get().port), ("192.0.2.7", 9000))

    def test_without_a_stand_it_says_so(self):
        with self.assertRaisesMessage(CommandError, "There is no such stand."):
            call_command("point_stand", "--port", "9000")
