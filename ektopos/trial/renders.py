"""Both sides under the same light: what was meant and what arrived, rendered and compared as eyes
would.

Source of the measures: FLIP (Andersson and others 2020) by its authors' package; SSIM (Wang and
others 2004) by scikit-image.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Encoding, Float, Pixels, WrapPair
from ektopos.base.vectors import normalise
from ektopos.document import AlphaMode, Filter, InputName, UvTransform
from ektopos.images import Image, fit_within, resize
from ektopos.materials.adjust import apply_strength, feed_curves
from ektopos.materials.inheritance import Material, Placement
from ektopos.materials.resolve import Decoded, MapLoader, feed_result, reduce_image, resolve_feed
from ektopos.materials.specular_workflow import to_metallic_roughness
from ektopos.meshes import Mesh
from ektopos.rendering import LIGHTS, SurfaceInputs
from ektopos.rendering.camera import frame_points
from ektopos.rendering.raycast import Geometry, HitBuffer
from ektopos.rendering.render import picture, render_hits
from ektopos.rendering.specimen import specimen, specimen_hits
from ektopos.trial.engine.package import (
    INPUTS,
    ImportedInput,
    ImportedMaterial,
    ImportedTriangles,
    Place,
)
from ektopos.trial.overlay import overlay

SIDE = 224
TEXELS = 256
"""Longest side of the pictures that are rendered with."""
LIGHT = "low-sun"
VIEWS: dict[str, tuple[float, float, float]] = {
    "front": (0.85, 0.72, 1.5),
    "back": (-0.9, 0.5, -1.4),
}

ArrivedValues = Callable[[ImportedInput, InputName], Float]


@dataclass(frozen=True)
class Rendered:
    """One view of one mesh, or of one material on the specimen, rendered from both sides of the
    trial."""

    mesh: str
    view: str
    light: str
    flip: float
    """Mean FLIP error, 0 for no difference to 1."""
    ssim: float
    """Structural similarity, 1 for equal pictures."""
    material: str | None = None
    """The material, where it is one on the specimen."""


@dataclass(frozen=True)
class ShadedMesh:
    """A mesh and the looks on its slots."""

    mesh: Mesh
    looks: Mapping[str, SurfaceInputs]

    @cached_property
    def geometry(self) -> Geometry:
        """The mesh as rays meet it, worked out once for all views."""
        return Geometry(self.mesh)


def compare_mesh(
    name: str, expected: ShadedMesh, imported: ShadedMesh, view: str
) -> tuple[Rendered, dict[str, Float]]:
    """One view of a mesh under the same light, as it was meant and as it arrived; with both
    pictures, their difference, and both shapes over each other.

    Pictures are `(h, w, 3)`, sRGB 0–1, the difference 0–1.
    """
    # Whatever moved or grew on the way is seen whole too.
    shown = [worn.mesh.positions[np.unique(worn.mesh.triangles)] for worn in (expected, imported)]
    camera = frame_points(np.concatenate(shown), VIEWS[view])
    sight = HitBuffer(expected.geometry, camera, SIDE, SIDE)
    other = (
        sight
        if imported.mesh is expected.mesh
        else HitBuffer(imported.geometry, camera, SIDE, SIDE)
    )
    flip, ssim, pictures = _compared((sight, expected.looks), (other, imported.looks))
    pictures["over"] = overlay(expected.mesh, imported.mesh, VIEWS[view], SIDE)
    return Rendered(name, view, LIGHT, flip, ssim), pictures


def arrived_mesh(name: str, drawn: Mapping[str, ImportedTriangles]) -> Mesh:
    """What an engine draws, by slot, as a mesh."""
    slots, parts = tuple(drawn), list(drawn.values())
    counts = [len(part.positions) for part in parts]
    total = sum(counts)

    def joined(values: list[NDArray[Any]], width: int) -> NDArray[Any]:
        flat = [one.reshape(-1, width) for one in values]
        return np.concatenate(flat) if flat else np.zeros((0, width))

    def normals(part: ImportedTriangles) -> NDArray[Any]:
        return np.zeros((len(part.positions), 3, 3)) if part.normals is None else part.normals

    def uvs(part: ImportedTriangles, number: int) -> NDArray[Any]:
        return part.uvs.get(number, np.full((len(part.positions), 3, 2), np.nan))

    sets = 1 + max((number for part in parts for number in part.uvs), default=0)
    first, *more = (joined([uvs(p, n) for p in parts], 2).astype(np.float32) for n in range(sets))
    owner = np.repeat(np.arange(len(slots), dtype=np.int32), counts)
    return Mesh(
        name=name,
        positions=joined([part.positions for part in parts], 3),
        triangles=np.arange(3 * total, dtype=np.int32).reshape(-1, 3),
        triangle_slot=owner,
        slots=slots,
        vertex_slot=np.repeat(owner, 3),
        normals=joined([normals(part) for part in parts], 3).astype(np.float32),
        uvs=first,
        colours=np.full((3 * total, 4), np.nan, np.float32),
        unnormalised=np.zeros(3 * total, bool),
        loose=(0,) * len(slots),
        uv_sets=(sets,) * len(slots),
        more_uvs=tuple(more),
    )


def compare_material(
    name: str, expected: SurfaceInputs, imported: SurfaceInputs
) -> tuple[Rendered, dict[str, Float]]:
    """The same of a material on the specimen, where flat, curved and grazing parts are seen at
    once.

    Pictures are `(h, w, 3)`, sRGB 0–1, the difference 0–1.
    """
    sight, slot = specimen_hits(SIDE), specimen().slots[0]
    flip, ssim, pictures = _compared((sight, {slot: expected}), (sight, {slot: imported}))
    return Rendered(slot, slot, LIGHT, flip, ssim, name), pictures


Seen = tuple[HitBuffer, Mapping[str, SurfaceInputs]]
"""A mesh before the camera, and what its slots wear."""


def _compared(expected: Seen, imported: Seen) -> tuple[float, float, dict[str, Float]]:
    import flip_evaluator
    from skimage.metrics import structural_similarity

    def drawn(seen: Seen) -> Float:
        return picture(render_hits(*seen, LIGHTS[LIGHT]))

    one = drawn(expected)
    alike = (
        expected[0] is imported[0]
        and expected[1].keys() == imported[1].keys()
        and all(_alike(look, imported[1][slot]) for slot, look in expected[1].items())
    )
    two = one if alike else drawn(imported)
    if np.array_equal(one, two):
        return (
            0.0,
            1.0,
            {"meant": one, "arrived": two, "difference": np.zeros(one.shape[:2], np.float32)},
        )
    errors, flip, _ = flip_evaluator.evaluate(one, two, "LDR", applyMagma=False)
    ssim = structural_similarity(one, two, channel_axis=2, data_range=1.0)  # type: ignore[no-untyped-call]
    difference = np.asarray(errors, np.float32)[..., 0]
    return (
        round(float(flip), 5),
        round(float(ssim), 5),
        {"meant": one, "arrived": two, "difference": difference},
    )


def _alike(one: SurfaceInputs, other: SurfaceInputs) -> bool:
    """Whether two looks are the same in every value, so that their pictures are; a constant may be
    one texel or many."""
    settings = {repr(replace(look, inputs={}, places={})) for look in (one, other)}
    if any(_lies(one, name) != _lies(other, name) for name in one.inputs):
        return False
    if len(settings) > 1 or one.inputs.keys() != other.inputs.keys():
        return False
    pairs = [(values, other.inputs[name]) for name, values in one.inputs.items()]
    fit = all(a.shape == b.shape or (1, 1) in (a.shape[:2], b.shape[:2]) for a, b in pairs)
    return fit and all(bool((a == b).all()) for a, b in pairs)


def _lies(look: SurfaceInputs, name: InputName) -> Placement | None:
    """Where an input lies; a constant lies nowhere."""
    values = look.input(name)
    if bool((values == values[0, 0]).all()):
        return None
    return look.places.get(name, Placement())


def expected_look(loader: MapLoader, material: Material) -> SurfaceInputs:
    """A material as it was authored, ready to be rendered at a reduced size."""
    small: dict[str, Decoded] = {}

    def find(name: str) -> Decoded:
        if name not in small:
            whole = loader.find(name)
            # The copy is linear already.
            small[name] = Decoded(_reduced(whole.image, whole.encoding), "linear", whole.normal_y)
        return small[name]

    inputs: dict[InputName, Float] = {}
    for name in cast(tuple[InputName, ...], INPUTS):
        feed = material.feeds[name]
        # Means and curves do not go both ways round, so what bends values is resolved at full size
        # first.
        bends = feed_curves(feed)
        inputs[name] = _small(
            resolve_feed(loader, feed, name) if bends else feed_result(feed, name, find), name
        )
    return SurfaceInputs(
        inputs,
        material.alpha_mode,
        material.alpha_cutoff,
        material.double_sided,
        material.placements(),
        material.filter,
        material.shading == "unlit",
    )


def imported_look(
    material: ImportedMaterial, values: ArrivedValues, texels: int = TEXELS
) -> SurfaceInputs:
    """A material as the engine holds it, ready to be rendered, at most so many texels a side."""
    inputs: dict[InputName, Float] = {}
    small: dict[tuple[str, str], Pixels] = {}
    for name in cast(tuple[InputName, ...], INPUTS):
        imported = material.inputs[name]
        texture = imported.texture
        if texture is not None and texture.pixels is None:
            continue
        if texture is not None and texture.pixels is not None:
            encoding: Encoding = "srgb" if imported.encoding == "srgb" else "linear"
            if (texture.path, encoding) not in small:
                whole = Image(texture.pixels)
                small[texture.path, encoding] = _reduced(whole, encoding, texels).pixels
            imported = replace(
                imported,
                texture=texture.showing(small[texture.path, encoding]),
                encoding="linear",
            )
        is_colour = imported.quantity in ("diffuse", "specular")
        read_as: InputName = "base_color" if is_colour else name
        found = _small(values(imported, read_as), read_as, texels)
        inputs[name] = apply_strength(found, name, imported.strength)
    if "metallic" in inputs and inputs["metallic"].ndim == 3:
        # A specular colour: with what arrived as diffuse, or with nothing there, as an engine would
        # draw it.
        specular = inputs["metallic"]
        diffuse = inputs.get("base_color", np.zeros_like(specular))
        height, width = (
            max(sides) for sides in zip(diffuse.shape[:2], specular.shape[:2], strict=True)
        )
        diffuse, specular = resize(diffuse, width, height), resize(specular, width, height)
        inputs["base_color"], inputs["metallic"], _ = to_metallic_roughness(
            diffuse, specular, np.zeros_like(diffuse[..., 0])
        )
    known = material.alpha_mode if material.alpha_mode in ("opaque", "mask", "blend") else "opaque"
    return SurfaceInputs(
        inputs,
        cast(AlphaMode, known),
        material.alpha_cutoff,
        material.double_sided,
        {name: _placement(material.inputs[name].place) for name in inputs},
        cast(Filter, material.filter),
        material.shading == "unlit",
    )


def _placement(place: Place) -> Placement:
    """Where a texture lies, as the renderer takes it; wrapping that it does not know clamps."""
    uv = UvTransform(
        set=place.uv_set, tiling=place.tiling, offset=place.offset, rotation=place.rotation
    )
    u, v = (side if side in ("repeat", "clamp", "mirror") else "clamp" for side in place.wrap)
    return Placement(uv, cast(WrapPair, (u, v)))


def _reduced(image: Image, encoding: Encoding, texels: int = TEXELS) -> Image:
    """A picture as it is rendered: linear, evenly thinned to four texels a side of each that is
    kept, and those averaged."""
    step = max(1, max(image.width, image.height) // (4 * texels))
    return reduce_image(Image(image.pixels[::step, ::step]), encoding, texels)


def _small(values: Float, name: str, texels: int = TEXELS) -> Float:
    width, height = fit_within(values.shape[1], values.shape[0], texels)
    sized = resize(values, width, height)
    return normalise(sized) if name == "normal" else sized
