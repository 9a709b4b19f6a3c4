"""Materials of a USD file: UsdPreviewSurface, or MaterialX's surfaces where there is none."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ektopos.base.names import shortened, unique_names
from ektopos.base.usd_layers import Find
from ektopos.document import MaterialEntry
from ektopos.material_import.carried import Carried, CarriedMaterials, MapName
from ektopos.material_import.usd_mtlx import SURFACES, read_mtlx
from ektopos.material_import.usd_preview import read_preview
from ektopos.material_import.usd_reading import UsdMaterialReading
from ektopos.meshes.formats.usd import open_stage
from ektopos.meshes.formats.usd_parts import uv_set_names


def carried_by_usd(path: Path, find: Find, name: str, map_name: MapName) -> Carried:
    """The maps and materials of a USD or USDZ file. Raises `UnreadableFile`, or `ValueError` and
    its kin for damage."""
    from pxr import Usd, UsdShade

    collected = CarriedMaterials(map_name)
    with open_stage(path, find, name) as (stage, _):
        prims = [
            prim
            for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies())
            if prim.IsA(UsdShade.Material)
        ]
        sets = _uv_sets(stage)
        labels = unique_names([shortened(prim.GetName()) for prim in prims])
        materials = {}
        for label, prim in zip(labels, prims, strict=True):
            named = sets.get(str(prim.GetPath()), {})
            reading = UsdMaterialReading(label, path, find, collected, named)
            materials[label] = _material(reading, UsdShade.Material(prim))
        return collected.carried({k: v for k, v in materials.items() if v is not None})


def _material(reading: UsdMaterialReading, material: Any) -> MaterialEntry | None:
    """The material as a document has it; `None`, and said, without a surface that is read."""
    surface = material.ComputeSurfaceSource()[0]
    if surface and surface.GetIdAttr().Get() == "UsdPreviewSurface":
        return read_preview(reading, surface)
    surface = material.ComputeSurfaceSource("mtlx")[0]
    if surface and surface.GetIdAttr().Get() in SURFACES:
        return read_mtlx(reading, surface)
    reading.skip("it has no preview surface and none of MaterialX's that are read.")
    return None


def _uv_sets(stage: Any) -> dict[str, dict[str, int]]:
    """By the paths of materials, the numbers of the UV sets of the first mesh that each is on."""
    from pxr import Usd, UsdGeom, UsdShade

    sets: dict[str, dict[str, int]] = {}
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdGeom.Mesh):
            continue
        binding = UsdShade.MaterialBindingAPI(prim)
        numbers = {uv: number for number, uv in enumerate(uv_set_names(UsdGeom.Mesh(prim)))}
        for bound in (prim, *(subset.GetPrim() for subset in binding.GetMaterialBindSubsets())):
            material = UsdShade.MaterialBindingAPI(bound).ComputeBoundMaterial()[0]
            if material:
                sets.setdefault(str(material.GetPath()), numbers)
    return sets
