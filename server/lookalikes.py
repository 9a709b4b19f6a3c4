"""Names that people take for one another."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from confusable_homoglyphs.confusables import confusables_data  # type: ignore[import-untyped]


def look_alike(name: str, others: Iterable[str]) -> str | None:
    """The first of some names that a name could be taken for: it differs by case, by how letters
    are written, or by letters of other scripts that look the same. `None` where there is none.

    >>> look_alike("Аdа", ["bob", "ada"]), look_alike("ada2", ["ada"])
    ('ada', None)
    """
    own = _skeletons(name)
    return next((other for other in others if own & _skeletons(other)), None)


def _skeletons(name: str) -> set[str]:
    """What is left of a name when letters that look the same are one: as it stands, and in small
    letters. Source: Unicode Technical Standard 39, 4, “Confusable Detection”."""
    return {_skeleton(name), _skeleton(name.casefold())}


def _skeleton(name: str) -> str:
    plain = unicodedata.normalize("NFKD", name)
    mapped = unicodedata.normalize("NFKD", "".join(_prototype(c) for c in plain))
    return mapped.casefold()


def _prototype(letter: str) -> str:
    """The letter that stands for all that look like it."""
    alike = confusables_data.get(letter, [])
    if len(alike) != 1:
        return letter  # it has none, or is the one itself
    other = str(alike[0]["c"])
    back = confusables_data.get(other, [])
    return min(letter, other) if len(back) == 1 and back[0]["c"] == letter else other
