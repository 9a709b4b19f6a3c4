"""A studio with many people: what ends with a person, what is written down, which folders are whose.

Sources: OWASP's cheat sheets on session management, authentication, logging and forgotten
passwords; NIST SP 800-63B on passwords; RFC 7239 on addresses behind proxies.
"""

from __future__ import annotations

import io
import json
import re
import time
from datetime import timedelta
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.core.management.base import CommandError
from django.test import Client, RequestFactory, override_settings
from django.utils import timezone

from server.claims import claims_of, may_have_account
from server.workshop.api import api
from server.workshop.audit import address_of
from server.workshop.models import (
    ApiKey,
    AuditEvent,
    GrantedFolder,
    Invitation,
    Job,
    Member,
    Project,
    SharedLink,
)
from server.workshop.retention import collect
from tests.api.client import Api
from tests.api.test_team import PASSWORD, Team, ask
from tests.samples import folder, noise, save


class Studio(Team):
    def setUp(self) -> None:
        self.owner, self.owning = self.person("olive")
        self.client = self.owning
        self.project = self.begin("Lamp")
        self.number = self.project["id"]

    def issue_all(self, person: User) -> dict[str, str]:
        """An invitation, a link and a key of somebody, by their secrets."""
        more = {
            "project_id": self.number,
            "made_by": person,
            "ends": timezone.now() + timedelta(days=1),
        }
        return {
            "invitation": Invitation.issue(role="own", **more)[1],
            "link": SharedLink.issue(**more)[1],
            "key": ApiKey.issue("ektopos_", label="build", scope="work", **more)[1],
        }

    def let_in(self, issued: dict[str, str]) -> list[bool]:
        """Whether each of them lets somebody in."""
        key = {"Authorization": f"Bearer {issued['key']}"}
        return [
            Client().get(f"/join/{issued['invitation']}").status_code == 200,
            Client().get(f"/shared/{issued['link']}").status_code == 302,
            Client().get(f"/api/projects/{self.number}", headers=key).status_code == 200,
        ]


