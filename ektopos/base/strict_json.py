"""JSON from outside, read so that nothing in it can trip what comes after: no endless nesting, no
halves of characters."""

from __future__ import annotations

import dataclasses
import json
import math
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


def _check(value: object, subject: str) -> None:
    level = [value]
    for _ in range(MAX_DEPTH):
        below: list[object] = []
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


def json_value(value: object) -> Any:
    """A value as JSON can hold it: records as objects, not-a-number and infinity as null."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {
            field.name: json_value(getattr(value, field.name))
            for field in dataclasses.fields(value)
        }
    if hasattr(value, "model_dump"):  # A pydantic model; loading pydantic only to ask takes long.
        return json_value(value.model_dump(mode="json"))
    if isinstance(value, dict):
        return {str(key): json_value(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [json_value(item) for item in value]
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    return value
