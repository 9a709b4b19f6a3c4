"""A second factor, asked for after the password.

Sources: RFC 6238 (TOTP) and RFC 4226, 5.3 (how a code is made of a hash), written out here once
more with the vectors of RFC 6238, appendix B; OWASP's cheat sheet on multifactor authentication.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import io
import re
import struct
from unittest import TestCase, mock

from django.contrib.auth.models import User
from django.core.management import call_command
from django.core.management.base import CommandError
from django.http import HttpResponse
from django.test import Client, override_settings

from server.workshop.models import AuditEvent, SecondFactor
from tests.api.test_studio import Studio
from tests.api.test_team import PASSWORD

PAGE = "/account/second-factor"
NOW = 1_800_000_000


def code_at(secret: str, time: float, digits: int = 6) -> str:
    """RFC 6238 with SHA-1 and periods of 30 seconds."""
    key = base64.b32decode(secret.replace(" ", ""))
    made = hmac.new(key, struct.pack(">Q", int(time) // 30), hashlib.sha1).digest()
    start = made[-1] & 15
    number = struct.unpack(">I", made[start : start + 4])[0] & 0x7FFFFFFF
    return str(number)[-digits:].zfill(digits)


class Vectors(TestCase):
    def test_the_codes_of_this_test_are_those_of_the_standard(self) -> None:
        secret = base64.b32encode(b"12345678901234567890").decode()
        for time, code in (
            (59, "94287082"),
            (1111111109, "07081804"),
            (1234567890, "89005924"),
            (20000000000, "65353130"),
        ):
            self.assertEqual(code_at(secret, time, 8), code)


class AfterThePassword(Studio):
    def setUp(self) -> None:
        super().setUp()
        self.time = NOW
        clock = mock.Mock(time=lambda: self.time)
        self.enterContext(mock.patch("server.second_factor.time", clock))

    def log_in(self, client: Client, name: str = "ada", goal: str = "/") -> HttpResponse:
        return client.post("/in", {"username": name, "password": PASSWORD, "next": goal})

    def code(self, client: Client, code: str) -> HttpResponse:
        return client.post("/in/code", {"code": code})

    def is_in(self, client: Client) -> bool:
        return bool(client.get("/api/me").json()["name"])

    def set_up(self, client: Client) -> tuple[str, list[str]]:
        """Somebody's secret as their page shows it, and their spare codes."""
        page = client.get(PAGE).content.decode()
        self.assertIn("<svg", page)
        secret = re.search(r"Key: <code>([A-Z2-7 ]+)</code>", page)[1]  # type: ignore[index]
        form = {"password": PASSWORD, "code": code_at(secret, self.time)}
        said = client.post(PAGE, form).content.decode()
        spare = re.findall(r"<li><code>(\w{5}-\w{5})</code></li>", said)
        self.assertEqual(len(set(spare)), 10, said)
        return secret, spare

    def test_it_is_asked_for_and_each_code_is_good_once(self) -> None:
        person, client = self.person("ada")
        elsewhere = Client()
        elsewhere.force_login(person)
        secret, _ = self.set_up(client)
        self.assertTrue(self.is_in(client))
        self.assertFalse(self.is_in(elsewhere), "other sessions have ended")
        new = Client()
        self.assertEqual(self.log_in(new, goal="/account").url, "/in/code")  # type: ignore[attr-defined]
        self.assertFalse(self.is_in(new), "the password alone is not enough")
        self.assertEqual(self.code(new, code_at(secret, self.time)).status_code, 200)
        self.assertFalse(self.is_in(new), "the code that set it up is used")
        self.time += 60
        self.assertEqual(self.code(new, code_at(secret, self.time - 600)).status_code, 200)
        right = code_at(secret, self.time)
        self.assertEqual(self.code(new, f"{right[:3]} {right[3:]}").url, "/account")  # type: ignore[attr-defined]
        self.assertTrue(self.is_in(new))
        again = Client()
        self.log_in(again)
        self.code(again, right)
        self.assertFalse(self.is_in(again), "a code that somebody looked at over a shoulder")
        self.time += 30
        self.log_in(again, goal="//elsewhere.example/")
        self.assertEqual(self.code(again, code_at(secret, self.time)).url, "/")  # type: ignore[attr-defined]

    def test_spare_codes_are_good_once_and_written_down(self) -> None:
        _, spare = self.set_up(self.person("ada")[1])
        self.assertNotIn(spare[0].replace("-", ""), str(SecondFactor.objects.values()))
        for code, lets_in in ((spare[0], True), (spare[0], False), (spare[1].upper(), True)):
            client = Client()
            self.log_in(client)
            self.code(client, code)
            self.assertEqual(self.is_in(client), lets_in)
        used = AuditEvent.objects.filter(kind="second-factor", about="ada")
        self.assertEqual(
            [row.details["done"] for row in used], ["spare code used"] * 2 + ["set up"]
        )

    def test_nobody_guesses_and_nobody_comes_late(self) -> None:
        secret, _ = self.set_up(self.person("ada")[1])
        self.time += 60
        late = Client()
        self.log_in(late)
        self.time += 601
        self.assertEqual(self.code(late, code_at(secret, self.time)).url, "/in")  # type: ignore[attr-defined]
        self.assertEqual(Client().get("/in/code").url, "/in")  # type: ignore[attr-defined]
        guessing = Client()
        self.log_in(guessing)
        with override_settings(LOGIN_TRIES=3):
            for _ in range(3):
                self.assertEqual(self.code(guessing, "12").status_code, 200)
            self.assertEqual(self.code(guessing, code_at(secret, self.time)).status_code, 429)
            other = Client(REMOTE_ADDR="203.0.113.7")
            self.log_in(other)
            self.assertEqual(self.code(other, code_at(secret, self.time)).status_code, 429)
            self.assertFalse(self.is_in(guessing) or self.is_in(other))
        self.assertEqual(AuditEvent.objects.filter(kind="code-failed", who="ada").count(), 3)

    def test_only_who_knows_password_and_code_sets_it_up_or_turns_it_off(self) -> None:
        _, client = self.person("ada")
        secret = re.search(r"Key: <code>([A-Z2-7 ]+)</code>", client.get(PAGE).content.decode())[1]  # type: ignore[index]
        for form in (
            {"password": "wrong", "code": code_at(secret, self.time)},
            {"password": PASSWORD, "code": "12"},
        ):
            self.assertEqual(client.post(PAGE, form).status_code, 200)
            self.assertFalse(SecondFactor.objects.exists())
        secret, _ = self.set_up(client)
        self.time += 60
        right = code_at(secret, self.time)
        for form in ({"password": "wrong", "code": right}, {"password": PASSWORD, "code": "12"}):
            self.assertEqual(client.post(PAGE, form).status_code, 200)
            self.assertTrue(SecondFactor.objects.exists())
        client.post(PAGE, {"password": PASSWORD, "code": right})
        self.assertFalse(SecondFactor.objects.exists())
        new = Client()
        self.assertEqual(self.log_in(new).url, "/")  # type: ignore[attr-defined]
        self.assertTrue(self.is_in(new))

    def test_a_new_password_by_mail_does_not_go_round_it(self) -> None:
        self.set_up(self.person("ada")[1])
        person = User.objects.get(username="ada")
        person.set_password("another pass phrase")
        person.save()
        client = Client()
        client.post("/in", {"username": "ada", "password": "another pass phrase"})
        self.assertFalse(self.is_in(client))

    def test_who_has_lost_it_is_helped_and_that_is_written_down(self) -> None:
        person, client = self.person("ada")
        self.set_up(client)
        _, root = self.person("root", is_superuser=True)
        page = f"/accounts/{person.pk}"
        self.assertIn("Remove the second factor", root.get(page).content.decode())
        self.assertEqual(self.owning.post(page, {"second-factor": "remove"}).status_code, 404)
        root.post(page, {"second-factor": "remove"})
        self.assertFalse(self.is_in(client))
        self.log_in(client)
        self.assertTrue(self.is_in(client))
        self.time += 60
        self.set_up(client)
        out = io.StringIO()
        call_command("second_factor", "ada", "--remove", stdout=out)
        self.assertIn("ada has no second factor", out.getvalue())
        with self.assertRaises(CommandError) as refused:
            call_command("second_factor", "ada", "--remove")
        self.assertEqual(refused.exception.returncode, 2)
        removed = AuditEvent.objects.filter(kind="second-factor", details__done="removed")
        self.assertEqual([row.who for row in removed], ["command line", "root"])

    def test_a_studio_can_require_it(self) -> None:
        _, client = self.person("ada")
        self.within(self.number, User.objects.get(username="ada"), "work")
        key = self.issue_all(self.owner)["key"]
        with override_settings(SECOND_FACTOR_REQUIRED=True):
            self.assertEqual(client.get("/").url, PAGE)  # type: ignore[attr-defined]
            refused = client.get(f"/api/projects/{self.number}")
            self.assertEqual(refused.status_code, 403)
            self.assertIn("second factor", refused.json()["message"])
            self.assertIn("Set yours up", client.get(PAGE).content.decode())
            program = {"Authorization": f"Bearer {key}"}
            address = f"/api/projects/{self.number}"
            self.assertEqual(Client().get(address, headers=program).status_code, 200)
            secret, _ = self.set_up(client)
            self.assertEqual(client.get(address).status_code, 200)
            with self.subTest("a session from before has to log in again"):
                old = Client()
                old.force_login(User.objects.get(username="ada"))
                self.assertEqual(old.get(address).status_code, 403)
                self.assertEqual(old.get("/").url, PAGE)  # type: ignore[attr-defined]
                self.assertFalse(self.is_in(old))
            self.time += 60
            new = Client()
            self.log_in(new)
            self.code(new, code_at(secret, self.time))
            self.assertEqual(new.get(address).status_code, 200)