class Leaving(Studio):
    def test_what_a_person_has_issued_ends_with_the_right_to_issue(self) -> None:
        for last in ("none", "work"):
            with self.subTest(last):
                ada, client = self.person(f"ada-{last}")
                self.within(self.number, ada, "own")
                issued = self.issue_all(ada)
                self.assertEqual(self.let_in(issued), [True] * 3)
                shown = client.get(f"/api/projects/{self.number}/people").json()
                pending = [*shown["invitations"], *shown["links"], *shown["keys"]]
                self.assertEqual({row["made_by"] for row in pending}, {ada.username})
                opened = Client()
                opened.get(f"/shared/{issued['link']}")
                body = {"person": ada.username, "role": last}
                self.call("post", f"/projects/{self.number}/people", body)
                self.assertEqual(self.let_in(issued), [False] * 3)
                self.assertEqual(opened.get(f"/api/projects/{self.number}").status_code, 401)
                client.get(f"/join/{issued['invitation']}")
                roles = Member.objects.filter(person=ada).values_list("role", flat=True)
                self.assertEqual(list(roles), [] if last == "none" else ["work"])

    def test_it_ends_whole_or_not_at_all(self) -> None:
        issued = self.issue_all(self.owner)
        body = {"person": "olive", "role": "none"}
        said = self.call("post", f"/projects/{self.number}/people", body, 422)
        self.assertIn("owner", said["message"])
        self.assertEqual(self.let_in(issued), [True] * 3)

    def test_an_account_is_deactivated_and_everything_of_it_ends(self) -> None:
        _, root = self.person("root", is_superuser=True)
        ada, client = self.person("ada")
        self.within(self.number, ada, "own")
        issued = self.issue_all(ada)
        page = f"/accounts/{ada.pk}"
        listed = root.get(page).content.decode()
        for what in ("invitation", "link", "the key build of Lamp"):
            self.assertIn(what, listed)
        self.assertEqual(client.get("/").status_code, 200)
        self.assertEqual(root.post(page).status_code, 302)
        self.assertEqual(self.let_in(issued), [False] * 3)
        self.assertEqual(client.get("/").status_code, 302, "the session has ended")
        self.assertFalse(client.login(username="ada", password=PASSWORD))
        root.post(page)
        self.assertTrue(client.login(username="ada", password=PASSWORD))
        self.assertEqual(self.let_in(issued), [False] * 3, "which does not come back")
        kinds = [
            (e.about, e.details.get("done")) for e in AuditEvent.objects.filter(kind="account")
        ]
        self.assertEqual(kinds, [("ada", "activated"), ("ada", "deactivated")])

    def test_only_administrators_see_those_pages_and_none_ends_its_own_account(self) -> None:
        root, client = self.person("root", is_superuser=True)
        for page in ("/accounts", f"/accounts/{root.pk}", "/audit", "/audit.jsonl", "/folders"):
            with self.subTest(page):
                self.assertEqual(client.get(page).status_code, 200)
                self.assertEqual(self.owning.get(page).status_code, 404)
                self.assertEqual(Client().get(page).status_code, 302)
        client.post(f"/accounts/{root.pk}")
        self.assertTrue(User.objects.get(pk=root.pk).is_active)

    def test_a_new_password_or_one_click_ends_all_other_sessions(self) -> None:
        ada, here = self.person("ada")
        there = Client()
        there.force_login(ada)
        new = "quite another pass phrase"
        form = {"old_password": PASSWORD, "new_password1": new, "new_password2": new}
        self.assertEqual(here.post("/account", form).status_code, 302)
        self.assertEqual((here.get("/").status_code, there.get("/").status_code), (200, 302))
        again = Client()
        self.assertTrue(again.login(username="ada", password=new))
        self.assertEqual(here.post("/account/sessions").status_code, 302)
        self.assertEqual((here.get("/").status_code, again.get("/").status_code), (200, 302))
        # The second stands among the commonest that come with Django.
        for word, why in (("elevenchars", "12 characters"), ("qwerty123456", "too common")):
            form = {"old_password": new, "new_password1": word, "new_password2": word}
            self.assertContains(here.post("/account", form), why)

    def test_a_session_ends_when_it_is_idle_and_after_its_time(self) -> None:
        for idle, whole in ((1, 100), (100, 1)):
            with (
                self.subTest(idle=idle),
                override_settings(SESSION_IDLE_HOURS=idle, SESSION_COOKIE_AGE=3600 * whole),
            ):
                _, client = self.person(f"ada-{idle}")
                self.assertEqual(client.get("/").status_code, 200)
                later = time.time() + 3700
                with mock.patch("server.rights.time.time", return_value=later):
                    self.assertEqual(client.get("/api/projects/x").status_code, 401)
                    self.assertEqual(client.get("/").status_code, 302)
        with override_settings(SESSION_IDLE_HOURS=1, SESSION_COOKIE_AGE=360_000):
            _, client = self.person("busy")
            client.get("/")
            for hours in (0.9, 1.8, 2.7):
                now = time.time() + 3600 * hours
                with mock.patch("server.rights.time.time", return_value=now):
                    self.assertEqual(client.get("/").status_code, 200, "somebody at work stays")


