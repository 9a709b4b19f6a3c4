"""What file names say: role words, packing orders, the way green points, and the name of the set.

A name is read as words. Every run of words that could be a role gives one *reading*: that role, and
the rest as the name of the set. Which reading holds is decided for a whole folder at once: a
reading whose set name other files share is better than one that stands alone, so that the “metal”
of `metal_hatch_rgh` belongs to the hatch.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import PurePosixPath
from typing import NamedTuple

from ektopos.base.types import NormalY
from ektopos.document import NamingRule, Role
from ektopos.maps.roles import IDENTITIES, PACKED_LETTERS, WORDS

ChannelRoles = dict[str, Role]

_WORD_ROLES = {word: role for role, words in WORDS.items() for word in words}
_ENDINGS = sorted((word for word in _WORD_ROLES if len(word) >= 3), key=len, reverse=True)
_NORMAL_Y: dict[str, NormalY] = {
    "gl": "+",
    "ogl": "+",
    "opengl": "+",
    "yplus": "+",
    "yup": "+",
    "plusy": "+",
    "posy": "+",
    "dx": "-",
    "directx": "-",
    "d3d": "-",
    "yminus": "-",
    "ydown": "-",
    "minusy": "-",
    "negy": "-",
}
_ENCODINGS = {"srgb": "srgb", "linear": "linear", "lin": "linear", "raw": "linear"}
_FILLER = {
    "tex",
    "texture",
    "textures",
    "map",
    "maps",
    "tx",
    "txt",
    "img",
    "image",
    "final",
    "export",
    "copy",
    "bake",
    "baked",
    "seamless",
    "tileable",
    "tiling",
    "udim",
    "hq",
    "lq",
    "hires",
    "lowres",
    "ver",
    "version",
    "bit",
    "png",
    "tga",
    "exr",
    "jpg",
    "jpeg",
    "tif",
    "tiff",
    "webp",
    "hdr",
    "gltf",
    "glb",
    "obj",
    "inverted",
    "properties",
}
_PREFIXES = {"t", "tx", "tex", "m", "mi"}
"""First words that say what kind of file it is, not what it is of."""
_SIZE = re.compile(
    r"^(\d{1,2}k|(64|128|256|512|1024|2048|4096|8192|16384)(px)?|\d{2,5}x\d{2,5}|\d{1,2}bit|half|float)$"
)
_VERSION = re.compile(r"^(v|ver|version|rev)\d+$")
_TILE = re.compile(r"^(10\d\d|u\d+v\d+)$")
_CODE = re.compile(
    r"^(?=(?:.*\d){2})(?=.*[a-f])(?:[0-9a-f]+\d[a-f]+[0-9a-f]*|[0-9a-f]*[a-f]\d+[a-f][0-9a-f]*"
    r"|\d[0-9a-f]*[a-f]\d[0-9a-f]*)$",
    re.IGNORECASE,
)
"""A code such as 7fa1c2 is one word, whatever its letters spell."""
_SPLIT = re.compile(
    r"\d+[xX]\d+|\d{1,2}[kK](?![A-Za-z])|[vV]\d+|[uU]\d+_?[vV]\d+|[A-Z]+s?(?![a-z])|[A-Z]?[a-z]+|\d+"
)


_MEANINGLESS = re.compile(
    r"^((image|img|picture|photo|scan|tex|texture|map|material|mat|mesh|untitled|unnamed|default|"
    r"lambert|phong|blinn)\d*|[a-z]?\d*)$"
)
_COUNTED = re.compile(r"^([A-Za-z0-9]*[A-Za-z])(\d+[a-z])$")
"""A word, a number and one small letter, run together."""


@dataclass(frozen=True)
class NameReading:
    """One way to read a name."""

    roles: ChannelRoles
    """Role by channel group, as in the document; empty where the name says nothing."""
    set_words: tuple[str, ...]
    trust: float
    """How good the reading is on its own, 0–1."""
    word: str = ""
    """The part of the name that says the role, as it is written."""
    normal_y: NormalY | None = None
    encoding: str | None = None
    noise: tuple[str, ...] = field(default=())
    by_rule: bool = False
    """Whether a person has said so for all names that end like this."""

    @property
    def set_key(self) -> str:
        """The set's name without case and separators, for comparing."""
        return "".join(self.set_words).lower()


