"""Where a material lies: the slots that wear it, and the texels of its maps that these show."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Values
from ektopos.document import Document, InputName, UvTransform
from ektopos.materials.inheritance import Material
from ektopos.meshes import Mesh, faces_of, with_own_vertices
from ektopos.meshes.uvs import covered_texels


def transform_uvs(uvs: Values, uv: UvTransform) -> Values:
    """uv' = offset + rotation · (tiling · uv), `(…, 2)`. Source: KHR_texture_transform.

    A quarter turn takes (1, 0) to (0, −1): the matrix of the extension, v down.

    >>> turned = UvTransform(rotation=np.pi / 2)
    >>> transform_uvs(np.array([1.0, 0.0]), turned).round(6).tolist()
    [0.0, -1.0]
    """
    u, v = uvs[..., 0] * uv.tiling[0], uvs[..., 1] * uv.tiling[1]
    cos, sin = np.cos(uv.rotation), np.sin(uv.rotation)
    return np.stack([cos * u + sin * v + uv.offset[0], -sin * u + cos * v + uv.offset[1]], axis=-1)


def slots_with(document: Document, material: str) -> list[tuple[str, str]]:
    """The (mesh, slot) pairs that wear a material."""
    return [
        (mesh, slot)
        for mesh, entry in document.meshes.items()
        for slot, assigned in entry.slots.items()
        if assigned == material
    ]


def covered_by(
    document: Document,
    meshes: Mapping[str, Mesh],
    material: Material,
    inputs: Iterable[InputName],
    width: int,
    height: int,
) -> NDArray[np.bool_] | None:
    """Which texels of a file `(height, width)` that carries some of a material's inputs lie under
    its slots' islands; `None` if all may show: where nothing wears it, where UVs are missing, or
    leave 0–1."""
    corners = []
    places = list(dict.fromkeys(material.placement(name).uv for name in inputs))
    for mesh_name, slot in slots_with(document, material.name):
        mesh = meshes[mesh_name]
        if slot in mesh.slots:
            own = mesh.triangle_slot == mesh.slots.index(slot)
            corners += [transform_uvs(mesh.corner_uvs(uv.set)[own], uv) for uv in places]
    if not corners:
        return None
    return covered_texels(np.concatenate(corners), width, height)


def with_transform(mesh: Mesh, slot: str, uv: UvTransform) -> Mesh:
    """The mesh with a slot's first UVs where its material would have them."""
    faces = faces_of(mesh, [slot])
    own = with_own_vertices(mesh, faces)
    used = np.unique(own.triangles[faces])
    uvs = own.uvs.copy()
    uvs[used] = transform_uvs(own.uv_set(uv.set)[used].astype(np.float64), uv)
    return replace(own, uvs=uvs)
