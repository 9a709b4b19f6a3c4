"""Team mode: who may do and see what. Sources: OWASP's cheat sheets on authorisation (deny by
default, check every request), authentication and forgotten passwords."""

from __future__ import annotations

import json
import re
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.core import mail
from django.test import Client, override_settings
from django.utils import timezone

from ektopos.rendering.filtered import LIGHTS_KEY
from server.rights import RULES
from server.workshop.api import api
from server.workshop.models import ApiKey, Held, Member, Project, Revision, Role, SharedLink
from tests.api.client import Api
from tests.samples import coloured, folder, save
from tests.services.engines import until
from tests.team import TeamMode

PASSWORD = "a long enough pass phrase"


def places(number: str, job: int, package: int, map_sha: str) -> dict[str, object]:
    """What stands in the addresses of the API, for each of their parts."""
    return {
        "project_id": number,
        "job_id": job,
        "package_id": package,
        "sha256": map_sha,
        "other": map_sha,
        "name": "tile",
        "map_name": "tile_col",
        "set_name": "tile",
        "view": "rgb",
        "light": "grey-room",
        "size": "64",
        "ending": "hdr",
        "code": "not-closed",
        "measure": "density",
        "what": "meant",
        "path": "package.json",
        **dict.fromkeys(("x", "y", "number", "slot"), "0"),
        **dict.fromkeys(("width", "height"), "4"),
        **dict.fromkeys(
            ("checkpoint_id", "revision_id", "note_id", "invitation_id", "link_id", "key_id"),
            "1",
        ),
        **dict.fromkeys(("followed_id", "offer_id"), "1"),
    }


class Team(TeamMode, Api):
    """With team mode on, and people."""

    def person(self, name: str, **more: Any) -> tuple[User, Client]:
        """Somebody with an account who has logged in."""
        person = User.objects.create_user(name, f"{name}@example.com", PASSWORD, **more)
        client = Client()
        client.force_login(person)
        return person, client

    def within(self, project: str, person: User, role: str) -> None:
        Member.objects.create(project_id=project, person=person, role=role)


def ask(client: Client, method: str, path: str, body: object = None, **headers: str) -> Any:
    more = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
    return getattr(client, method)(f"/api{path}", headers=headers, **more)


