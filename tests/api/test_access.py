"""Who gets in, and in which words everybody else is kept out. Sources: OWASP's cheat sheets on
CSRF, CSP and file uploads."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from http.client import HTTPConnection
from pathlib import Path

from django.conf import settings
from django.test import Client, override_settings

from server.workshop import pictures
from server.workshop.management.folder import was_never_used
from server.wsgi import SteadyBody
from tests.api.client import Api
from tests.samples import folder
from tests.workshop import Workshop

TOKEN = "a token that is long enough"


class Hosts(Api):
    def test_a_name_that_leads_here_reads_nothing(self) -> None:
        """DNS rebinding: a page elsewhere whose own name has come to mean this machine."""
        for path in ("/api/projects", "/", "/assets/none.js", "/mark.svg"):
            answer = self.client.get(path, headers={"Host": "rebound.example"})
            self.assertEqual(answer.status_code, 400, path)
        self.assertTrue(
            self.client.get("/api/projects", headers={"Host": "rebound.example"}).json()["message"]
        )
        self.assertNotIn("testserver", os.environ.get("EKTOPOS_HOSTS", ""))

    def test_pages_say_what_browsers_may_do_with_them(self) -> None:
        answer = self.client.get("/")
        policy = dict(
            part.strip().partition(" ")[::2]
            for part in answer["Content-Security-Policy"].split(";")
        )
        self.assertEqual(
            (policy["script-src"], policy["frame-ancestors"], policy["object-src"]),
            ("'self' 'wasm-unsafe-eval'", "'none'", "'none'"),
        )
        self.assertEqual(answer["X-Frame-Options"], "DENY")
        for path in ("/", "/api/projects"):
            self.assertEqual(self.client.get(path)["Cross-Origin-Resource-Policy"], "same-origin")
        self.assertNotIn(b"<script>", b"".join(answer.streaming_content))


class Forged(Api):
    def test_the_servers_own_page_may_write_and_a_program_too(self) -> None:
        page = Client(enforce_csrf_checks=True)
        page.get("/")
        token = page.cookies["ektopos_csrf"].value
        self.assertEqual(page.cookies["ektopos_csrf"]["samesite"], "Strict")
        body = {"data": '{"name": "mine"}', "content_type": "application/json"}
        own = {"Origin": "http://testserver", "X-CSRFToken": token}
        self.assertEqual(page.post("/api/projects", headers=own, **body).status_code, 200)
        self.assertEqual(
            page.post("/api/projects", headers={"Origin": "http://testserver"}, **body).status_code,
            403,
        )
        self.assertEqual(
            page.post(
                "/api/projects", headers={**own, "Origin": "http://elsewhere.example"}, **body
            ).status_code,
            403,
        )
        self.assertEqual(
            Client(enforce_csrf_checks=True).post("/api/projects", **body).status_code, 200
        )

    def test_a_form_of_another_site_cannot_post_a_file(self) -> None:
        page = Client(enforce_csrf_checks=True)
        answer = page.post(
            "/api/uploads", {"path": "a"}, headers={"Referer": "http://elsewhere.example/"}
        )
        self.assertEqual(
            (answer.status_code, set(answer.json())), (403, {"message", "subject", "hint"})
        )


@override_settings(ACCESS_TOKEN=TOKEN)
class Tokens(Api):
    def test_nobody_gets_in_without_it(self) -> None:
        self.assertEqual(
            set(self.call("get", "/projects", status=401)), {"message", "subject", "hint"}
        )
        door = self.client.get("/projects/x/maps?a=1")
        self.assertEqual(door.status_code, 401)
        self.assertContains(door, "asks for its token", status_code=401)
        self.assertContains(door, 'value="/projects/x/maps?a=1"', status_code=401)

    def test_it_is_asked_for_once_and_another_token_ends_it(self) -> None:
        wrong = self.client.post("/enter", {"token": "wrong", "next": "/"})
        self.assertContains(wrong, "That is not the token", status_code=403)
        right = self.client.post("/enter", {"token": TOKEN, "next": "/projects/x/maps"})
        self.assertEqual((right.status_code, right["Location"]), (302, "/projects/x/maps"))
        self.assertTrue(right.cookies["ektopos_token"]["httponly"])
        self.assertNotIn(TOKEN, right.cookies["ektopos_token"].value)
        self.call("get", "/projects")
        with override_settings(ACCESS_TOKEN="another token, as long"):
            self.call("get", "/projects", status=401)

    def test_a_browser_comes_through_the_door_that_it_was_shown(self) -> None:
        browser = Client(enforce_csrf_checks=True)
        door = browser.get("/").content.decode()
        given = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', door)
        form = {"token": TOKEN, "next": "/", "csrfmiddlewaretoken": given.group(1) if given else ""}
        headers = {"Origin": "http://testserver"}
        self.assertEqual(browser.post("/enter", {"token": TOKEN}, headers=headers).status_code, 403)
        self.assertEqual(browser.post("/enter", form, headers=headers).status_code, 302)
        self.assertEqual(browser.get("/api/projects").status_code, 200)

    def test_the_door_leads_nowhere_else(self) -> None:
        for goal in ("https://elsewhere.example/", "//elsewhere.example", "javascript:alert(1)"):
            self.assertEqual(
                self.client.post("/enter", {"token": TOKEN, "next": goal})["Location"], "/"
            )
        door = Client().get('/x?"><script>alert(1)</script>')
        self.assertNotContains(door, "<script>alert", status_code=401)

    def test_programs_say_it_in_their_header(self) -> None:
        self.assertEqual(
            self.client.get(
                "/api/projects", headers={"Authorization": f"Bearer {TOKEN}"}
            ).status_code,
            200,
        )
        self.assertEqual(
            self.client.get("/api/projects", headers={"Authorization": "Bearer no"}).status_code,
            401,
        )


class Refusals(Api):
    SHAPE = frozenset({"message", "subject", "hint"})

    def test_every_refusal_has_one_shape(self) -> None:
        project = self.begin()
        path = f"/api/projects/{project['id']}/edits"
        asked = [
            self.client.get("/api/nowhere"),
            self.client.delete("/api/projects"),
            self.client.get("/api/projects/no-uuid"),
            self.client.post(path, "{", content_type="application/json"),
            self.client.post(path, "[]", content_type="application/json"),
            self.client.post(path, "", content_type="text/plain"),
            self.client.post("/api/uploads", {"path": "a"}),
            self.client.get(f"/api/projects/{project['id']}/probe/x?u=nan&v=0"),
            self.client.get("/api/packages/99999999999999999999999/report.html"),
            self.client.put("/api/uploads/known", "x"),
        ]
        for answer in asked:
            with self.subTest(answer.request["PATH_INFO"], method=answer.request["REQUEST_METHOD"]):
                self.assertIn(answer.status_code, range(400, 500))
                self.assertEqual(set(answer.json()), self.SHAPE)
                self.assertTrue(answer.json()["message"])

    def test_no_body_is_a_mistake_of_ours(self) -> None:
        project = self.begin()
        path = f"/api/projects/{project['id']}/edits"
        base = f'{{"revision": {project["revision"]}, "edits": '
        bodies = {
            "no edits": base + "[]}",
            "half a character": base + '[{"kind": "rename-project", "name": "\\ud800"}]}',
            "a zero": base + '[{"kind": "rename-project", "name": "a\\u0000b"}]}',
            "a megabyte": base + f'[{{"kind": "rename-project", "name": "{"x" * 2**20}"}}]}}',
            "deep": base + "[" * 100_000 + "]" * 100_000 + "}",
            "deep inside": base
            + '[{"kind": "set-setting", "material": "m", "setting": "uv", "value": '
            + "[" * 500
            + "]" * 500
            + "}]}",
            "no number": base
            + '[{"kind": "set-setting", "material": "m", "setting": "uv.rotation", "value": NaN}]}',
            "too large a number": '{"revision": 99999999999999999999999, "edits": [{"kind": "rename-project", "name": "x"}]}',
            "another kind of thing": base + '[{"kind": "set-map", "maps": {"a": 1}}]}',
        }
        for what, body in bodies.items():
            with self.subTest(what):
                answer = self.client.post(path, body, content_type="application/json")
                self.assertIn(answer.status_code, (400, 422), answer.content[:200])
                self.assertEqual(set(answer.json()), self.SHAPE)
                self.assertNotIn("Cannot parse", answer.json()["message"])
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["revision"], project["revision"]
        )

    def test_a_body_larger_than_any_edit(self) -> None:
        project = self.begin()
        answer = self.client.post(
            f"/api/projects/{project['id']}/edits",
            "x" * (33 * 2**20),
            content_type="application/json",
        )
        self.assertEqual((answer.status_code, set(answer.json())), (413, self.SHAPE))

    def test_so_many_pictures_that_one_has_to_wait(self) -> None:
        with folder() as root:
            path = root / "p.png"
            held = [pictures._waiting.acquire(blocking=False) for _ in range(pictures.MOST_WAITING)]
            try:
                self.assertTrue(all(held))
                self.assertRaises(pictures.Busy, pictures.kept_or_made, path, lambda: b"")
            finally:
                for _ in held:
                    pictures._waiting.release()
            self.assertEqual(pictures.kept_or_made(path, lambda: b"made"), b"made")

    def test_a_body_that_trickles_is_cut_off(self) -> None:
        class Slow:
            def read(self, *size: int) -> bytes:
                return b"x"

        body = SteadyBody(Slow())
        body.read(1)
        body.began -= 3600
        self.assertRaises(TimeoutError, body.read, 1)


class Settings(Api):
    def environment(self, **more: str) -> dict[str, str]:
        return {**os.environ, "EKTOPOS_DATA": self.place, **more}

    def setUp(self) -> None:
        self.keeper = folder()
        self.place = str(self.keeper.__enter__())

    def tearDown(self) -> None:
        self.keeper.__exit__(None, None, None)

    def manage(self, *arguments: str, **environment: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "manage.py", *arguments]
        return subprocess.run(
            command,
            cwd=settings.ROOT,
            env=self.environment(**environment),
            capture_output=True,
            text=True,
        )

    def test_as_documented_for_deployment_django_has_nothing_to_say(self) -> None:
        # The settings that docs/deploy.md names for a server behind HTTPS. Source: Django's
        # deployment checklist.
        for team in ("0", "1"):
            said = self.manage(
                "check",
                "--deploy",
                "--fail-level",
                "WARNING",
                EKTOPOS_HTTPS="1",
                EKTOPOS_HOSTS="textures.example",
                EKTOPOS_TEAM=team,
            )
            self.assertEqual((said.returncode, "no issues" in said.stdout), (0, True), said.stderr)

    def test_a_wrong_setting_is_one_sentence(self) -> None:
        for name, value in (
            ("EKTOPOS_TOKEN", "short"),
            ("EKTOPOS_TASKS", "magic"),
            ("EKTOPOS_CACHE_MB", "much"),
            ("EKTOPOS_STORE", "somewhere"),
            ("EKTOPOS_LOG_AS", "poetry"),
            ("DATABASE_URL", "mysql://elsewhere/ektopos"),
        ):
            said = self.manage("check", **{name: value})
            self.assertNotEqual(said.returncode, 0)
            self.assertEqual(
                (len(said.stderr.strip().splitlines()), name in said.stderr), (1, True), said.stderr
            )

    def test_every_setting_is_documented_and_read(self) -> None:
        text = (settings.ROOT / "server/settings.py").read_text()
        read = {
            f"EKTOPOS_{name}" for name in re.findall(r'_(?:text|list|number)\("([A-Z_]+)"', text)
        }
        documented = (settings.ROOT / "docs/deploy.md").read_text()
        self.assertGreater(len(read), 14)
        self.assertEqual({name for name in read if f"`{name}`" not in documented}, set())


class Serving(Api):
    """The real server: a second start, a busy address, silence, an end of the worker."""

    def test_a_killed_one_leaves_nobody_at_work(self) -> None:
        with folder() as root:
            first, second = Workshop(root / "data"), Workshop(root / "data")
            first.start()
            assert first.process is not None
            left = first.family()
            self.assertGreater(len(left), 3, "web, worker and helper")
            os.kill(first.process.pid, signal.SIGKILL)
            first.process.wait()
            self.wait(
                lambda: not [pid for pid in left if Path(f"/proc/{pid}").exists()],
                "what it had started goes on",
            )
            second.start()
            second.stop()

    def test_other_machines_are_let_in_only_where_people_say_who_they_are(self) -> None:
        with folder() as root:
            kept = {k: v for k, v in os.environ.items() if not k.startswith("EKTOPOS_")}
            for host in ("0.0.0.0", "::", "192.0.2.7", "studio.example"):
                with self.subTest(host):
                    done = subprocess.run(
                        [sys.executable, "manage.py", "workshop", "--bind", host],
                        cwd=settings.ROOT,
                        env=kept | {"EKTOPOS_DATA": str(root)},
                        capture_output=True,
                        text=True,
                    )
                    self.assertEqual(done.returncode, 1, done.stderr)
                    self.assertIn("EKTOPOS_TOKEN", done.stderr)
                    self.assertNotIn("Traceback", done.stderr)

    def test_from_the_beginning_in_a_folder_that_was_never_used(self) -> None:
        with folder() as root:
            (root / "secret.key").write_text("made by looking at the settings")
            (root / "uploads").mkdir()
            self.assertTrue(was_never_used(root))
            (root / "holiday.jpg").write_bytes(b"x")
            self.assertFalse(was_never_used(root))

    def test_start_refuse_a_second_start_survive_the_worker_and_stop(self) -> None:
        with folder() as root, socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
            probe.close()
            environment = {
                **os.environ,
                "EKTOPOS_DATA": str(root / "data"),
                "EKTOPOS_DATABASE": "ektopos.sqlite3",
            }
            command = [sys.executable, "manage.py", "workshop", "--port", str(port)]
            process = subprocess.Popen(
                command, cwd=settings.ROOT, env=environment, stderr=subprocess.PIPE, text=True
            )
            lines: list[str] = []
            threading.Thread(target=lambda: lines.extend(process.stderr or ()), daemon=True).start()
            try:
                self.wait(lambda: self.ask(port, "/api/projects") == 200, "".join(lines))
                second = subprocess.run(
                    command, cwd=settings.ROOT, env=environment, capture_output=True, text=True
                )
                self.assertEqual(
                    (second.returncode, "is running on" in second.stderr), (1, True), second.stderr
                )
                other = {**environment, "EKTOPOS_DATA": str(root / "other")}
                busy = subprocess.run(
                    command, cwd=settings.ROOT, env=other, capture_output=True, text=True
                )
                self.assertEqual(
                    (busy.returncode, "Something else is at" in busy.stderr), (1, True), busy.stderr
                )
                first = self.worker_of(process.pid)
                self.wait(
                    lambda: self.child_of(first, "forkserver"),
                    "what jobs need is not loaded before there is one",
                )
                os.kill(first, 9)
                self.wait(
                    lambda: self.worker_of(process.pid) not in (0, first),
                    "the worker is not started again",
                )
                self.assertEqual(
                    self.ask(port, "/api/projects"), 200, "its end never stops the web"
                )
            finally:
                process.terminate()
                self.assertEqual(process.wait(30), 0)

    def wait(self, true, what: str, seconds: float = 60) -> None:
        began = time.monotonic()
        while not true():
            self.assertLess(time.monotonic() - began, seconds, what)
            time.sleep(0.1)

    def ask(self, port: int, path: str) -> int:
        connection = HTTPConnection("127.0.0.1", port, timeout=10)
        try:
            connection.request("GET", path)
            return connection.getresponse().status
        except OSError:
            return 0
        finally:
            connection.close()

    def worker_of(self, parent: int) -> int:
        return self.child_of(parent, "do_jobs")

    def child_of(self, parent: int, command: str) -> int:
        """The one of a process's children that was started by a command; 0 if there is none."""
        children = subprocess.run(
            ["ps", "-o", "pid=,args=", "--ppid", str(parent)], capture_output=True, text=True
        ).stdout
        return next((int(line.split()[0]) for line in children.splitlines() if command in line), 0)
