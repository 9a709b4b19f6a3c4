"""The real server in team mode: wrong passwords are locked out, and an organisation's own log-in
lets people in. Sources: OWASP's cheat sheet on authentication; OpenID Connect Core 1.0."""

from __future__ import annotations

import configparser
import re
from contextlib import ExitStack
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from unittest import TestCase, mock

import requests
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import Envelope

from tests.samples import folder
from tests.services.engines import free_port, until
from tests.services.identity import CLIENT, PERSON, SECRET, identity
from tests.workshop import ROOT, Workshop

PASSWORD = "a long enough pass phrase"


class Letters:
    """What a mail server has taken."""

    def __init__(self) -> None:
        self.taken: list[EmailMessage] = []

    async def handle_DATA(self, server: object, session: object, envelope: Envelope) -> str:
        assert isinstance(envelope.content, bytes)
        self.taken.append(message_from_bytes(envelope.content, policy=default))  # type: ignore[arg-type]
        return "250 OK"


class ComingIn(TestCase):
    machine: Workshop
    post: Letters

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        stack = cls.enterClassContext(ExitStack())
        root = stack.enter_context(folder())
        cls.post = Letters()
        mail = Controller(cls.post, "127.0.0.1", free_port())
        mail.start()
        stack.callback(mail.stop)
        settings = {
            "EKTOPOS_TEAM": "1",
            "EKTOPOS_MAIL": f"smtp://127.0.0.1:{mail.port}",
            "EKTOPOS_MAIL_FROM": "workshop@studio.example",
            "EKTOPOS_LOGIN_TRIES": "3",
            "EKTOPOS_SSO_URL": stack.enter_context(identity()),
            "EKTOPOS_SSO_CLIENT": CLIENT,
            "EKTOPOS_SSO_SECRET": SECRET,
            "EKTOPOS_SSO_DOMAINS": "example.com",
            "EKTOPOS_SSO_NAME": "the observatory",
            "EKTOPOS_LOG_AS": "json",
            "EKTOPOS_LOG_LEVEL": "INFO",
        }
        cls.machine = Workshop(root / "one", "", settings)
        stack.callback(cls.machine.stop)
        cls.machine.start()
        script = (
            "from django.contrib.auth.models import User;"
            f"[User.objects.create_user(name, f'{{name}}@studio.example', '{PASSWORD}')"
            " for name in ('ada', 'bea', 'cleo')]"
        )
        cls.machine.manage("shell", "-v", "0", "-c", script)
        cls.address = f"http://127.0.0.1:{cls.machine.port}"

    def form(
        self, session: requests.Session, path: str, action: str, **given: str
    ) -> requests.Response:
        """A form of a page, sent as its page would."""
        page = session.get(self.address + path, timeout=60).text
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page)[1]
        data = given | {"csrfmiddlewaretoken": token}
        headers = {"Referer": self.address + path}
        return session.post(self.address + action, data=data, headers=headers, timeout=60)

    def log_in(self, session: requests.Session, name: str, password: str) -> requests.Response:
        return self.form(session, "/in", "/in", username=name, password=password)

    def test_wrong_passwords_are_locked_out_and_others_are_not(self) -> None:
        thief = requests.Session()
        said = [self.log_in(thief, "ada", f"guess {i}") for i in range(3)]
        self.assertIn("Too many wrong passwords", said[-1].text)
        self.assertEqual(said[-1].status_code, 429)
        # Also the right one, for a while; who else comes is not kept out.
        self.assertEqual(self.log_in(requests.Session(), "ada", PASSWORD).status_code, 429)
        other = requests.Session()
        self.assertEqual(self.log_in(other, "bea", PASSWORD).status_code, 200)
        self.assertEqual(other.get(f"{self.address}/api/me", timeout=60).json()["name"], "bea")

    def test_a_forgotten_password_is_made_anew_by_a_link_that_the_mail_server_gets(self) -> None:
        person = requests.Session()
        sent = self.form(person, "/reset/", "/reset/", email="cleo@studio.example")
        self.assertEqual(sent.status_code, 200)
        # Nobody learns who has an account here.
        nobody = self.form(person, "/reset/", "/reset/", email="nobody@studio.example")
        self.assertEqual((nobody.url, nobody.status_code), (sent.url, 200))
        until(lambda: self.post.taken, "a letter")
        (letter,) = self.post.taken
        self.assertEqual(
            (letter["To"], letter["From"]), ("cleo@studio.example", "workshop@studio.example")
        )
        link = re.search(r"https?://[^\s]+", letter.get_content())[0]
        path = link.removeprefix(self.address)
        self.assertNotEqual(path, link)
        there = person.get(link, timeout=60).url.removeprefix(self.address)
        fresh = "another long enough pass phrase"
        self.form(person, there, there, new_password1=fresh, new_password2=fresh)
        self.assertEqual(
            self.log_in(requests.Session(), "cleo", PASSWORD).url, f"{self.address}/in"
        )
        back = requests.Session()
        self.log_in(back, "cleo", fresh)
        self.assertEqual(back.get(f"{self.address}/api/me", timeout=60).json()["name"], "cleo")
        # A link counts once.
        self.assertNotIn("new_password1", requests.get(link, timeout=60).text)

    def test_the_organisations_own_log_in_lets_people_in(self) -> None:
        person = requests.Session()
        page = person.get(f"{self.address}/in", timeout=60)
        self.assertIn("Log in by the observatory", page.text)
        action = re.search(r'action="(/sso/[^"]+)"', page.text)[1].replace("&amp;", "&")
        came = self.form(person, "/in", action)
        self.assertEqual((came.status_code, came.url), (200, f"{self.address}/"))
        self.assertEqual(person.get(f"{self.address}/api/me", timeout=60).json()["name"], "ines")
        self.assertEqual(person.get(f"{self.address}/api/projects", timeout=60).json(), [])
        # Browsers follow a form only where the page's policy lets it go.
        policy = page.headers["Content-Security-Policy"]
        form_action = next(part for part in policy.split(";") if "form-action" in part)
        self.assertIn(self.machine.environment["EKTOPOS_SSO_URL"], form_action)

    def test_whom_the_settings_do_not_name_gets_no_account(self) -> None:
        stranger = {"sub": "43", "email": "eve@other.example", "preferred_username": "eve"}
        person = requests.Session()
        page = person.get(f"{self.address}/in", timeout=60)
        action = re.search(r'action="(/sso/[^"]+)"', page.text)[1].replace("&amp;", "&")
        with mock.patch.dict(PERSON, stranger):
            came = self.form(person, "/in", action)
        self.assertIn("No account yet", came.text)
        self.assertEqual(person.get(f"{self.address}/api/me", timeout=60).json()["name"], "")

    def test_the_log_is_one_object_a_line(self) -> None:
        answer = requests.get(
            f"{self.address}/api/me", headers={"X-Request-ID": "find-me"}, timeout=60
        )
        self.assertEqual(answer.headers["X-Request-ID"], "find-me")
        log = (self.machine.data.parent / "one.log").read_text()
        lines = [line for line in log.splitlines() if "find-me" in line]
        import json

        self.assertEqual([json.loads(line)["status"] for line in lines], [200])


