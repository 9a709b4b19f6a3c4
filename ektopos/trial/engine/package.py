"""What the stand-in engine holds once it has read a package: textures, materials, slots.

The sRGB curve is written out here once more, so that a mistake of the writers' own cannot hide.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Problem = Literal["missing-file", "unreadable-file"]
Values = NDArray[np.float32]
INPUTS = ("base_color", "metallic", "roughness", "normal", "occlusion", "emission", "opacity")
EXTENSIONS: dict[str, tuple[str, str, str, tuple[float, ...]]] = {
    "ior": ("KHR_materials_ior", "ior", "", (1.5,)),
    "specular": ("KHR_materials_specular", "specular", "a", (1.0,)),
    "clearcoat": ("KHR_materials_clearcoat", "clearcoat", "r", (0.0,)),
    "clearcoat_roughness": ("KHR_materials_clearcoat", "clearcoatRoughness", "g", (0.0,)),
    "sheen": ("KHR_materials_sheen", "sheenColor", "rgb", (0.0, 0.0, 0.0)),
    "sheen_roughness": ("KHR_materials_sheen", "sheenRoughness", "a", (0.0,)),
    "transmission": ("KHR_materials_transmission", "transmission", "r", (0.0,)),
    "thickness": ("KHR_materials_volume", "thickness", "g", (0.0,)),
    "attenuation": ("KHR_materials_volume", "attenuationColor", "", (1.0, 1.0, 1.0)),
    "attenuation_distance": ("KHR_materials_volume", "attenuationDistance", "", (float("inf"),)),
}
"""Inputs beyond the seven: extension, start of the property's name there, channels of its texture,
and what it is when nothing is said. Source: the extensions' own texts; each is ratified."""
Slots = dict[str, dict[str, str | None]]
"""Material by mesh and slot."""


@dataclass(frozen=True)
class ImportedTriangles:
    """Triangles as they are drawn, in the world; `t` of them, corners in their winding order."""

    positions: NDArray[np.float64]
    """`(t, 3, 3)` metres."""
    normals: NDArray[np.float64] | None = None
    """`(t, 3, 3)` unit; `None` where the file has none."""
    uvs: dict[int, Values] = field(default_factory=dict)
    """By set, `(t, 3, 2)`, v down."""
    colours: Values | None = None
    """`(t, 3, 4)` linear."""
    tangents: NDArray[np.float64] | None = None
    """`(t, 3, 4)`, with their sign."""
    influences: NDArray[np.float64] | None = None
    """`(t, 3, 4)`: the weights of a skin, as their sum over a mark of each joint's name."""


Drawn = dict[tuple[str, str], ImportedTriangles]
"""By mesh and slot."""


@dataclass(frozen=True)
class ImportedScene:
    """What a mesh's file holds besides its triangles."""

    nodes: tuple[tuple[str, tuple[float, ...]], ...] = ()
    """Each node's path of names, and its own matrix, 16 numbers by columns."""
    skins: tuple[tuple[tuple[str, ...], NDArray[np.float64] | None], ...] = ()
    """The names of each skin's joints, and their inverse bind matrices `(j, 4, 4)`."""
    animations: dict[str, dict[tuple[str, str], NDArray[np.float64]]] = field(default_factory=dict)
    """By name, and by node's path and what moves there, `(10, n)` values over the time of it."""
    morphs: tuple[tuple[str, int, tuple[float, ...], NDArray[np.float64]], ...] = ()
    """Of each part with morph targets: its mesh, their number, their weights, and the largest
    movement of each, `(targets,)`."""
    lights: tuple[str, ...] = ()
    cameras: tuple[str, ...] = ()
    extras: tuple[str, ...] = ()
    """Where extras stand, and what they say, as JSON."""
    extensions: tuple[str, ...] = ()
    required: tuple[str, ...] = ()
    scenes: int = 1
    edited: bool = False
    """Whether the file's hash is not the one in the package list."""


