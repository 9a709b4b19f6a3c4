"""Machines that work together: each with a data folder and processes of its own, asked over HTTP."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import urllib.error
import urllib.request
import uuid
from pathlib import Path
from typing import Any

from tests.services.engines import answers, free_port, until

ROOT = Path(__file__).resolve().parents[2]


class Refused(Exception):
    """An answer that is no success."""

    def __init__(self, status: int, body: bytes) -> None:
        super().__init__(f"{status}: {body[:300]!r}")
        self.status = status


class Machine:
    """One machine: `web`, `worker`, or both (empty)."""

    def __init__(self, folder: Path, only: str, settings: dict[str, str]) -> None:
        self.only, self.port = only, free_port()
        self.folder = folder
        kept = {k: v for k, v in os.environ.items() if not k.startswith("EKTOPOS_")}
        self.environment = kept | settings | {"EKTOPOS_DATA": str(folder)}
        self.key = ""
        self.started: subprocess.Popen[bytes] | None = None

    def manage(self, *command: str) -> str:
        """What a command of the application says on this machine."""
        done = subprocess.run(
            [sys.executable, "manage.py", *command],
            cwd=ROOT,
            env=self.environment,
            capture_output=True,
            text=True,
        )
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()

    def start(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        command = [sys.executable, "manage.py", "workshop", "--port", str(self.port)]
        log = (self.folder.parent / f"{self.folder.name}.log").open("ab")
        only = ["--only", self.only] if self.only else []
        self.started = subprocess.Popen(
            [*command, *only],
            cwd=ROOT,
            env=self.environment,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
        if self.only != "worker":
            until(lambda: answers(self.port), "the machine")

    def family(self) -> list[int]:
        """Every process that it has started."""
        assert self.started is not None
        table = subprocess.run(["ps", "-eo", "pid=,ppid="], capture_output=True, text=True).stdout
        children: dict[int, list[int]] = {}
        for line in table.splitlines():
            pid, parent = map(int, line.split())
            children.setdefault(parent, []).append(pid)
        found, waiting = [], [self.started.pid]
        while waiting:
            found.append(waiting.pop())
            waiting += children.get(found[-1], [])
        return found

    def pull_the_plug(self) -> None:
        """All of it ends at once, without a word."""
        for pid in self.family():
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        if self.started is not None:
            self.started.wait()
        self.started = None

    def stop(self) -> None:
        if self.started is not None:
            self.started.send_signal(signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.started.wait(20)
            self.pull_the_plug() if self.started.poll() is None else None

    def ask(self, method: str, path: str, body: object = None) -> Any:
        """An answer's JSON, or its bytes. Raises `Refused`."""
        data = None if body is None else json.dumps(body).encode()
        return self._sent(method, path, data, "application/json")

    def upload(self, path: str, content: bytes) -> dict[str, str]:
        """A file sent as browsers do."""
        edge = uuid.uuid4().hex
        head = 'Content-Disposition: form-data; name="{}"{}\r\n\r\n'
        body = (
            f"--{edge}\r\n{head.format('path', '')}{path}\r\n--{edge}\r\n".encode()
            + head.format("file", '; filename="f"').encode()
            + content
            + f"\r\n--{edge}--\r\n".encode()
        )
        told = self._sent("POST", "/uploads", body, f"multipart/form-data; boundary={edge}")
        return {"path": told["path"], "sha256": told["sha256"]}

    def ended(self, job: dict[str, Any]) -> dict[str, Any]:
        """A job once it is through."""
        last: dict[str, Any] = {}

        def through() -> bool:
            last.update(self.ask("GET", f"/jobs/{job['id']}"))
            return last["state"] not in ("waiting", "running")

        until(through, f"the end of {job['kind']}", 180)
        return last

    def _sent(self, method: str, path: str, data: bytes | None, kind: str) -> Any:
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/api{path}", data=data, method=method
        )
        request.add_header("Content-Type", kind)
        if self.key:
            request.add_header("Authorization", f"Bearer {self.key}")
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                content = answer.read()
                plain = "json" in answer.headers.get("Content-Type", "")
                return json.loads(content) if plain else content
        except urllib.error.HTTPError as problem:
            raise Refused(problem.code, problem.read()) from None
