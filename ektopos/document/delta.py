"""What differs between two JSON values, as a value: small, exact, and in the order of the keys.

The order matters, because materials are listed in it; that is why this is neither RFC 6902 (which
has no order of members) nor RFC 7386 (in which nothing can become `null`).
"""

from __future__ import annotations

from ektopos.base.types import Json

Delta = Json
"""`set`: new values by key; `in`: deltas by key; `drop`: keys that go; `order`: all keys, where
they stand otherwise."""


def difference(before: Json, after: Json) -> Delta:
    """The delta that leads from one object to another; empty where they are equal. Lists count as a
    whole.

    >>> difference({"a": 1, "b": {"c": 2}}, {"b": {"c": 3}})
    {'in': {'b': {'set': {'c': 3}}}, 'drop': ['a']}
    """
    inside: dict[str, Delta] = {}
    put: Json = {}
    for key, value in after.items():
        if key not in before:
            put[key] = value
        elif before[key] is value:
            continue
        elif isinstance(value, dict) and isinstance(before[key], dict):
            below = difference(before[key], value)
            if below:
                inside[key] = below
        elif before[key] != value or type(before[key]) is not type(value):
            put[key] = value
    gone = [key for key in before if key not in after]
    order = [key for key in before if key in after] + [key for key in put if key not in before]
    parts = {
        "set": put,
        "in": inside,
        "drop": gone,
        "order": [] if order == list(after) else list(after),
    }
    return {name: part for name, part in parts.items() if part}


def changed(before: Json, delta: Delta) -> Json:
    """The object that a delta leads to; what it does not touch is shared with `before`, which stays
    as it is.

    >>> changed({"a": 1, "b": {"c": 2}}, {"in": {"b": {"set": {"c": 3}}}, "drop": ["a"]})
    {'b': {'c': 3}}
    """
    if not delta:
        return before
    gone = set(delta.get("drop", ()))
    result = {key: value for key, value in before.items() if key not in gone}
    result.update(delta.get("set", {}))
    for key, below in delta.get("in", {}).items():
        result[key] = changed(before[key], below)
    return {key: result[key] for key in delta["order"]} if "order" in delta else result