def joint_mark(name: str) -> NDArray[np.float64]:
    """Four numbers −1–1 that stand for a joint, from its name."""
    seed = int.from_bytes(hashlib.sha256(name.encode()).digest()[:8], "little")
    return np.random.default_rng(seed).uniform(-1.0, 1.0, 4)


@dataclass(frozen=True)
class Picture:
    """A picture file, decoded."""

    levels: tuple[NDArray[Any], ...]
    """The picture itself, then the mip levels that the file brings: `(h, w, 3 or 4)`, red first;
    uint8, uint16 or float32. Empty if it cannot be read."""
    lossy: str = ""
    """What the file's own format is called, if it loses a little, as JPEG does."""
    said_srgb: bool | None = None
    """Whether the file says of itself that its colours are sRGB; `None` where the format cannot."""


@dataclass(frozen=True)
class Texture:
    """One picture of the package. It is decoded when it is looked at, and may be forgotten after
    that."""

    path: str
    read: Callable[[], Picture]
    hashed: Callable[[], str] | None
    """Takes the SHA-256 of its bytes; `None` where there are none."""
    listed: str | None = None
    """The hash that the package list says it has."""
    listed_size: tuple[int, int] | None = None
    says: bool = False
    """Whether its format has a place for the encoding of colours."""

    @cached_property
    def content(self) -> str | None:
        """The SHA-256 of its bytes; `None` where there are none."""
        return None if self.hashed is None else self.hashed()

    @property
    def edited(self) -> bool:
        """Whether the file's hash is not the one in the package list."""
        return None not in (self.content, self.listed) and self.content != self.listed

    @property
    def pixels(self) -> NDArray[Any] | None:
        """Its texels, or `None` if there are none."""
        return next(iter(self.read().levels), None)

    @property
    def problem(self) -> Problem | None:
        """Why there is no picture."""
        if self.hashed is None:
            return "missing-file"
        return None if self.read().levels else "unreadable-file"

    @property
    def smaller(self) -> tuple[NDArray[Any], ...]:
        """Mip levels that the file brings, after the picture itself."""
        return self.read().levels[1:]

    @property
    def lossy(self) -> str:
        """What the file's own format is called, if it loses a little."""
        return self.read().lossy

    @property
    def said_srgb(self) -> bool | None:
        """Whether the file says of itself that its colours are sRGB; `None` where it cannot."""
        return self.read().said_srgb if self.says else None

    def showing(self, pixels: NDArray[Any]) -> Texture:
        """The same texture with other texels."""
        shown = replace(self.read(), levels=(pixels, *self.smaller))
        return replace(self, read=lambda: shown)


NOTHING = Picture(())


@dataclass(frozen=True)
class Place:
    """Where a texture lies, as glTF counts it: the UV set, its transform, and what lies beyond the
    borders."""

    uv_set: int = 0
    tiling: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    wrap: tuple[str, str] = ("repeat", "repeat")


@dataclass(frozen=True)
class ImportedInput:
    """What feeds one input of one material in the engine."""

    texture: Texture | None = None
    channels: str = "rgb"
    encoding: str = "linear"
    normal_y: str = "+"
    factor: tuple[float, ...] = (1.0,)
    """Multiplies the texture; the constant itself where there is none."""
    strength: float = 1.0
    inverted: bool = False
    """Whether the file holds 1 − the input (gloss, smoothness)."""
    copies: str = ""
    """Further channels that should hold just the same, where a target writes a number into several.
    """
    quantity: str = ""
    """What the file holds where it is not the input itself: `gloss`, `smoothness`, `diffuse` or
    `specular`."""
    place: Place = Place()
    scale: tuple[float, ...] = ()
    """What else the file does to its texels once they are decoded, and no other field says: each
    channel is multiplied by this …"""
    bias: tuple[float, ...] = ()
    """… and this is added. Empty where nothing is done."""
    filter: str | None = None
    """How its texture is filtered; `None` where the file does not say."""

    def stored(self) -> Values | None:
        """The texture's channels 0–1 as stored: `(h, w)` or `(h, w, 3)`; `None` without a readable
        texture."""
        if self.texture is None or self.texture.pixels is None:
            return None
        return stored_channels(self.texture.pixels, self.channels)


