"""The project document: an open, diff-friendly text format, `NAME.ektopos.json`.

These models are parser, validator and API schema at once. Field names are fixed by the format;
unknown fields are kept, and reported by a check.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal, Self, TypeVar, get_args

from pydantic import BaseModel, Field, ValidationError, model_validator

from ektopos.base.errors import InvalidDocument
from ektopos.base.names import shortened
from ektopos.base.strict_json import read_json
from ektopos.base.types import (
    MAX_UV_SETS,
    Channels,
    Decoding,
    Encoding,
    Json,
    NormalSpace,
    NormalY,
    ProfileUse,
    WrapPair,
)
from ektopos.document.inputs import InputName
from ektopos.document.mesh_steps import MeshStep
from ektopos.document.scene import Scene
from ektopos.document.values import DocumentModel, Finite, Pair, ShortName, Triple

VERSION = 1
SUFFIX = ".ektopos.json"

Role = Literal[
    "base_color",
    "metallic",
    "roughness",
    "gloss",
    "normal",
    "occlusion",
    "height",
    "emission",
    "opacity",
    "specular",
    "subsurface",
    "mask",
    "unknown",
]
"""What a map, or one channel of a packed map, holds."""
AlphaMode = Literal["opaque", "mask", "blend"]
Shading = Literal["standard", "unlit"]
Workflow = Literal["metallic", "specular"]
"""Whether a material is told as base colour and metallic, or as diffuse and reflectance (`f0`)."""
Filter = Literal["linear", "nearest"]
RoleChannels = Literal["r", "g", "b", "a", "rgb", "rgba"]

ROLES: tuple[Role, ...] = get_args(Role)
COLOUR_ROLES: tuple[Role, ...] = ("base_color", "emission", "specular", "subsurface")
"""Roles whose maps are sRGB; every other holds data."""

Model = TypeVar("Model", bound=BaseModel)


class MapEntry(DocumentModel):
    """One map: its file beside the document, how it is encoded and what its channels hold."""

    file: str
    encoding: Encoding = "linear"
    roles: dict[RoleChannels, Role] = Field(default_factory=dict)
    normal_y: NormalY | None = None
    """Which way the green of a normal map points: `+` up (glTF), `-` down."""
    space: NormalSpace = "tangent"
    """What a normal map's vectors are told in; those in object space feed no material."""
    profile: ProfileUse = "apply"
    """Whether a colour map is converted from the profile or gamma that its file carries."""
    set: str | None = None
    """The map set it belongs to; by its name where this is not said."""
    by_hand: bool = False
    """Whether a person has said or confirmed what it is; such a map is not judged again."""
    said_by: str | None = None
    """The file that uses it and so says what it is, as `lamp.gltf`; such a map is not judged
    again."""

    @property
    def is_confirmed(self) -> bool:
        """Whether what it is was said, and not judged."""
        return self.by_hand or self.said_by is not None

    @property
    def decoding(self) -> Decoding:
        """How its colours become light."""
        return "stored" if self.encoding == "srgb" and self.profile == "ignore" else self.encoding


class NamingRule(DocumentModel):
    """What a supplier's maps are whose names end in a word: said once by a person, for all of
    them.
    """

    ending: str = Field(min_length=1)
    """The end of a file's name without its suffix, for example `_gx`; case does not count."""
    roles: dict[RoleChannels, Role]
    encoding: Encoding = "linear"
    normal_y: NormalY | None = None


class UvTransform(DocumentModel, frozen=True):
    """KHR_texture_transform: uv' = offset + rotate(rotation) · (tiling · uv), radians."""

    set: int = Field(default=0, ge=0, lt=MAX_UV_SETS)
    """Which of the mesh's UV sets it moves."""
    tiling: Pair = (1.0, 1.0)
    offset: Pair = (0.0, 0.0)
    rotation: Finite = 0.0

    @property
    def is_identity(self) -> bool:
        """Whether it moves nothing, whichever set it is of."""
        return self.tiling == (1.0, 1.0) and self.offset == (0.0, 0.0) and self.rotation == 0.0