class EveryOperation(Team):
    def test_every_operation_has_a_rule_and_every_rule_an_operation(self) -> None:
        described = api.get_openapi_schema()["paths"]
        operations = {f"{m.upper()} {path}" for path, calls in described.items() for m in calls}
        self.assertEqual(operations, set(RULES))

    def answers_as(self, rule: str, who: str, path: str, status: int) -> None:
        """A call by somebody is answered as its row in the table says."""
        order = ["look", "work", "own"]
        refused = status in (401, 403)
        if rule == "anybody":
            self.assertEqual(status, 200)
        elif rule == "known":
            self.assertEqual(refused or status == 404, who in ("nobody", "link"))
        elif who == "nobody":
            self.assertEqual(status, 401)
        elif who == "stranger":
            self.assertEqual(status, 404)
        elif rule == "content":
            self.assertIn(status, (200, 422) if "mesh-" not in path else (200, 404, 422))
        elif order.index("look" if who == "link" else who) < order.index(rule):
            self.assertEqual(status, 403)
        else:
            self.assertFalse(refused)
        self.assertNotEqual(status, 500)

    def test_no_role_does_or_sees_what_it_may_not(self) -> None:
        owner, owning = self.person("olive")
        self.client = owning
        project = self.sample()
        number = project["id"]
        export = {"target": "gltf-glb", "revision": project["revision"]}
        exported = self.call("post", f"/projects/{number}/exports", export)
        package = self.call("get", f"/projects/{number}/packages")[0]["id"]
        self.call("post", f"/projects/{number}/packages/{package}/trial", {})
        stage = self.call("get", f"/projects/{number}/stage")
        mesh = self.call("get", f"/projects/{number}/meshes")[0]
        map_sha = Project.objects.get(pk=number).head.files["maps/tile_col.png"]
        values = places(number, exported["id"], package, map_sha)
        people = {"own": owning}
        for role in ("look", "work"):
            person, people[role] = self.person(role)
            self.within(number, person, role)
        _, people["stranger"] = self.person("stranger")
        people["nobody"] = Client()
        _, secret = SharedLink.issue(
            project_id=number, made_by=owner, ends=timezone.now() + timedelta(days=1)
        )
        people["link"] = Client()
        self.assertEqual(people["link"].get(f"/shared/{secret}").status_code, 302)
        for operation, rule in RULES.items():
            method, _, path = operation.partition(" ")
            key = mesh["key"] if "/mesh-" in path else stage["tile"]["picture"]
            if "/stage-pictures/" in path:
                key = stage["tile"]["pictures"]["base"]
            if "/lights/" in path:
                key = LIGHTS_KEY
            named = values | {"key": key}
            address = re.sub(r"{(\w+)}", lambda m, named=named: str(named[m[1]]), path)
            for who, client in people.items():
                if method == "DELETE" and path.endswith("{project_id}") and who == "own":
                    continue  # the last thing that is tried
                with self.subTest(operation, who=who):
                    body = None if method in ("GET", "DELETE") else {}
                    answer = ask(client, method.lower(), address.removeprefix("/api"), body)
                    self.answers_as(rule, who, path, answer.status_code)
        self.assertTrue(Project.objects.filter(pk=number).exists())
        self.assertEqual(ask(owning, "delete", f"/projects/{number}").status_code, 204)

    def test_the_list_holds_what_one_may_look_at_and_what_one_begins_is_ones_own(self) -> None:
        _, one = self.person("one")
        other_person, other = self.person("other")
        mine = ask(one, "post", "/projects", {"name": "Mine"}).json()
        self.assertEqual([p["name"] for p in ask(one, "get", "/projects").json()], ["Mine"])
        self.assertEqual(ask(other, "get", "/projects").json(), [])
        self.within(mine["id"], other_person, "look")
        self.assertEqual([p["name"] for p in ask(other, "get", "/projects").json()], ["Mine"])
        self.assertEqual(ask(other, "get", f"/projects/{mine['id']}/people").json()["role"], "look")
        self.assertEqual(ask(Client(), "get", "/projects").json(), [])
        _, admin = self.person("admin", is_superuser=True)
        self.assertEqual(len(ask(admin, "get", "/projects").json()), 1)

    def test_knowing_the_hash_of_a_file_is_not_having_it(self) -> None:
        _, one = self.person("one")
        _, thief = self.person("thief")
        with folder() as root:
            content = save(root / "a_basecolor.png", coloured()).read_bytes()
        self.client = one
        mine = self.begin("Mine")
        self.bring_in(mine, {"a_basecolor.png": content})
        sha = Held.objects.filter(project_id=mine["id"]).get().sha256
        self.assertEqual(ask(one, "post", "/uploads/known", {"sha256": [sha]}).json(), [sha])
        self.assertEqual(ask(thief, "post", "/uploads/known", {"sha256": [sha]}).json(), [])
        theirs = ask(thief, "post", "/projects", {"name": "Theirs"}).json()
        given = {"files": [{"path": "a.png", "sha256": sha}]}
        answer = ask(thief, "post", f"/projects/{theirs['id']}/imports", given)
        self.assertEqual(
            (answer.status_code, answer.json()["message"]), (404, "it has not been uploaded.")
        )
        self.assertEqual(ask(thief, "post", "/projects/import", given).status_code, 404)
        package = {"path": "a.zip", "sha256": sha, "target": "gltf-glb"}
        self.assertEqual(
            ask(thief, "post", f"/projects/{theirs['id']}/packages", package).status_code, 404
        )
        self.assertEqual(ask(thief, "get", f"/map-pictures/{sha}/rgb/64.png").status_code, 404)
        # Whoever has the file itself may have it.
        self.client = thief
        self.bring_in(theirs, {"a_basecolor.png": content})
        self.assertEqual(ask(thief, "get", f"/map-pictures/{sha}/rgb/64.png").status_code, 200)


