"""Another Ektopos that is asked with a key: what it sends is placed as an export of this machine is,
and the key goes nowhere else.

The servers here are Python's own `http.server`; what they answer follows the API's description.
"""

from __future__ import annotations

import contextlib
import io
import json
import threading
import zipfile
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from unittest import TestCase

from ektopos.automation.server_client import remote
from ektopos.base.errors import EktoposError, InvalidDocument
from ektopos.cli.main import main
from tests.samples import folder

JOB = {"id": "1", "state": "done", "doing": "", "result": {}}
Answers = Callable[[str], "bytes | str"]


@contextlib.contextmanager
def server(answers: Answers) -> Iterator[tuple[str, list[tuple[str, str]]]]:
    """A server and what it was asked: addresses, and the keys that came with them. An answer that
    is text is where it sends on to."""
    asked: list[tuple[str, str]] = []

    class Handler(BaseHTTPRequestHandler):
        def answer(self) -> None:
            self.rfile.read(int(self.headers.get("Content-Length", 0)))
            asked.append((self.path, self.headers.get("Authorization", "")))
            content = answers(self.path)
            if isinstance(content, str):
                self.send_response(302)
                self.send_header("Location", content)
                content = b""
            else:
                self.send_response(200)
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)

        do_GET = do_POST = answer

        def log_message(self, *_: object) -> None:
            pass

    running = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    thread = threading.Thread(target=running.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{running.server_port}", asked
    finally:
        running.shutdown()
        running.server_close()
        thread.join()


def package(**files: bytes) -> bytes:
    """A package as a server packs it."""
    named = {name.replace("__", "."): content for name, content in files.items()}
    listing = {"ektopos": 1, "files": [{"path": name} for name in named]}
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, content in named.items():
            archive.writestr(name, content)
        archive.writestr("package.json", json.dumps(listing))
    return packed.getvalue()


def sending(packed: bytes) -> Answers:
    def answers(path: str) -> bytes:
        if path == "/api/projects":
            return json.dumps([{"id": "7", "name": "lamp"}]).encode()
        if path.endswith("/file"):
            return packed
        if path.endswith("/packages"):
            return json.dumps([{"id": 3, "target": "gltf-split"}]).encode()
        if path.endswith(("/exports", "/archive")):
            return json.dumps(JOB | {"result": {"package": 3}}).encode()
        return json.dumps({"revision": 1}).encode()

    return answers


class Fetching(TestCase):
    def export(self, packed: bytes, out: Path, *more: str) -> int:
        with (
            server(sending(packed)) as (address, _),
            contextlib.redirect_stderr(io.StringIO()) as said,
            contextlib.redirect_stdout(io.StringIO()),
        ):
            code = main(["export", "lamp", "--server", address, "--out", str(out), *more])
        self.said = said.getvalue()
        return code

    def test_nothing_goes_that_is_no_part_of_a_package(self) -> None:
        with folder() as root:
            out = root / "engine"
            (out / "src").mkdir(parents=True)
            (out / "package.json").write_text('{"name": "a program of somebody", "version": "1"}')
            (out / "src/main.js").write_text("work of a year")
            self.assertEqual(self.export(package(lamp__png=b"x"), out), 2)
            self.assertIn("package.json is already there", self.said)
            self.assertEqual((out / "src/main.js").read_text(), "work of a year")
            self.assertIn("a program of somebody", (out / "package.json").read_text())
            self.assertFalse((out / "lamp.png").exists())
            self.assertEqual([path.name for path in root.iterdir()], ["engine"])

    def test_a_package_takes_the_place_of_the_one_before_and_that_is_kept(self) -> None:
        with folder() as root:
            out, backup = root / "out", root / "before"
            self.assertEqual(self.export(package(a__png=b"1", b__png=b"1"), out), 0)
            (out / "notes.txt").write_text("mine")
            self.assertEqual(self.export(package(a__png=b"2"), out, "--backup", str(backup)), 0)
            self.assertEqual((out / "a.png").read_bytes(), b"2")
            self.assertFalse((out / "b.png").exists())
            self.assertEqual((out / "notes.txt").read_text(), "mine")
            self.assertEqual((backup / "b.png").read_bytes(), b"1")

    def test_what_is_no_package_is_said(self) -> None:
        for packed in (b"no zip", package(), package(a__png=b"x")[:-30]):
            with folder() as root, self.subTest(len(packed)):
                self.assertEqual(self.export(packed, root / "out"), 2)
                self.assertIn("the server sent", self.said)
                self.assertEqual(list(root.iterdir()), [])


class Keys(TestCase):
    def test_a_key_is_not_sent_on_to_another_server(self) -> None:
        with (
            server(lambda path: b"[]") as (other, heard),
            server(lambda path: f"{other}{path}") as (address, asked),
            self.assertRaisesRegex(EktoposError, "gets no key"),
        ):
            remote(address, "secret", "lamp")
        self.assertEqual(heard, [])
        self.assertEqual([key for _, key in asked], ["Bearer secret"])

    def test_within_the_server_it_is(self) -> None:
        rows = json.dumps([{"id": "7", "name": "lamp"}]).encode()
        answers: Answers = lambda path: rows if path.endswith("/") else f"{path}/"  # noqa: E731
        with server(answers) as (address, asked):
            self.assertEqual(remote(address, "secret", "lamp").project, "7")
        self.assertEqual([key for _, key in asked], ["Bearer secret"] * 2)

    def test_over_a_network_it_is_encrypted_or_asked_for(self) -> None:
        for address in ("http://textures.example", "http://10.0.0.7:8437", "http://[2001:db8::1]"):
            with self.subTest(address), self.assertRaisesRegex(InvalidDocument, "--unencrypted"):
                remote(address, "secret", "lamp")
        # Where it is asked for it is tried: this port is closed.
        with self.assertRaisesRegex(EktoposError, "cannot be reached"):
            remote("http://0.0.0.0:9", "secret", "lamp", unencrypted=True)
