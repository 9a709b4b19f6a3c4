"""Paint into the UVs of a mesh's slots: a mask of faces, vertex colours, or a material that is
thrown on from three sides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.base.names import free_name, in_words
from ektopos.base.types import Float, Pixels, Progress
from ektopos.base.vectors import encode_normals
from ektopos.document import (
    COLOUR_INPUTS,
    ROLES,
    Document,
    Feed,
    InputName,
    MapEntry,
    UvTransform,
)
from ektopos.document.mesh_steps import MeshStep, PackUvs
from ektopos.edits import AddMaterial, Assign, Edit, Import, SetFeed, SetRecipe, SetSetting
from ektopos.images import linear_to_srgb, quantise, write_image
from ektopos.maps import map_name
from ektopos.materials import MapLoader, resolve_inheritance
from ektopos.materials.resolve import resolve_feed
from ektopos.materials.triplanar import ThreeSides, project_triplanar
from ektopos.meshes import Mesh, apply_recipe, carried
from ektopos.meshes.texels import paint_colours, paint_faces
from server.workshop.jobs.measuring import keep_map
from server.workshop.jobs.slot_to_bake import slot_to_bake
from server.workshop.mesh_cache import keep_changed
from server.workshop.models import Job, StaleRevision

Made = Callable[[Document], tuple[list[Edit], dict[str, str], Any]]

_SUFFIX: dict[InputName, str] = {"base_color": "BaseColor", "emission": "Emission"}


def paint(job: Job, progress: Progress) -> Made:
    """Make the maps that are asked for (`what`), and what uses them; one step to undo."""
    baking = slot_to_bake(job)
    mesh_name, mesh, slot = baking.mesh_name, baking.mesh, baking.slot
    progress(0.1, f"painting {slot}")
    if job.arguments["what"] == "three-sides":
        return _thrown(job, mesh_name, mesh, slot, progress)
    size = int(job.arguments["size"])
    if job.arguments["what"] == "colours":
        colours = paint_colours(mesh, [slot], size)
        planes = [linear_to_srgb(colours[..., :3])]
        if float(colours[..., 3].min()) < 1.0:
            planes.append(colours[..., 3:])
        return _one_map(f"{mesh_name}_{slot}_colours", np.concatenate(planes, axis=2), colour=True)
    own = np.flatnonzero(mesh.triangle_slot == baking.number)
    at = np.asarray(job.arguments.get("at") or [], np.int64)
    if not len(at) or at.max() >= len(own):
        raise EktoposError(
            "the faces that were picked are not in the slot any more.",
            subject=slot,
            hint="Pick them again.",
        )
    mask = paint_faces(mesh, baking.sharing, own[at], size)
    return _one_map(f"{mesh_name}_{slot}_mask", mask[..., None], colour=False)


def _one_map(stem: str, values: Float, *, colour: bool) -> Made:
    sha = _kept(f"{stem}.png", quantise(values, 8))

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        entry = map_name(f"{stem}.png", set(document.maps))
        file = f"maps/painted/{entry}.png"
        made = MapEntry(
            file=file,
            encoding="srgb" if colour else "linear",
            roles={} if colour else {"r": "mask"},
            set=stem,
            by_hand=True,
        )
        return [Import(maps={entry: made})], {file: sha}, {"map": entry}

    return finish


@dataclass(frozen=True)
class _Thrown:
    """A material thrown on a slot: its maps' contents, and what feeds them in."""

    material: str
    contents: dict[InputName, str]
    wide: frozenset[InputName]
    """Inputs whose maps have three channels."""
    emission: float
    """The strength of its emission."""


def _thrown(job: Job, mesh_name: str, mesh: Mesh, slot: str, progress: Progress) -> Made:
    entry = job.project.document.meshes[mesh_name]
    steps: list[MeshStep] = []
    own = mesh.triangle_slot == mesh.slots.index(slot)
    before = mesh
    if job.arguments["anew"] or not mesh.has_uv[mesh.triangles[own]].all():
        size = int(job.arguments["size"])
        steps = [PackUvs(kind="pack-uvs", slots=[slot], anew=True, texels=size, gap=8)]
        progress(0.2, f"unwrapping {slot}")
        mesh = apply_recipe(mesh, steps)
    thrown = _throw(job, f"{mesh_name}_{slot}", mesh, slot, entry.slots.get(slot), progress)
    recipe = [*entry.recipe, *steps]
    unwrapped: list[Edit] = []
    if steps:
        keep_changed(job.project.head, mesh_name, recipe, mesh)
        came_from = carried(before, mesh)
        unwrapped = [SetRecipe(mesh=mesh_name, recipe=recipe, came_from=came_from)]

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        now = document.meshes.get(mesh_name)
        gone = thrown.material not in document.materials
        if now is None or [*now.recipe, *steps] != recipe or gone:
            raise StaleRevision(f"what is done to {mesh_name}")
        goal, edits, files = _dressed(document, f"{mesh_name}_{slot}", slot, thrown)
        worn = Assign(mesh=mesh_name, slots=[slot], material=goal)
        return [*unwrapped, *edits, worn], files, {"material": goal}

    return finish