class ComingIn(Team):
    def test_pages_ask_who_it_is_and_go_on_where_one_wanted_to(self) -> None:
        User.objects.create_user("ada", "ada@example.com", PASSWORD)
        page = Client(enforce_csrf_checks=True)
        answer = page.get("/projects/7/maps?x=1")
        self.assertEqual(answer.status_code, 302)
        self.assertEqual(answer["Location"], "/in?next=%2Fprojects%2F7%2Fmaps%3Fx%3D1")
        form = page.get(answer["Location"]).content.decode()
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', form)[1]
        given = {"username": "ada", "password": PASSWORD, "csrfmiddlewaretoken": token}
        goal = given | {"next": "/projects/7/maps?x=1"}
        answer = page.post("/in", goal)
        self.assertEqual(answer["Location"], "/projects/7/maps?x=1")
        self.assertTrue(page.cookies["ektopos_session"]["httponly"])
        self.assertEqual(page.get("/projects/7/maps").status_code, 200)
        elsewhere = page.post("/in", given | {"next": "https://elsewhere.example/"})
        self.assertNotIn("elsewhere", elsewhere.get("Location", ""))
        page.post("/out", headers={"X-CSRFToken": page.cookies["ektopos_csrf"].value})
        self.assertEqual(page.get("/").status_code, 302)

    def test_an_invitation_makes_one_account_and_is_used_up(self) -> None:
        _, owner = self.person("olive")
        project = ask(owner, "post", "/projects", {"name": "Dome"}).json()
        place = f"/projects/{project['id']}"
        # To an address, which counts as verified for whoever makes the account.
        invited = {"role": "work", "email": "n@example.com"}
        link = ask(owner, "post", f"{place}/invitations", invited).json()["secret"]
        guest = Client()
        self.assertContains(guest.get(link), "Dome")
        given = {
            "username": "new",
            "email": "n@example.com",
            "password1": "short",
            "password2": "short",
        }
        self.assertContains(guest.post(link, given), "too short")
        given |= {"password1": PASSWORD, "password2": PASSWORD}
        self.assertEqual(guest.post(link, given)["Location"], f"{place}/maps")
        self.assertEqual(ask(guest, "get", f"{place}/people").json()["role"], "work")
        self.assertEqual(Client().get(link).status_code, 404)
        people = ask(owner, "get", f"{place}/people").json()
        self.assertEqual([p["name"] for p in people["people"]], ["new", "olive"])
        # An owner stays.
        last = {"person": "olive", "role": "work"}
        answer = ask(owner, "post", f"{place}/people", last)
        self.assertEqual(
            (answer.status_code, answer.json()["message"]), (422, "a project has an owner.")
        )
        ask(owner, "post", f"{place}/people", {"person": "new@nowhere", "role": "look"})
        ask(owner, "post", f"{place}/people", {"person": "n@example.com", "role": "look"})
        self.assertEqual(ask(guest, "get", f"{place}/people").json()["role"], "look")
        ask(owner, "post", f"{place}/people", {"person": "new", "role": "none"})
        self.assertEqual(ask(guest, "get", place).status_code, 404)
        # What has ended, or is taken back, works no more.
        again = ask(owner, "post", f"{place}/invitations", {"role": "look"}).json()
        self.assertEqual(
            ask(owner, "delete", f"{place}/invitations/{again['id']}").status_code, 204
        )
        self.assertEqual(guest.get(again["secret"]).status_code, 404)

    def test_a_link_lets_look_until_it_ends(self) -> None:
        _, owner = self.person("olive")
        project = ask(owner, "post", "/projects", {"name": "Dome"}).json()
        place = f"/projects/{project['id']}"
        link = ask(owner, "post", f"{place}/shared-links", {"label": "client", "days": 2}).json()
        guest = Client()
        self.assertEqual(guest.get(link["secret"])["Location"], f"{place}/maps")
        self.assertEqual(guest.get(f"{place}/maps").status_code, 200)
        self.assertEqual(guest.get("/").status_code, 302)
        self.assertEqual(ask(guest, "get", place).status_code, 200)
        self.assertEqual(ask(guest, "get", f"{place}/people").json()["people"], [])
        self.assertEqual(ask(guest, "post", f"{place}/undo", {"revision": 1}).status_code, 403)
        SharedLink.objects.update(ends=timezone.now() - timedelta(seconds=1))
        self.assertEqual(ask(guest, "get", place).status_code, 401)

    def test_a_key_acts_for_its_maker_within_its_scope_in_one_project(self) -> None:
        person, owner = self.person("olive")
        self.client = owner
        project, other = self.sample(), self.begin("Other")
        place = f"/projects/{project['id']}"
        keys = {
            scope: ask(owner, "post", f"{place}/keys", {"label": "ci", "scope": scope}).json()[
                "secret"
            ]
            for scope in ("look", "work")
        }
        export = {"target": "gltf-glb", "revision": project["revision"]}
        self.assertNotIn(keys["work"], str(list(ApiKey.objects.values())))

        def by(scope: str, method: str, path: str, body: object = None) -> int:
            return ask(
                Client(), method, path, body, Authorization=f"Bearer {keys[scope]}"
            ).status_code

        self.assertEqual(by("look", "get", f"{place}/checks"), 200)
        self.assertEqual(by("look", "post", f"{place}/exports", export), 403)
        self.assertEqual(by("work", "post", f"{place}/exports", export), 200)
        self.assertEqual(by("work", "post", f"{place}/keys", {"label": "more"}), 403)
        self.assertEqual(by("work", "delete", place), 403)
        self.assertEqual(by("work", "get", f"/projects/{other['id']}"), 404)
        self.assertEqual(by("work", "post", "/projects", {"name": "x"}), 403)
        self.assertEqual(Revision.objects.filter(author=person).exists(), True)
        # A key is worth no more than its maker.
        self.assertEqual(
            len(ask(Client(), "get", "/projects", Authorization=f"Bearer {keys['look']}").json()), 1
        )
        Member.objects.filter(project_id=project["id"], person=person).update(role=Role.LOOK)
        self.assertEqual(by("work", "post", f"{place}/exports", export), 403)
        User.objects.filter(pk=person.pk).update(is_active=False)
        self.assertEqual(by("work", "get", place), 401)
        User.objects.filter(pk=person.pk).update(is_active=True)
        ApiKey.objects.update(ends=timezone.now())
        self.assertEqual(by("work", "get", place), 401)

    @override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
    def test_a_forgotten_password_is_replaced_by_mail_and_nobody_learns_who_has_an_account(
        self,
    ) -> None:
        User.objects.create_user("ada", "ada@example.com", PASSWORD)
        page = Client()
        answers = {
            page.post("/reset/", {"email": one}).headers["Location"]
            for one in ("ada@example.com", "no@example.com")
        }
        self.assertEqual(answers, {"/reset/sent"})
        until(lambda: mail.outbox, "the mail, which is sent apart from the answer")
        self.assertEqual([m.to for m in mail.outbox], [["ada@example.com"]])
        path = re.search(r"http://testserver(/reset/\S+)", mail.outbox[0].body)[1]
        form = page.get(path, follow=True).redirect_chain[-1][0]
        new = "quite another pass phrase"
        self.assertEqual(
            page.post(form, {"new_password1": new, "new_password2": new})["Location"], "/reset/done"
        )
        self.assertTrue(page.login(username="ada", password=new))
        self.assertContains(page.get(path), "link", status_code=200)  # used up


