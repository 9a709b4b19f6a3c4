"""A target's rules: an engine's import convention, declared in JSON."""

from __future__ import annotations

import contextlib
import json
import re
from functools import lru_cache
from pathlib import Path
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ektopos.base.errors import InvalidDocument
from ektopos.base.types import Basis, Encoding, NormalY, Quality
from ektopos.document import AlphaMode, Document, InputName, RoleChannels, parse
from ektopos.export.quantities import CARRIES, Carry, quantity_for, quantity_of

Letter = Literal["r", "g", "b", "a"]
Container = Literal["glb", "gltf", "gltf-embedded", "usdz", "loose"]
GLTF_CONTAINERS: tuple[Container, ...] = ("glb", "gltf", "gltf-embedded")
LETTERS: tuple[Letter, ...] = ("r", "g", "b", "a")


class ProfileFile(BaseModel):
    """One kind of file that the target takes for each material."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    suffix: str = Field(min_length=1)
    """Ends the file's name, for example `ORM`."""
    channels: dict[Literal["r", "g", "b", "a", "rgb"], Carry]
    encoding: Encoding
    format: Literal["png", "tga", "jpg", "webp", "exr", "ktx2"] = "png"
    bits: Literal[8, 16] = 8
    """16 in PNG, KTX2 and EXR only; in EXR they are half floats."""
    dither: bool = False
    """Whether what is rounded to 8 bits is spread over neighbours by a fixed pattern, instead of to
    the nearest."""
    basis: Basis | None = None
    """Whether the texels of a KTX2 file stay compressed in graphics memory: ETC1S is small, UASTC
    close to the texels. `null` leaves them as they are."""
    quality: Quality = "medium"
    """What the encoder of Basis Universal spends: ETC1S gets larger by it, UASTC takes longer."""

    @model_validator(mode="after")
    def _can_be_written(self) -> Self:
        taken = [letter for group in self.channels for letter in group]
        for carry in self.channels.values():
            if carry not in CARRIES:
                raise ValueError(f"in {self.suffix}, {carry} has no texture: it is a number")
        if len(set(taken)) < len(taken):
            raise ValueError(f"in {self.suffix} a channel is named twice")
        if self.bits == 16 and self.format not in ("png", "ktx2", "exr"):
            raise ValueError(
                f"{self.suffix}: only PNG, KTX2 and EXR have 16 bits, not {self.format}"
            )
        if self.format == "exr" and (self.bits, self.encoding) != (16, "linear"):
            raise ValueError(f"{self.suffix}: EXR is linear, with 16 bits")
        if self.format == "ktx2" and (self.bits, self.encoding) == (16, "srgb"):
            raise ValueError(f"{self.suffix}: KTX2 has no 16 bits for sRGB")
        if self.basis and (self.format, self.bits) != ("ktx2", 8):
            raise ValueError(f"{self.suffix}: Basis Universal is for KTX2 files with 8 bits")
        if self.basis == "etc1s" and "normal" in self.channels.values():
            raise ValueError(f"{self.suffix}: ETC1S bends normals by degrees; take UASTC for them")
        if self.dither and self.bits == 16:
            raise ValueError(f"{self.suffix}: dithering is for 8 bits")
        if "a" in taken and self.format == "jpg":
            raise ValueError(
                f"{self.suffix}: JPEG has no alpha, but the file's A carries {self.channels['a']}"
            )
        if not re.fullmatch(r"[A-Za-z0-9_-]+", self.suffix):
            raise ValueError(f"the suffix “{self.suffix}” may have letters, digits, _ and - only")
        return self

    def letters(self) -> dict[Letter, Carry]:
        """What each single channel carries."""
        return {
            letter: carry
            for group, carry in self.channels.items()
            for letter in LETTERS
            if letter in group
        }


_SRGB, _LINEAR, _ALPHA = ("srgb", False), ("linear", False), [("srgb", True), ("linear", True)]
GLTF_PLACES: dict[str, tuple[RoleChannels, list[tuple[str, bool]]]] = {
    "base_color": ("rgb", [_SRGB]),
    "opacity": ("a", _ALPHA),
    "occlusion": ("r", [_LINEAR]),
    "roughness": ("g", [_LINEAR]),
    "metallic": ("b", [_LINEAR]),
    "normal": ("rgb", [_LINEAR]),
    "emission": ("rgb", [_SRGB]),
    "specular": ("a", _ALPHA),
    "clearcoat": ("r", [_LINEAR]),
    "clearcoat_roughness": ("g", [_LINEAR]),
    "sheen": ("rgb", [_SRGB]),
    "sheen_roughness": ("a", _ALPHA),
    "transmission": ("r", [_LINEAR]),
    "thickness": ("g", [_LINEAR]),
}
"""Where glTF reads each input: the channels, and (encoding, alpha) of the file. Source: glTF 2.0,
3.9, and its extensions."""


