"""A target's rules: an engine's import convention, declared in JSON."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from ektopos.document import AlphaMode, InputName
from ektopos.errors import InvalidDocument
from ektopos.types import Encoding, NormalY

Carry = Literal[
    "base_color", "metallic", "roughness", "normal", "occlusion", "emission", "opacity", "height",
    "gloss", "smoothness", "diffuse", "specular", "clearcoat", "clearcoat_roughness", "sheen", "sheen_roughness",
    "transmission", "thickness",
]  # fmt: skip
"""What one channel of a file can hold: an input, or a quantity made of inputs."""
Letter = Literal["r", "g", "b", "a"]
LETTERS: tuple[Letter, ...] = ("r", "g", "b", "a")


class ProfileFile(BaseModel):
    """One kind of file that the target takes for each material."""

    model_config = ConfigDict(extra="forbid")

    suffix: str = Field(min_length=1)
    """Ends the file's name, for example `ORM`."""
    channels: dict[Literal["r", "g", "b", "a", "rgb"], Carry]
    encoding: Encoding
    format: Literal["png"] = "png"
    bits: Literal[8, 16] = 8

    def letters(self) -> dict[Letter, Carry]:
        """What each single channel carries."""
        return {letter: carry for group, carry in self.channels.items() for letter in LETTERS if letter in group}


class ImportRules(BaseModel):
    """What the stand-in engine does on import; where a package says nothing it assumes the plainest thing."""

    model_config = ConfigDict(extra="forbid")

    settings_from: Literal["container", "package"] = "container"
    """Whether alpha mode, sides, transforms and constants are read from the glTF or from the package list."""


class Profile(BaseModel):
    """A target."""

    model_config = ConfigDict(extra="forbid")

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$")
    title: str
    summary: str = ""
    container: Literal["glb", "gltf", "loose"]
    """One GLB, one glTF with its files, or a mesh with loose maps beside it."""
    workflow: Literal["metallic", "specular"] = "metallic"
    """Whether `specular` and `diffuse` are those of the older specular workflow."""
    files: list[ProfileFile] = Field(min_length=1)
    normal_y: NormalY = "+"
    size_limit: int | None = Field(default=None, ge=1)
    """The longest side a file may have, in texels."""
    power_of_two: bool = False
    """Whether the target's sizes should be powers of two; a check warns where they are not."""
    name_rule: str = "{material}_{suffix}"
    alpha_modes: list[AlphaMode] = ["opaque", "mask", "blend"]
    factors: list[InputName] = Field(default_factory=list)
    """Inputs whose constants the container carries as numbers, exactly."""
    importing: ImportRules = Field(default_factory=ImportRules, alias="import")

    def carried(self) -> set[str]:
        """Every input that some channel of some file carries, whole or converted."""
        return {name for file in self.files for carry in file.channels.values() for name in self.inputs_of(carry)}

    def carries(self, name: InputName, constant: bool) -> bool:
        """Whether an input arrives at all: in a channel, as a number of the container, or in the list of a loose package."""
        return name in self.carried() or name in self.factors or (self.container == "loose" and constant)

    def inputs_of(self, carry: str) -> tuple[InputName, ...]:
        """The inputs that a carried quantity is made of, the one it stands for first. Gloss and smoothness are 1 − roughness
        (common practice); diffuse and specular are made of base colour and metallic by the published conversion."""
        if carry in ("gloss", "smoothness"):
            return ("roughness",)
        if carry == "diffuse":
            return ("base_color", "metallic")
        if carry == "specular" and self.workflow == "specular":
            return ("metallic", "base_color")
        return (carry,)  # type: ignore[return-value]


@lru_cache(maxsize=1)
def built_in_profiles() -> dict[str, Profile]:
    """The profiles that ship with Ektopos, by id."""
    folder = Path(__file__).parent / "profiles"
    found = [load_profile(path.read_text("utf-8"), path.name) for path in sorted(folder.glob("*.json"))]
    return {profile.id: profile for profile in found}


def load_profile(text: str, subject: str) -> Profile:
    """A profile from JSON text. Raises `InvalidDocument` with the place that is wrong."""
    from ektopos.document import parse

    try:
        raw = json.loads(text)
    except ValueError as problem:
        raise InvalidDocument(f"this is not JSON ({problem}).", subject=subject) from None
    return parse(Profile, raw, subject)


def find_profile(target: str) -> Profile:
    """The built-in profile of that id. Raises `InvalidDocument` if there is none."""
    profiles = built_in_profiles()
    if target not in profiles:
        raise InvalidDocument(f"there is no target “{target}”.", subject="target", hint=f"Choose one of {', '.join(profiles)}.")
    return profiles[target]
