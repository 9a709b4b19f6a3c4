"""A workshop of its own for measuring: started on a folder, asked over HTTP as a program would,
ended in any way."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
import uuid
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent


class Refused(Exception):
    """An answer that is not the one hoped for."""

    def __init__(self, status: int, body: Any) -> None:
        super().__init__(f"{status}: {body}")
        self.status = status


class Workshop:
    """The application on a data folder."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it and wait until it answers."""
        environment = {**os.environ, "EKTOPOS_DATA": str(self.data)}
        command = [sys.executable, "manage.py", "workshop", "--port", str(self.port)]
        log = (self.data.parent / "workshop.log").open("ab")
        self.process = subprocess.Popen(
            command, cwd=ROOT, env=environment, stderr=log, stdout=log, start_new_session=True
        )
        for _ in range(600):
            try:
                self.ask("GET", "/projects")
                return
            except (OSError, HTTPException, Refused):
                if self.process.poll() is not None:
                    raise SystemExit(f"the workshop ended; see {log.name}") from None
                time.sleep(0.1)
        raise SystemExit(f"the workshop does not answer; see {log.name}")

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
            try:
                os.kill(pid, signal.SIGKILL)
            except ProcessLookupError:
                continue

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
            connection.request(
                method,
                f"/api{path}",
                content,
                {"Content-Type": kind} if content is not None else {},
            )
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
