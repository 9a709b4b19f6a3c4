"""Judge what travels beside the maps: alpha mode, cut-off, sides, filter, surface tag, and where
UVs end up."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ektopos.document import UvTransform
from ektopos.materials.coverage import transform_uvs
from ektopos.materials.derive import Material
from ektopos.meshes import Mesh
from ektopos.targets.profile import Profile
from ektopos.trial.causes import Cause
from ektopos.trial.cells import Cell
from ektopos.trial.engine.package import ImportedMaterial
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


def is_mapped(material: Material) -> bool:
    """Whether any map of a material is carried, so that its UV transform and its filter count."""
    idle = {"height"} | ({"opacity"} if material.alpha_mode == "opaque" else set())
    return any(feed.maps() for name, feed in material.feeds.items() if name not in idle)


def judge_settings(
    cell: Cell, material: Material, imported: ImportedMaterial, profile: Profile
) -> Cell:
    """The verdict on sides, UV transform, filter and surface tag."""
    expected_uv = UvTransform() if profile.mesh.uv_transform == "baked" else material.uv
    found: list[tuple[Cause, str]] = []
    if imported.double_sided != material.double_sided:
        found.append(
            (
                "sides-changed",
                "double-sided was meant" if material.double_sided else "single-sided was meant",
            )
        )
    expected = (*expected_uv.tiling, *expected_uv.offset, expected_uv.rotation)
    actual = (*imported.tiling, *imported.offset, imported.rotation)
    mapped = is_mapped(material)
    if mapped and (
        max(abs(a - b) for a, b in zip(expected, actual, strict=True)) > 1e-4
        or imported.untransformed
    ):
        where = f" (on {', '.join(imported.untransformed)})" if imported.untransformed else ""
        found.append(
            ("uv-transform-lost", f"the UV transform is not the one that was meant{where}")
        )
    if mapped and imported.filter != material.filter:
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
    if not found:
        return cell
    message = "; ".join(text for _, text in found)
    return replace(
        cell, verdict="differs", cause=found[0][0], message=message[0].upper() + message[1:] + "."
    )


def judge_uvs(
    cell: Cell,
    mesh: Mesh,
    slot: str,
    material: Material,
    actual: Values | None,
    imported: ImportedMaterial,
    profile: Profile,
) -> Cell:
    """The same with the mesh's own UVs looked at: where every corner of a slot samples its maps,
    once all is applied."""
    number = mesh.slots.index(slot)
    own = mesh.corner_uvs()[mesh.triangle_slot == number]
    if cell.verdict != "same" or actual is None or not np.isfinite(own).all():
        return cell
    mapped = is_mapped(material)
    counts = mapped or profile.mesh.uv_transform == "baked"
    expected = transform_uvs(own, material.uv if counts else UvTransform())
    place = UvTransform(tiling=imported.tiling, offset=imported.offset, rotation=imported.rotation)
    found = transform_uvs(actual.astype(np.float64), place if mapped else UvTransform())
    if expected.shape == found.shape and _near(expected, found):
        return cell
    # A mesh that went through other hands may list its triangles in another order.
    bounds = [
        np.stack([f(uvs.reshape(-1, 2), axis=0) for f in (np.min, np.max, np.mean)])
        for uvs in (expected, found)
    ]
    if len(expected) == len(found) and _near(*bounds):
        return cell
    return replace(
        cell,
        verdict="differs",
        cause="uv-transform-lost",
        message="The mesh's UVs are not where they were meant to be.",
    )


def _near(expected: Values, found: Values) -> bool:
    return bool(
        np.abs(expected - found).max(initial=0.0)
        <= _PLACES * max(1.0, float(np.abs(expected).max(initial=0.0)))
    )