class WhatShips(TestCase):
    """A unit and a container file: read here, built and started elsewhere."""

    def test_the_unit_starts_what_is_there(self) -> None:
        unit = configparser.ConfigParser(strict=False, interpolation=None)
        unit.optionxform = str  # type: ignore[assignment, method-assign]
        unit.read(ROOT / "deploy/ektopos.service")
        program, role = unit["Service"]["ExecStart"].split()
        self.assertTrue((ROOT / program.rpartition("/")[2]).is_file())
        self.assertIn(f"\n  {role})", (ROOT / "run").read_text())
        self.assertEqual(unit["Service"]["EnvironmentFile"], "/etc/ektopos.env")

    def test_the_container_copies_what_is_there_and_every_setting_is_known(self) -> None:
        text = (ROOT / "deploy/Containerfile").read_text()
        joined = text.replace("\\\n", " ")
        for line in joined.splitlines():
            words = line.split()
            if not words or words[0].startswith("#"):
                continue
            known = [
                "FROM",
                "WORKDIR",
                "COPY",
                "RUN",
                "ENV",
                "USER",
                "VOLUME",
                "EXPOSE",
                "HEALTHCHECK",
                "ENTRYPOINT",
            ]
            self.assertIn(words[0], known, line)
            if words[0] == "COPY" and not words[1].startswith("--from"):
                for source in words[1:-1]:
                    self.assertTrue((ROOT / source).exists(), source)
        documented = (ROOT / "docs/deploy.md").read_text()
        for line in (ROOT / "deploy/ektopos.env").read_text().splitlines():
            name = line.lstrip("#").partition("=")[0]
            if name.isupper() and "=" in line:
                self.assertIn(f"`{name}`", documented)