class _Source(DocumentModel):
    """A constant, or a map's channels, and what is changed of them."""

    value: Finite | Triple | None = None
    map: str | None = None
    channels: Channels | None = None
    invert: bool = False
    range_in: Pair = (0.0, 1.0)
    """What counts as 0 and as 1; values outside are clipped."""
    gamma: Annotated[Finite, Field(gt=0)] = 1.0
    """Values are raised to it."""
    contrast: Finite = 1.0
    pivot: Finite = 0.5
    multiply: Finite = 1.0
    offset: Finite = 0.0
    range: Pair = (0.0, 1.0)
    hue: Finite = 0.0
    """Turned by so many degrees; colours only, as are saturation, brightness and tint."""
    saturation: Annotated[Finite, Field(ge=0)] = 1.0
    brightness: Annotated[Finite, Field(ge=0)] = 1.0
    tint: Triple = (1.0, 1.0, 1.0)

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        if (self.value is None) == (self.map is None):
            raise ValueError("a feed takes either a value or a map")
        return self


class Mask(DocumentModel):
    """One channel of a map that says where a layer lies."""

    map: str
    channels: Literal["r", "g", "b", "a", "luminance"] = "r"
    invert: bool = False
    contrast: Annotated[Finite, Field(gt=0)] = 1.0
    """How hard its edge is: values are spread by it round `pivot`, and clipped."""
    pivot: Finite = 0.5
    uv: UvTransform | None = None
    """Where it lies in the picture that it is the mask of; over all of it where this is not said.
    """
    wrap: WrapPair | None = None


class Layer(_Source):
    """Something laid over a feed, or over the layers before it.

    `amount` is how much of it counts, 0–1, times the mask where there is one. `normal` lays a
    detail normal map on another.
    """

    op: Literal["multiply", "add", "mix", "normal"] = "mix"
    amount: Annotated[Finite, Field(ge=0, le=1)] = 1.0
    mask: Mask | None = None
    uv: UvTransform | None = None
    """Where its map lies in what it is laid over; over all of it where this is not said. Its own
    tiling is per picture, not per metre."""
    wrap: WrapPair | None = None


class Laid(DocumentModel):
    """A whole feed laid over the ones before it, with its strength counted in: what covers make of
    feeds."""

    feed: Feed
    uv: UvTransform = Field(default_factory=UvTransform)
    wrap: WrapPair = ("repeat", "repeat")
    mask: Mask | None = None
    opacity: Feed | None = None
    """Where it is see-through itself, and so does not cover; lies as it does."""
    amount: Annotated[Finite, Field(ge=0, le=1)] = 1.0

    def maps(self) -> set[str]:
        """Every map that it is made of."""
        holes = self.opacity.maps() if self.opacity else set()
        return self.feed.maps() | holes | ({self.mask.map} if self.mask else set())


class Reflectance(DocumentModel):
    """What the specular workflow says of a surface's colour; base colour and metallic are converted
    from both, texel by texel."""

    diffuse: Feed
    f0: Feed

    def maps(self) -> set[str]:
        """Every map that it is made of."""
        return self.diffuse.maps() | self.f0.maps()


class Feed(_Source):
    """What fills one input: a constant `value`, or a `map`'s channels with adjustments, and layers
    over it.

    Order: decode, pick channels, `invert`, `range_in`, `gamma`, `contrast` round `pivot`,
    `multiply`, `offset`, `range`, `hue`, `saturation`, `brightness`, `tint`, layers first to last,
    clip, `strength`. Colours are linear. A map may be named that is not there: that is a finding,
    not a broken document.
    """

    layers: list[Layer] = Field(default_factory=list)
    strength: Finite = 1.0
    uv: UvTransform | None = None
    """Where its maps lie, instead of where the material's do."""
    wrap: WrapPair | None = None
    laid: list[Laid] = Field(default_factory=list)
    """Whole feeds over each other, which it then is instead of its constant; strengths are counted
    in."""
    converted: Reflectance | None = None
    """The feeds of the specular workflow that it is converted from, instead of its constant."""

    def maps(self) -> set[str]:
        """Every map that it is made of."""
        if not (self.layers or self.laid or self.converted):
            return set() if self.map is None else {self.map}
        named = {
            *(self.converted.maps() if self.converted else ()),
            self.map,
            *(layer.map for layer in self.layers),
            *(layer.mask.map for layer in self.layers if layer.mask),
            *(name for laid in self.laid for name in laid.maps()),
        }
        return {name for name in named if name is not None}


