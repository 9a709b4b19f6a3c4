"""The pack plan: which files a target gets, and what each of their channels carries. Nothing is decoded for it."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from ektopos.document import Document, Feed, InputName
from ektopos.errors import EktoposError
from ektopos.images import ImageHeader, fit_within
from ektopos.materials.derive import DEFAULTS, Material, effective
from ektopos.materials.resolve import feed_problem
from ektopos.targets.profile import LETTERS, Letter, Profile, ProfileFile
from ektopos.types import Encoding

HeaderOf = Callable[[str], ImageHeader]
"""The header of a map's file, by the map's name."""

_RESERVED = re.compile(r"^(con|prn|aux|nul|com\d|lpt\d)$", re.IGNORECASE)


@dataclass(frozen=True)
class PlannedChannel:
    """What one channel of a planned file holds."""

    carries: str | None
    """The input's name, or `None` for a channel that is only filled."""
    input: InputName
    feed: Feed
    fill: float | None = None
    """For every texel alike, 0–1; `None` where the feed's map is packed."""


@dataclass(frozen=True)
class PlannedFile:
    """One texture of the package."""

    path: str
    suffix: str
    materials: tuple[str, ...]
    width: int
    height: int
    bits: int
    encoding: Encoding
    channels: dict[Letter, PlannedChannel]

    @property
    def memory(self) -> int:
        """Bytes in graphics memory, uncompressed RGBA with a full mip chain (4/3). Source: Khronos Data Format."""
        size, width, height = 0, self.width, self.height
        while True:
            size += width * height * 4 * self.bits // 8
            if width == height == 1:
                return size
            width, height = max(1, width // 2), max(1, height // 2)

    def carries(self) -> dict[str, str | None]:
        """What each of r, g, b and a holds, as package lists say it."""
        return {letter: self.channels[letter].carries if letter in self.channels else None for letter in LETTERS}


@dataclass(frozen=True)
class Plan:
    """All files of a package, and what travels beside them."""

    target: str
    files: tuple[PlannedFile, ...]
    file_of: dict[tuple[str, str], str]
    """The path of the file that carries a material's input, by (material, input)."""
    materials: dict[str, Material]
    factors: dict[str, list[InputName]] = field(default_factory=dict)
    """By material, the inputs that are written as numbers."""
    notes: tuple[str, ...] = ()
    """What does not travel, in plain words."""


def make_plan(document: Document, profile: Profile, header_of: HeaderOf) -> Plan:
    """The plan of a document for a target. Textures that would hold the same are planned once.

    Raises `EktoposError` if a feed cannot fill its input, `MissingReference` or `UnreadableFile` for maps.
    """
    materials = {name: effective(document, name) for name in document.materials}
    safe = safe_names(list(materials))
    planned: dict[str, PlannedFile] = {}
    file_of: dict[tuple[str, str], str] = {}
    factors: dict[str, list[InputName]] = {}
    notes: list[str] = []
    for name, material in materials.items():
        for input_name, feed in material.feeds.items():
            problem = feed_problem(document, feed, input_name)
            if problem:
                raise EktoposError(problem, subject=name, hint="Change the feed.")
        for kind in profile.files:
            channels = _channels(material, kind, profile)
            if channels is None:
                continue
            width, height = _size(channels, profile, header_of)
            key = _same_content(document, kind, channels, width, height)
            if key in planned:
                earlier = planned[key]
                planned[key] = PlannedFile(**{**vars(earlier), "materials": (*earlier.materials, name)})
            else:
                stem = profile.name_rule.format(material=safe[name], suffix=kind.suffix)
                path = f"{'textures/' if profile.container == 'gltf' else ''}{stem}.{kind.format}"
                planned[key] = PlannedFile(path, kind.suffix, (name,), width, height, kind.bits, kind.encoding, channels)
            for channel in channels.values():
                if channel.carries:
                    file_of[name, channel.input] = planned[key].path
        factors[name] = [i for i in material.feeds if (name, i) not in file_of and i in profile.factors]
        lost = [i for i in material.feeds if i not in profile.carried() and i not in profile.factors]
        notes += [f"{name}: {i.replace('_', ' ')} is not carried by this target" for i in lost]
    return Plan(profile.id, tuple(planned.values()), file_of, materials, factors, tuple(notes))


def safe_names(names: list[str]) -> dict[str, str]:
    """File-safe names, different also where case does not count: letters, digits, `_`, `-` and `.` only."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for name in names:
        stem = re.sub(r"[^A-Za-z0-9_.-]+", "_", name).strip("._ ") or "material"
        stem = f"{stem}_" if _RESERVED.match(stem) else stem[:120]
        safe, number = stem, 2
        while safe.lower() in taken:
            safe, number = f"{stem}_{number}", number + 1
        taken.add(safe.lower())
        found[name] = safe
    return found


def is_default(name: InputName, feed: Feed) -> bool:
    """Whether a feed gives what the input is without any."""
    return name in DEFAULTS and feed == DEFAULTS[name]


def _channels(material: Material, kind: ProfileFile, profile: Profile) -> dict[Letter, PlannedChannel] | None:
    """The channels of one file for one material, or `None` if nothing needs the file."""
    channels: dict[Letter, PlannedChannel] = {}
    needed = False
    for letter, carry in kind.letters().items():
        name: InputName = carry  # type: ignore[assignment]
        feed = material.feeds.get(name)
        if feed is None or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        if feed.maps():
            channels[letter] = PlannedChannel(name, name, feed)
            needed = True
        elif name in profile.factors:
            if name != "opacity":
                channels[letter] = PlannedChannel(None, name, feed, fill=1.0)
        elif is_default(name, feed):
            channels[letter] = PlannedChannel(None, name, feed, fill=_fill(name, feed, letter, profile))
        else:
            channels[letter] = PlannedChannel(name, name, feed, fill=_fill(name, feed, letter, profile))
            needed = True
    return channels if needed else None


def _fill(name: InputName, feed: Feed, letter: Letter, profile: Profile) -> float:
    from ektopos.materials.adjust import adjust, normalise
    from ektopos.materials.resolve import constant_values

    values = constant_values(feed, name)
    if name != "normal":
        return float(adjust(values, feed, name).reshape(-1)[0])
    vector = normalise(values)[0, 0]
    sign = -1.0 if letter == "g" and profile.normal_y == "-" else 1.0
    return float(vector["rgb".index(letter)] * sign * 0.5 + 0.5)


def _size(channels: dict[Letter, PlannedChannel], profile: Profile, header_of: HeaderOf) -> tuple[int, int]:
    sized_by = [{c.feed.map} if c.feed.map else c.feed.maps() for c in channels.values() if c.fill is None]
    headers = [header_of(name) for names in sized_by for name in names if name is not None]
    if not headers:
        return 1, 1
    width, height = max(h.width for h in headers), max(h.height for h in headers)
    return fit_within(width, height, profile.size_limit or max(width, height))


def _same_content(
    document: Document, kind: ProfileFile, channels: dict[Letter, PlannedChannel], width: int, height: int
) -> str:
    """A text that is equal for files with equal texels; strengths travel beside the file and do not count."""
    parts = [kind.model_dump(mode="json"), width, height]
    for letter, channel in channels.items():
        feed = channel.feed.model_dump(mode="json", exclude={"strength"})
        sources = {name: document.maps[name].model_dump(mode="json") for name in sorted(channel.feed.maps())}
        parts.append([letter, channel.carries, channel.fill, feed if channel.fill is None else None, sources])
    return json.dumps(parts, sort_keys=True)
