"""What words of names say of slots and sets."""

from __future__ import annotations

import re

_MEANINGLESS = re.compile(
    r"^((slot|mat|material|mesh|tex|texture|map|img|image|untitled|unnamed|default|scan|part|lambert"
    r"|phong|blinn|surface)\d*|\d+|[0-9a-f]{2,})$"
)


def words_of(name: str) -> list[str]:
    """A name's words in small letters: `DomePanel_2` → dome, panel, 2."""
    parted = re.sub(r"([a-z])([A-Z0-9])", r"\1 \2", name)
    return [word for word in re.split(r"[^a-z0-9]+", parted.lower()) if word]


def meaningful(name: str) -> list[str]:
    """Those of a name's words that say something: `lambert5` says nothing."""
    return [word for word in words_of(name) if not _MEANINGLESS.match(word)]


def share_of(words: list[str], others: set[str]) -> float:
    """The share of words that are among others, 0–1."""
    return sum(word in others for word in words) / len(words) if words else 0.0
