"""Another Ektopos, asked over HTTP with a key: its projects are checked, exported and tried there,
and what comes of it is brought here.

Python's own library does it, so that a build machine needs nothing else.
"""

from __future__ import annotations

import contextlib
import ipaddress
import json
import shutil
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from http.client import HTTPException
from pathlib import Path
from typing import Any

from ektopos.base.errors import EktoposError, InvalidDocument, MissingReference
from ektopos.base.types import Json
from ektopos.export.placing import files_of_package, put_in_place
from ektopos.export.reuse import PACKAGE_LIST
from ektopos.project import unpack

ASK_EVERY = 0.5
PATIENCE = 60.0
"""Seconds that one answer may take."""
TRIES = 3
Say = Callable[[str], None]


@dataclass(frozen=True)
class Remote:
    """A project on a server."""

    server: str
    key: str
    project: str
    """Its number."""
    name: str

    def findings(self, target: str | None) -> list[Json]:
        """What the checks find there, for the project's target or another."""
        of = f"?{urllib.parse.urlencode({'target': target})}" if target else ""
        found: list[Json] = self._ask("GET", f"/checks{of}")
        return found

    def export(self, target: str | None, *, trial: bool, say: Say) -> Json:
        """Have the project's package made, and tried; gives the package as the server lists it."""
        revision = self._ask("GET", "")["revision"]
        job = self._ask(
            "POST", "/exports", {"revision": revision, "trial": trial, "target": target}
        )
        return self._package(self._done(job, say)["package"])

    def try_package(self, path: Path, target: str | None, say: Say) -> Json:
        """Have a package from here tried: a folder, or a zip, GLB or USDZ."""
        if not path.exists():
            raise InvalidDocument("there is no such package.", subject=str(path))
        if path.is_dir():
            packed = shutil.make_archive(str(path.resolve()) + "-sent", "zip", path)
            try:
                return self.try_package(Path(packed), target, say)
            finally:
                Path(packed).unlink(missing_ok=True)
        sent = self._upload(path)
        job = self._ask("POST", "/packages", {**sent, "target": target})
        return self._package(self._done(job, say)["package"])

    def fetch(self, package: Json, out: Path, say: Say, backup: Path | None = None) -> list[str]:
        """Bring a package here, whole, in place of the package that is in a folder; gives its
        files. Other files there stay. Raises `EktoposError` where one of them is in its way."""
        job = self._ask("POST", f"/packages/{package['id']}/archive")
        self._done(job, say)
        goal = out.resolve()
        goal.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=f".{goal.name}-", dir=goal.parent) as folder:
            packed, fresh = Path(folder) / "package.zip", Path(folder) / "package"
            _request(self.server, self.key, "GET", f"/jobs/{job['id']}/file", to=packed)
            files = _unpacked(packed, fresh)
            put_in_place(goal, fresh, files, backup)
        return sorted([*files, PACKAGE_LIST])

    def report(self, package: Json) -> bytes:
        """The report of a package's trial, as HTML."""
        return _request(self.server, self.key, "GET", f"/packages/{package['id']}/report.html")

    def _package(self, number: int) -> Json:
        for package in self._ask("GET", "/packages"):
            if package["id"] == number:
                found: Json = package
                return found
        raise MissingReference("the package is not there any more.", subject=self.name)

    def _done(self, job: Json, say: Say) -> Json:
        """Wait for a job. Raises `EktoposError` with its reason if it fails."""
        said = ""
        while job["state"] in ("waiting", "running"):
            time.sleep(ASK_EVERY)
            job = json.loads(_request(self.server, self.key, "GET", f"/jobs/{job['id']}"))
            if job["doing"] != said:
                said = job["doing"]
                say(said)
        if job["state"] != "done":
            problem = job.get("error") or {"message": "it was stopped.", "subject": "", "hint": ""}
            raise EktoposError(problem["message"], subject=problem["subject"], hint=problem["hint"])
        result: Json = job["result"]
        return result

    def _ask(self, method: str, path: str, body: object = None) -> Any:
        place = f"/projects/{self.project}{path}"
        return json.loads(_request(self.server, self.key, method, place, body))

    def _upload(self, path: Path) -> dict[str, str]:
        edge = uuid.uuid4().hex
        part = 'Content-Disposition: form-data; name="{}"{}\r\n\r\n'
        body = (
            f"--{edge}\r\n{part.format('path', '')}{path.name}\r\n--{edge}\r\n".encode()
            + part.format("file", '; filename="file"').encode()
            + path.read_bytes()
            + f"\r\n--{edge}--\r\n".encode()
        )
        kind = f"multipart/form-data; boundary={edge}"
        answer = json.loads(_request(self.server, self.key, "POST", "/uploads", body, kind))
        return {"path": answer["path"], "sha256": answer["sha256"]}


