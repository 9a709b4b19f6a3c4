"""Who acts at the moment: a person who asks, or the one whose job is done."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from contextvars import ContextVar

_acting: ContextVar[int | None] = ContextVar("acting", default=None)


def acting() -> int | None:
    """The number of the person for whom something is done now; `None` where nobody logs in."""
    return _acting.get()


@contextlib.contextmanager
def acting_for(person: int | None) -> Iterator[None]:
    """Let what is done within be somebody's."""
    before = _acting.set(person)
    try:
        yield
    finally:
        _acting.reset(before)