def name_words(stem: str) -> list[str]:
    """A name's words: `T_DomeCopper_BaseColor2k` → T, Dome, Copper, Base, Color, 2k."""
    words: list[str] = []
    # `u1_v1` is one word, whatever parts it.
    stem = re.sub(r"(?<![A-Za-z0-9])([uU]\d+)[_-]([vV]\d+)(?![A-Za-z0-9])", r"\1\2", stem)
    for chunk in re.split(r"[^A-Za-z0-9]+", stem):
        if _CODE.match(chunk) and not _SIZE.match(chunk.lower()):
            words.append(chunk)
        elif counted := _COUNTED.match(chunk):
            # `trim7e` is the seventh trim's fifth, no emission: its letter stays with the number.
            words += [*_SPLIT.findall(counted[1]), counted[2]]
        else:
            words += _SPLIT.findall(re.sub(r"([A-Za-z])(\d+[kK])(?![A-Za-z])", r"\1 \2", chunk))
    return words


class _Kept(NamedTuple):
    """A name, its empty words taken out."""

    words: list[str]
    noise: tuple[str, ...]
    normal_y: NormalY | None
    encoding: str | None


class _Glued(NamedTuple):
    """A role word at the end of a longer one."""

    rest: str
    word: str
    roles: ChannelRoles
    trust: float


@lru_cache(maxsize=20_000)
def readings(stem: str) -> tuple[NameReading, ...]:
    """Every way to read a file's stem, the reading without a role last."""
    words = name_words(stem)
    name = _without_noise(words, stem)
    kept, statements = name.words, (name.normal_y, name.encoding, name.noise)
    possible: list[NameReading] = []
    for start in range(len(kept)):
        for end in range(len(kept), start, -1):
            roles, trust = _roles_of(kept[start:end], start, end, len(kept))
            if roles:
                rest = (*kept[:start], *kept[end:])
                possible.append(
                    NameReading(roles, rest, trust, "".join(kept[start:end]), *statements)
                )
    for end_of in _glued(kept):
        rest = (*kept[:-1], end_of.rest)
        possible.append(NameReading(end_of.roles, rest, end_of.trust, end_of.word, *statements))
    possible.append(NameReading({}, tuple(kept), 0.12, "", *statements))
    return tuple(possible)


def read_names(paths: list[str], rules: Sequence[NamingRule] = ()) -> list[NameReading]:
    """The best reading of each path (with `/`), all judged together. Cost: linear in files times
    readings a name.

    Where a file lies in a folder called after a role (`normals/dome.png`), the folder counts as a
    reading too. `rules` are what a person has said of the endings of names; they come before every
    other reading.
    """
    keyed = [_options(PurePosixPath(path), rules) for path in paths]
    support: Counter[str] = Counter()
    for options in keyed:
        for key in _strong(options):
            support[key] += 1
    chosen = []
    for options in keyed:
        own = _strong(options)

        def worth(option: tuple[str, NameReading], own: set[str] = own) -> float:
            key, reading = option
            others = min(support[key] - (key in own), 3)
            # A bare name that others extend (`hatch` beside `hatch_n`) is most likely just the
            # set's name.
            return reading.trust + (0.12 if reading.roles else 0.2) * others

        chosen.append(max(options, key=worth)[1])
    return chosen


def rule_fits(rule: NamingRule, stem: str) -> bool:
    """Whether a file's name ends as a rule says, with something left for the set's name."""
    return len(stem) > len(rule.ending) and stem.lower().endswith(rule.ending.lower())


def role_ending(stem: str, set_name: str) -> str:
    """The end of a file's name behind the name of its set: what a naming rule would go by. Empty if
    the set is not in it."""
    wanted = [c for c in set_name.lower() if c.isalnum()]
    at = 0
    for position, letter in enumerate(stem.lower()):
        if at < len(wanted) and letter == wanted[at]:
            at += 1
        elif letter.isalnum():
            return ""
        if at == len(wanted):
            return stem[position + 1 :]
    return ""


def _strong(options: list[tuple[str, NameReading]]) -> set[str]:
    """Sets that a file's readings speak for well enough to support the readings of others."""
    return {key for key, reading in options if reading.trust > 0.1}


def udim_of(noise: Sequence[str]) -> int | None:
    """The number of the UDIM tile that a name holds, 1001 to 1999; `None` without one. Common
    practice: 1001 + u + 10 v for the square at (u, v), or `u1_v1`, counted from 1."""
    for word in noise:
        if tile := re.fullmatch(r"u(\d+)v(\d+)", word.lower()):
            # Counted from 1 in each direction.
            return 1000 + int(tile[1]) + 10 * (int(tile[2]) - 1)
    numbers = [int(word) for word in noise if re.fullmatch(r"1\d{3}", word)]
    return numbers[-1] if numbers and numbers[-1] > 1000 else None


def means_nothing(words: Sequence[str]) -> bool:
    """Whether the words of a set's name are only numbers, and what any file could be called."""
    return all(_MEANINGLESS.match(word.lower()) for word in words)


def is_nameless(words: Sequence[str]) -> bool:
    """Whether they mean nothing, or are codes such as 7fa1c2."""
    return all(_MEANINGLESS.match(word.lower()) or _CODE.match(word) for word in words)