class ImportRules(BaseModel):
    """What the stand-in engine does on import; where a package says nothing it assumes the plainest
    thing."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    settings_from: Literal["container", "package"] = "container"
    """Whether alpha mode, sides, transforms and constants are read from the glTF or from the
    package list."""
    compression: Literal["none", "blocks"] = "none"
    """Whether the engine compresses textures on import: BC5 for normals, BC7 for all others. Its
    loss is told apart from mistakes."""


class MeshRules(BaseModel):
    """How the target takes meshes."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    up: Literal["y", "z"] = "y"
    """The axis that points up; z in USDZ only, for glTF says y."""
    unit: Literal["m", "cm"] = "m"
    """What 1 is; centimetres in USDZ only, for glTF says metres."""
    vertex_colours: bool = False
    """Whether vertex colours go along; engines multiply them in, so stray ones tint."""
    containers: Literal["each", "one"] = "each"
    """Whether each mesh file is a container of its own, or all are in one."""
    uv_transform: Literal["carried", "baked"] = "carried"
    """Whether a material's UV transform is said beside it, or worked into the UVs of its slots."""


def _refuse_what_gltf_lacks(file: ProfileFile) -> None:
    """Raises `ValueError` for a texture that glTF 2.0 has no place for."""
    if file.format not in ("png", "jpg") and file.basis is None:
        form = "plain KTX2" if file.format == "ktx2" else file.format
        raise ValueError(
            f"{file.suffix}: glTF takes PNG, JPEG and KTX2 with Basis Universal, not {form}"
        )
    for letter, carry in file.letters().items():
        letters, encodings = GLTF_PLACES.get(carry, ((), ()))
        if letter not in letters or (file.encoding, letter == "a") not in encodings:
            raise ValueError(
                f"{file.suffix}: glTF has no place for {carry} in {letter.upper()} of "
                f"{file.encoding} files"
            )


