"""JSON from outside, read so that nothing in it can trip what comes after: no endless nesting, no
halves of characters."""

from __future__ import annotations

import json
import re
from typing import Any

from ektopos.base.errors import InvalidDocument

MAX_DEPTH = 64
_BAD_TEXT = re.compile("[\0\ud800-\udfff]")


def read_json(text: str | bytes, subject: str) -> Any:
    """The value of a JSON text. Raises `InvalidDocument`; also for numbers that JSON does not have
    (RFC 8259, 6) and for other encodings than UTF-8 (8.1)."""
    try:
        if isinstance(text, bytes):
            text = text.decode("utf-8-sig")
        value = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError) as problem:
        reason = "nested too deeply" if isinstance(problem, RecursionError) else str(problem)
        raise InvalidDocument(f"this is not JSON ({reason}).", subject=subject) from None
    _check(value, subject)
    return value


def _no_number(word: str) -> float:
    raise ValueError(f"{word} is no number")


def _check(value: Any, subject: str) -> None:
    level = [value]
    for _ in range(MAX_DEPTH):
        below: list[Any] = []
        for item in level:
            if isinstance(item, str):
                if _BAD_TEXT.search(item):
                    raise InvalidDocument(
                        "a text in it holds half a character, or a zero.", subject=subject
                    )
            elif isinstance(item, dict):
                below += item.keys()
                below += item.values()
            elif isinstance(item, list):
                below += item
        level = below
        if not level:
            return
    raise InvalidDocument(f"it is nested more than {MAX_DEPTH} levels deep.", subject=subject)
