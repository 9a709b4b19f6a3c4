"""What a process that decodes a file gives up before it looks at it."""

from __future__ import annotations

import ctypes
import os
import resource
import signal
import sys
import sysconfig
import tempfile
from pathlib import Path

import ektopos

_PR_SET_PDEATHSIG = 1
"""Source: prctl(2), Linux."""
_REFUSED = (
    # The network, and whoever listens on this machine.
    *("socket", "socketpair", "connect", "bind", "listen", "accept", "accept4"),
    # Other programs and processes.
    *("execve", "execveat", "ptrace", "process_vm_readv", "process_vm_writev", "pidfd_getfd"),
    *("kill", "tkill", "pidfd_send_signal", "setns", "unshare", "mount", "umount2", "chroot"),
    *("pivot_root", "open_tree", "move_mount", "fsopen", "chmod", "fchmod", "fchmodat", "chown"),
    *("fchown", "lchown", "fchownat", "setxattr", "fsetxattr", "lsetxattr"),
    # Doors into the kernel that no decoder needs.
    *("bpf", "perf_event_open", "userfaultfd", "keyctl", "add_key", "request_key"),
    *("io_uring_setup", "io_uring_enter", "io_uring_register", "init_module", "finit_module"),
)
"""System calls that are answered with EPERM. Files are confined by Landlock, not by this list."""


def program_folders() -> list[Path]:
    """What a decoder may read besides its files: this program and the libraries of the machine."""
    own = [Path(ektopos.__file__).parent, Path(sys.prefix), Path(sysconfig.get_path("stdlib"))]
    machine = [Path(path) for path in ("/usr/lib", "/lib", "/lib64", "/usr/local/lib")]
    return [path for path in (*own, *machine) if path.exists()]


def what_is_missing() -> str:
    """Why processes cannot be confined on this machine, or "" if they can."""
    try:
        import pyseccomp  # noqa: F401
        from py_landlock import LandlockError, get_abi_version
    except (ImportError, OSError, RuntimeError) as problem:
        return f"libseccomp cannot be loaded ({problem})"
    try:
        get_abi_version()
    except LandlockError:
        return "its kernel has no Landlock"
    return ""


def limit(memory: int) -> None:
    """Take no more memory than so many bytes (0: as much as there is), and end with the parent."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if memory:
        resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def confine(folder: Path) -> None:
    """Give up the network, other processes, and every file but those below `folder/given`, to be
    read, and `folder/work`, to be written. Before any thread is started. Cannot be taken back."""
    import pyseccomp
    from py_landlock import AccessFs, Landlock

    work = folder / "work"
    os.environ.clear()
    os.environ["TMPDIR"] = tempfile.tempdir = str(work)
    rules = Landlock(strict=False)
    rules.allow_read(*program_folders(), folder / "given").allow_read_write(work)
    files = [Path(path) for path in ("/dev/null", "/dev/urandom", "/etc/ld.so.cache")]
    present = [path for path in files if path.exists()]
    rules.add_path_rule(*present, access=AccessFs.READ_FILE)
    rules.apply()
    calls = pyseccomp.SyscallFilter(pyseccomp.ALLOW)
    for name in _REFUSED:
        try:
            calls.add_rule(pyseccomp.ERRNO(1), name)
        except (OSError, RuntimeError, ValueError):
            continue  # a call that this kind of machine does not have
    calls.load()
