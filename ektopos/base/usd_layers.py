"""USD layers before they are composed: nothing outside the file is followed, nothing is drawn more
often than can be held.

Composing a stage opens whatever its layers refer to, wherever on this machine it lies, and a few
lines of references to references describe more prims than any memory holds. Both are seen in the
layers themselves, which are read one by one.
"""

from __future__ import annotations

import contextlib
import mmap
import posixpath
import re
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ektopos.base.types import MAX_INSTANCES

if TYPE_CHECKING:
    from pxr import Sdf

MAX_PRIMS = 30_000
"""Of the composed scene, every instance counted."""
_TEXT = b"#usda"
_OF_INSTANCES = re.compile(
    rb"\b(?:positions|protoIndices|orientationsf?|scales|ids|velocities)(?:\.timeSamples)?"
    rb"\s*=[^\[\]\n]*(?:\n[^\[\]\n=]*)?\["
)
"""Where an array of a PointInstancer begins. Source: OpenUSD, UsdGeomPointInstancer."""
MAX_NESTING = 200
MAX_LAYERS = 1000
Find = Callable[[str], Path | None]
_LAYERS = (".usd", ".usda", ".usdc", ".usdz")
_CLIPS = "clips"
"""Metadata of a prim that reads its values from other layers. Source: OpenUSD, “Value Clips”."""


@contextlib.contextmanager
def gathered(path: Path, find: Find, name: str) -> Iterator[tuple[Path, list[str]]]:
    """A folder of links to a USD file and to every layer beside it that it refers to, found by
    `find`; gives where the file is in it and the names of the others.

    The library goes by the suffix, which files in a content-addressed store do not have.
    """
    with tempfile.TemporaryDirectory(prefix="ektopos-") as folder:
        root = Path(folder) / f"mesh{Path(name).suffix.lower()}"
        root.symlink_to(path.resolve())
        beside: list[str] = []
        waiting = [] if root.suffix == ".usdz" else [("", root)]
        while waiting and len(beside) < MAX_LAYERS:
            place, file = waiting.pop()
            for inner in _referred(file, place):
                if inner in beside:
                    continue
                layer = find(inner)
                if layer is not None:
                    link = Path(folder) / inner
                    link.parent.mkdir(parents=True, exist_ok=True)
                    link.symlink_to(layer.resolve())
                    beside.append(inner)
                    waiting.append((inner, link))
        yield root, beside


def usd_companions(path: Path, name: str) -> list[str]:
    """Relative paths of the layers that a USD file itself refers to."""
    with gathered(path, lambda part: None, name) as (root, _):
        return [] if root.suffix == ".usdz" else _referred(root, "")


def _referred(file: Path, place: str) -> list[str]:
    """What a layer refers to that may lie beside it or below; nothing for what is no layer."""
    from pxr import Tf

    try:
        layer = _opened(file)
    except Tf.ErrorException:
        layer = None
    assets = layer.GetCompositionAssetDependencies() if layer else ()
    members = (_member(asset, place) for asset in assets if asset)
    return [inner for inner in members if is_within(inner) and inner.lower().endswith(_LAYERS)]


def _opened(path: Path, member: str = "") -> Any:
    """A layer, or a member of a package. Raises `ValueError` for one whose text would take long to
    read, only to be refused afterwards."""
    from pxr import Sdf

    if not member and path.suffix.lower() == ".usdz":
        with zipfile.ZipFile(path) as archive:
            for inner in archive.infolist():
                if inner.filename.lower().endswith(_LAYERS):
                    _check_instances(archive.read(inner))
    elif not member and path.is_file() and path.stat().st_size:
        with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as text:
            _check_instances(text)
    return Sdf.Layer.FindOrOpen(f"{path}[{member}]" if member else str(path))


def _check_instances(text: bytes | mmap.mmap) -> None:
    """Raises `ValueError` where a layer written as text scatters more than `MAX_INSTANCES` things:
    the library reads a million such numbers a second, and only then says how many there are."""
    if text[: len(_TEXT)] != _TEXT or text.find(b"PointInstancer") < 0:
        return
    for found in _OF_INSTANCES.finditer(text):
        values = text[found.end() : text.find(b"]", found.end())]
        count = values.count(b"(") or values.count(b",")
        if count > MAX_INSTANCES:
            raise ValueError(f"it scatters {count:,} things; at most {MAX_INSTANCES:,} are read")


