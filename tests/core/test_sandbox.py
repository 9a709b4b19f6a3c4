"""Files are decoded in a process of their own: nothing is read otherwise there, and whoever takes
such a process over finds nothing to take."""

from __future__ import annotations

import errno
import os
import pickle
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from unittest import TestCase

import numpy as np

from ektopos import sandbox
from ektopos.base.errors import Cancelled, EktoposError, UnreadableFile
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import read_header, read_image
from ektopos.material_import import carried_by, carried_whole
from ektopos.meshes import companion_files, read_mesh
from ektopos.meshes.read import files_beside
from ektopos.meshes.scene import read_scene
from ektopos.sandbox.confining import what_is_missing
from ektopos.sandbox.passing import Passing
from ektopos.trial.compare import run_trial
from ektopos.trial.tasks import ResultCache
from tests.samples import folder, project
from tests.services.engines import until

ROOT = Path(__file__).parents[2]


class Readers(TestCase):
    """Readers of its own for each class, and files by other makers in `root`."""

    def setUp(self) -> None:
        self.root = self.enterContext(folder())
        (self.root / "room").mkdir()
        self.at = self.root / "readers"
        self.serve()
        self.addCleanup(sandbox.read_through, None)

    def serve(self, *options: str, **named: object) -> subprocess.Popen[bytes]:
        secret = {"EKTOPOS_SECRET": "a secret"}
        command = [sys.executable, "-m", "ektopos.sandboxed_readers", str(self.at), *options]
        readers = subprocess.Popen(command, cwd=ROOT, env=os.environ | secret, **named)  # type: ignore[call-overload]
        self.addCleanup(readers.wait)
        self.addCleanup(readers.kill)
        until(self.at.exists, "the socket of the readers")
        return readers

    def there(self, module: str, name: str, *args: object) -> object:
        """What a function gives when readers do it."""
        sandbox.read_through(self.at, self.root / "room")
        return sandbox.ask(self.at, (module, name), args, {})

    def both(self, work: Callable[[], object]) -> tuple[object, object]:
        """What something gives here, and by the readers."""
        sandbox.read_through(None)
        here = work()
        sandbox.read_through(self.at, self.root / "room")
        there = work()
        self.assertEqual(list((self.root / "room").iterdir()), [])
        return here, there

    def same(self, here: object, there: object) -> None:
        self.assertEqual(type(here), type(there))
        for part in fields(here):  # type: ignore[arg-type]
            one, other = getattr(here, part.name), getattr(there, part.name)
            if isinstance(one, np.ndarray):
                self.assertEqual(one.dtype, other.dtype)
                np.testing.assert_array_equal(one, other)
            elif isinstance(one, tuple) and any(isinstance(x, np.ndarray) for x in one):
                for left, right in zip(one, other, strict=True):
                    np.testing.assert_array_equal(left, right)
            else:
                self.assertEqual(one, other)


class Reading(Readers):
    def test_pictures_and_meshes_are_the_same(self) -> None:
        with project() as opened:
            for name in opened.document.maps:
                with self.subTest(name):
                    path = opened.map_path(name)
                    self.same(*self.both(lambda path=path: read_image(path)))
                    self.same(*self.both(lambda path=path: read_header(path)))
                    # What came over may be written to, and changes nothing of the file.
                    image = read_image(path)
                    image.pixels[:] = 0
                    self.assertTrue(read_image(path).pixels.any())
            for name, entry in opened.document.meshes.items():
                with self.subTest(name):
                    path, find = opened.path(entry.file, name), opened.find_beside(entry.file)
                    self.same(
                        *self.both(lambda p=path, f=find, n=entry.file: read_mesh(p, f, name=n))
                    )
                    self.same(*self.both(lambda p=path, f=find, n=entry.file: read_scene(p, f, n)))

    def test_what_lies_beside_is_asked_for_and_names_are_chosen_here(self) -> None:
        (self.root / "a.obj").write_text(
            "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
            "usemtl brass\nf 1/1 2/2 3/3\n"
        )
        (self.root / "a.mtl").write_text("newmtl brass\nmap_Kd brass.png\nmap_Ks gone.png\n")
        with project() as opened:
            shutil.copy(next(iter(map(opened.map_path, opened.document.maps))), self.root)
        picture = next(self.root.glob("*.png")).rename(self.root / "brass.png")
        mesh = self.root / "a.obj"
        named: list[str] = []

        def name_of(inside: str) -> str:
            named.append(inside)
            return f"here/{inside}"

        self.assertEqual(*self.both(lambda: companion_files(mesh, "a.obj")))
        sandbox.read_through(self.at, self.root / "room")
        found = carried_whole(mesh, files_beside(mesh), "a.obj", name_of)
        sandbox.read_through(None)
        here = carried_by(mesh, files_beside(mesh), "a.obj", lambda inside: f"here/{inside}")
        self.assertEqual(named, [one.name for one in found.maps])
        self.assertEqual(found.materials, here.materials)
        self.assertEqual(found.maps[0].content, picture.read_bytes())
        self.assertEqual([o.content for o in found.maps], [o.content for o in here.maps])

    def test_what_is_wrong_with_a_file_is_said_in_the_same_words(self) -> None:
        broken = self.root / "broken.png"
        broken.write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(40))
        said = []
        for at in (None, self.at):
            sandbox.read_through(at, self.root / "room")
            with self.assertRaises(UnreadableFile) as caught:
                read_image(broken)
            said.append((str(caught.exception), caught.exception.subject, caught.exception.hint))
            with self.assertRaises(UnreadableFile):
                read_mesh(self.root / "not.there.glb")
        self.assertEqual(*said)

    def test_a_trial_says_the_same_and_is_stopped_by_who_asked(self) -> None:
        with project() as opened:
            profile = find_profile("gltf-glb", opened.document)
            out = self.root / "out"
            export_package(opened, profile, out)
            shown: list[dict[str, bytes]] = []
            arrived: list[bytes] = []
            found: dict[str, bytes] = {}
            shares: list[float] = []

            def keep(material: str, name: str, pictures: dict[str, bytes]) -> None:
                shown[-1][f"{material} {name}"] = b"".join(pictures.values())

            def trial() -> object:
                shown.append({})
                found.clear()
                return run_trial(
                    opened,
                    out,
                    profile,
                    lambda share, what: shares.append(share),
                    keep,
                    arrived=arrived.append,
                    kept=ResultCache(found.get, found.__setitem__),
                    threads=2,
                )

            here, there = self.both(trial)
            self.assertEqual(here, there)
            self.assertEqual(*shown)
            self.assertEqual(*arrived)
            self.assertTrue(found and shares)

            def stop(share: float, what: str) -> None:
                raise Cancelled("stopped")

            with self.assertRaises(Cancelled):
                run_trial(opened, out, profile, stop)