class Cover(DocumentModel):
    """Another material over this one, where a mask is; everywhere without one."""

    material: str
    mask: Mask | None = None
    """Placed by the mesh's own UVs, whatever the materials' tilings are."""
    amount: Annotated[Finite, Field(ge=0, le=1)] = 1.0


class MaterialEntry(DocumentModel):
    """A material's own values. What is not said is inherited from the base (`from`), or glTF's
    default."""

    base: str | None = Field(default=None, alias="from")
    inputs: dict[InputName, Feed] = Field(default_factory=dict)
    alpha_mode: AlphaMode | None = None
    alpha_cutoff: Finite | None = Field(default=None, ge=0.0)
    double_sided: bool | None = None
    uv: UvTransform | None = None
    wrap: WrapPair | None = None
    filter: Filter | None = None
    shading: Shading | None = None
    workflow: Workflow | None = None
    surface_tag: str | None = None
    covers: list[Cover] | None = None
    """What lies over it, first to last."""
    size_limit: int | None = Field(default=None, ge=1)
    """The longest side its maps leave with, in texels; a target's own limit may be smaller."""
    folder: str | None = None
    """Where it is listed; for people only, and not inherited."""

    def maps(self) -> set[str]:
        """Every map that it names itself."""
        masks = {cover.mask.map for cover in self.covers or () if cover.mask}
        return masks.union(*(feed.maps() for feed in self.inputs.values()))


OWN_SETTINGS = tuple(
    name for name in MaterialEntry.model_fields if name not in ("base", "inputs", "folder")
)
"""What a material states itself beside its feeds; a derived one inherits the rest."""


class MeshEntry(DocumentModel):
    """One mesh file and the material on each of its slots."""

    file: str
    slots: dict[str, str | None] = Field(default_factory=dict)
    done: list[str] = Field(default_factory=list)
    """Slots a person has ticked off."""
    recipe: list[MeshStep] = Field(default_factory=list)
    """What is done to the mesh after it is read: slots and UVs."""
    vertex_colours: Literal["leave", "keep"] = "leave"
    """Whether its vertex colours go along to targets that leave them out."""


class LeftOut(DocumentModel):
    """What stays behind when the project is exported."""

    meshes: list[str] = Field(default_factory=list)
    materials: list[str] = Field(default_factory=list)


class Waived(DocumentModel):
    """A finding that a person has accepted."""

    code: str = Field(min_length=1)
    subject: str
    reason: str = Field(min_length=1)


class Rules(DocumentModel):
    """What a project asks of its assets beside common practice; what is not said is not asked."""

    density: dict[str, Annotated[Finite, Field(gt=0)]] = Field(default_factory=dict)
    """Texels per metre by surface tag; under `""` for all that have no other."""
    density_factor: Annotated[Finite, Field(gt=1)] = 2.0
    """How many times a density may be off, up or down."""
    largest_size: int | None = Field(default=None, ge=1)
    """The longest side of any map that leaves, in texels."""
    memory_mb: Annotated[Finite, Field(gt=0)] | None = None
    """Graphics memory of all maps that leave, in 10⁶ bytes, compressed in blocks as most engines
    hold them."""
    material_names: str | None = None
    """What material names look like, with `*` for anything and `?` for one letter: `M_*`."""
    severities: dict[str, Literal["error", "warning", "note", "off"]] = Field(default_factory=dict)
    """Another severity for a code, or `off`."""