def confined_layer(path: Path, beside: list[str]) -> tuple[Any, list[str]]:
    """The root layer of a USD file with every arc taken out that does not lead to one of its own
    members or of those that lie `beside` it, and what was taken out.

    Only exact names count: the library understands much more than names (arguments, packages in
    packages, expressions). What attributes name stays: nothing opens it. A package cannot be
    changed: where something of it leads elsewhere, it must not be composed. `None` for what is no
    layer. Raises `ValueError` if it would compose more than `MAX_PRIMS`.
    """
    from pxr import UsdUtils

    root = _opened(path)
    if not root:
        return None, []
    packed = path.suffix.lower() == ".usdz"
    members = [name for name in _names_in(path) if is_within(name)] if packed else []
    members = members or [path.name, *beside]
    left_out: list[str] = []
    layers: dict[str, Sdf.Layer] = {"": root}
    waiting = [(root, members[0])]
    while waiting:
        layer, place = waiting.pop()
        clips = _clips(layer)
        left_out += [f"value clips of {spec.path}" for spec in clips]
        arcs = [asset for asset in layer.GetCompositionAssetDependencies() if asset]
        out = {asset for asset in arcs if _member(asset, place) not in members}
        left_out += sorted(out)
        if not packed:
            for spec in clips:
                spec.ClearInfo(_CLIPS)
            if out:
                UsdUtils.ModifyAssetPaths(layer, partial(_without, out, set(arcs) - out))
        for asset in arcs:
            inner = _member(asset, place)
            places = (
                _opened(path, inner)
                if packed
                else _opened(path.parent / inner)
                if inner in members and inner not in layers
                else None
            )
            if places:
                layers[inner] = places
                waiting.append((places, inner))
    prims = _Count(layers, members[0]).below("", "/", 0)
    if prims > MAX_PRIMS:
        raise ValueError(f"its references compose more than {MAX_PRIMS:,} prims")
    return root, list(dict.fromkeys(left_out))


def _without(out: set[str], within: set[str], asset: str) -> str:
    """A path that may stay, or nothing. The library gives what expressions come to, not the
    expressions: where there are any, only what is known stays."""
    expressed = any("`" in other for other in out)
    return asset if asset in within or not (expressed or asset in out) else ""


def strangers(stage: Any, allowed: set[Path]) -> list[str]:
    """Layers that a stage has composed and that are none of those allowed, by their true places."""
    places = (layer.realPath.partition("[")[0] for layer in stage.GetUsedLayers())
    return [place for place in places if place and Path(place).resolve() not in allowed]


def _names_in(path: Path) -> list[str]:
    with zipfile.ZipFile(path) as archive:
        return archive.namelist()


def is_within(name: str) -> bool:
    """Whether the name of a member stays below its package, and is nothing but a name."""
    plain = posixpath.normpath(name)
    return bool(name) and not plain.startswith(("/", "..")) and not set(":[]`\\") & set(name)


def _clips(layer: Any) -> list[Any]:
    """The prims of a layer that read values from other layers, by patterns of names."""
    found: list[Any] = []

    def visit(path: Any) -> None:
        spec = layer.GetPrimAtPath(path)
        if spec and spec.HasInfo(_CLIPS):
            found.append(spec)

    layer.Traverse("/", visit)
    return found


def _member(asset: str, place: str) -> str:
    """The name in the package of what a layer at `place` refers to."""
    return posixpath.normpath(posixpath.join(posixpath.dirname(place), asset))


class _Count:
    """How many prims a path of a layer composes, each path counted once."""

    def __init__(self, layers: dict[str, Sdf.Layer], first: str) -> None:
        self.layers, self.first = layers, first
        self.known: dict[tuple[str, str], int] = {}

    def below(self, layer: str, path: str, depth: int) -> int:
        """Prims at and below a path; at most a little more than `MAX_PRIMS`, with which counting
        ends."""
        key = (layer, path)
        if key in self.known:
            return self.known[key]
        if depth > MAX_NESTING:
            raise ValueError(f"its prims are nested more than {MAX_NESTING} deep")
        self.known[key] = 1  # what refers to itself is the library's to refuse
        spec = (
            self.layers[layer].GetPrimAtPath(path) if path != "/" else self.layers[layer].pseudoRoot
        )
        if not spec:
            return 1
        total = 1
        for other, goal in self._parts(layer, spec):
            total += self.below(other, goal, depth + 1)
            if total > MAX_PRIMS:
                break
        self.known[key] = total
        return total

    def _parts(self, layer: str, spec: Any) -> list[tuple[str, str]]:
        """What a spec is put together from: children, variants and arcs, each by layer and path."""
        parts = [(layer, str(child.path)) for child in spec.nameChildren]
        if str(spec.path) == "/":
            return parts
        for variants in spec.variantSets.values():
            parts += [(layer, str(variant.primSpec.path)) for variant in variants.variantList]
        for arc in [*spec.referenceList.GetAppliedItems(), *spec.payloadList.GetAppliedItems()]:
            other = _member(arc.assetPath, layer or self.first) if arc.assetPath else layer
            if other in self.layers:
                goal = str(arc.primPath) or f"/{self.layers[other].defaultPrim}"
                parts.append((other, goal))
        for arcs in (spec.inheritPathList, spec.specializesList):
            parts += [(layer, str(path)) for path in arcs.GetAppliedItems()]
        return parts
