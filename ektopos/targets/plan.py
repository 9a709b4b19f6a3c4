"""The pack plan: which files a target gets, and what each of their channels carries. Nothing is
decoded for it."""

from __future__ import annotations

import json
import math
import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from ektopos.document import TABLE, Document, Feed, InputName, Triple
from ektopos.errors import EktoposError, MissingReference
from ektopos.images import ImageHeader, fit_within, mip_sizes
from ektopos.materials.cover import surface_of
from ektopos.materials.coverage import slots_with
from ektopos.materials.derive import DEFAULTS, Material
from ektopos.materials.lay import feed_size
from ektopos.materials.resolve import feed_problem
from ektopos.names import folded, free_name
from ektopos.targets.profile import LETTERS, Letter, Profile, ProfileFile
from ektopos.targets.quantities import is_mixed
from ektopos.targets.values import input_values, made_of, material_value
from ektopos.types import Basis, Encoding, Quality, WrapPair

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
    quantity: str = ""
    """What of the input is written, where it is not the input itself: `gloss`, `smoothness`,
    `diffuse` or `specular`."""
    wrap: WrapPair = ("clamp", "clamp")
    """What lies beyond its map's borders, for when the map is enlarged."""
    beside: Feed | None = None
    """The other feed that a converted quantity is made of."""

    def feeds(self) -> list[Feed]:
        """Every feed that decides its texels."""
        return [self.feed] if self.beside is None else [self.feed, self.beside]

    @property
    def stands_for(self) -> InputName:
        """The input of the material that it is: metallic, where it holds a specular colour."""
        return "metallic" if self.quantity == "specular" else self.input

    def inputs(self) -> tuple[InputName, ...]:
        """Every input that it carries."""
        return ("base_color", "metallic") if is_mixed(self.quantity) else (self.input,)


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
    dither: bool = False
    levels: int = 1
    """How many mip levels it brings, itself counted."""
    padding: int = 0
    """How many texels round the islands of its materials' slots are filled."""
    normal: Feed | None = None
    """Where the file brings mips and roughness: the normals whose spread roughens them."""
    cutoff: float | None = None
    """Where it holds a cut-out: the cut-off whose coverage smaller pictures keep."""
    seen: Feed | None = None
    """Where it holds a colour with holes: the opacity by which smaller pictures count it."""
    basis: tuple[Basis, Quality] | None = None
    """How its texels stay compressed in graphics memory, and what that is worth."""
    recipe: str = ""
    """A text that is equal for files with equal texels, as long as the maps' files are the same."""

    @property
    def holds_floats(self) -> bool:
        """Whether its texels are half floats, which need no clipping."""
        return self.path.endswith(".exr")

    @property
    def memory(self) -> int:
        """Bytes in graphics memory: uncompressed RGBA with a full mip chain (4/3), or what stays
        compressed there. Source: Khronos Data Format."""
        if self.basis:
            return self.compressed
        return sum(width * height * 4 * self.bits // 8 for width, height in self._sizes())

    @property
    def compressed(self) -> int:
        """Bytes in graphics memory in 16-byte blocks of 4 × 4 texels (BC3, BC5, BC7), with a full
        mip chain."""
        return sum(16 * -(-width // 4) * -(-height // 4) for width, height in self._sizes())

    def _sizes(self) -> list[tuple[int, int]]:
        """The levels in graphics memory: engines make those that a file does not bring, but not of
        compressed texels."""
        return mip_sizes(self.width, self.height)[: self.levels if self.basis else None]

    def carries(self) -> dict[str, str | None]:
        """What each of r, g, b and a holds, as package lists say it."""
        return {
            letter: self.channels[letter].carries if letter in self.channels else None
            for letter in LETTERS
        }


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
    left_out: dict[str, list[str]] = field(default_factory=dict)
    """By input that the target does not carry, the materials that feed it."""
    tints: dict[tuple[str, str], Triple] = field(default_factory=dict)
    """Tints that travel as factors beside an untinted map, by (material, input)."""


def make_plan(document: Document, profile: Profile, header_of: HeaderOf) -> Plan:
    """The plan of a document for a target, without what is left out. Textures that would hold the
    same are planned once.

    Raises `EktoposError` if a feed cannot fill its input, `MissingReference` or `UnreadableFile`
    for maps.
    """
    document = document.exported()
    for mesh, entry in document.meshes.items():
        gone = next(
            (
                assigned
                for assigned in entry.slots.values()
                if assigned is not None and assigned not in document.materials
            ),
            None,
        )
        if gone is not None:
            raise MissingReference(
                f"a slot wears {gone}, which is not there.",
                subject=mesh,
                hint="Choose another material.",
            )
    materials = {name: surface_of(document, name) for name in document.exported_materials()}
    safe = safe_names(list(materials))
    planned: dict[str, PlannedFile] = {}
    file_of: dict[tuple[str, str], str] = {}
    factors: dict[str, list[InputName]] = {}
    left_out: dict[str, list[str]] = {}
    tints: dict[tuple[str, str], Triple] = {}
    for name, material in materials.items():
        for input_name, feed in material.feeds.items():
            problem = feed_problem(document, feed, input_name)
            if problem:
                is_missing = bool(feed.maps() - set(document.maps))
                raise (MissingReference if is_missing else EktoposError)(
                    problem, subject=name, hint="Change the feed."
                )
        _refuse_split(material, profile)
        carried = _untinted(material) if profile.tints == "carried" else material
        tints |= {
            (name, i): feed.tint for i, feed in material.feeds.items() if feed != carried.feeds[i]
        }
        for kind in profile.files:
            channels = _channels(carried, kind, profile)
            if channels is None:
                continue
            stem = profile.name_rule.format(
                material=safe[name], suffix=kind.suffix, target=profile.id
            )
            inside = profile.container in ("glb", "gltf-embedded")
            path = f"{'' if inside else 'textures/'}{stem}.{kind.format}"
            file = _planned(document, profile, kind, carried, channels, path, header_of)
            before = planned.get(file.recipe, replace(file, materials=()))
            planned[file.recipe] = replace(before, materials=(*before.materials, name))
            for channel in channels.values():
                if channel.carries:
                    file_of[name, channel.stands_for] = planned[file.recipe].path
        factors[name] = [
            i for i in material.feeds if (name, i) not in file_of and i in profile.factors
        ]
        lost = [i for i, feed in material.feeds.items() if not profile.carries(i, not feed.maps())]
        for input_name in lost:
            left_out.setdefault(input_name, []).append(name)
    _refuse_collisions([file.path for file in planned.values()])
    return Plan(profile.id, tuple(planned.values()), file_of, materials, factors, left_out, tints)


def _untinted(material: Material) -> Material:
    """The material without the tints that a factor can carry as exactly: of mapped colours,
    darkening only, under no layers."""
    feeds = dict(material.feeds)
    for name in ("base_color", "emission"):
        feed = feeds[name]
        if (
            feed.map is not None
            and not feed.layers
            and all(0.0 <= part <= 1.0 for part in feed.tint)
        ):
            feeds[name] = feed.model_copy(update={"tint": (1.0, 1.0, 1.0)})
    return replace(material, feeds=feeds)


_ONE_TEXTURE: dict[str, list[tuple[InputName, InputName]]] = {
    "glb": [("base_color", "opacity"), ("metallic", "roughness")],
    "gltf": [("base_color", "opacity"), ("metallic", "roughness")],
    "gltf-embedded": [("base_color", "opacity"), ("metallic", "roughness")],
}
"""By container, the inputs that one texture feeds. Source: glTF 2.0, 3.9.2."""


def split_inputs(material: Material, profile: Profile) -> tuple[InputName, InputName] | None:
    """Two inputs that the target looks up at one place, and that lie at two; `None` for none."""
    places = material.placements()
    pairs = list(_ONE_TEXTURE.get(profile.container, []))
    if profile.workflow == "specular":
        pairs.append(("base_color", "metallic"))
    if profile.mesh.uv_transform == "baked":
        pairs += [(one, other) for one in places for other in places]
    for one, other in pairs:
        if one in places and other in places and places[one] != places[other]:
            return one, other
    return None


def _refuse_split(material: Material, profile: Profile) -> None:
    """Raises `EktoposError` where inputs that the target looks up at one place lie at several."""
    split = split_inputs(material, profile)
    if split is not None:
        words = " and ".join(TABLE[name].label.lower() for name in split)
        raise EktoposError(
            f"its {words} lie at different UVs, and {profile.title} looks them up at one place.",
            subject=material.name,
            hint="Give both feeds the same UVs, or choose another target.",
        )


def _refuse_collisions(paths: list[str]) -> None:
    """Raises `EktoposError` where two files would have one name, also where case does not count."""
    taken: set[str] = set()
    for path in paths:
        if path.lower() in taken:
            raise EktoposError(
                "two files would have this name.",
                subject=path,
                hint="Change the target's rule for names.",
            )
        taken.add(path.lower())


def _planned(
    document: Document,
    profile: Profile,
    kind: ProfileFile,
    material: Material,
    channels: dict[Letter, PlannedChannel],
    path: str,
    header_of: HeaderOf,
) -> PlannedFile:
    """One file of one material, with all that its texels depend on."""
    width, height = _size(channels, profile, header_of, material.size_limit)
    if kind.basis:
        width, height = (in_blocks(side, profile, material) for side in (width, height))
    levels = len(mip_sizes(width, height)) if profile.mips and kind.format == "ktx2" else 1
    carried = {channel.input for channel in channels.values() if channel.fill is None}
    file = PlannedFile(
        path,
        kind.suffix,
        (material.name,),
        width,
        height,
        kind.bits,
        kind.encoding,
        channels,
        kind.dither,
        levels,
        profile.padding if carried else 0,
        _roughening(material) if levels > 1 and "roughness" in carried else None,
        material.alpha_cutoff if "opacity" in carried and material.alpha_mode == "mask" else None,
        _holes(material) if "base_color" in carried else None,
    )
    return replace(file, recipe=_recipe(document, file, kind, material), basis=_basis(file, kind))


def _basis(file: PlannedFile, kind: ProfileFile) -> tuple[Basis, Quality] | None:
    """How a file's texels are compressed: as the target says, but for smaller levels that are no
    plain means, which ETC1S cannot hold."""
    if kind.basis is None:
        return None
    more = (file.normal, file.cutoff, file.seen) != (None, None, None)
    return "uastc" if file.levels > 1 and more else kind.basis, kind.quality


def in_blocks(side: int, profile: Profile, material: Material) -> int:
    """A side in whole blocks of 4 texels, as graphics memory wants them compressed: more texels
    where the limits leave room for them, else fewer. Source: KHR_texture_basisu."""
    limit = min(profile.size_limit or side + 3, material.size_limit or side + 3)
    up = 4 * -(-side // 4)
    return up if up <= limit else max(4, limit // 4 * 4)


def _holes(material: Material) -> Feed | None:
    """The opacity of a material that is seen through in places."""
    feed = material.feeds["opacity"]
    return feed if material.alpha_mode != "opaque" and feed.maps() else None


def _roughening(material: Material) -> Feed | None:
    """The normals whose spread roughens smaller levels: only where they lie as the roughness."""
    alike = material.placement("normal") == material.placement("roughness")
    return material.feeds["normal"] if alike else None


def safe_names(names: list[str]) -> dict[str, str]:
    """File-safe names, different also where case does not count: letters and digits of every
    alphabet, `_`, `-` and `.` only."""
    chosen: dict[str, str] = {}
    taken: set[str] = set()
    for name in names:
        # One way to write every letter (NFC): file systems differ in which they keep.
        composed = unicodedata.normalize("NFC", name)
        stem = re.sub(r"[^\w.-]+", "_", composed).strip("._ ") or "material"
        # File systems count bytes.
        short = stem.encode()[:120].decode(errors="ignore")
        stem = f"{stem}_" if _RESERVED.match(stem) else short
        safe = free_name(stem, taken, seen_as=folded)
        taken.add(folded(safe))
        chosen[name] = safe
    return chosen


def is_default(name: InputName, feed: Feed) -> bool:
    """Whether a feed gives what the input is without any."""
    return name in DEFAULTS and feed == DEFAULTS[name]


def _channels(
    material: Material, kind: ProfileFile, profile: Profile
) -> dict[Letter, PlannedChannel] | None:
    """The channels of one file for one material, or `None` if nothing needs the file."""
    channels: dict[Letter, PlannedChannel] = {}
    for letter, carry in kind.letters().items():
        names = profile.inputs_of(carry)
        name, feed = names[0], material.feeds.get(names[0])
        if feed is None or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        beside = material.feeds[names[1]] if len(names) > 1 else None
        quantity = carry if carry != name else ""
        if is_mixed(quantity) and material.reflectance is not None:
            # It is what the target wants already, and passes through as it is.
            both, beside = material.reflectance, None
            name, feed = ("base_color", both.diffuse) if name == "base_color" else ("f0", both.f0)
        number = material_value(material, quantity, names[0]) if is_mixed(quantity) else None
        mapped = number is None and bool(feed.maps() or (beside is not None and beside.maps()))
        wrap = material.placement(names[0]).wrap
        channel = PlannedChannel(carry, name, feed, None, quantity, wrap, beside)
        if number is not None:
            channels[letter] = replace(channel, fill=float(number[0, 0, "rgb".index(letter)]))
        elif mapped:
            channels[letter] = channel
        elif name in profile.factors:
            if name != "opacity":
                channels[letter] = replace(channel, carries=None, fill=1.0)
        else:
            plain = profile.container != "loose" and is_default(name, feed)
            channels[letter] = replace(
                channel, carries=None if plain else carry, fill=_fill(channel, letter, profile)
            )
    # Numbers travel in the list of a loose package; elsewhere what is no factor of the container
    # needs a texel.
    in_list = profile.container == "loose"
    needed = (c.fill is None or (not in_list and c.carries is not None) for c in channels.values())
    return channels if any(needed) else None


def _fill(channel: PlannedChannel, letter: Letter, profile: Profile) -> float:
    """What a channel holds all over, before it is encoded."""
    if channel.input == "normal":
        vector = input_values(channel.feed, "normal")[0, 0]
        sign = -1.0 if letter == "g" and profile.normal_y == "-" else 1.0
        return float(vector["rgb".index(letter)] * sign * 0.5 + 0.5)
    values = made_of(
        channel.quantity, channel.input, input_values(channel.feed, channel.input)
    ).reshape(-1)
    return float(values["rgb".index(letter)] if len(values) == 3 and letter in "rgb" else values[0])


def _size(
    channels: dict[Letter, PlannedChannel],
    profile: Profile,
    header_of: HeaderOf,
    longest: int | None,
) -> tuple[int, int]:
    feeds = [
        feed for channel in channels.values() if channel.fill is None for feed in channel.feeds()
    ]

    def size_of(name: str) -> tuple[int, int]:
        header = header_of(name)
        return header.width, header.height

    sizes = [feed_size(feed, size_of) for feed in feeds]
    width = max((size[0] for size in sizes), default=1)
    height = max((size[1] for size in sizes), default=1)
    if (width, height) == (1, 1):
        return 1, 1
    return target_size(width, height, profile, longest)


def target_size(
    width: int, height: int, profile: Profile, longest: int | None = None
) -> tuple[int, int]:
    """The size that a target gives a file whose largest source has this one: halved, then brought
    within the target's limit and the material's own (`longest`), and to powers of two."""
    width, height = max(1, width >> profile.halve), max(1, height >> profile.halve)
    limit = min(profile.size_limit or max(width, height), longest or max(width, height))
    width, height = fit_within(width, height, limit)
    if profile.resize == "none":
        return width, height
    exponents = [math.log2(side) for side in (width, height)]
    rounded = [
        math.floor(e + 1e-9) if profile.resize == "down" else math.ceil(e - 1e-9) for e in exponents
    ]
    largest = min(profile.size_limit or math.inf, longest or math.inf)
    if largest < math.inf:
        rounded = [min(e, math.floor(math.log2(largest))) for e in rounded]
    return 2 ** rounded[0], 2 ** rounded[1]


def _recipe(document: Document, file: PlannedFile, kind: ProfileFile, material: Material) -> str:
    """A text that is equal for files with equal texels; strengths travel beside the file and do not
    count."""
    parts: list[Any] = [
        kind.model_dump(mode="json"),
        file.width,
        file.height,
        file.levels,
        file.cutoff,
    ]
    parts += [
        None if feed is None else feed.model_dump(mode="json") for feed in (file.normal, file.seen)
    ]
    if file.padding:
        assigned = [
            [mesh, slot, document.meshes[mesh].model_dump(mode="json")]
            for mesh, slot in slots_with(document, material.name)
        ]
        carried = [name for channel in file.channels.values() for name in channel.inputs()]
        places = [material.placement(name).uv.model_dump(mode="json") for name in carried]
        parts += [file.padding, assigned, places]
    for letter, channel in file.channels.items():
        beside = {"strength", "uv", "wrap"}
        feeds = [feed.model_dump(mode="json", exclude=beside) for feed in channel.feeds()]
        used = sorted({name for feed in channel.feeds() for name in feed.maps()})
        sources = {name: document.maps[name].model_dump(mode="json") for name in used}
        parts.append(
            [
                letter,
                channel.carries,
                channel.fill,
                channel.wrap,
                feeds if channel.fill is None else None,
                sources,
            ]
        )
    return json.dumps(parts, sort_keys=True)