class Written(Studio):
    def events(self) -> list[tuple[str, str, str]]:
        rows = AuditEvent.objects.order_by("pk")
        return [(row.kind, row.who, row.about) for row in rows]

    def test_who_did_what_when_and_from_where(self) -> None:
        base = f"/projects/{self.number}"
        AuditEvent.objects.all()._raw_delete("default")
        page = Client(REMOTE_ADDR="192.0.2.9")
        page.post("/in", {"username": "olive", "password": "not this one"})
        page.post("/in", {"username": "olive", "password": PASSWORD})
        page.post("/out")
        User.objects.create_user("bob")
        calls: list[tuple[str, str, dict[str, Any]]] = [
            ("post", f"{base}/people", {"person": "bob", "role": "work"}),
            ("post", f"{base}/invitations", {"role": "look", "email": "c@example.com"}),
            ("post", f"{base}/shared-links", {"label": "client"}),
            ("post", f"{base}/keys", {"label": "build"}),
            ("post", f"{base}/exports", {"revision": self.project["revision"]}),
        ]
        issued = [self.call(method, path, body) for method, path, body in calls]
        self.call("post", f"{base}/people", {"person": "nobody", "role": "work"}, 404)
        self.owning.delete(f"/api{base}")
        lamp = ("olive", "Lamp")
        self.assertEqual(
            self.events(),
            [
                ("sign-in-failed", "olive", ""),
                ("sign-in", "olive", ""),
                ("sign-out", "olive", ""),
                *((kind, *lamp) for kind in ("role", "invitation", "link", "key", "export")),
                ("deletion", *lamp),
            ],
        )
        role = AuditEvent.objects.get(kind="role")
        self.assertEqual(role.details, {"person": "bob", "role": "work"})
        self.assertEqual(AuditEvent.objects.get(kind="sign-in").address, "192.0.2.9")
        whole = json.dumps([row.as_json() for row in AuditEvent.objects.all()])
        for answer in issued[1:4]:
            self.assertNotIn(answer["secret"].rpartition("/")[2], whole)

    def test_it_is_read_by_administrators_and_exported_line_by_line(self) -> None:
        _, root = self.person("root", is_superuser=True)
        self.call("post", f"/projects/{self.number}/keys", {"label": "build <b>"})
        self.assertContains(root.get("/audit"), "build &lt;b&gt;")
        answer = root.get("/audit.jsonl")
        rows = [json.loads(line) for line in b"".join(answer.streaming_content).splitlines()]
        self.assertEqual((rows[-1]["kind"], rows[-1]["who"]), ("key", "olive"))
        self.assertEqual(
            set(rows[-1]), {*["when", "kind", "who", "project", "about", "details", "address"]}
        )

    def test_nothing_is_changed_or_taken_away_before_its_time(self) -> None:
        self.call("post", f"/projects/{self.number}/keys", {"label": "build"})
        row = AuditEvent.objects.get(kind="key")
        row.who = "somebody else"
        for change in (row.save, row.delete, AuditEvent.objects.all().delete):
            with self.assertRaises(TypeError):
                change()
        with self.assertRaises(TypeError):
            AuditEvent.objects.all().update(who="somebody else")
        with override_settings(AUDIT_DAYS=1):
            collect()
            self.assertTrue(AuditEvent.objects.filter(kind="key").exists())
            later = timezone.now() + timedelta(days=2)
            with mock.patch("django.utils.timezone.now", return_value=later):
                collect()
        self.assertFalse(AuditEvent.objects.filter(kind="key").exists())


class Doors(Studio):
    @override_settings(LOGIN_TRIES=3)
    def test_they_open_only_so_often_from_one_address(self) -> None:
        doors = {
            "/reset/": lambda client: client.post("/reset/", {"email": "no@example.com"}),
            "/join": lambda client: client.get("/join/wrong"),
            "/shared": lambda client: client.get("/shared/wrong"),
        }
        for number, (door, knock) in enumerate(doors.items()):
            with self.subTest(door):
                client = Client(REMOTE_ADDR=f"192.0.2.{number}")
                codes = [knock(client).status_code for _ in range(5)]
                self.assertEqual([code == 429 for code in codes], [False] * 3 + [True] * 2)
                other = Client(REMOTE_ADDR="198.51.100.7")
                self.assertNotEqual(knock(other).status_code, 429, "others are not kept out")
                AuditEvent.objects.all()._raw_delete("default")

    def test_the_address_is_what_a_trusted_proxy_says_and_nobody_else(self) -> None:
        from ipaddress import ip_network

        def seen(remote: str, forwarded: str, *trusted: str) -> str:
            request = RequestFactory().get(
                "/", REMOTE_ADDR=remote, headers={"X-Forwarded-For": forwarded} if forwarded else {}
            )
            with override_settings(TRUSTED_PROXIES=[ip_network(one) for one in trusted]):
                return address_of(request)

        self.assertEqual(seen("10.0.0.2", "192.0.2.9", "10.0.0.0/8"), "192.0.2.9")
        self.assertEqual(seen("10.0.0.2", "6.6.6.6, 192.0.2.9", "10.0.0.0/8"), "192.0.2.9")
        self.assertEqual(seen("10.0.0.2", "192.0.2.9, 10.0.0.5", "10.0.0.0/8"), "192.0.2.9")
        self.assertEqual(seen("10.0.0.2", "192.0.2.9"), "10.0.0.2")
        self.assertEqual(seen("203.0.113.5", "192.0.2.9", "10.0.0.0/8"), "203.0.113.5")
        self.assertEqual(seen("10.0.0.2", "nonsense", "10.0.0.0/8"), "nonsense")


