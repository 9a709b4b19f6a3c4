"""Facts about each slot of a mesh."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Index
from ektopos.base.vectors import bounds
from ektopos.meshes.islands import (
    faces_joined_by_edges,
    of_both,
    smallest_gap,
    twins,
    uv_points,
)
from ektopos.meshes.mesh import Mesh, areas_of
from ektopos.meshes.uvs import (
    coverage_and_overlap,
    signed_areas,
    singular_values,
    tile_numbers,
    uv_stretch,
)

TILED = 1.5
"""UVs that reach over more than this many units are laid out to repeat."""
INSIDE_BY = 1e-4
"""How far UVs may leave 0–1 and still count as inside: a tenth of a texel at 1024."""


@dataclass(frozen=True)
class UvFacts:
    """How a slot lies in UV space."""

    min: tuple[float, float] | None
    max: tuple[float, float] | None
    inside: bool
    coverage: float
    overlap: float
    flipped: float
    l2: float | None
    """Stretch; `None` without UVs, or where an area of the surface has no UV area and the stretch
    is endless."""
    linf: float | None
    islands: int = 0
    gap: float | None = None
    """Smallest distance between two islands, UV units; `None` with less than two, or where the UVs
    repeat."""
    stacked: float = 0.0
    """Share of the UV area that lies exactly on other triangles, turned the same way: twins that
    share on purpose."""
    mirrored: float = 0.0
    """The same, turned over."""
    tiles: tuple[int, ...] = ()
    """UDIM tiles that the triangles lie on, where there are others than the first."""


@dataclass(frozen=True)
class SlotFacts:
    """One slot, all its instances together."""

    name: str
    triangles: int
    share: float
    """Of the mesh's triangles, 0–1."""
    area: float
    """Square metres."""
    uv: UvFacts
    density: float | None
    """UV units per metre; times a map's size it is texels per metre. `None` without UVs or area."""
    spread: tuple[float, float] | None = None
    """The density that a tenth of the area stays below, and that a tenth is above."""


@dataclass(frozen=True)
class SlotTriangles:
    """What slots and the stage are told of every triangle, `(t,)` each."""

    areas: NDArray[np.float64]
    """Square metres."""
    signed: NDArray[np.float64]
    """Areas in UVs, as `signed_areas`; not a number without UVs."""
    largest: NDArray[np.float64]
    smallest: NDArray[np.float64]
    """The lengths on the surface of one UV unit, as `singular_values`."""


def measured_triangles(mesh: Mesh) -> SlotTriangles:
    """Areas and stretch of every triangle."""
    corners, corner_uvs = mesh.corners(), mesh.corner_uvs()
    return SlotTriangles(
        areas_of(corners), signed_areas(corner_uvs), *singular_values(corners, corner_uvs)
    )


def slot_facts(
    mesh: Mesh,
    measured: SlotTriangles | None = None,
    each: Callable[..., Iterable[SlotFacts]] = map,
) -> list[SlotFacts]:
    """Facts of every slot, in the mesh's order. Triangles without UVs are left out of the UV
    measures. `measured` are its triangles, where that was done already; `each` does the slots as
    `map` does."""
    m = measured or measured_triangles(mesh)
    by_axis = mesh.corner_uvs().transpose(1, 2, 0)
    has_uv = mesh.has_uv
    uv_point = uv_points(np.where(has_uv[:, None], mesh.uvs, 0))
    place = of_both(uv_point, mesh.points)
    mapped = np.logical_and.reduce([has_uv[corner] for corner in mesh.triangles.T])

    def of_slot(number: int, name: str) -> SlotFacts:
        own = mesh.triangle_slot == number
        those = np.flatnonzero(own & mapped)
        surface, signed = m.areas[those], m.signed[those]
        uv_area, area = np.abs(signed), float(surface.sum())
        triangles = mesh.triangles[those]
        return SlotFacts(
            name=name,
            triangles=int(own.sum()),
            share=float(own.sum() / max(1, len(own))),
            area=float(m.areas[own].sum()),
            uv=_uv_facts(
                by_axis[..., those].transpose(2, 0, 1),
                signed,
                uv_stretch(surface, signed, m.largest[those], m.smallest[those]),
                faces_joined_by_edges(place[triangles]),
                twins(signed, uv_point[triangles]),
            ),
            density=float(np.sqrt(uv_area.sum() / area)) if area > 0 and len(those) else None,
            spread=density_spread(surface, uv_area),
        )

    return list(each(of_slot, range(len(mesh.slots)), mesh.slots))


