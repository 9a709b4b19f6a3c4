"""The engines that a studio has: PostgreSQL, Redis, and a store with S3's interface (moto), each
real, on loopback addresses, with data of its own that goes with it."""

from __future__ import annotations

import contextlib
import getpass
import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", port)) == 0


def until(true: Callable[[], object], what: str, seconds: float = 120) -> None:
    """Wait for something; the limit only ends a test that would never end."""
    ends = time.monotonic() + seconds
    while not true():
        if time.monotonic() > ends:
            raise AssertionError(f"{what} does not come")
        time.sleep(0.05)


@contextlib.contextmanager
def process(command: list[str], **more: object) -> Iterator[subprocess.Popen[bytes]]:
    started = subprocess.Popen(command, start_new_session=True, **more)  # type: ignore[call-overload]
    try:
        yield started
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(started.pid, signal.SIGTERM)
        with contextlib.suppress(subprocess.TimeoutExpired):
            started.wait(10)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(started.pid, signal.SIGKILL)


def postgres_tool(name: str) -> str:
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"))
    return str(found[-1]) if found else shutil.which(name) or name


@contextlib.contextmanager
def postgres() -> Iterator[str]:
    """A database server with a database `ektopos`; its address."""
    port = free_port()
    with tempfile.TemporaryDirectory(prefix="ektopos-pg-", ignore_cleanup_errors=True) as root:
        place = Path(root) / "data"
        become: list[str] = []
        if getpass.getuser() == "root":
            # It refuses to run as root; its package has made a user for it.
            shutil.chown(root, pwd.getpwnam("postgres").pw_uid)
            become = ["runuser", "-u", "postgres", "--"]
        make = ["-D", str(place), "-U", "ektopos", "--auth=trust", "-E", "UTF8", "-N"]
        subprocess.run([*become, postgres_tool("initdb"), *make], check=True, capture_output=True)
        # Nothing has to outlive the test.
        settings = [
            "-c",
            "fsync=off",
            "-c",
            f"unix_socket_directories={root}",
            "-c",
            "max_connections=120",
        ]
        command = [
            *become,
            postgres_tool("postgres"),
            "-D",
            str(place),
            "-p",
            str(port),
            *settings,
        ]
        log = (Path(root) / "log").open("wb")
        with process(command, stdout=log, stderr=log):
            until(lambda: answers(port), "the database server")
            create = [
                postgres_tool("createdb"),
                "-h",
                "127.0.0.1",
                "-p",
                str(port),
                "-U",
                "ektopos",
                "ektopos",
            ]
            until(
                lambda: subprocess.run(create, capture_output=True).returncode == 0, "the database"
            )
            yield f"postgresql://ektopos@127.0.0.1:{port}/ektopos"


@contextlib.contextmanager
def redis() -> Iterator[str]:
    """A queue server; its address."""
    port = free_port()
    with tempfile.TemporaryDirectory(prefix="ektopos-redis-") as root:
        server = shutil.which("valkey-server") or shutil.which("redis-server") or "redis-server"
        command = [server, "--port", str(port), "--bind", "127.0.0.1", "--dir", root, "--save", ""]
        with process(command, stdout=subprocess.DEVNULL):
            until(lambda: answers(port), "the queue server")
            yield f"redis://127.0.0.1:{port}/0"


@contextlib.contextmanager
def s3() -> Iterator[dict[str, str]]:
    """A store with a bucket `studio`; the settings that lead there."""
    port = free_port()
    address = f"http://127.0.0.1:{port}"
    command = [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(port)]
    with process(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL):
        until(lambda: answers(port), "the store")
        urllib.request.urlopen(urllib.request.Request(f"{address}/studio", method="PUT")).close()
        yield {
            "EKTOPOS_STORE": "s3://studio/ektopos",
            "EKTOPOS_STORE_ENDPOINT": address,
            "EKTOPOS_STORE_REGION": "us-east-1",
            "AWS_ACCESS_KEY_ID": "test",
            "AWS_SECRET_ACCESS_KEY": "test",
        }