class Document(DocumentModel):
    """A whole project."""

    ektopos: int = VERSION
    name: str = "Untitled"
    target: str = "gltf-glb"
    maps: dict[ShortName, MapEntry] = Field(default_factory=dict)
    materials: dict[ShortName, MaterialEntry] = Field(default_factory=dict)
    meshes: dict[ShortName, MeshEntry] = Field(default_factory=dict)
    naming: list[NamingRule] = Field(default_factory=list)
    """Rules for names that the usual reading does not understand, or misunderstands; the first that
    fits counts."""
    targets: dict[str, Json] = Field(default_factory=dict)
    """Target profiles of the project's own, by id, as `docs/targets.md` describes them."""
    left_out: LeftOut = Field(default_factory=LeftOut)
    also_exported: list[str] = Field(default_factory=list)
    """Materials that are exported although no slot uses them."""
    waived: list[Waived] = Field(default_factory=list)
    rules: Rules = Field(default_factory=Rules)
    scene: Scene = Field(default_factory=Scene)

    def unassigned(self) -> list[str]:
        """The materials that are not exported because no slot of an exported mesh uses them. In a
        project without meshes every material is exported."""
        exported = [m for name, m in self.meshes.items() if name not in self.left_out.meshes]
        if not exported:
            return []
        assigned = {material for mesh in exported for material in mesh.slots.values()}
        assigned |= {*self.left_out.materials, *self.also_exported}
        return [name for name in self.materials if name not in assigned]

    def exported_materials(self) -> list[str]:
        """The materials that packages hold."""
        out = {*self.left_out.materials, *self.unassigned()}
        return [name for name in self.materials if name not in out]

    def exported(self) -> Document:
        """The document without what stays behind. A material that others derive from stays known to
        them."""
        if not (self.left_out.meshes or self.left_out.materials):
            return self
        out = set(self.left_out.materials)
        meshes = {
            name: entry.model_copy(
                update={
                    "slots": {
                        s: None if assigned in out else assigned
                        for s, assigned in entry.slots.items()
                    }
                }
            )
            for name, entry in self.meshes.items()
            if name not in self.left_out.meshes
        }
        return self.model_copy(update={"meshes": meshes})


NOT_EXPORTED = ("scene", "waived", "rules", "naming", "target")
"""What of a document no package for a given target depends on."""


def exported_part(document: Json) -> Json:
    """Of a document as JSON, what a package is made of: two states with equal parts, and equal
    files, are exported alike."""
    part = {key: value for key, value in document.items() if key not in NOT_EXPORTED}
    part["meshes"] = {
        name: {key: value for key, value in mesh.items() if key != "done"}
        for name, mesh in document.get("meshes", {}).items()
    }
    part["materials"] = {
        name: {key: value for key, value in entry.items() if key != "folder"}
        for name, entry in document.get("materials", {}).items()
    }
    return part


def with_all_materials(document: Document) -> Document:
    """The document with every material exported that is not left out by name."""
    asked_for = [*document.also_exported, *document.unassigned()]
    return document.model_copy(update={"also_exported": asked_for})


def load_document(text: str | bytes, subject: str = "document") -> Document:
    """The document in a JSON text. Raises `InvalidDocument` with the place that is wrong."""
    raw = read_json(text, subject)
    if (
        not isinstance(raw, dict)
        or not isinstance(raw.get("ektopos"), int)
        or isinstance(raw["ektopos"], bool)
    ):
        raise InvalidDocument(
            "this is not a project document.",
            subject=subject,
            hint='It must be an object with "ektopos": 1.',
        )
    if raw["ektopos"] > VERSION:
        raise InvalidDocument(
            f"the document has version {raw['ektopos']}, and this program reads up to {VERSION}.",
            subject=subject,
            hint="Open it with a newer version.",
        )
    if raw["ektopos"] < 1:
        raise InvalidDocument(
            f"there is no version {raw['ektopos']}.", subject=subject, hint="The first is 1."
        )
    return parse(Document, raw, subject)


def parse(model: type[Model], raw: Any, subject: str) -> Model:
    """`raw` as a model, or an `InvalidDocument` that names the first place that is wrong."""
    try:
        return model.model_validate(raw)
    except ValidationError as problem:
        first = problem.errors()[0]
        place = ".".join(shortened(str(part)) for part in first["loc"])
        raise InvalidDocument(f"{place or 'it'}: {first['msg']}.", subject=subject) from None


def document_json(document: Document) -> Json:
    """The document as plain JSON values, without what is only a default."""
    content: Json = document.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    head = {"ektopos": VERSION, "name": document.name, "target": document.target}
    return (
        head
        | {key: content.get(key, {}) for key in ("maps", "materials", "meshes")}
        | content
        | head
    )


def dump_document(document: Document) -> str:
    """The document as the text that is written to disk."""
    return json.dumps(document_json(document), indent=2, ensure_ascii=False) + "\n"
