"""What words of names say of slots and sets."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from math import log
from pathlib import PurePath

from ektopos.maps.names import is_nameless, name_words

_ANY_SLOT = {"slot", "part", "surface", "object", "group", "node", "none", "color", "colour"}
"""Words that any slot or file could be called by."""
OF_MESH = 0.7
"""What the words of a mesh's name count beside those of its slots, where it has several."""
UNHEARD = 0.5
"""What a word counts that no set has."""
WHOLE = 0.4
"""Share of how alike two names are that hangs on what the set's name says beyond."""


def meaningful(name: str) -> list[str]:
    """Those of a name's words that say something, in small letters: `DomePanel_2` → dome, panel;
    `lambert5` and `7fa1c2` say nothing."""
    words = [word.lower() for word in name_words(name) if not is_nameless([word])]
    return [word for word in words if word not in _ANY_SLOT]


def alike(slot: str, mesh: str, sets: Sequence[str], *, only_slot: bool) -> dict[str, float]:
    """How alike the names of sets are to those of a slot and of its mesh, 0–1.

    Words that few sets have say more. What a set's name says beyond the words that are shared
    counts against it. `only_slot` says that the mesh has no other.
    """
    words = {name: set(meaningful(name)) for name in sets}
    known = Counter(word for found in words.values() for word in found)
    of_mesh = 1.0 if only_slot else OF_MESH
    own = dict.fromkeys(meaningful(slot), 1.0)
    both = {**dict.fromkeys(meaningful(mesh), of_mesh), **own}

    def worth(word: str) -> float:
        rarity = 1.0 + log(len(sets) / max(1, known[word]))
        return rarity if known[word] else UNHEARD * rarity

    def shared(asked: Mapping[str, float], others: set[str]) -> float:
        whole = sum(share * worth(word) for word, share in asked.items())
        found = sum(share * worth(word) for word, share in asked.items() if word in others)
        if not found:
            return 0.0
        beyond = sum(worth(word) for word in others - set(asked))
        return found / whole * (1 - WHOLE * beyond / (beyond + found))

    return {
        name: max(shared(own, others), (1.0 if own else of_mesh) * shared(both, others))
        for name, others in words.items()
    }


def near(home: str, folders: Mapping[str, str]) -> dict[str, float]:
    """How much a folder that a set shares with a mesh tells it from others, 0–1: 1 where no other
    set lies there, 0 where all do. Folders of one name at several places (`textures`) say nothing.
    """
    inside = {
        name: {path.name: path for path in (PurePath(folder), *PurePath(folder).parents)}
        for name, folder in folders.items()
    }
    known = Counter(path for found in inside.values() for path in found.values())
    several = {word for word, count in Counter(path.name for path in known).items() if count > 1}
    own = set(PurePath(home).parts) - several

    def told(path: PurePath) -> float:
        return log(len(folders) / known[path]) / log(max(2, len(folders)))

    return {
        name: max((told(path) for word, path in found.items() if word in own), default=0.0)
        for name, found in inside.items()
    }