class TheToken(Api):
    @override_settings(LOGIN_TRIES=3, ACCESS_TOKEN="a token that is long enough")
    def test_the_token_too(self) -> None:
        client = Client()
        codes = [client.post("/enter", {"token": "wrong"}).status_code for _ in range(5)]
        self.assertEqual(codes[-2:], [429, 429])
        right = client.post("/enter", {"token": "a token that is long enough"})
        self.assertEqual(right.status_code, 429)


class Folders(Studio):
    def setUp(self) -> None:
        super().setUp()
        self.root = self.enterContext(folder())
        for name in ("lamp", "chair"):
            save(self.root / name / "a.png", noise(8, 1))
        self.enterContext(override_settings(FOLDERS=[self.root]))
        _, self.admin = self.person("root", is_superuser=True)

    def follow(self, client: Client, project: str, name: str) -> int:
        body = {"folder": str(self.root / name)}
        return ask(client, "post", f"/projects/{project}/followed", body).status_code

    def grant(self, project: str, name: str) -> str:
        form = {"project": project, "folder": str(self.root / name)}
        return self.admin.post("/folders", form, follow=True).content.decode()

    def test_a_project_uses_only_what_it_was_granted(self) -> None:
        _, client = self.person("ada")
        other = client.post(
            "/api/projects", {"name": "Chair"}, content_type="application/json"
        ).json()["id"]
        self.assertEqual(self.follow(self.owning, self.number, "lamp"), 422)
        self.grant(self.number, "lamp")
        self.grant(other, "chair")
        self.assertEqual(self.follow(self.owning, self.number, "lamp"), 200)
        self.assertEqual(self.follow(self.owning, self.number, "chair"), 422)
        self.assertEqual(self.follow(client, other, "lamp"), 422)
        body = {"revision": self.project["revision"], "folder": str(self.root / "chair/x")}
        said = self.call("post", f"/projects/{self.number}/deliveries", body, 422)
        self.assertIn("lamp", said["hint"])
        self.assertNotIn("chair", said["hint"])
        self.assertIn("Lamp has", self.grant(other, "lamp"))
        self.assertEqual(GrantedFolder.objects.count(), 2)
        events = AuditEvent.objects.filter(kind="folder", details__done="granted")
        self.assertEqual({row.about for row in events}, {"Lamp", "Chair"})

        row = GrantedFolder.objects.get(project=self.number)
        self.admin.post("/folders", {"remove": row.pk})
        told = self.call("get", f"/projects/{self.number}/followed")
        self.assertEqual(told, {"roots": [], "folders": []})

    def test_visitors_learn_nothing_of_them(self) -> None:
        self.grant(self.number, "lamp")
        self.follow(self.owning, self.number, "lamp")
        ada, looking = self.person("ada")
        self.within(self.number, ada, "look")
        visitor = Client()
        visitor.get(f"/shared/{self.issue_all(self.owner)['link']}")
        for client in (looking, visitor):
            told = client.get(f"/api/projects/{self.number}/followed").json()
            self.assertEqual(told, {"roots": [], "folders": []})
        told = self.call("get", f"/projects/{self.number}/followed")
        self.assertEqual(len(told["folders"]), 1)

    def test_the_command_does_the_same(self) -> None:
        out = io.StringIO()
        call_command("grant", "Lamp", str(self.root / "lamp"), stdout=out)
        self.assertIn(f"Lamp: {self.root / 'lamp'}", out.getvalue())
        self.assertEqual(self.follow(self.owning, self.number, "lamp"), 200)
        for wrong in (("Nothing", str(self.root)), ("Lamp", "/etc"), ("Lamp",)):
            with self.subTest(wrong), self.assertRaises(CommandError) as raised:
                call_command("grant", *wrong)
            self.assertEqual(raised.exception.returncode, 2)
        call_command("grant", "Lamp", str(self.root / "lamp"), revoke=True, stdout=out)
        self.assertEqual(GrantedFolder.objects.count(), 0)


