"""A material without UVs: its pictures thrown onto a mesh from three sides, and kept in UVs that
the mesh has or is given."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import EktoposError
from ektopos.base.types import Float, Progress, Values, WrapPair, no_progress
from ektopos.base.vectors import normalise
from ektopos.document import TABLE, InputName
from ektopos.images import resize
from ektopos.materials.compositing import look_up
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.meshes.tangents import vertex_tangents
from ektopos.meshes.texels import OVERLAP, PADDING, Texels, slot_texels

_POINTS = 2000
"""Points of the surface at which a painted map is held against the projection."""
_PLAIN = 4 / 255
"""What varies by less looks the same everywhere."""
_UNEXPLAINED = 0.9
"""The share of how a picture varies that may be wrong: interpolation blurs the finest grain, a map
that faces share is a mean of all and explains nothing."""
_ROW = 4096
_REPEAT: WrapPair = ("repeat", "repeat")

_RIGHT = {
    (0, 1): (0, 0, -1),
    (0, -1): (0, 0, 1),
    (1, 1): (1, 0, 0),
    (1, -1): (1, 0, 0),
    (2, 1): (1, 0, 0),
    (2, -1): (-1, 0, 0),
}
_UP = {
    (0, 1): (0, 1, 0),
    (0, -1): (0, 1, 0),
    (1, 1): (0, 0, -1),
    (1, -1): (0, 0, 1),
    (2, 1): (0, 1, 0),
    (2, -1): (0, 1, 0),
}
"""By axis and side, what is right and up on a picture seen from outside: upright on the four sides,
and nowhere mirrored."""


@dataclass(frozen=True)
class ThreeSides:
    """How pictures are thrown onto a surface."""

    size: float = 1.0
    """Metres that a picture covers, before it repeats."""
    hardness: float = 4.0
    """How fast one side gives way to the next: 1 softly, 16 almost at an edge."""
    offset: float = 0.0
    """What of the normal does not count, 0–0.5: larger leaves each side more to itself. One side
    alone shows where no other reaches it."""

    def weights(self, normals: Values) -> Values:
        """How much each axis counts at unit normals `(n, 3)`: `(n, 3)`, together 1."""
        # The strongest side always counts.
        reach = np.abs(normals)
        bare = np.maximum(reach - min(self.offset, 0.57), 0.0)
        bare /= np.maximum(bare.max(axis=1, keepdims=True), 1e-9)
        weighed = bare**self.hardness
        return np.asarray(weighed / weighed.sum(axis=1, keepdims=True))


def project_triplanar(
    mesh: Mesh,
    slots: list[str],
    inputs: Mapping[InputName, Float],
    sides: ThreeSides,
    size: int,
    *,
    padding: int = PADDING,
    progress: Progress = no_progress,
) -> dict[InputName, Float]:
    """Inputs, canonical arrays `(h, w)` or `(h, w, 3)`, thrown onto some slots from three sides and
    painted into their UVs: `(size, size, …)` each.

    Normals bend the surface's own, and come out in the tangent space of the UVs. Raises
    `EktoposError` without UVs, where faces share texels, and where what was painted is not what the
    projection shows. Cost: three look-ups a covered texel and input.
    """
    mesh = with_normals(mesh)
    texels = slot_texels(mesh, slots, size)
    if texels.overlap > OVERLAP:
        raise EktoposError(
            f"its UVs overlap: several faces share {texels.overlap:.0%} of its texels, and each "
            "would get a mean of all.",
            subject=", ".join(slots),
            hint="Unwrap it first.",
        )
    coarse = _metres_a_texel(mesh, texels) / sides.size
    points = _random_points(mesh, texels, size)
    made: dict[InputName, Float] = {}
    for done, (name, values) in enumerate(inputs.items()):
        progress(done / len(inputs), f"throwing {TABLE[name].label.lower()}")
        values = _no_finer(values, coarse)
        flat = _projected(mesh, texels, values, sides, is_normal=name == "normal")
        default = TABLE[name].default
        empty = 0.0 if isinstance(default, tuple) else default
        painted = texels.painted(flat if values.ndim == 3 else flat[:, 0], empty, padding)
        if name == "normal":
            painted[~painted.any(axis=2)] = (0.0, 0.0, 1.0)
            painted = normalise(painted)
        shown = _projected(mesh, points, values, sides, is_normal=name == "normal")
        if not _holds(painted, mesh, points, shown):
            raise EktoposError(
                f"its {TABLE[name].label.lower()} as painted is not what the projection shows.",
                subject=", ".join(slots),
                hint="Unwrap it first, or make a larger map.",
            )
        made[name] = painted
    return made


def _projected(
    mesh: Mesh, texels: Texels, values: Float, sides: ThreeSides, *, is_normal: bool
) -> Float:
    """A picture as it is seen at points of a surface: `(h, w)` or `(h, w, c)`, `(n, c)`."""
    places = texels.of_vertices(mesh, mesh.positions)
    up = normalise(texels.of_vertices(mesh, mesh.normals))
    weights = sides.weights(up)
    signs = np.where(up >= 0, 1, -1)
    blended: Values = np.zeros((len(places), values.shape[2] if values.ndim == 3 else 1))
    for axis in range(3):
        for sign in (1, -1):
            those = np.flatnonzero((signs[:, axis] == sign) & (weights[:, axis] > 1e-4))
            if not len(those):
                continue
            right, above = np.array(_RIGHT[axis, sign]), np.array(_UP[axis, sign])
            uvs = np.stack([places[those] @ right, -(places[those] @ above)], axis=1)
            read = _read(values, uvs / sides.size)
            if is_normal:
                read = read[:, :1] * right + read[:, 1:2] * above + read[:, 2:] * up[those]
            blended[those] += read * weights[those, axis : axis + 1]
    if is_normal:
        blended = _in_tangent_space(mesh, texels, normalise(blended), up)
    return blended.astype(np.float32)


def _random_points(mesh: Mesh, texels: Texels, size: int) -> Texels:
    """Points of the surface that has these texels, spread evenly by area."""
    rng = np.random.default_rng(0)
    own = np.unique(texels.triangles)
    a, b, c = np.moveaxis(mesh.corners()[own], 1, 0)
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    chosen = rng.choice(own, _POINTS, p=area / area.sum() if area.sum() > 0 else None)
    corners = rng.dirichlet((1.0, 1.0, 1.0), _POINTS)
    return Texels(size, np.zeros(_POINTS, np.int64), chosen, corners)


def _holds(painted: Float, mesh: Mesh, points: Texels, shown: Float) -> bool:
    """Whether a painted map shows at points of the surface what is shown there without it `(n, c)`:
    it has to explain some of how that varies, where it varies at all."""
    uvs = points.of_vertices(mesh, mesh.uvs)
    read = _read(painted, uvs)
    spread = float(np.median(np.abs(shown - np.median(shown, axis=0))))
    return spread < _PLAIN or float(np.median(np.abs(read - shown))) < _UNEXPLAINED * spread


def _read(values: Float, uvs: Values) -> Values:
    """Values at UVs `(n, 2)`: `(n, channels)`."""
    rows = -(-len(uvs) // _ROW)
    filled = np.zeros((rows * _ROW, 2))
    filled[: len(uvs)] = uvs
    read = look_up(values, filled.reshape(rows, _ROW, 2), _REPEAT)
    return read.reshape(rows * _ROW, -1)[: len(uvs)].astype(np.float64)


def _metres_a_texel(mesh: Mesh, texels: Texels) -> float:
    """How long a texel is on the surface, on the whole."""
    corners = mesh.corners()[np.unique(texels.triangles)]
    a, b, c = np.moveaxis(corners, 1, 0)
    area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2
    return float(np.sqrt(area / len(texels.cells)))


def _no_finer(values: Float, texel: float) -> Float:
    """A picture shrunk until its texels are no finer than those it is painted with; `texel` is
    their length in widths of the picture."""
    most = max(1, round(1.0 / max(texel, 1e-9)))
    return resize(values, min(values.shape[1], most), min(values.shape[0], most), _REPEAT)


def _in_tangent_space(mesh: Mesh, texels: Texels, world: Values, up: Values) -> Values:
    """World-space unit normals `(n, 3)` in the tangent space that an engine makes of the UVs."""
    tangents = vertex_tangents(
        mesh.positions, mesh.normals, np.nan_to_num(mesh.uvs), mesh.triangles
    )[texels.triangles]
    along = np.einsum("ij,ijk->ik", texels.weights, tangents[..., :3].astype(np.float64))
    along = normalise(along - up * np.einsum("ij,ij->i", along, up)[:, None])
    sign: NDArray[np.float64] = tangents[:, 0, 3].astype(np.float64)
    across = np.cross(up, along) * sign[:, None]
    return np.stack([np.einsum("ij,ij->i", world, axis) for axis in (along, across, up)], axis=1)
