"""The pack plan: which files a target gets, and what each of their channels carries. Nothing is
decoded for it."""

from __future__ import annotations

import json
import math
import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache, partial
from typing import Self

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.names import folded, free_name
from ektopos.base.types import Basis, Encoding, Json, Quality, WrapPair
from ektopos.base.vectors import encode_component
from ektopos.document import INPUTS, TABLE, Document, Feed, InputName, Triple
from ektopos.export.profile import LETTERS, Letter, Profile, ProfileFile
from ektopos.export.quantities import Carry, is_mixed
from ektopos.export.values import input_values, material_value, to_quantity
from ektopos.images import ImageHeader, fit_within, mip_sizes
from ektopos.materials.compositing import Size, feed_size
from ektopos.materials.inheritance import DEFAULTS, Material
from ektopos.materials.layering import surface_of
from ektopos.materials.resolve import feed_problem
from ektopos.materials.texel_coverage import slots_with

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
    """Where it holds an alpha mask: the cut-off whose coverage smaller pictures keep."""
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
        return _texels(self.width, self.height) * 4 * self.bits // 8

    @property
    def compressed(self) -> int:
        """Bytes in graphics memory in 16-byte blocks of 4 × 4 texels (BC3, BC5, BC7), with a full
        mip chain."""
        # Engines make the levels that a file does not bring, but not of compressed texels.
        return _in_blocks(self.width, self.height, self.levels if self.basis else None)

    def carries(self) -> dict[str, str | None]:
        """What each of r, g, b and a holds, as package lists say it."""
        return {
            letter: self.channels[letter].carries if letter in self.channels else None
            for letter in LETTERS
        }


@lru_cache(maxsize=1024)
def _texels(width: int, height: int) -> int:
    return sum(across * down for across, down in mip_sizes(width, height))


