"""The one family of errors that people are meant to read."""

from __future__ import annotations

import errno
import struct

LONGEST_SENTENCE = 600


class EktoposError(Exception):
    """Something a person can mend.

    `message` is one sentence that says what is wrong, `subject` names the file, material, mesh or
    option it is about, `hint` says what to do. All three are shown as they are, on the command line
    and in the interface.
    """

    def __init__(self, message: str, *, subject: str = "", hint: str = "") -> None:
        super().__init__(message)
        self.message = brief(message)
        self.subject = brief(subject)
        self.hint = hint

    def __str__(self) -> str:
        """The whole on one line: subject, message, hint."""
        text = f"{self.subject}: {self.message}" if self.subject else self.message
        return f"{text} {self.hint}" if self.hint else text


def brief(text: str) -> str:
    """A sentence that may quote a file: nobody reads more of it than a few lines."""
    return text if len(text) <= LONGEST_SENTENCE else f"{text[: LONGEST_SENTENCE - 1]}…"


class UnreadableFile(EktoposError):
    """A file that is broken, of another kind than its name says, or of a kind that is not read."""


DAMAGE = (
    ValueError,
    KeyError,
    IndexError,
    TypeError,
    AttributeError,
    ArithmeticError,
    RecursionError,
    MemoryError,
    struct.error,
)
"""What reading a damaged file ends in: a reader turns these into one `UnreadableFile`."""


class TooLarge(EktoposError):
    """A file that claims more than this machine should be asked to hold."""


class DiskFull(EktoposError):
    """There is no room left where something is to be written."""

    def __init__(self, subject: str = "") -> None:
        hint = "Make room and try again; nothing was changed."
        super().__init__("there is no room left on the disk.", subject=subject, hint=hint)


def is_disk_full(problem: BaseException) -> bool:
    """Whether an operation failed because the disk, or what this user may have of it, is full."""
    return isinstance(problem, OSError) and problem.errno in (errno.ENOSPC, errno.EDQUOT)


class InvalidDocument(EktoposError):
    """A project document, target profile or package list that does not say what it must."""


class MissingReference(EktoposError):
    """Something names a map, material or mesh that is not there, or goes round in a circle."""


class Cancelled(EktoposError):
    """Long work was stopped by the person who started it."""