def triangle_measures(
    mesh: Mesh, measured: SlotTriangles | None = None
) -> dict[str, NDArray[np.float32]]:
    """Measures of every triangle, `(t,)`, to be seen on the mesh; not a number without UVs.

    `density` in UV units per metre; `stretch` as the larger of Γ and 1/γ at the slot's ideal scale,
    1 for none (Sander 2001); `flipped` is 1 where the UVs run against the face, else 0.
    """
    m = measured or measured_triangles(mesh)
    areas, signed, largest, smallest = m.areas, m.signed, m.largest, m.smallest
    with np.errstate(divide="ignore", invalid="ignore"):
        density = np.sqrt(np.abs(signed) / areas)
    stretched = np.full(len(areas), np.nan)
    for number in range(len(mesh.slots)):
        own = (mesh.triangle_slot == number) & np.isfinite(signed) & (signed != 0) & (areas > 0)
        if own.any():
            ideal = np.sqrt(areas[own].sum() / np.abs(signed[own]).sum())
            stretched[own] = np.maximum(
                largest[own] / ideal, ideal / np.maximum(smallest[own], 1e-12)
            )
    flipped = np.where(np.isfinite(signed), signed < 0, np.nan)
    return {
        name: v.astype(np.float32)
        for name, v in (("density", density), ("stretch", stretched), ("flipped", flipped))
    }


def density_spread(
    areas: NDArray[np.float64], uv_areas: NDArray[np.float64]
) -> tuple[float, float] | None:
    """UV units per metre that the surface is above and below on all but a tenth of its area each,
    `(t,)` areas given."""
    there = areas > 0
    if not there.any():
        return None
    density = np.sqrt(uv_areas[there] / areas[there])
    order = np.argsort(density)
    share = np.cumsum(areas[there][order]) / areas[there].sum()
    low, high = np.searchsorted(share, (0.1, 0.9))
    return float(density[order][low]), float(density[order][min(high, len(order) - 1)])


def _uv_facts(
    corner_uvs: NDArray[np.float64],
    signed: NDArray[np.float64],
    stretched: tuple[float, float],
    island_of: tuple[Index, int],
    stacked: tuple[float, float],
) -> UvFacts:
    if not len(corner_uvs):
        return UvFacts(None, None, True, 0.0, 0.0, 0.0, None, None)
    low, high = bounds(corner_uvs)
    covered, overlapped = coverage_and_overlap(corner_uvs)
    total = np.abs(signed).sum()
    (l2, linf), (island, islands) = stretched, island_of
    return UvFacts(
        min=(float(low[0]), float(low[1])),
        max=(float(high[0]), float(high[1])),
        inside=bool((low >= -INSIDE_BY).all() and (high <= 1 + INSIDE_BY).all()),
        coverage=covered,
        overlap=overlapped,
        flipped=float(np.abs(signed[signed < 0]).sum() / total) if total > 0 else 0.0,
        l2=l2 if np.isfinite(l2) else None,
        linf=linf if np.isfinite(linf) else None,
        islands=islands,
        gap=smallest_gap(corner_uvs, island) if float((high - low).max()) <= TILED else None,
        stacked=stacked[0],
        mirrored=stacked[1],
        tiles=() if (low > 0).all() and (high < 1).all() else tiles_of(corner_uvs),
    )


def tiles_of(corner_uvs: NDArray[np.float64]) -> tuple[int, ...]:
    """The UDIM tiles that triangles `(t, 3, 2)` lie on; empty for the first alone, and where
    triangles reach over more than one, so that maps repeat."""
    numbers = np.unique(tile_numbers(corner_uvs))
    a, b, c = (corner_uvs[:, i] for i in range(3))
    sides = np.maximum(np.maximum(a, b), c) - np.minimum(np.minimum(a, b), c)
    reach = sides.max(initial=0.0)
    if numbers.tolist() in ([], [1001]) or 0 in numbers or reach > 1.0 + INSIDE_BY:
        return ()
    return tuple(int(number) for number in numbers)
