"""A whole application as processes of its own, for tests and for measuring: started on a folder, asked
over HTTP as a program would, ended in any way."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
import uuid
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any

from tests.services.engines import free_port, until

ROOT = Path(__file__).resolve().parents[1]


class Refused(Exception):
    """An answer that is not the one hoped for."""

    def __init__(self, status: int, body: Any) -> None:
        super().__init__(f"{status}: {body}")
        self.status = status


class Workshop:
    """The application on a data folder: all of it, or the `web` or `worker` of one machine among
    several. With `settings` it has those and none of whoever starts it."""

    def __init__(self, data: Path, only: str = "", settings: dict[str, str] | None = None) -> None:
        self.data, self.only, self.port = data, only, free_port()
        kept = {
            name: value
            for name, value in os.environ.items()
            if settings is None or not name.startswith("EKTOPOS_")
        }
        self.environment = kept | (settings or {})
        self.key = ""
        """By which it is asked, in team mode."""
        self.process: subprocess.Popen[bytes] | None = None

    def manage(self, *command: str) -> str:
        """What a command of the application says on this machine."""
        done = subprocess.run(
            [sys.executable, "manage.py", *command],
            cwd=ROOT,
            env=self.environment | {"EKTOPOS_DATA": str(self.data)},
            capture_output=True,
            text=True,
        )
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()

    def start(self) -> None:
        """Start it and wait until it answers, if it does."""
        self.data.mkdir(parents=True, exist_ok=True)
        command = [sys.executable, "manage.py", "workshop", "--port", str(self.port)]
        command += ["--only", self.only] if self.only else []
        with (self.data.parent / f"{self.data.name}.log").open("ab") as log:
            self.process = subprocess.Popen(
                command,
                cwd=ROOT,
                env=self.environment | {"EKTOPOS_DATA": str(self.data)},
                stderr=log,
                stdout=log,
                start_new_session=True,
            )
        if self.only != "worker":
            until(self._answers, f"the workshop (see {log.name})")

    def _answers(self) -> bool:
        assert self.process is not None and self.process.poll() is None, "the workshop ended"
        with contextlib.suppress(OSError, HTTPException, Refused):
            self.ask("GET", "/me")
            return True
        return False

    def family(self) -> list[int]:
        """The supervisor, the web server and its process, the worker, and the processes of jobs."""
        assert self.process
        table = subprocess.run(["ps", "-eo", "pid=,ppid="], capture_output=True, text=True).stdout
        children: dict[int, list[int]] = {}
        for line in table.splitlines():
            pid, parent = map(int, line.split())
            children.setdefault(parent, []).append(pid)
        found, waiting = [], [self.process.pid]
        while waiting:
            found.append(waiting.pop())
            waiting += children.get(found[-1], [])
        return found

    def kill(self, pids: list[int]) -> None:
        """As a power cut would: at once, without a word."""
        for pid in pids:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)

    def pull_the_plug(self) -> None:
        """All of it ends so."""
        assert self.process
        self.kill(self.family())
        self.process.wait()

    def stop(self) -> None:
        """Politely."""
        if self.process and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(30)

    def ask(
        self,
        method: str,
        path: str,
        body: Any = None,
        *,
        raw: bytes | None = None,
        kind: str = "application/json",
    ) -> Any:
        """The answer to a call. Raises `Refused` for a status of 400 and more."""
        connection = HTTPConnection("127.0.0.1", self.port, timeout=60)
        try:
            content = (
                raw if raw is not None else None if body is None else json.dumps(body).encode()
            )
            headers = {"Content-Type": kind} if content is not None else {}
            if self.key:
                headers["Authorization"] = f"Bearer {self.key}"
            connection.request(method, f"/api{path}", content, headers)
            answer = connection.getresponse()
            text = answer.read()
            found = (
                json.loads(text)
                if text and "json" in (answer.headers["Content-Type"] or "")
                else text
            )
            if answer.status >= 400:
                raise Refused(answer.status, found)
            return found
        finally:
            connection.close()

    def upload(self, path: str, content: bytes) -> dict[str, Any]:
        """Send a file; gives its reference."""
        border = uuid.uuid4().hex
        head = f'--{border}\r\nContent-Disposition: form-data; name="path"\r\n\r\n{path}\r\n'
        file = f'--{border}\r\nContent-Disposition: form-data; name="file"; filename="f"\r\nContent-Type: application/octet-stream\r\n\r\n'
        raw = head.encode() + file.encode() + content + f"\r\n--{border}--\r\n".encode()
        sent = self.ask("POST", "/uploads", raw=raw, kind=f"multipart/form-data; boundary={border}")
        return {"path": path, "sha256": sent["sha256"]}

    def ended(self, job: dict[str, Any], every: float = 0.05) -> dict[str, Any]:
        """A job once it is through, asked for so often."""
        ends = time.monotonic() + 300
        while job["state"] in ("waiting", "running"):
            assert time.monotonic() < ends, f"{job['kind']} does not end"
            time.sleep(every)
            job = self.ask("GET", f"/jobs/{job['id']}")
        return job