def remote(server: str, key: str, project: str, *, unencrypted: bool = False) -> Remote:
    """A project of a server by its number or its name; a key goes over the network `unencrypted`
    only where that is asked for. Raises `EktoposError` where the server cannot be reached or
    refuses the key, `MissingReference` where no project is called so."""
    if not server.startswith(("http://", "https://")):
        raise InvalidDocument(
            "this is no address of a server.", subject=server, hint="Begin it with https://."
        )
    if server.startswith("http://") and not (unencrypted or _is_this_machine(server)):
        raise InvalidDocument(
            "whoever listens on the way could read the key and all that is sent.",
            subject=server,
            hint="Begin it with https://, or add --unencrypted.",
        )
    server = server.rstrip("/")
    rows = json.loads(_request(server, key, "GET", "/projects"))
    found = [row for row in rows if project in (row["id"], row["name"])]
    if len(found) != 1:
        raise MissingReference(
            "several projects are called so." if found else "the key opens no such project.",
            subject=project,
            hint="Say its number, which stands in its address.",
        )
    return Remote(server, key, found[0]["id"], found[0]["name"])


def _request(
    server: str,
    key: str,
    method: str,
    path: str,
    body: object = None,
    kind: str = "application/json",
    to: Path | None = None,
) -> bytes:
    """An answer's body, or nothing where it is written to a file. What only asks is asked again
    where the line breaks."""
    data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
    request = urllib.request.Request(f"{server}/api{path}", data=data, method=method)
    request.add_header("Content-Type", kind)
    if key:
        request.add_header("Authorization", f"Bearer {key}")
    for attempt in range(TRIES if method == "GET" else 1):
        try:
            with _OPENER.open(request, timeout=PATIENCE) as answer:
                if to is not None:
                    with to.open("wb") as file:
                        shutil.copyfileobj(answer, file)
                    return b""
                content: bytes = answer.read()
                return content
        except urllib.error.HTTPError as problem:
            raise _refusal(problem, server) from None
        except (OSError, HTTPException) as problem:
            why = getattr(problem, "reason", problem)
            if attempt == TRIES - 1 or method != "GET":
                raise EktoposError(
                    f"the server cannot be reached ({why}).",
                    subject=server,
                    hint="Is the address right, and is it running?",
                ) from None
            time.sleep(ASK_EVERY * (attempt + 1))
    raise AssertionError("the last attempt answers or raises")


def _refusal(problem: urllib.error.HTTPError, server: str) -> EktoposError:
    """A refusal in the server's own words, where it has some."""
    try:
        said = json.loads(problem.read())
        words = [str(said[name]) for name in ("message", "subject", "hint")]
    except (ValueError, KeyError, TypeError):
        words = [f"the server answers {problem.code}.", server, "Is it Ektopos?"]
    kind = MissingReference if problem.code == 404 else EktoposError
    return kind(words[0], subject=words[1] or server, hint=words[2])


def _unpacked(packed: Path, fresh: Path) -> list[str]:
    """Take a package out of its zip; gives its files but for the list of them. Raises
    `EktoposError` for what is no whole package."""
    fresh.mkdir()
    unpack(packed, fresh, "what the server sent")
    files = [file for file in files_of_package(fresh) if file != PACKAGE_LIST]
    if not files or not all((fresh / file).is_file() for file in files):
        raise EktoposError("what the server sent is no whole package.", hint="Export again.")
    return files


class _SameServer(urllib.request.HTTPRedirectHandler):
    """A key is for the server that was named, and for no other that it points to."""

    def redirect_request(
        self, req: urllib.request.Request, fp: Any, code: int, msg: str, headers: Any, newurl: str
    ) -> urllib.request.Request | None:
        """Follow it where it stays at the server."""
        old, new = urllib.parse.urlsplit(req.full_url), urllib.parse.urlsplit(newurl)
        if (old.scheme, old.netloc) != (new.scheme, new.netloc):
            raise EktoposError(
                f"the server sends on to {new.scheme}://{new.netloc}, which gets no key.",
                subject=f"{old.scheme}://{old.netloc}",
                hint="Name that address with --server, if it is the right one.",
            )
        return super().redirect_request(req, fp, code, msg, headers, newurl)


_OPENER = urllib.request.build_opener(_SameServer)


def _is_this_machine(server: str) -> bool:
    host = urllib.parse.urlsplit(server).hostname or ""
    with contextlib.suppress(ValueError):
        return ipaddress.ip_address(host).is_loopback
    return host == "localhost" or host.endswith(".localhost")
