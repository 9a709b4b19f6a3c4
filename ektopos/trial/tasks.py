"""The tasks of a trial that can each be done by themselves, on whatever machine, and what was
found of them.

What was found is kept by what it was found from, so that trying again after one change judges one
material. A task whose verdict is sound rests on its own maps, its own textures and the target
alone; the explanation of one that is not may name anything in the project and the package, and
rests on all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import ClassVar, Literal

from pydantic import ConfigDict, TypeAdapter

import ektopos
from ektopos.base.hashing import hash_file, hash_json
from ektopos.base.types import Json
from ektopos.trial.cells import SOUND, Cell
from ektopos.trial.renders import Rendered

Keep = Callable[[str, str, dict[str, bytes]], None]
"""Given a material or a mesh, an input or a render, and its small pictures (`meant`, `arrived`,
`difference`) as PNGs."""


@dataclass(frozen=True)
class Task:
    """A material that was meant and the one that arrived for it, or the renders of a mesh."""

    kind: Literal["material", "mesh"]
    meant: str
    """The material's or the mesh's name in the project."""
    arrived: str = ""
    """The material's key in the package."""
    judged: bool = True
    """Whether its inputs are compared: not where a slot was given another material."""


@dataclass(frozen=True)
class ShownMaterial:
    """A material as it arrived, to be looked at: its entry in a glTF file, whose textures are
    counted from its own pictures."""

    entry: Json
    pictures: list[bytes]
    """PNGs."""
    samplers: list[Json]
    """One for each of them."""
    extensions: list[str]


@dataclass(frozen=True)
class Result:
    """What was found of a task."""

    __pydantic_config__: ClassVar[ConfigDict] = ConfigDict(
        ser_json_bytes="base64", val_json_bytes="base64", ser_json_inf_nan="constants"
    )
    cells: list[Cell] = field(default_factory=list)
    """Of a material: each input and its settings, without mesh and slot."""
    renders: list[Rendered] = field(default_factory=list)
    pictures: list[tuple[str, str, dict[str, bytes]]] = field(default_factory=list)
    """Of what, which input or render, and PNGs by what they show."""
    shown: ShownMaterial | None = None

    @property
    def is_sound(self) -> bool:
        """Whether all of it arrived as it was meant."""
        return all(cell.verdict in SOUND for cell in self.cells)


FOUND = TypeAdapter(Result)


@dataclass(frozen=True)
class ResultCache:
    """Where what was found is kept, by keys of 64 hexadecimal digits. It may forget."""

    find: Callable[[str], bytes | None]
    """What is kept under a key."""
    keep: Callable[[str, bytes], object]
    """Keep it."""


@lru_cache(maxsize=1)
def code() -> str:
    """A hash of this program's core: what another version of it has found does not count."""
    files = sorted(Path(ektopos.__file__).parent.rglob("*.py"))
    return hash_json([hash_file(file) for file in files])
