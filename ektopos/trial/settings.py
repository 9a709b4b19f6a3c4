"""Judge what travels beside the maps: alpha mode, cut-off, sides, filter, surface tag, and where
UVs end up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ektopos.document import TABLE, UvTransform
from ektopos.materials.coverage import transform_uvs
from ektopos.materials.derive import Material
from ektopos.meshes import Mesh
from ektopos.targets.profile import Profile
from ektopos.trial.causes import Cause
from ektopos.trial.cells import Cell
from ektopos.trial.engine.package import ImportedMaterial, Place
from ektopos.types import Values

_PLACES = 1e-3
"""How far UVs may be from where they were meant to be, in UV units: float32 under any tiling in
use."""


def alpha_fault(material: Material, imported: ImportedMaterial) -> dict[str, Any] | None:
    """What of a cell differs, where alpha mode or cut-off are not as they were meant."""
    if imported.alpha_mode != material.alpha_mode:
        said = f"{material.alpha_mode} was meant, {imported.alpha_mode} arrived."
        return {"verdict": "differs", "cause": "alpha-mode-changed", "message": said}
    if material.alpha_mode == "mask" and abs(imported.alpha_cutoff - material.alpha_cutoff) > 1e-4:
        said = f"Cut-off {material.alpha_cutoff:g} was meant, {imported.alpha_cutoff:g} arrived."
        return {"verdict": "differs", "cause": "cutoff-changed", "message": said}
    return None


def judge_settings(
    cell: Cell, material: Material, imported: ImportedMaterial, profile: Profile
) -> Cell:
    """The verdict on sides, UV transform, filter and surface tag."""
    found: list[tuple[Cause, str]] = []
    if imported.double_sided != material.double_sided:
        found.append(
            (
                "sides-changed",
                "double-sided was meant" if material.double_sided else "single-sided was meant",
            )
        )
    carries_shading = profile.container in ("glb", "gltf")
    if imported.shading != material.shading and carries_shading:
        said = f"{material.shading} was meant, {imported.shading} arrived"
        found.append(("shading-changed", said))
    found += _moved(material, imported, profile)
    if material.placements() and imported.filter != material.filter:
        found.append(
            ("filter-changed", f"{material.filter} filtering was meant, {imported.filter} arrived")
        )
    if imported.surface_tag != material.surface_tag:
        found.append(
            (
                "unknown",
                f"surface tag “{material.surface_tag}” was meant, “{imported.surface_tag}” arrived",
            )
        )
    if not found and material.shading == "unlit" and not carries_shading:
        return replace(
            cell,
            verdict="unsupported",
            cause="not-carried-by-target",
            message="It is unlit, which this target cannot say.",
        )
    if not found:
        return cell
    message = "; ".join(text for _, text in found)
    return replace(
        cell, verdict="differs", cause=found[0][0], message=message[0].upper() + message[1:] + "."
    )


def _moved(
    material: Material, imported: ImportedMaterial, profile: Profile
) -> list[tuple[Cause, str]]:
    """What of UV sets, transforms and wrapping is not where it was meant to be, with the inputs."""
    inputs: dict[tuple[Cause, str], list[str]] = {}
    baked = profile.mesh.uv_transform == "baked"
    for name, place in material.placements().items():
        arrived = imported.inputs.get(name)
        if arrived is None or arrived.texture is None:
            continue
        uv, found = UvTransform() if baked else place.uv, arrived.place
        expected = (*uv.tiling, *uv.offset, uv.rotation)
        actual = (*found.tiling, *found.offset, found.rotation)
        faults: list[tuple[Cause, str]] = []
        if max(abs(a - b) for a, b in zip(expected, actual, strict=True)) > 1e-4:
            faults.append(("uv-transform-lost", "the UV transform is not the one that was meant"))
        if found.uv_set != uv.set:
            said = f"UV set {uv.set} was meant, {found.uv_set} arrived"
            faults.append(("uv-set-changed", said))
        if found.wrap != place.wrap:
            said = f"{_wrapping(place.wrap)} was meant, {_wrapping(found.wrap)} arrived"
            faults.append(("wrap-changed", said))
        for fault in faults:
            inputs.setdefault(fault, []).append(TABLE[name].label.lower())
    mapped = len(material.placements())
    return [
        (cause, said if len(names) == mapped else f"{said} (on {', '.join(names)})")
        for (cause, said), names in inputs.items()
    ]


def _wrapping(wrap: tuple[str, str]) -> str:
    return wrap[0] if wrap[0] == wrap[1] else f"{wrap[0]} in u and {wrap[1]} in v"


def judge_uvs(
    cell: Cell,
    mesh: Mesh,
    slot: str,
    material: Material,
    imported: ImportedMaterial,
    uvs: Mapping[int, Values],
    profile: Profile,
) -> Cell:
    """The same with the mesh's own UVs looked at: where every corner of a slot samples its maps,
    once all is applied. `uvs` are those that came, by set."""
    own = mesh.triangle_slot == mesh.slots.index(slot)
    baked = profile.mesh.uv_transform == "baked"
    pairs: dict[tuple[UvTransform, Place], None] = {}
    for name, place in material.placements().items():
        arrived = imported.inputs.get(name)
        if arrived is not None and arrived.texture is not None:
            pairs[place.uv, replace(arrived.place, wrap=("", ""))] = None
    if not pairs:
        pairs[material.uv if baked else UvTransform(), Place()] = None
    for uv, found in pairs:
        stored = mesh.corner_uvs(uv.set)[own]
        actual = uvs.get(found.uv_set)
        if cell.verdict != "same" or actual is None or not np.isfinite(stored).all():
            return cell
        moved = UvTransform(tiling=found.tiling, offset=found.offset, rotation=found.rotation)
        expected = transform_uvs(stored, uv)
        if not _lie_alike(expected, transform_uvs(actual.astype(np.float64), moved)):
            return replace(
                cell,
                verdict="differs",
                cause="uv-transform-lost",
                message="The mesh's UVs are not where they were meant to be.",
            )
    return cell


def _lie_alike(expected: Values, found: Values) -> bool:
    """Whether corners `(t, 3, 2)` lie in the same places; a mesh that went through other hands may
    list its triangles in another order."""
    if expected.shape == found.shape and _near(expected, found):
        return True
    bounds = [
        np.stack([f(uvs.reshape(-1, 2), axis=0) for f in (np.min, np.max, np.mean)])
        for uvs in (expected, found)
    ]
    return len(expected) == len(found) and _near(*bounds)


def _near(expected: Values, found: Values) -> bool:
    return bool(
        np.abs(expected - found).max(initial=0.0)
        <= _PLACES * max(1.0, float(np.abs(expected).max(initial=0.0)))
    )