class OwnLogIn(Studio):
    """Source of the claims: OpenID Connect Core 1.0, 5.1; `groups` is common practice."""

    def test_it_makes_accounts_only_for_whom_the_settings_name(self) -> None:
        verified = {"email_verified": True}
        told = [
            ({"userinfo": {"email": "a@studio.example"} | verified}, True),
            ({"id_token": {"email": "a@STUDIO.example"} | verified}, True),
            ({"email": "a@studio.example"} | verified, True),
            ({"userinfo": {"email": "a@studio.example"}}, False),
            ({"userinfo": {"email": "a@studio.example", "email_verified": False}}, False),
            ({"userinfo": {"email": "a@other.example"} | verified}, False),
            ({"userinfo": {"email": "a@studio.example.other.example"} | verified}, False),
            ({"userinfo": {"groups": ["artists"]}}, True),
            ({"userinfo": {"groups": "artists"}}, True),
            ({"userinfo": {"groups": ["guests"]}}, False),
            ({}, False),
        ]
        named = {"SSO_DOMAINS": ["studio.example"], "SSO_GROUPS": ["artists"]}
        nobody: dict[str, list[str]] = {"SSO_DOMAINS": [], "SSO_GROUPS": []}
        for claims, wanted in told:
            with self.subTest(claims), override_settings(**named):
                self.assertEqual(may_have_account(claims_of(claims)), wanted)
            with self.subTest(claims), override_settings(**nobody):
                self.assertFalse(may_have_account(claims_of(claims)))


class Documentation(Studio):
    def test_the_api_is_described_to_whoever_has_an_account(self) -> None:
        self.assertEqual(Client().get("/api/openapi.json").status_code, 401)
        self.assertEqual(self.owning.get("/api/openapi.json").status_code, 200)
        self.assertEqual(Client().get("/documentation").status_code, 302)
        page = self.owning.get("/documentation").content.decode()
        for path, calls in api.get_openapi_schema()["paths"].items():
            for method in calls:
                self.assertIn(f"{method.upper()} {path}<", page)
        self.assertIn("API keys", page)
        self.assertEqual(re.findall(r"(?:src|href)=.(?!/)", page), [], "nothing from elsewhere")


