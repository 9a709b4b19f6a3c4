"""Map sets: maps that belong together."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from itertools import takewhile
from pathlib import PurePosixPath

from ektopos.base.names import free_name, shortened
from ektopos.document import Document, NamingRule
from ektopos.maps.names import (
    NameReading,
    as_spelled,
    folder_of_set,
    means_nothing,
    read_names,
    readings,
    role_ending,
    set_key,
    udim_of,
)


def sets_of(document: Document) -> dict[str, list[str]]:
    """Every set's maps by name, in the document's order. A map without a set of its own is placed
    by its file name."""
    unplaced = [name for name, entry in document.maps.items() if entry.set is None]
    files = tuple(document.maps[name].file.removeprefix("maps/") for name in unplaced)
    rules = tuple(rule.model_dump_json() for rule in document.naming)
    placed = dict(zip(unplaced, _placed(files, rules), strict=True))
    sets: dict[str, list[str]] = {}
    for name, entry in document.maps.items():
        sets.setdefault(entry.set or placed[name], []).append(name)
    return sets


def set_of_each(sets: Mapping[str, Sequence[str]]) -> dict[str, str]:
    """The set of every map, in the order of the sets."""
    return {name: which for which, names in sets.items() for name in names}


@lru_cache(maxsize=8)
def _placed(files: tuple[str, ...], rules: tuple[str, ...]) -> list[str]:
    """The sets of files by their names: every sheet, board and check asks, of a list that seldom
    changes."""
    return place(files, read_names(list(files), [NamingRule.model_validate_json(r) for r in rules]))


def place(paths: Sequence[str], readings: Sequence[NameReading]) -> list[str]:
    """The set of every map, by names and folders.

    A name that means nothing (`0`, `Image_3`) takes that of the only set in its folder, or its
    folder's. Maps of one name in different
    folders are one set only if their names say that each is another role of it; otherwise their
    folders tell them apart.
    """
    names = [set_key(path, reading) for path, reading in zip(paths, readings, strict=True)]
    own = list(names)
    folders = [folder_of_set(path, reading) for path, reading in zip(paths, readings, strict=True)]
    _join_by_prefix(names, folders, readings)
    nameless = [means_nothing(reading.set_words) for reading in readings]
    named: dict[PurePosixPath, set[str]] = defaultdict(set)
    for name, folder, nothing in zip(names, folders, nameless, strict=True):
        named[folder] |= set() if nothing else {name}
    for i, folder in enumerate(folders):
        if nameless[i] and folder.name:
            only = next(iter(named[folder])) if len(named[folder]) == 1 else ""
            names[i] = only or _cleaned(folder.name)
    for level in range(1, 1 + max((len(folder.parts) for folder in folders), default=0)):
        for group in _alike(names):
            if len({folders[i] for i in group}) > 1 and not _are_roles_of_one(
                group, folders, readings
            ):
                for i in group:
                    above = folders[i].parts[-level:][:1]
                    if above and not f"{names[i]}_".startswith(
                        f"{(prefix := _cleaned(above[0]))}_"
                    ):
                        names[i] = f"{prefix}_{names[i]}"
    return _as_spelled(paths, readings, names, own)


def _as_spelled(
    paths: Sequence[str], readings: Sequence[NameReading], keys: Sequence[str], own: Sequence[str]
) -> list[str]:
    """The sets' names as their files or folders spell them, for keys that are the same within a
    set. `own` are the keys before folders told them apart."""
    groups: dict[str, list[int]] = defaultdict(list)
    for i, key in enumerate(keys):
        groups[key].append(i)
    spelled: dict[str, str] = {}
    for key, group in groups.items():
        stems = [PurePosixPath(paths[i]).stem for i in group]
        parts = [as_spelled(stem, readings[i]) for stem, i in zip(stems, group, strict=True)]
        name = _common_part([part for part in parts if part])
        before = own[group[0]]
        if not name or key != before:
            folders = {_cleaned(part): part for part in PurePosixPath(paths[group[0]]).parent.parts}
            prefix = key.removesuffix(f"_{before}")
            named = name if key.endswith(f"_{before}") else ""
            rest = folders.get(prefix, prefix)
            name = f"{rest}_{named}" if named and prefix != key else folders.get(key, key)
        spelled[key] = name
    taken = Counter(spelled.values())
    # Where two sets would be called alike, they keep the names that tell them apart.
    return [spelled[key] if taken[spelled[key]] == 1 else key for key in keys]


def _common_part(parts: Sequence[str]) -> str:
    """The longest common beginning of names, up to the end of a word; case does not count.

    >>> _common_part(["net2", "net2"]), _common_part(["dome_top_1", "dome_top_2"])
    ('net2', 'dome_top')
    """
    if not parts:
        return ""
    shortest = min(parts, key=len)
    columns = zip(*(part.lower() for part in parts), strict=False)
    length = sum(1 for _ in takewhile(lambda letters: len(set(letters)) == 1, columns))
    if length == len(shortest):
        return shortest
    return re.sub(r"[^A-Za-z0-9]+[A-Za-z0-9]*$", "", shortest[:length])


def _join_by_prefix(
    names: list[str], folders: Sequence[PurePosixPath], readings: Sequence[NameReading]
) -> None:
    """A map whose last word means nothing to us (`lantern_q`) is of the set that the words before
    name, where two maps in its folder say to be of that set and which role they are."""
    said: dict[tuple[PurePosixPath, str], int] = defaultdict(int)
    for name, folder, reading in zip(names, folders, readings, strict=True):
        said[folder, name] += bool(reading.roles)
    called = Counter(zip(folders, names, strict=True))
    for i, reading in enumerate(readings):
        prefix = "_".join(word.lower() for word in reading.set_words[:-1])
        if (
            prefix
            and not reading.roles
            and called[folders[i], names[i]] == 1
            and said[folders[i], prefix] > 1
        ):
            names[i] = prefix


def _alike(names: Sequence[str]) -> list[list[int]]:
    """Places of names that are equal but for their separators."""
    groups: dict[str, list[int]] = defaultdict(list)
    for i, name in enumerate(names):
        groups[name.replace("_", "")].append(i)
    return list(groups.values())


def _are_roles_of_one(
    group: Sequence[int], folders: Sequence[PurePosixPath], readings: Sequence[NameReading]
) -> bool:
    """Whether the names of maps in different folders say roles, and no two folders the same."""
    roles: dict[PurePosixPath, set[str]] = defaultdict(set)
    for i in group:
        if not readings[i].roles:
            return False
        roles[folders[i]].add(repr(sorted(readings[i].roles.items())))
    return sum(len(held) for held in roles.values()) == len(set().union(*roles.values()))


def _cleaned(folder: str) -> str:
    return "_".join(word for word in re.split(r"[^a-z0-9]+", folder.lower()) if word) or folder


def maps_of_set(document: Document, set_name: str) -> list[str]:
    """Names of the maps in one set; empty if there is no such set."""
    return sets_of(document).get(set_name, [])


def tile_of(file: str) -> int | None:
    """The number of the UDIM tile that a map's file is for, by its name; `None` without one.

    >>> tile_of("maps/hero_1002_Normal.png"), tile_of("maps/hero_Normal.png")
    (1002, None)
    """
    stem = PurePosixPath(file).stem
    # Reading a name costs; most have no such number.
    has_number = re.search(r"1\d{3}|[uU]\d+[_-]?[vV]\d+", stem)
    return udim_of(readings(stem)[0].noise) if has_number else None


def tiles_among(document: Document, names: Iterable[str]) -> list[int]:
    """The UDIM tiles that some maps are for, in order."""
    numbers = {tile_of(document.maps[name].file) for name in names}
    return sorted(number for number in numbers if number is not None)


def maps_of_tile(document: Document, set_name: str, tile: int | None) -> list[str]:
    """The maps of a set that are for one tile, and those for all; without a number, for the first
    tile."""
    names = maps_of_set(document, set_name)
    wanted = tile if tile is not None else next(iter(tiles_among(document, names)), None)
    return [name for name in names if tile_of(document.maps[name].file) in (None, wanted)]


def ending_of(document: Document, name: str) -> str:
    """The end of a map's file name that a naming rule would go by: what follows its set's name, or,
    where nothing of it was understood, the name of another set. Empty if there is no such end.
    """
    sets = sets_of(document)
    own = next(set_ for set_, names in sets.items() if name in names)
    stem = PurePosixPath(document.maps[name].file).stem
    endings = [role_ending(stem, set_) for set_ in (own, *sets)]
    if endings[0]:
        return endings[0]
    return min((ending for ending in endings if ending), key=len, default="")


def map_name(file: str, taken: set[str]) -> str:
    """A name for a new map: its file's stem, with a number behind it if that is taken."""
    return free_name(shortened(PurePosixPath(file).stem), taken)