def _throw(
    job: Job, stem: str, mesh: Mesh, slot: str, material: str | None, progress: Progress
) -> _Thrown:
    """The maps of a slot's material, thrown on and written. Raises `EktoposError` where there is
    nothing to throw."""
    if material is None:
        raise EktoposError(
            "no material is assigned to it, so there is nothing to project.",
            subject=slot,
            hint="Give it one.",
        )
    whole = resolve_inheritance(job.project.document, material)
    loader = MapLoader(job.project.core())
    inputs = {
        name: resolve_feed(loader, feed, name, with_strength=name != "emission")
        for name, feed in whole.feeds.items()
        if feed.maps() and not (name == "opacity" and whole.alpha_mode == "opaque")
    }
    if not inputs:
        raise EktoposError(
            "nothing of its material comes from a map.",
            subject=material,
            hint="A material of constants needs no UVs.",
        )
    numbers = (float(job.arguments[key]) for key in ("metres", "hardness", "offset"))
    made = project_triplanar(
        mesh,
        [slot],
        inputs,
        ThreeSides(*numbers),
        int(job.arguments["size"]),
        progress=lambda share, words: progress(0.3 + 0.5 * share, words),
    )
    # What is brighter than white goes into the strength.
    glow = max(1.0, float(made["emission"].max())) if "emission" in made else 1.0
    contents: dict[InputName, str] = {}
    for name, values in made.items():
        progress(0.85, f"writing {in_words(name)}")
        held = np.asarray(values / glow, np.float32) if name == "emission" else values
        contents[name] = _kept(f"{stem}_{_suffix(name)}.png", _stored(name, held))
    wide = frozenset(name for name, values in made.items() if values.ndim == 3)
    return _Thrown(material, contents, wide, whole.feeds["emission"].strength * glow)


def _dressed(
    document: Document, stem: str, slot: str, thrown: _Thrown
) -> tuple[str, list[Edit], dict[str, str]]:
    """A material of the slot's own, derived from the one that was thrown on, with its maps: its
    name, the edits, and the maps' contents by path."""
    goal = free_name(f"{thrown.material}_{slot}", document.materials)
    taken, step, files = set(document.maps), Import(), {}
    feeds: list[Edit] = []
    for name, sha in thrown.contents.items():
        entry = map_name(f"{stem}_{_suffix(name)}.png", taken)
        taken.add(entry)
        file = f"maps/painted/{entry}.png"
        wide = name in thrown.wide
        step.maps[entry] = MapEntry(
            file=file,
            encoding="srgb" if name in COLOUR_INPUTS else "linear",
            roles={"rgb" if wide else "r": next((r for r in ROLES if r == name), "unknown")},
            normal_y="+" if name == "normal" else None,
            set=goal,
            by_hand=True,
        )
        files[file] = sha
        strength = thrown.emission if name == "emission" else 1.0
        feed = Feed(map=entry, channels="rgb" if wide else "r", strength=strength)
        feeds.append(SetFeed(material=goal, input=name, feed=feed))
    lies = SetSetting(material=goal, setting="uv", value=UvTransform().model_dump(mode="json"))
    return goal, [step, AddMaterial(name=goal, base=thrown.material), lies, *feeds], files


def _suffix(name: InputName) -> str:
    return _SUFFIX.get(name, in_words(name).title().replace(" ", ""))


def _stored(name: InputName, values: Float) -> Pixels:
    if name == "normal":
        return quantise(encode_normals(values), 8)
    if name in COLOUR_INPUTS:
        return quantise(linear_to_srgb(np.clip(values, 0.0, 1.0)), 8)
    return quantise(np.clip(values, 0.0, 1.0)[..., None], 8)


def _kept(name: str, pixels: Pixels) -> str:
    return keep_map(name, partial(write_image, pixels=pixels))