class Profile(BaseModel):
    """A target."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$")
    title: str
    summary: str = ""
    container: Container
    """One GLB, one glTF with its files or with everything in its text, one USDZ, or a mesh with
    loose maps beside it."""
    workflow: Literal["metallic", "specular"] = "metallic"
    """Whether `specular` and `diffuse` are those of the older specular workflow."""
    files: list[ProfileFile] = Field(min_length=1)
    normal_y: NormalY = "+"
    size_limit: int | None = Field(default=None, ge=1)
    """The longest side a file may have, in texels."""
    budget: int | None = Field(default=None, ge=1)
    """Graphics memory that a project should stay within, in megabytes of uncompressed textures with
    mips."""
    power_of_two: bool = False
    """Whether the target's sizes should be powers of two; a check warns where they are not."""
    resize: Literal["none", "down", "up"] = "none"
    """Whether files are brought to powers of two, to the next smaller or the next larger."""
    halve: int = Field(default=0, ge=0, le=6)
    """How often sizes are halved."""
    padding: int = Field(default=0, ge=0, le=256)
    """How many texels round UV islands are filled with the nearest texel inside; 0 leaves maps as
    they are."""
    mips: bool = False
    """Whether KTX2 files bring their smaller levels: roughness grown by the spread of normals,
    cut-outs with their coverage. ETC1S knows plain means only: a file that needs more becomes
    UASTC."""
    mesh: MeshRules = Field(default_factory=MeshRules)
    name_rule: str = "{material}_{suffix}"
    """A file's name without its ending: the tokens {material}, {suffix} and {target}."""
    alpha_modes: list[AlphaMode] = ["opaque", "mask", "blend"]
    tints: Literal["baked", "carried"] = "baked"
    """Whether a tint over a map is worked into its texels, or goes beside it as glTF's factor, so
    that variants share a map."""
    factors: list[InputName] = Field(default_factory=list)
    """Inputs whose constants the container carries as numbers, exactly."""
    importing: ImportRules = Field(default_factory=ImportRules, alias="import")

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        suffixes = [file.suffix for file in self.files]
        tokens = set(re.findall(r"\{(.*?)\}", self.name_rule))
        may = {"material", "suffix", "target"}
        is_y_up_in_metres = (self.mesh.up, self.mesh.unit) == ("y", "m")
        for is_wrong, sentence in (
            (len(set(suffixes)) < len(suffixes), "two files have the same suffix"),
            (
                not {"material", "suffix"} <= tokens or not tokens <= may,
                "the name rule needs {material} and {suffix}, and knows {target} besides",
            ),
            (
                self.mips and not any(file.format == "ktx2" for file in self.files),
                "only KTX2 files can bring mips, and none is of that format",
            ),
            (
                self.tints == "carried" and self.container not in GLTF_CONTAINERS,
                "only glTF has factors that can carry tints",
            ),
            (
                self.container != "usdz" and not is_y_up_in_metres,
                "in glTF and GLB y points up and lengths are metres; only USDZ can say otherwise",
            ),
        ):
            if is_wrong:
                raise ValueError(sentence)
        for file in self.files:
            if self.container == "usdz" and file.format not in ("png", "jpg"):
                raise ValueError(f"{file.suffix}: USDZ takes PNG and JPEG, not {file.format}")
            if self.container not in ("usdz", "loose"):
                _refuse_what_gltf_lacks(file)
        return self

    @property
    def has_basis(self) -> bool:
        """Whether some of its files may need a reader of Basis Universal."""
        return any(file.basis for file in self.files)

    def carried(self) -> set[str]:
        """Every input that some channel of some file carries, whole or converted."""
        return {
            name
            for file in self.files
            for carry in file.channels.values()
            for name in self.inputs_of(carry)
        }

    def carries(self, name: InputName, constant: bool) -> bool:
        """Whether an input arrives at all: in a channel, as a number of the container, or in the
        list of a loose package."""
        if self.workflow == "specular" and name in ("ior", "specular"):
            return False  # How much is reflected, its specular colour says alone.
        return (
            name in self.carried()
            or name in self.factors
            or (self.container == "loose" and constant)
        )

    def quantity_for(self, name: InputName) -> str:
        """The quantity by which it takes a number instead of the input itself; empty for none."""
        carries = [carry for file in self.files for carry in file.channels.values()]
        return quantity_for(name, carries, self.workflow)

    def inputs_of(self, carry: Carry) -> tuple[InputName, ...]:
        """The inputs that a carried quantity is made of, the one it stands for first."""
        quantity = quantity_of(carry, self.workflow)
        return (carry,) if quantity is None else quantity.inputs  # type: ignore[return-value]


@lru_cache(maxsize=1)
def built_in_profiles() -> dict[str, Profile]:
    """The profiles that ship with Ektopos, by id."""
    folder = Path(__file__).parent / "profiles"
    profiles = [
        load_profile(path.read_text("utf-8"), path.name) for path in sorted(folder.glob("*.json"))
    ]
    return {profile.id: profile for profile in profiles}


def load_profile(text: str, subject: str) -> Profile:
    """A profile from JSON text. Raises `InvalidDocument` with the place that is wrong."""
    try:
        raw = json.loads(text)
    except ValueError as problem:
        raise InvalidDocument(f"this is not JSON ({problem}).", subject=subject) from None
    return parse(Profile, raw, subject)


def profiles_of(document: Document) -> dict[str, Profile]:
    """Every profile that a project can use, by id: its own and the built-in ones. Own ones that are
    wrong are left out."""
    own = {}
    for target, raw in document.targets.items():
        with contextlib.suppress(InvalidDocument):
            own[target] = parse(Profile, raw, target)
    return built_in_profiles() | own


def find_profile(target: str, document: Document | None = None) -> Profile:
    """The profile of that id, a project's own or a built-in one. Raises `InvalidDocument` if there
    is none, or it is wrong."""
    if document is not None and target in document.targets:
        return parse(Profile, document.targets[target], f"target {target}")
    profiles = built_in_profiles()
    if target not in profiles:
        raise InvalidDocument(
            f"there is no target “{target}”.",
            subject="target",
            hint=f"Choose one of {', '.join(profiles)}.",
        )
    return profiles[target]