class WhoDidWhat(Team):
    def test_history_names_authors_shows_before_and_after_and_brings_back(self) -> None:
        _, owner = self.person("olive")
        worker, working = self.person("will")
        self.client = owner
        project = self.sample()
        place = f"/projects/{project['id']}"
        self.within(project["id"], worker, "work")
        before = ask(owner, "get", place).json()
        rename = {"kind": "rename-material", "material": "plain", "name": "smooth"}
        edits = [rename]
        answer = ask(
            working, "post", f"{place}/edits", {"revision": before["revision"], "edits": edits}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        steps = ask(owner, "get", f"{place}/history").json()["steps"]
        self.assertEqual([s["author"] for s in steps], ["will", "olive"])
        self.assertEqual(
            {t["name"] for t in steps[0]["touched"] if t["kind"] == "material"}, {"plain", "smooth"}
        )
        about = ask(owner, "get", f"{place}/history?kind=material&name=smooth&pictures=1").json()[
            "steps"
        ]
        self.assertEqual(len(about), 1)
        (thing,) = [t for t in about[0]["touched"] if t["name"] == "smooth"]
        self.assertIsNone(thing["before"])
        self.assertEqual(owner.get(thing["after"]).headers["Content-Type"], "image/png")
        now = ask(owner, "get", place).json()["revision"]
        back = ask(
            owner, "post", f"{place}/history/{before['revision']}/bring-back", {"revision": now}
        ).json()
        self.assertEqual(back["document"], before["document"])
        self.assertTrue(back["undo"].startswith("restore"))

    def test_whoever_is_there_is_seen_and_where(self) -> None:
        _, owner = self.person("olive")
        guest, looking = self.person("gus")
        project = ask(owner, "post", "/projects", {"name": "Dome"}).json()
        place = f"/projects/{project['id']}"
        self.within(project["id"], guest, "look")
        self.assertEqual(ask(owner, "get", f"{place}/pulse?where=maps").json()["here"], [])
        seen = ask(looking, "get", f"{place}/pulse?where=materials/dome").json()["here"]
        self.assertEqual(seen, [{"name": "olive", "where": "maps"}])
        Member.objects.filter(person=guest).update(seen=timezone.now() - timedelta(minutes=1))
        self.assertEqual(ask(owner, "get", f"{place}/pulse?where=maps").json()["here"], [])

    def test_notes_are_left_answered_closed_and_counted(self) -> None:
        _, owner = self.person("olive")
        guest, working = self.person("will")
        project = ask(owner, "post", "/projects", {"name": "Dome"}).json()
        place = f"/projects/{project['id']}"
        self.within(project["id"], guest, "work")
        pulse = ask(owner, "get", f"{place}/pulse").json()["notes"]
        note = {"text": "too shiny", "kind": "input", "place": ["copper", "roughness"]}
        (left,) = ask(working, "post", f"{place}/notes", note).json()
        self.assertEqual((left["author"], left["closed"]), ("will", None))
        self.assertNotEqual(ask(owner, "get", f"{place}/pulse").json()["notes"], pulse)
        wrong = ask(working, "post", f"{place}/notes", note | {"place": ["copper"]})
        self.assertEqual(wrong.status_code, 422)
        self.assertEqual(
            ask(working, "post", f"{place}/notes", note | {"text": " "}).status_code, 422
        )
        closing = f"{place}/notes/{left['id']}/close"
        (closed,) = ask(owner, "post", closing, {"closed": True}).json()
        self.assertEqual(closed["closed_by"], "olive")
        answer = {"text": "still", "answers": left["id"]}
        (open_again,) = ask(working, "post", f"{place}/notes", answer).json()
        self.assertIsNone(open_again["closed"])
        self.assertEqual([a["text"] for a in open_again["answers"]], ["still"])


class WithoutTeamMode(Api):
    def test_nobody_logs_in_and_everything_is_open(self) -> None:
        self.assertEqual(self.call("get", "/me"), {"team": False, "name": "", "admin": True})
        project = self.begin()
        place = f"/projects/{project['id']}"
        self.assertEqual(self.call("get", f"{place}/people")["role"], "own")
        self.call("post", f"{place}/keys", {"label": "x"}, 422)
        (note,) = self.call("post", f"{place}/notes", {"text": "to do"})
        self.assertEqual(note["author"], "")
        self.assertEqual(self.client.get("/in").status_code, 200)  # the application's own page