@lru_cache(maxsize=1024)
def _in_blocks(width: int, height: int, levels: int | None) -> int:
    sizes = mip_sizes(width, height)[:levels]
    return sum(16 * -(-across // 4) * -(-down // 4) for across, down in sizes)


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


@dataclass(frozen=True)
class _OfFeed:
    """What plans want to know of a feed, and the feed, so that it stays the one it is known by."""

    feed: Feed
    size: Size
    text: str
    """JSON, without what travels beside a texture."""
    whole: str
    sources: str
    """JSON of the entries of its maps, by their names."""


class PlanGround:
    """What the plans of a document for several targets share, worked out once."""

    def __init__(self, document: Document, header_of: HeaderOf) -> None:
        """Raises `EktoposError` if a feed cannot fill its input, `MissingReference` for a material
        or a map that is not there."""
        self.document, self.header_of = document.exported(), header_of
        _refuse_gone(self.document)
        names = self.document.exported_materials()
        self.materials = {name: surface_of(self.document, name) for name in names}
        for material in self.materials.values():
            _refuse_unfit(self.document, material)
        self.untinted = {name: _untinted(one) for name, one in self.materials.items()}
        self.safe = safe_names(list(self.materials))
        self._feeds: dict[int, _OfFeed] = {}
        self._entries: dict[str, Json] = {}
        self.fills: dict[tuple[int, str, str, str, str], float] = {}
        """What channels of constants hold."""

    def of(self, feed: Feed) -> _OfFeed:
        """What is known of a feed."""
        known = self._feeds.get(id(feed))
        if known is None:
            sources = {name: self._entry(name) for name in sorted(feed.maps())}
            known = self._feeds[id(feed)] = _OfFeed(
                feed,
                feed_size(feed, self._size_of),
                _json(feed.model_dump(mode="json", exclude=_BESIDE)),
                _json(feed.model_dump(mode="json")),
                _json(sources),
            )
        return known

    def _entry(self, name: str) -> Json:
        if name not in self._entries:
            self._entries[name] = self.document.maps[name].model_dump(mode="json")
        return self._entries[name]

    def entries(self, names: set[str]) -> Json:
        """The entries of maps, by their names."""
        return {name: self._entry(name) for name in sorted(names)}

    def _size_of(self, name: str) -> Size:
        header = self.header_of(name)
        return header.width, header.height


_BESIDE = {"strength", "uv", "wrap"}
_json = partial(json.dumps, sort_keys=True)


def make_plan(
    document: Document, profile: Profile, header_of: HeaderOf, ground: PlanGround | None = None
) -> Plan:
    """The plan of a document for a target, without what is left out. Textures that would hold the
    same are planned once. `ground` is that of the document, where several targets are planned.

    Raises `EktoposError` if a feed cannot fill its input, `MissingReference` or `UnreadableFile`
    for maps.
    """
    ground = ground or PlanGround(document, header_of)
    planned: dict[str, PlannedFile] = {}
    materials_of_recipe: dict[str, list[str]] = {}
    file_of: dict[tuple[str, str], str] = {}
    factors: dict[str, list[InputName]] = {}
    left_out: dict[str, list[str]] = {}
    tints: dict[tuple[str, str], Triple] = {}
    kinds = [_Kind.of(kind, profile) for kind in profile.files]
    takes = {(i, fixed): profile.carries(i, fixed) for i in INPUTS for fixed in (True, False)}
    may_lack = {i for i in INPUTS if not (takes[i, True] and takes[i, False])}
    numbers = set(profile.factors)
    for name, material in ground.materials.items():
        _refuse_split(material, profile)
        carried = ground.untinted[name] if profile.tints == "carried" else material
        if carried is not material:
            tints |= {
                (name, i): feed.tint
                for i, feed in material.feeds.items()
                if feed is not carried.feeds[i]
            }
        for kind in kinds:
            channels = _channels(ground, carried, kind, profile)
            if channels is None:
                continue
            stem = profile.name_rule.format(
                material=ground.safe[name], suffix=kind.file.suffix, target=profile.id
            )
            file = _planned(ground, profile, kind, carried, channels, kind.path.format(stem))
            file = planned.setdefault(file.recipe, file)
            materials_of_recipe.setdefault(file.recipe, []).append(name)
            for channel in channels.values():
                if channel.carries:
                    file_of[name, channel.stands_for] = file.path
        factors[name] = [i for i in material.feeds if i in numbers and (name, i) not in file_of]
        for input_name, feed in material.feeds.items():
            if input_name in may_lack and not takes[input_name, not feed.maps()]:
                left_out.setdefault(input_name, []).append(name)
    _refuse_collisions([file.path for file in planned.values()])
    files = tuple(
        file
        if len(materials_of_recipe[recipe]) == 1
        else replace(file, materials=tuple(materials_of_recipe[recipe]))
        for recipe, file in planned.items()
    )
    return Plan(profile.id, files, file_of, ground.materials, factors, left_out, tints)


@dataclass(frozen=True)
class _Kind:
    """A kind of file of a target: what its letters carry, and where its files lie."""

    file: ProfileFile
    letters: tuple[tuple[Letter, Carry, tuple[InputName, ...], str, bool], ...]
    """Each letter, what it carries, the inputs that is made of, the quantity ("" for an input
    itself), and whether it is made of several."""
    path: str
    text: str

    @classmethod
    def of(cls, file: ProfileFile, profile: Profile) -> Self:
        """That of a profile's file."""
        letters = []
        for letter, carry in file.letters().items():
            names = profile.inputs_of(carry)
            quantity = carry if carry != names[0] else ""
            letters.append((letter, carry, names, quantity, is_mixed(quantity)))
        inside = profile.container in ("glb", "gltf-embedded")
        path = f"{'' if inside else 'textures/'}{{}}.{file.format}"
        return cls(file, tuple(letters), path, _json(file.model_dump(mode="json")))


def _refuse_gone(document: Document) -> None:
    """Raises `MissingReference` where a slot wears a material that is not there."""
    for mesh, entry in document.meshes.items():
        for assigned in entry.slots.values():
            if assigned is not None and assigned not in document.materials:
                raise MissingReference(
                    f"a slot’s material {assigned} does not exist.",
                    subject=mesh,
                    hint="Choose another material.",
                )


def _refuse_unfit(document: Document, material: Material) -> None:
    """Raises `EktoposError` where a feed cannot fill its input."""
    for input_name, feed in material.feeds.items():
        problem = feed_problem(document, feed, input_name)
        if problem:
            is_missing = bool(feed.maps() - set(document.maps))
            raise (MissingReference if is_missing else EktoposError)(
                problem, subject=material.name, hint="Change the feed."
            )


def _untinted(material: Material) -> Material:
    """The material without the tints that a factor can carry as exactly: of mapped colours,
    darkening only, under no layers."""
    feeds = dict(material.feeds)
    for name in ("base_color", "emission"):
        feed = feeds[name]
        if (
            feed.map is not None
            and not feed.layers
            and feed.tint != (1.0, 1.0, 1.0)
            and all(0.0 <= part <= 1.0 for part in feed.tint)
        ):
            feeds[name] = feed.model_copy(update={"tint": (1.0, 1.0, 1.0)})
    is_same = all(feeds[name] is material.feeds[name] for name in ("base_color", "emission"))
    return material if is_same else replace(material, feeds=feeds)


_ONE_TEXTURE: dict[str, list[tuple[InputName, InputName]]] = {
    "glb": [("base_color", "opacity"), ("metallic", "roughness")],
    "gltf": [("base_color", "opacity"), ("metallic", "roughness")],
    "gltf-embedded": [("base_color", "opacity"), ("metallic", "roughness")],
}
"""By container, the inputs that one texture feeds. Source: glTF 2.0, 3.9.2."""


def split_inputs(material: Material, profile: Profile) -> tuple[InputName, InputName] | None:
    """Two inputs that the target looks up at one place, and that lie at two; `None` for none."""
    if all(feed.uv is None and feed.wrap is None for feed in material.feeds.values()):
        return None  # all lie where the material does
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
    ground: PlanGround,
    profile: Profile,
    kind: _Kind,
    material: Material,
    channels: dict[Letter, PlannedChannel],
    path: str,
) -> PlannedFile:
    """One file of one material, with all that its texels depend on."""
    known = {
        letter: [ground.of(feed) for feed in channel.feeds()]
        for letter, channel in channels.items()
    }
    sizes = [one.size for letter, c in channels.items() if c.fill is None for one in known[letter]]
    width, height = _size(sizes, profile, material.size_limit)
    if kind.file.basis:
        width, height = (in_blocks(side, profile, material) for side in (width, height))
    mips = profile.mips and kind.file.format == "ktx2"
    levels = len(mip_sizes(width, height)) if mips else 1
    carried = {channel.input for channel in channels.values() if channel.fill is None}
    normal = _roughening(material) if levels > 1 and "roughness" in carried else None
    is_cut = "opacity" in carried and material.alpha_mode == "mask"
    cutoff = material.alpha_cutoff if is_cut else None
    seen = _holes(material) if "base_color" in carried else None
    padding = profile.padding if carried else 0
    recipe = [kind.text, *map(str, (width, height, levels))]
    recipe.append("null" if cutoff is None else _json(cutoff))
    recipe += ["null" if feed is None else ground.of(feed).whole for feed in (normal, seen)]
    if padding:
        recipe += _on_meshes(ground.document, material, channels, padding)
    recipe += [_channel_text(ground, letter, c, known[letter]) for letter, c in channels.items()]
    return PlannedFile(
        path,
        kind.file.suffix,
        (material.name,),
        width,
        height,
        kind.file.bits,
        kind.file.encoding,
        channels,
        kind.file.dither,
        levels,
        padding,
        normal,
        cutoff,
        seen,
        _basis(kind.file, levels, (normal, cutoff, seen)),
        f"[{', '.join(recipe)}]",
    )


def _on_meshes(
    document: Document, material: Material, channels: dict[Letter, PlannedChannel], padding: int
) -> list[str]:
    """Where a file's texels lie on meshes, for those of which islands are filled round."""
    assigned = [
        [mesh, slot, document.meshes[mesh].model_dump(mode="json")]
        for mesh, slot in slots_with(document, material.name)
    ]
    carried = [name for channel in channels.values() for name in channel.inputs()]
    places = [material.placement(name).uv.model_dump(mode="json") for name in carried]
    return [_json(part) for part in (padding, assigned, places)]


def _channel_text(
    ground: PlanGround, letter: Letter, channel: PlannedChannel, known: list[_OfFeed]
) -> str:
    """What a channel's texels depend on; strengths travel beside the file and do not count."""
    texts = "null" if channel.fill is not None else f"[{', '.join(one.text for one in known)}]"
    if len(known) == 1:
        sources = known[0].sources
    else:
        sources = _json(ground.entries({name for one in known for name in one.feed.maps()}))
    head = _head(letter, channel.carries, channel.fill, channel.wrap)
    return f"{head}, {texts}, {sources}]"


@lru_cache(maxsize=4096)
def _head(letter: Letter, carries: str | None, fill: float | None, wrap: WrapPair) -> str:
    return _json([letter, carries, fill, wrap])[:-1]


def _basis(
    kind: ProfileFile, levels: int, more: tuple[object, ...]
) -> tuple[Basis, Quality] | None:
    """How a file's texels are compressed: as the target says, but for smaller levels that are no
    plain means, which ETC1S cannot hold."""
    if kind.basis is None:
        return None
    plain = all(part is None for part in more)
    return kind.basis if levels == 1 or plain else "uastc", kind.quality


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
    ground: PlanGround, material: Material, kind: _Kind, profile: Profile
) -> dict[Letter, PlannedChannel] | None:
    """The channels of one file for one material, or `None` if nothing needs the file."""
    channels: dict[Letter, PlannedChannel] = {}
    for letter, carry, names, quantity, mixed in kind.letters:
        name, feed = names[0], material.feeds.get(names[0])
        if feed is None or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        beside = material.feeds[names[1]] if len(names) > 1 else None
        if mixed and material.reflectance is not None:
            # It is what the target wants already, and passes through as it is.
            both, beside = material.reflectance, None
            name, feed = ("base_color", both.diffuse) if name == "base_color" else ("f0", both.f0)
        number = material_value(material, quantity, names[0]) if mixed else None
        mapped = number is None and bool(feed.maps() or (beside is not None and beside.maps()))
        carries: str | None = carry
        fill = None
        if number is not None:
            fill = float(number[0, 0, "rgb".index(letter)])
        elif not mapped:
            if name in profile.factors:
                if name == "opacity":
                    continue
                carries, fill = None, 1.0
            else:
                plain = profile.container != "loose" and is_default(name, feed)
                carries = None if plain else carry
                fill = _filled(ground, name, feed, quantity, letter, profile)
        wrap = material.feeds[names[0]].wrap or material.wrap
        channels[letter] = PlannedChannel(carries, name, feed, fill, quantity, wrap, beside)
    # Numbers travel in the list of a loose package; elsewhere what is no factor of the container
    # needs a texel.
    in_list = profile.container == "loose"
    needed = (c.fill is None or (not in_list and c.carries is not None) for c in channels.values())
    return channels if any(needed) else None


def _filled(
    ground: PlanGround, name: InputName, feed: Feed, quantity: str, letter: Letter, profile: Profile
) -> float:
    key = (id(feed), name, quantity, letter, profile.normal_y)
    if key not in ground.fills:
        ground.of(feed)  # which keeps it
        ground.fills[key] = _fill(name, feed, quantity, letter, profile)
    return ground.fills[key]


def _fill(name: InputName, feed: Feed, quantity: str, letter: Letter, profile: Profile) -> float:
    """What a channel holds all over, before it is encoded."""
    if name == "normal":
        component = input_values(feed, "normal")[0, 0, "rgb".index(letter)]
        return float(encode_component(component, letter, profile.normal_y))
    values = to_quantity(quantity, name, input_values(feed, name)).reshape(-1)
    return float(values["rgb".index(letter)] if len(values) == 3 and letter in "rgb" else values[0])


def _size(sizes: list[Size], profile: Profile, longest: int | None) -> Size:
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
