"""Names that are told apart: a number is put behind one that is taken."""

from __future__ import annotations

import hashlib
import unicodedata
from collections.abc import Callable, Container

LONGEST = 200
"""Characters of a name that comes from a file."""
LONGEST_GIVEN = 255
"""Of a name that is given here: one from a file, with what tells it apart."""
_MARK = 12


def shortened(name: str) -> str:
    """A name from a file, no longer than `LONGEST`: the beginning of a longer one, and a hash of
    all of it, so that names that differ stay different everywhere.

    >>> shortened("brass"), len(shortened("b" * 5_000_000))
    ('brass', 200)
    """
    if len(name) <= LONGEST:
        return name
    mark = hashlib.sha256(name.encode("utf-8", "replace")).hexdigest()[:_MARK]
    return f"{name[: LONGEST - _MARK - 1]}~{mark}"


def is_shortened(name: str) -> bool:
    """Whether a name is what `shortened` makes of a longer one."""
    return len(name) == LONGEST and name[-_MARK - 1] == "~"


def folded(name: str) -> str:
    """A name as those file systems see it that tell no case and no way to write a letter apart.

    >>> folded("Straße") == folded("STRASSE"), folded("e\u0301") == folded("É")
    (True, True)
    """
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", name).casefold())


def free_name(
    name: str, taken: Container[str], suffix: str = "", seen_as: Callable[[str], str] = str
) -> str:
    """The name with its suffix, with a number between them if that is taken. `taken` are names as
    they are `seen_as`, by a file system for example.

    >>> free_name("tile", {"tile.png", "tile_2.png"}, ".png")
    'tile_3.png'
    """
    unique, number = f"{name}{suffix}", 2
    while seen_as(unique) in taken:
        unique, number = f"{name}_{number}{suffix}", number + 1
    return unique


def unique_names(names: list[str]) -> tuple[str, ...]:
    """The names with a number behind those that stand again.

    >>> unique_names(["a", "b", "a"])
    ('a', 'b', 'a_2')
    """
    taken: dict[str, None] = {}
    for name in names:
        taken[free_name(name, taken)] = None
    return tuple(taken)


def in_words(code: str) -> str:
    """What an input, a role or a setting is called in a sentence, by its name in the document.

    >>> in_words("base_color"), in_words("clearcoat_roughness")
    ('base colour', 'clearcoat roughness')
    """
    return code.replace("_", " ").replace("color", "colour")


def counted(number: int, one: str, many: str = "") -> str:
    """A number with what it counts.

    >>> counted(1, "slot"), counted(2, "slot"), counted(0, "mesh", "meshes")
    ('1 slot', '2 slots', '0 meshes')
    """
    return f"{number:,} {one if number == 1 else many or one + 's'}"
