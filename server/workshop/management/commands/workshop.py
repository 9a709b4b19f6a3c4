"""Run the workshop: web, worker, and whatever has to be looked after while they run."""

from __future__ import annotations

import contextlib
import ipaddress
import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, close_old_connections

from server.workshop import reader_processes
from server.workshop.jobs.queue import resume, sweep
from server.workshop.management.children import start
from server.workshop.management.folder import empty, is_ours, mark, only_one, was_never_used
from server.workshop.models import Project
from server.workshop.retention import collect, measure_again, remove_leavings
from server.workshop.sample import is_sample_made, open_sample

logger = logging.getLogger(__name__)
SWEEP_EVERY, COLLECT_EVERY = 5.0, 3600.0
LONGEST_PAUSE = 30.0
WARM = "commands.sock"
"""Where `./run ektopos` looks for the process that has loaded what commands need."""


class Command(BaseCommand):
    """Set the data folder up, start everything, and start the worker again whenever it ends."""

    help = __doc__
    requires_system_checks = ()

    def add_arguments(self, parser: CommandParser) -> None:
        """Where, and with what."""
        parser.add_argument("--bind", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8437)
        parser.add_argument("--sample", action="store_true", help="have the sample project there")
        parser.add_argument(
            "--fresh",
            action="store_true",
            help="from the beginning: everything in the data folder goes",
        )
        parser.add_argument("--yes", action="store_true", help="do not ask before that")
        parser.add_argument(
            "--only",
            choices=("web", "worker"),
            help="one of several machines: this one serves pages, or does jobs",
        )
        parser.add_argument(
            "--dev", action="store_true", help="with Django's own server, which reloads"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until the web server ends or a signal says so."""
        folder = settings.DATA_FOLDER
        if options["only"] != "worker":
            _check_guarded(options["bind"])
        with only_one(folder) as lock:
            if options["fresh"]:
                self._begin_anew(folder, options["yes"])
            if options["only"] != "worker":
                _check_free(options["bind"], options["port"])
            call_command("migrate", verbosity=0)
            mark(folder)
            remove_leavings()
            if options["only"]:
                # Others may be at work: what was interrupted is found by its silence.
                sys.exit(_run(options, lock))
            opened = self._sample(folder) if options["sample"] else None
            resume()
            measure_again()
            where = f"http://{options['bind']}:{options['port']}/"
            self.stderr.write(
                f"\nEktopos is at {where}{f'projects/{opened.pk}/maps' if opened else ''}"
            )
            self.stderr.write("Ctrl+C stops it.")
            sys.exit(_run(options, lock))

    def _begin_anew(self, folder: Path, sure: bool) -> None:
        """Empty the data folder, if it is ours, and if nobody minds."""
        if was_never_used(folder):
            return
        if not is_ours(folder):
            hint = "Nothing was deleted. Empty it by hand, or set EKTOPOS_DATA to another folder."
            raise CommandError(f"{folder} was not made by Ektopos. {hint}", returncode=1)
        call_command("migrate", verbosity=0)
        names = [project.name for project in Project.objects.all()]
        others = [name for name in names if name != "Hollin Ridge Observatory"]
        if others and not sure:
            which = f"{', '.join(others[:5])}{' and more' if len(others) > 5 else ''}"
            if not sys.stdin.isatty():
                raise CommandError(
                    f"{folder} holds {which}. Add --yes to delete everything in it.", returncode=1
                )
            if (
                input(
                    f"This deletes {which}, and everything else in {folder}. Type “delete” to "
                    "go on: "
                )
                != "delete"
            ):
                raise CommandError("Nothing was deleted.", returncode=1)
        empty(folder)
        settings.FILE_UPLOAD_TEMP_DIR.mkdir(exist_ok=True)

    def _sample(self, folder: Path) -> Project:
        """The project to show first: the sample, made and opened once, or the oldest that is
        there.
        """
        project = Project.objects.exclude(head=None).order_by("created").first()
        if project is not None:
            return project
        if not is_sample_made():
            self.stderr.write("Making the sample project …")
        return open_sample()


def _check_guarded(host: str) -> None:
    """Raises `CommandError` where other machines would reach an Ektopos that asks nobody who they
    are."""
    if settings.ACCESS_TOKEN or settings.TEAM or host == "localhost":
        return
    with contextlib.suppress(ValueError):
        if ipaddress.ip_address(host).is_loopback:
            return
    raise CommandError(
        f"Whoever reaches {host} could do everything here. Set EKTOPOS_TOKEN, or EKTOPOS_TEAM=1 "
        "for people with accounts.",
        returncode=1,
    )


def _check_free(host: str, port: int) -> None:
    """Raises `CommandError` where something else answers at the address."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as problem:
            reason = (
                f"Something else is at {host}:{port} ({problem.strerror}). Set EKTOPOS_PORT to "
                "another number."
            )
            raise CommandError(reason, returncode=1) from None


def _web(options: dict[str, Any]) -> list[str]:
    if options["dev"]:
        return [sys.executable, "manage.py", "runserver", f"{options['bind']}:{options['port']}"]
    address = f"{options['bind']}:{options['port']}"
    conf = str(settings.ROOT / "server" / "gunicorn_conf.py")
    return [sys.executable, "-m", "gunicorn", "server.wsgi", "--config", conf, "--bind", address]


def _run(options: dict[str, Any], lock: int) -> int:
    """Web and worker, or the one of them that is wished, until the web ends; the worker is started
    again whenever it ends. Gives the web's exit code."""
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    works = options["only"] != "web"
    reading = _readers()
    web: subprocess.Popen[bytes] | None = None
    if options["only"] != "worker":
        web = start(_web(options), lock)
    worker: subprocess.Popen[bytes] | None = None
    follower: subprocess.Popen[bytes] | None = None
    warm: subprocess.Popen[bytes] | None = None
    readers: subprocess.Popen[bytes] | None = None
    started, pause, next_start, next_follower, next_warm = 0.0, 1.0, 0.0, 0.0, 0.0
    next_readers = 0.0
    swept, collected = time.monotonic(), time.monotonic() - COLLECT_EVERY + 60
    while not stopping.is_set() and (web is None or web.poll() is None):
        now = time.monotonic()
        if worker is not None and worker.poll() is not None:
            # One that ends at once over and over again is given more and more time.
            pause = 1.0 if now - started > 60 else min(2 * pause, LONGEST_PAUSE)
            logger.warning("the worker ended with %s; it is started again", worker.returncode)
            worker, next_start = None, now + pause - 1.0
        if works and worker is None and now >= next_start:
            command = [sys.executable, "manage.py", "do_jobs"]
            worker = start(command, lock)
            started = now
        gone = follower is None or follower.poll() is not None
        if works and settings.FOLDERS and gone and now >= next_follower:
            command = [sys.executable, "manage.py", "follow_folders"]
            follower = start(command, lock)
            next_follower = now + LONGEST_PAUSE
        if not options["only"] and (warm is None or warm.poll() is not None) and now >= next_warm:
            # Commands of this machine find it by its socket.
            command = [
                sys.executable,
                "-m",
                "ektopos.cli.helper_process",
                str(settings.DATA_FOLDER / WARM),
            ]
            warm = start(command, lock)
            next_warm = now + LONGEST_PAUSE
        if reading and (readers is None or readers.poll() is not None) and now >= next_readers:
            readers = start(reading, lock, reader_processes.environment())
            next_readers = now + 1.0
        if now - swept > SWEEP_EVERY:
            swept = now
            _looked_after(sweep)
        if now - collected > COLLECT_EVERY:
            collected = now
            _looked_after(collect)
        stopping.wait(0.25)
    for process in (web, worker, follower, warm, readers):
        _stop(process)
    return 0 if web is None or stopping.is_set() else web.returncode


def _readers() -> list[str]:
    """How the readers are started. Raises `CommandError` where they may not be."""
    try:
        return reader_processes.command()
    except ImproperlyConfigured as problem:
        raise CommandError(str(problem), returncode=1) from None


def _looked_after(work: Any) -> None:
    """Something that may fail now and is done again later."""
    try:
        close_old_connections()
        work()
    except (OperationalError, OSError):
        logger.exception("%s failed; it is done again later", work.__name__)


def _stop(process: subprocess.Popen[bytes] | None) -> None:
    """End a process and whatever it has started: politely, then not."""
    if process is None:
        return
    for number, wait in ((signal.SIGTERM, 8), (signal.SIGKILL, 2)):
        if process.poll() is None:
            process.send_signal(number)
            try:
                process.wait(wait)
            except subprocess.TimeoutExpired:
                continue
    try:
        os.killpg(process.pid, signal.SIGKILL)
    except ProcessLookupError:
        return
