"""What a mesh file brings along: maps, materials, and what of them cannot be taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ektopos.base.errors import brief
from ektopos.base.names import free_name, shortened
from ektopos.base.types import Channels, Encoding, NormalY, WrapPair
from ektopos.document import (
    TABLE,
    Feed,
    InputName,
    MapEntry,
    MaterialEntry,
    Role,
    RoleChannels,
    UvTransform,
)
from ektopos.images import IMAGE_SUFFIXES
from ektopos.materials.inheritance import REPEAT

Place = tuple[UvTransform, WrapPair]
MapName = Callable[[str], str]
"""Gives, once for each picture's file name, the name that its map will have in the document."""


@dataclass(frozen=True)
class CarriedMap:
    """One picture that a mesh file brings, with what the file uses it for."""

    name: str
    """With its suffix."""
    entry: str
    """What it is called in the document."""
    read: Callable[[], bytes]
    """Reads or makes its content: whoever only asks what there is need not wait for it."""
    encoding: Encoding
    roles: dict[RoleChannels, Role]
    normal_y: NormalY | None = None
    part: str | None = None
    """The file beside the mesh that it is, as the mesh calls it; `None` for a picture inside."""
    materials: tuple[str, ...] = ()
    """The materials that use it."""

    @property
    def content(self) -> bytes:
        """The bytes of its file."""
        return self.read()


@dataclass(frozen=True)
class NotTaken:
    """Something of a material that cannot be kept exactly."""

    subject: str
    """`material NAME`."""
    message: str


@dataclass(frozen=True)
class Carried:
    """What a mesh file brings along."""

    maps: list[CarriedMap] = field(default_factory=list)
    materials: dict[str, MaterialEntry] = field(default_factory=dict)
    """Fed from `maps`, by their entries."""
    not_taken: list[NotTaken] = field(default_factory=list)
    file: str = ""
    """The mesh file's own name."""


_SILENT = {
    "base_color": Feed(value=(1.0, 1.0, 1.0)),
    "metallic": Feed(value=1.0),
    "roughness": Feed(value=1.0),
}
"""What a material is that only has a name. Source: glTF 2.0, 5.19 and 5.22, defaults."""


def says_something(entry: MaterialEntry) -> bool:
    """Whether a material is more than a name for a slot."""
    return entry != MaterialEntry(inputs=_SILENT)


@dataclass
class CarriedMaterials:
    """Maps and remarks while the materials of a file are read."""

    map_name: MapName
    maps: dict[str, CarriedMap] = field(default_factory=dict)
    """By what the file calls the picture."""
    not_taken: list[NotTaken] = field(default_factory=list)

    def skip(self, material: str, message: str) -> None:
        """Say that something of a material is not taken."""
        line = NotTaken(f"material {material}", brief(message))
        if line not in self.not_taken:
            self.not_taken.append(line)

    def picture(
        self,
        key: str,
        name: str,
        read: Callable[[], bytes] | None,
        material: str,
        *,
        beside: bool = False,
    ) -> str | None:
        """The key of a picture, by what the file calls it; `None`, and said, where it is not there
        (`read` is `None`) or of a kind that is not read. `beside` says that it is a file of its
        own."""
        if key in self.maps:
            one = self.maps[key]
            users = tuple(dict.fromkeys((*one.materials, material)))
            self.maps[key] = replace(one, materials=users)
            return key
        if not self.is_read(name, read, material) or read is None:
            return None
        plain = Path(name.replace("\\", "/"))
        taken = {one.name for one in self.maps.values()}
        unique = free_name(shortened(plain.stem), taken, plain.suffix)
        part = name if beside else None
        entry = self.map_name(unique)
        self.maps[key] = CarriedMap(
            unique, entry, read, "linear", {}, part=part, materials=(material,)
        )
        return key

    def is_read(self, name: str, read: Callable[[], bytes] | None, material: str) -> bool:
        """Whether a picture is there and of a kind that is read; said where it is not."""
        if Path(name).suffix.lower() not in IMAGE_SUFFIXES:
            self.skip(material, f"its picture {name} is of a kind that is not read.")
        elif read is None:
            self.skip(material, f"its picture {name} is not beside the mesh.")
        else:
            return True
        return False

    def use(self, key: str, channels: RoleChannels, role: Role, name: InputName) -> None:
        """Say what a material uses a picture for: its role, and so its encoding."""
        one = self.maps[key]
        colour = TABLE[name].is_colour or role in ("base_color", "specular")
        self.maps[key] = replace(
            one,
            encoding="srgb" if colour else one.encoding,
            roles=one.roles | {channels: role},
            normal_y="+" if role == "normal" else one.normal_y,
        )

    def carried(self, materials: dict[str, MaterialEntry]) -> Carried:
        """All of it."""
        return Carried(list(self.maps.values()), materials, self.not_taken)


def feed_of(
    entry: str | None, channels: Channels, value: float | tuple[float, ...], **more: Any
) -> Feed:
    """A feed of a map's channels times a factor, or of the factor alone."""
    if entry is None:
        return Feed(value=value, **more)
    if isinstance(value, tuple):
        more["tint"] = value
    elif value != 1.0:
        more["multiply"] = value
    return Feed(map=entry, channels=channels, **more)


def map_entries(carried: Carried, files: dict[str, str], set_name: str) -> dict[str, MapEntry]:
    """Entries for a document, as the mesh file says what they are; `files` says by the pictures'
    names where each is kept. Where several materials have maps, those of each are a set of its
    own, called behind `set_name`."""
    several = len({one.materials for one in carried.maps}) > 1
    return {
        one.entry: MapEntry(
            file=files[one.name],
            encoding=one.encoding,
            roles=one.roles,
            normal_y=one.normal_y,
            set=f"{set_name}_{one.materials[0]}" if several and one.materials else set_name,
            # glTF 2.0, 3.8.2: what a picture says of its colour space must be ignored.
            profile="ignore" if carried.file.lower().endswith((".gltf", ".glb")) else "apply",
            said_by=carried.file or None,
        )
        for one in carried.maps
    }


def laid(
    inputs: dict[InputName, Feed], places: dict[InputName, Place]
) -> tuple[dict[InputName, Feed], UvTransform | None, WrapPair | None]:
    """Feeds with where their maps lie, and where the material does: as its base colour, or its
    first map. A feed says itself only what differs from that."""
    places = {name: place for name, place in places.items() if inputs[name].map is not None}
    if not places:
        return inputs, None, None
    uv, wrap = places.get("base_color", next(iter(places.values())))
    own = {
        name: inputs[name].model_copy(
            update={
                "uv": None if place[0] == uv else place[0],
                "wrap": None if place[1] == wrap else place[1],
            }
        )
        for name, place in places.items()
    }
    return (
        inputs | own,
        None if uv == UvTransform() else uv,
        None if wrap == REPEAT else wrap,
    )
