"""Maps by other makers, out of registry packages: `outside/real_maps.csv` names each with what it
is and who says so. Nothing of them is copied into the project."""

from __future__ import annotations

import base64
import csv
import json
import re
import struct
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

TABLE = Path(__file__).parent / "outside" / "real_maps.csv"
NPM = Path(__file__).parent / "assets" / "node_modules"
PROFILES = NPM / "@webxr-input-profiles/assets/dist/profiles"


@dataclass(frozen=True)
class RealMap:
    """One row of the table."""

    package: str
    file: str
    map: str
    role: str
    half: str

    @property
    def folder(self) -> str:
        """The folder that it would lie in: that of its asset."""
        return re.sub(r"[^a-z0-9]+", "_", self.file.rpartition(".")[0].lower())

    def content(self) -> bytes:
        """The bytes of the picture."""
        if self.package == "@webxr-input-profiles/assets":
            return pictures_of(PROFILES / self.file)[self.map]
        if self.package == "@pmndrs/assets":
            text = (NPM / self.package / self.file).read_text()
            return base64.b64decode(text.partition("base64,")[2].partition("'")[0])
        name = {"scikit-image": "skimage"}.get(self.package, self.package)
        spec = find_spec(name)
        assert spec is not None and spec.origin is not None
        return (Path(spec.origin).parent / self.file).read_bytes()


def table() -> list[RealMap]:
    """Every row."""
    with TABLE.open(newline="") as file:
        return [
            RealMap(row["package"], row["file"], row["map"], row["role"], row["half"])
            for row in csv.DictReader(file)
        ]


@cache
def pictures_of(path: Path) -> dict[str, bytes]:
    """The pictures in a GLB by their names, read without the project's own code. Source: glTF 2.0,
    4.4 (GLB) and 5.18 (images)."""
    content = path.read_bytes()
    length = struct.unpack_from("<I", content, 12)[0]
    gltf, binary = json.loads(content[20 : 20 + length]), content[28 + length :]
    found = {}
    for image in gltf.get("images", []):
        view = gltf["bufferViews"][image["bufferView"]]
        start = view.get("byteOffset", 0)
        data = binary[start : start + view["byteLength"]]
        suffix = ".png" if data.startswith(b"\x89PNG") else ".jpg"
        found[re.sub(r"\.(png|jpe?g)$", "", image["name"], flags=re.IGNORECASE) + suffix] = data
    return found


def is_right(role: str, roles: dict[str, str]) -> bool:
    """Whether a verdict's roles are what a row says."""
    if role == "metallic_roughness":
        # glTF 2.0, 3.9.2: roughness in G, metallic in B.
        return roles.get("g") == "roughness" and roles.get("b") == "metallic"
    return next(iter(roles.values()), "") == role and set(roles) <= {"r", "rgb", "a"}