@dataclass(frozen=True)
class ImportedMaterial:
    """A material as the engine holds it."""

    inputs: dict[str, ImportedInput]
    alpha_mode: str = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    name: str = ""
    filter: str = "linear"
    mips: bool = True
    """Whether its textures are seen from afar through smaller levels."""
    shading: str = "standard"
    surface_tag: str | None = None
    workflow: str = "metallic"
    """Which of the two workflows its shader is told to use."""
    unexpected: tuple[str, ...] = ()
    """What else its shader is told, in words: numbers that make it look otherwise, and that belong
    to no input."""


def common_filter(inputs: Mapping[str, ImportedInput], default: str) -> str:
    """How the textures of a material are filtered: as all of them are, linearly where they
    differ; `default` where no file says."""
    filters = {imported.filter for imported in inputs.values() if imported.filter is not None}
    return filters.pop() if len(filters) == 1 else "linear" if filters else default


@dataclass(frozen=True)
class Imported:
    """A package as the engine holds it."""

    target: str
    materials: dict[str, ImportedMaterial] = field(default_factory=dict)
    slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """By mesh and slot, the material's name; `None` where a slot has none."""
    listed_slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """The same as the package list says it."""
    assigned_slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """The same as a material document beside the mesh says it, where there is one."""
    drawn: Drawn = field(default_factory=dict)
    scenes: dict[str, ImportedScene] = field(default_factory=dict)
    """By mesh; empty where the container has none that can be told."""
    containers: dict[str, list[str]] = field(default_factory=dict)
    """By container's file, the meshes that it holds."""
    second: dict[str, ImportedMaterial] = field(default_factory=dict)
    """The materials read once more, from that document."""
    problem: Problem | None = None
    """Why nothing could be read at all."""
    message: str = ""


def stored_channels(pixels: NDArray[Any], channels: str) -> Values:
    """Channels of a decoded texture, 0–1 as stored; a missing alpha is 1.

    `pixels` is `(h, w)` or `(h, w, c)`, 8 or 16 bits or float; `(h, w)` for one channel, else `(h,
    w, channels)`.
    """
    scale = np.float32(
        1.0 if np.issubdtype(pixels.dtype, np.floating) else np.iinfo(pixels.dtype).max
    )
    if channels == "rgb":
        return np.asarray(pixels[..., :3].astype(np.float32) / scale)
    position = "rgba".index(channels)
    if position >= pixels.shape[2]:
        return np.ones(pixels.shape[:2], np.float32)
    return np.asarray(pixels[..., position].astype(np.float32) / scale)


def decode_srgb(stored: Values) -> Values:
    """Linear light of stored sRGB. Source: IEC 61966-2-1, written out apart from the writers'
    own.
    """
    low = stored <= 0.04045
    return np.asarray(
        np.where(low, stored / 12.92, np.power((stored + 0.055) / 1.055, 2.4)), np.float32
    )


def linear_channels(imported: ImportedInput, stored: Values) -> Values:
    """An sRGB input's channels in linear light; 8-bit codes through a table, for speed."""
    pixels = imported.texture.pixels if imported.texture else None
    if pixels is None or pixels.dtype != np.uint8:
        return decode_srgb(stored)
    table = decode_srgb(np.arange(256, dtype=np.float32) / np.float32(255))
    if imported.channels == "rgb":
        return np.asarray(cv2.LUT(np.ascontiguousarray(pixels[..., :3]), table))
    if imported.channels == "a":
        return stored
    return np.asarray(table[pixels[..., "rgb".index(imported.channels)]])