class Confined(Readers):
    """What somebody could do who had taken a reader over. Functions of the standard library stand
    for what they would run."""

    def refused(self, module: str, name: str, *args: object) -> None:
        with self.assertRaises(OSError, msg=f"{module}.{name}{args}") as caught:
            self.there(module, name, *args)
        self.assertIn(caught.exception.errno, (errno.EACCES, errno.EPERM))

    def test_only_what_was_handed_over_can_be_read_and_nothing_of_it_written(self) -> None:
        self.assertEqual(what_is_missing(), "", "this machine cannot confine processes")
        secret, given = self.root / "secret.key", self.root / "given.txt"
        secret.write_text("secret")
        given.write_text("given")
        self.assertEqual(self.there("pathlib", "Path.read_text", given), "given")
        for path in (secret, "/etc/passwd", "/proc/self/environ", f"/proc/{os.getpid()}/environ"):
            self.refused("os", "open", str(path), os.O_RDONLY)
        self.refused("os", "listdir", str(self.root))
        self.refused("os", "open", str(self.root / "new"), os.O_WRONLY | os.O_CREAT)
        self.refused("os", "link", str(secret), str(self.root / "room" / "link"))
        self.refused("os", "unlink", str(secret))
        self.refused("pathlib", "Path.write_text", given, "changed")
        self.refused("pathlib", "Path.unlink", given)
        self.refused("pathlib", "Path.chmod", given, 0o777)
        self.assertEqual((secret.read_text(), given.read_text()), ("secret", "given"))

    def test_neither_the_network_nor_other_programs_nor_other_processes(self) -> None:
        listening = self.enterContext(socket.socket())
        listening.bind(("127.0.0.1", 0))
        listening.listen()
        for family in (socket.AF_INET, socket.AF_INET6, socket.AF_UNIX):
            for kind in (socket.SOCK_STREAM, socket.SOCK_DGRAM):
                self.refused("socket", "socket", int(family), int(kind))
        self.refused("socket", "create_connection", listening.getsockname())
        self.refused("subprocess", "check_output", ["/bin/true"])
        self.refused("os", "execv", "/bin/true", ["true"])
        self.refused("os", "kill", os.getpid(), signal.SIGTERM)

    def test_no_secret_of_whoever_started_it(self) -> None:
        self.assertIsNone(self.there("os", "getenv", "EKTOPOS_SECRET"))
        self.assertIsNone(self.there("os", "getenv", "PATH"))
        self.assertIsNotNone(self.there("os", "getenv", "TMPDIR"))

    def test_what_comes_back_is_plain_data(self) -> None:
        """A reader that was taken over answers with code to be run, or with nothing."""
        ours, theirs = socket.socketpair()
        touched = self.root / "touched"
        for number, answer in enumerate(
            [
                b"cos\nsystem\n(Vtouch %s\ntR." % os.fsencode(touched),
                b"cbuiltins\neval\n(V1\ntR.",
                b"cektopos.readers\nmain\n(tR.",
                b"cpathlib\nPath\n(V/etc/passwd\ntR.",
                pickle.dumps(("gave", subprocess.Popen)),
                b"",
                pickle.dumps(["no", "tuple"]),
            ]
        ):
            with self.subTest(number):
                memory = os.memfd_create("answer", os.MFD_ALLOW_SEALING)
                os.write(memory, answer)
                _seal(memory)
                _send(theirs, memory, [len(answer)])
                here = self.root / f"passing-{number}"
                here.mkdir()
                with self.assertRaises(sandbox.Lost):
                    Passing(ours, here).receive()
        self.assertFalse(touched.exists())
        with self.subTest("memory that may shrink under whoever reads it"):
            answer = pickle.dumps(("gave", 1))
            memory = os.memfd_create("answer", os.MFD_ALLOW_SEALING)
            os.write(memory, answer)
            _send(theirs, memory, [len(answer)])
            (self.root / "open").mkdir()
            with self.assertRaises(sandbox.Lost):
                Passing(ours, self.root / "open").receive()
        ours.close()
        theirs.close()

    def test_one_that_a_file_ends_is_said_and_ends_no_other(self) -> None:
        given = self.root / "given.txt"
        given.write_text("given")
        with self.assertRaises(UnreadableFile) as caught:
            self.there("ctypes", "string_at", 1)
        self.assertIn("ended the process", str(caught.exception))
        self.assertEqual(self.there("pathlib", "Path.read_text", given), "given")

    def test_it_takes_no_more_memory_than_it_may_and_ends_with_who_asked(self) -> None:
        self.at.unlink()
        readers = self.serve("--memory", str(2**30))
        with self.assertRaises(MemoryError):
            self.there("builtins", "bytearray", 2**31)
        asking = subprocess.Popen(
            [
                sys.executable,
                "-c",
                "from pathlib import Path; from ektopos import sandbox; import sys;"
                "at = Path(sys.argv[1]); sandbox.read_through(at, at.parent);"
                "sandbox.ask(at, ('time', 'sleep'), (600,), {})",
                str(self.at),
            ],
            cwd=ROOT,
        )

        def children() -> str:
            return Path(f"/proc/{readers.pid}/task/{readers.pid}/children").read_text()

        until(children, "a child that reads")
        asking.kill()
        asking.wait()
        until(lambda: not children(), "the end of the child")

    def test_another_user_may_read_instead(self) -> None:
        """Where the kernel confines nobody: files are copied to where that user finds them."""
        self.at.unlink()
        user = {"user": "nobody"}
        try:
            subprocess.run([sys.executable, "-c", ""], check=True, **user)  # type: ignore[call-overload]
        except (OSError, subprocess.CalledProcessError):
            user = {}  # who runs this may not, or may not show them the program
        place = Path(f"/tmp/ektopos-readers-{os.getpid()}")
        place.mkdir(mode=0o777)
        self.addCleanup(shutil.rmtree, place)
        place.chmod(0o777)
        self.at = place / "socket"
        self.serve("--unconfined", "--shared", **user)
        sandbox.read_through(self.at, place, public=True)
        with project() as opened:
            path = opened.map_path(next(iter(opened.document.maps)))
            self.assertGreater(read_image(path).pixels.size, 0)
        if user:
            secret = self.root / "secret.key"
            secret.touch(0o600)
            with self.assertRaises(PermissionError):
                sandbox.ask(self.at, ("os", "open"), (str(secret), os.O_RDONLY), {})
        self.assertEqual([path.name for path in place.iterdir()], ["socket"])

    def test_readers_that_are_gone_for_a_moment_are_waited_for(self) -> None:
        given = self.root / "given.txt"
        given.write_text("given")
        self.at.unlink()
        started = time.monotonic()
        with self.subTest("and whoever waits in vain is told"):
            sandbox.read_through(self.at, self.root / "room")
            patience, sandbox.PATIENCE = sandbox.PATIENCE, 0.3
            try:
                with self.assertRaises(EktoposError):
                    read_header(given)
            finally:
                sandbox.PATIENCE = patience
        self.assertLess(time.monotonic() - started, 30)
        self.serve()
        self.assertEqual(self.there("pathlib", "Path.read_text", given), "given")


def _seal(memory: int) -> None:
    import fcntl

    seals = fcntl.F_SEAL_SHRINK | fcntl.F_SEAL_GROW | fcntl.F_SEAL_WRITE
    fcntl.fcntl(memory, fcntl.F_ADD_SEALS, seals)


def _send(other: socket.socket, memory: int, sizes: list[int]) -> None:
    socket.send_fds(other, [len(sizes).to_bytes(4, "little")], [memory])
    other.sendall(b"".join(size.to_bytes(8, "little") for size in sizes))
    os.close(memory)