@override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
class Addresses(Studio):
    def join(self, client: Client, secret: str, **given: str) -> Any:
        form = dict.fromkeys(("password1", "password2"), PASSWORD) | given
        return client.post(f"/join/{secret}", form)

    def invite(self, email: str = "") -> str:
        body = {"role": "work", "email": email}
        made = self.call("post", f"/projects/{self.number}/invitations", body)
        return str(made["secret"]).rpartition("/")[2]

    def test_an_invitation_with_an_address_lets_in_that_address_alone(self) -> None:
        eve, client = self.person("eve")
        secret = self.invite("Kai@studio.example")
        refused = client.post(f"/join/{secret}", {"go": "on"})
        self.assertEqual(refused.status_code, 403)
        self.assertFalse(Member.objects.filter(person=eve).exists())
        # Whoever says to have that address has to follow a link that is sent there.
        User.objects.filter(pk=eve.pk).update(email="kai@studio.example")
        self.assertEqual(client.post(f"/join/{secret}", {"go": "on"}).status_code, 403)
        client.post("/account/verify/send")
        (letter,) = mail.outbox
        self.assertEqual(letter.to, ["kai@studio.example"])
        link = re.search(r"http://testserver(/\S+)", letter.body)[1]
        self.assertEqual(Client().get(link[:-2] + "xx").status_code, 404)
        self.assertEqual(Client().get(link).status_code, 200)
        self.assertEqual(client.post(f"/join/{secret}", {"go": "on"}).status_code, 302)
        self.assertTrue(Member.objects.filter(person=eve).exists())

    def test_a_new_account_has_the_address_that_was_invited(self) -> None:
        secret = self.invite("kai@studio.example")
        self.join(Client(), secret, username="kai", email="somebody@else.example")
        kai = User.objects.get(username="kai")
        self.assertEqual(kai.email, "kai@studio.example")
        body = {"person": "KAI@studio.example", "role": "own"}
        self.call("post", f"/projects/{self.number}/people", body)
        self.assertEqual(Member.objects.get(person=kai).role, "own")

    def test_an_address_that_is_only_said_takes_nobody_in(self) -> None:
        self.join(Client(), self.invite(), username="mal", email="kai@studio.example")
        self.assertTrue(User.objects.filter(username="mal").exists())
        body = {"person": "kai@studio.example", "role": "own"}
        said = self.call("post", f"/projects/{self.number}/people", body, 404)
        self.assertIn("not verified", said["message"])

    def test_names_that_look_alike_are_refused(self) -> None:
        """Source: Unicode Technical Standard 39, confusables."""
        User.objects.create_user("paypal")
        User.objects.create_user("ada")
        for name in ("Olive", "OLIVE", "оlive", "olivе", "paypaI", "pаypal", "раураl", "аda"):
            with self.subTest(name):
                answer = self.join(Client(), self.invite(), username=name, email="x@y.example")
                self.assertContains(answer, "could be taken for")
        for name in ("oliver", "ada2", "Ольга", "金子"):
            with self.subTest(name):
                answer = self.join(Client(), self.invite(), username=name, email="x@y.example")
                self.assertEqual(answer.status_code, 302)


class Quotas(Studio):
    def send(self, size: int, project: str, status: int = 200) -> None:
        content = noise(size, size).tobytes()
        sent = self.upload(f"{size}.png", content)
        self.call("post", f"/projects/{project}/imports", {"files": [sent]}, status)

    def test_a_project_keeps_only_so_much(self) -> None:
        with override_settings(PROJECT_BYTES=100_000):
            with folder() as root:
                content = save(root / "a.png", noise(230, 1)).read_bytes()
            self.assertGreater(len(content), 70_000)
            self.bring_in(self.project, {"a.png": content})
            self.send(120, self.number, 413)
            self.send(40, self.number)
        self.send(120, self.number)

    def test_a_person_sends_only_so_much(self) -> None:
        with override_settings(PERSON_BYTES=20_000):
            self.upload("a.bin", bytes(15_000))
            answer = self.client.post("/api/uploads", self.form(bytes(6_000)))
            self.assertEqual(answer.status_code, 413)
            self.assertIn("What you have sent", answer.json()["message"])
            _, other = self.person("ada")
            self.assertEqual(other.post("/api/uploads", self.form(bytes(6_000))).status_code, 200)

    def form(self, content: bytes) -> dict[str, object]:
        return {"file": SimpleUploadedFile("b.bin", content), "path": "b.bin"}

    def test_a_person_has_only_so_many_jobs(self) -> None:
        project = Project.objects.get(pk=self.number)
        for _ in range(2):
            Job.objects.create(project=project, kind="measure", author=self.owner)
        body = {"revision": self.project["revision"]}
        with override_settings(PERSON_JOBS=2):
            said = self.call("post", f"/projects/{self.number}/exports", body, 422)
            self.assertIn("2 jobs of yours", said["message"])
        self.call("post", f"/projects/{self.number}/exports", body)