def folder_of_set(path: str, reading: NameReading) -> PurePosixPath:
    """The folder that a map's set lies in: the one above where its own is called after a role."""
    folder = PurePosixPath(path).parent
    return folder.parent if reading.word.endswith("/") else folder


def set_key(path: str, reading: NameReading) -> str:
    """What files of one set have in common, for comparing: the set's words in lower case with
    underscores, or its folder's name where no words are left."""
    if reading.set_words:
        return "_".join(word.lower() for word in reading.set_words)
    folder = PurePosixPath(path).parent.name
    return folder or PurePosixPath(path).stem


def set_name(path: str, reading: NameReading) -> str:
    """The set's name by one file alone, as that spells it.

    >>> set_name("net2_opac.png", read_names(["net2_opac.png"])[0])
    'net2'
    """
    return as_spelled(PurePosixPath(path).stem, reading) or set_key(path, reading)


def as_spelled(stem: str, reading: NameReading) -> str:
    """The part of a file's stem that names its set, from its first word to its last, as it is
    written; empty where no words are left."""
    low, start, end = stem.lower(), -1, 0
    for word in reading.set_words:
        at = low.find(word.lower(), end)
        if at < 0:
            return ""
        start = at if start < 0 else start
        end = at + len(word)
    return stem[start:end] if start >= 0 else ""


def _options(place: PurePosixPath, rules: Sequence[NamingRule]) -> list[tuple[str, NameReading]]:
    """Every reading of a path with the place of its set: its folder, or the one above where the
    folder names the role."""
    for rule in rules:
        if rule_fits(rule, place.stem):
            words = tuple(name_words(place.stem[: -len(rule.ending)]))
            reading = NameReading(
                {str(group): role for group, role in rule.roles.items()},
                words,
                1.0,
                rule.ending,
                rule.normal_y,
                rule.encoding,
                by_rule=True,
            )
            return [(f"{place.parent}/{reading.set_key}", reading)]
    options = [(f"{place.parent}/{reading.set_key}", reading) for reading in readings(place.stem)]
    folder = place.parent.name
    if not folder:
        return options
    above = [
        reading
        for reading in readings(folder)
        if reading.roles and not reading.set_words and len(folder) > 1
    ]
    if above:
        best, bare = max(above, key=lambda reading: reading.trust), options[-1][1]
        reading = NameReading(
            best.roles,
            bare.set_words,
            0.75,
            f"{folder}/",
            best.normal_y or bare.normal_y,
            None,
            bare.noise,
        )
        options.append((f"{place.parent.parent}/{reading.set_key}", reading))
    return options


def _without_noise(words: list[str], stem: str) -> _Kept:
    """The words of a name that may say something, apart from those that never do."""
    kept: list[str] = []
    noise: list[str] = []
    normal_y: NormalY | None = None
    encoding: str | None = None
    signed = re.search(r"(?<![A-Za-z0-9])([-+−])[yY](?![A-Za-z])", stem)
    if signed:
        normal_y = "+" if signed[1] == "+" else "-"
    for position, word in enumerate(words):
        low = word.lower()
        after_normal = any(
            _WORD_ROLES.get(before.lower()) == "normal" for before in words[:position]
        )
        pairs = [low + words[position + 1].lower()] if position + 1 < len(words) else []
        pairs += [words[position - 1].lower() + low] if position else []
        way = next((_NORMAL_Y[token] for token in (low, *pairs) if token in _NORMAL_Y), None)
        if after_normal and way:
            normal_y = way
        elif signed and low == "y":
            pass
        elif low in _ENCODINGS and position > 0:
            encoding = _ENCODINGS[low]
        elif _is_filler(low, position, len(words)):
            pass
        elif (
            low.isdigit()
            and kept
            and kept[-1].lower() in _WORD_ROLES
            and len(kept[-1]) > 1
            and len(kept) > 1
        ):
            pass  # a depth or count behind a role word: hgt16, rough01
        else:
            kept.append(word)
            continue
        noise.append(word)
    if not kept:
        return _Kept(list(words), (), normal_y, encoding)
    return _Kept(_once(kept), tuple(noise), normal_y, encoding)


def _once(words: list[str]) -> list[str]:
    """Words without a second half that says the same again, as exporters write it."""
    lower = [word.lower() for word in words]
    for length in range(2, len(words) // 2 + 1):
        if lower[-length:] == lower[-2 * length : -length]:
            return words[:-length]
    return words


def _is_filler(low: str, position: int, count: int) -> bool:
    """Whether a word says neither role nor set: a size, a version, a tile, or a word every file
    could have."""
    if _SIZE.match(low) or _VERSION.match(low) or _TILE.match(low):
        return True
    return (low in _FILLER and count > 1) or (position == 0 and low in _PREFIXES and count > 2)


def _roles_of(words: list[str], start: int, end: int, count: int) -> tuple[ChannelRoles, float]:
    """Roles that a run of words names, and how far to trust it there."""
    joined = "".join(words).lower()
    last, first = end == count, start == 0
    role = _WORD_ROLES.get(joined)
    if role == "mask" and joined not in IDENTITIES and not last:
        return {}, 0.0
    if role is not None:
        return {"rgb": role}, _trust(
            joined, words, first=first, last=last, alone=count == len(words)
        )
    sequence = [_WORD_ROLES.get(word.lower()) for word in words]
    if len(words) >= 2 and last and sequence[0] and len(set(sequence)) == 1:
        # One role said twice: `alpha_opac`.
        whole = all(len(word) > 1 for word in words)
        return ({"rgb": sequence[0]}, 1.05) if whole else ({}, 0.0)
    if (
        len(words) >= 2
        and all(sequence)
        and len(set(sequence)) == len(sequence)
        and (last or first)
    ):
        roles = _sequence_channels([r for r in sequence if r])
        if roles and all(len(word) > 1 or word.isupper() for word in words):
            return roles, 1.05 if last else 0.5
    if len(words) == 1 and (last or first):
        roles = _acronym(joined)
        if roles:
            return roles, (0.85 if words[0].isupper() else 0.6) if last else 0.3
    return {}, 0.0


def _trust(joined: str, words: list[str], *, first: bool, last: bool, alone: bool) -> float:
    if alone:
        return 0.9 if len(joined) > 1 else 0.1
    if len(joined) == 1:
        # A single letter is a role only where roles stand: at the end, or written large at the
        # start.
        return 0.55 if last else 0.2 if first and words[0].isupper() else 0.0
    base = 1.0 if len(joined) >= 5 else 0.9 if len(joined) >= 3 else 0.8
    return base if last else base * 0.45 if first else base * 0.3


def _sequence_channels(sequence: list[Role]) -> ChannelRoles | None:
    if sequence == ["metallic", "gloss"]:
        return {"rgb": "metallic", "a": "gloss"}
    if sorted(sequence) == ["metallic", "roughness"]:
        # glTF 2.0, 3.9.2: metallic in B, roughness in G, in whatever order they are called.
        return {("b" if role == "metallic" else "g"): role for role in sequence}
    if sequence in (
        ["base_color", "opacity"],
        ["base_color", "gloss"],
        ["base_color", "roughness"],
    ):
        return {"rgb": "base_color", "a": sequence[1]}
    if sequence == ["specular", "gloss"]:
        return {"rgb": "specular", "a": "gloss"}
    if sequence in (["normal", "height"], ["normal", "roughness"]):
        return {"rgb": "normal", "a": sequence[1]}
    if 3 <= len(sequence) <= 4 and not {"base_color", "normal"} & set(sequence):
        return dict(zip("rgba", sequence, strict=False))
    return None


@lru_cache(maxsize=4096)
def _acronym(token: str) -> ChannelRoles | None:
    """Channels of a suffix like orm, arm, mrao: three or four different roles, roughness or gloss
    among them; or of mr and rm."""
    if token in ("mr", "rm"):
        return _sequence_channels([PACKED_LETTERS[letter] for letter in token])
    if not 3 <= len(token) <= 5:
        return None
    roles: list[Role] = []
    position = 0
    while position < len(token):
        letters = "ao" if token.startswith("ao", position) else token[position]
        role = PACKED_LETTERS.get(letters)
        if role is None or role in roles:
            return None
        roles.append(role)
        position += len(letters)
    known = {"occlusion", "metallic"} <= set(roles) and {"roughness", "gloss"} & set(roles)
    if not known or not 3 <= len(roles) <= 4:
        return None
    return dict(zip("rgba", roles, strict=False))


def _glued(words: list[str]) -> Iterator[_Glued]:
    """Role words run together with the set's name at the end, as in `domenormal`.

    Short ones (`domecol`) end many words by chance, so they only count where other files support
    the set that is left.
    """
    if not words:
        return
    last = words[-1].lower()
    for word in _ENDINGS:
        if last.endswith(word) and len(last) >= len(word) + 3:
            trust = 0.6 if len(word) >= 5 else 0.06
            yield _Glued(last[: -len(word)], word, {"rgb": _WORD_ROLES[word]}, trust)
            break
    if last.endswith("ao") and len(last) > 2:
        yield _Glued(last[:-2], "ao", {"rgb": "occlusion"}, 0.05)
    for length in (3, 4):
        roles = _acronym(last[-length:]) if len(last) >= length + 3 else None
        if roles:
            yield _Glued(last[:-length], last[-length:], roles, 0.07)
