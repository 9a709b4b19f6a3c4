"""Paint into the UVs of a mesh's slots: a mask of faces, vertex colours, or a material that is
thrown on from three sides."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from ektopos.document import (
    COLOUR_INPUTS,
    ROLES,
    Document,
    Feed,
    InputName,
    MapEntry,
    UvTransform,
)
from ektopos.edits import AddMaterial, Assign, BringIn, Edit, SetFeed, SetRecipe, SetSetting
from ektopos.errors import EktoposError, MissingReference
from ektopos.images import linear_to_srgb, quantise, write_image
from ektopos.maps import map_name
from ektopos.materials import MapLoader, effective
from ektopos.materials.resolve import resolve_feed
from ektopos.materials.three_sides import ThreeSides, throw
from ektopos.meshes import Mesh, apply_recipe, carried
from ektopos.meshes.recipe import slot_number
from ektopos.meshes.texels import paint_colours, paint_faces
from ektopos.names import free_name
from ektopos.steps import MeshStep, PackUvs
from ektopos.types import Float, Pixels, Progress
from ektopos.vectors import encode_normals
from server.workshop.jobs.measuring import keep_map
from server.workshop.meshing import keep_changed, mesh_at
from server.workshop.models import Job, StaleRevision

Made = Callable[[Document], tuple[list[Edit], dict[str, str], Any]]

_SUFFIX: dict[InputName, str] = {"base_color": "BaseColor", "emission": "Emission"}


def paint(job: Job, progress: Progress) -> Made:
    """Make the maps that are asked for (`what`), and what uses them; one step to undo."""
    mesh_name, slot = str(job.arguments["mesh"]), str(job.arguments["slot"])
    if mesh_name not in job.project.document.meshes:
        raise MissingReference(
            "there is no such mesh.", subject=mesh_name, hint="It may have been removed meanwhile."
        )
    mesh = mesh_at(job.project.head, mesh_name)
    number = slot_number(mesh, slot)
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
    own = np.flatnonzero(mesh.triangle_slot == number)
    at = np.asarray(job.arguments.get("at") or [], np.int64)
    if not len(at) or at.max() >= len(own):
        raise EktoposError(
            "the faces that were picked are not in the slot any more.",
            subject=slot,
            hint="Pick them again.",
        )
    # Slots that wear one material share its maps, and so the mask.
    assigned = job.project.document.meshes[mesh_name].slots
    alike = [s for s in mesh.slots if assigned.get(s) and assigned.get(s) == assigned.get(slot)]
    mask = paint_faces(mesh, alike or [slot], own[at], size)
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
        return [BringIn(maps={entry: made})], {file: sha}, {"map": entry}

    return finish


def _thrown(job: Job, mesh_name: str, mesh: Mesh, slot: str, progress: Progress) -> Made:
    revision, document = job.project.head, job.project.document
    material = document.meshes[mesh_name].slots.get(slot)
    if material is None:
        raise EktoposError(
            "it wears no material that could be thrown on.", subject=slot, hint="Give it one."
        )
    steps: list[MeshStep] = []
    own = mesh.triangle_slot == mesh.slots.index(slot)
    before = mesh
    if job.arguments["anew"] or not mesh.has_uv[mesh.triangles[own]].all():
        size = int(job.arguments["size"])
        steps = [PackUvs(kind="pack-uvs", slots=[slot], anew=True, texels=size, gap=8)]
        progress(0.2, f"unwrapping {slot}")
        mesh = apply_recipe(mesh, steps)
    whole = effective(document, material)
    loader = MapLoader(job.project.core())
    fed = {
        name: feed
        for name, feed in whole.feeds.items()
        if feed.maps() and not (name == "opacity" and whole.alpha_mode == "opaque")
    }
    if not fed:
        raise EktoposError(
            "nothing of its material comes from a map.",
            subject=material,
            hint="A material of constants needs no UVs.",
        )
    inputs = {
        name: resolve_feed(loader, feed, name, with_strength=name != "emission")
        for name, feed in fed.items()
    }
    sides = ThreeSides(
        float(job.arguments["metres"]),
        float(job.arguments["hardness"]),
        float(job.arguments["offset"]),
    )
    made = throw(
        mesh,
        [slot],
        inputs,
        sides,
        int(job.arguments["size"]),
        progress=lambda share, words: progress(0.3 + 0.5 * share, words),
    )
    contents: dict[InputName, str] = {}
    # What is brighter than white goes into the strength.
    glow = max(1.0, float(made["emission"].max())) if "emission" in made else 1.0
    for name, values in made.items():
        progress(0.85, f"writing {name.replace('_', ' ')}")
        contents[name] = _kept(
            f"{mesh_name}_{slot}_{_suffix(name)}.png",
            _stored(name, np.asarray(values / glow, np.float32) if name == "emission" else values),
        )
    recipe = [*document.meshes[mesh_name].recipe, *steps]
    if steps:
        keep_changed(revision, mesh_name, recipe, mesh)

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        now = document.meshes.get(mesh_name)
        if now is None or [*now.recipe, *steps] != recipe or material not in document.materials:
            raise StaleRevision(f"what is done to {mesh_name}")
        goal = free_name(f"{material}_{slot}", document.materials)
        taken, step, files = set(document.maps), BringIn(), {}
        feeds: list[Edit] = []
        for name, sha in contents.items():
            entry = map_name(f"{mesh_name}_{slot}_{_suffix(name)}.png", taken)
            taken.add(entry)
            file = f"maps/painted/{entry}.png"
            wide = made[name].ndim == 3
            role = next((role for role in ROLES if role == name), "unknown")
            step.maps[entry] = MapEntry(
                file=file,
                encoding="srgb" if name in COLOUR_INPUTS else "linear",
                roles={"rgb" if wide else "r": role},
                normal_y="+" if name == "normal" else None,
                set=goal,
                by_hand=True,
            )
            files[file] = sha
            strength = fed[name].strength * glow if name == "emission" else 1.0
            feed = Feed(map=entry, channels="rgb" if wide else "r", strength=strength)
            feeds.append(SetFeed(material=goal, input=name, feed=feed))
        unwrapped: list[Edit] = (
            [SetRecipe(mesh=mesh_name, recipe=recipe, came_from=carried(before, mesh))]
            if steps
            else []
        )
        edits: list[Edit] = [
            *unwrapped,
            step,
            AddMaterial(name=goal, base=material),
            SetSetting(material=goal, setting="uv", value=UvTransform().model_dump(mode="json")),
            *feeds,
            Assign(mesh=mesh_name, slots=[slot], material=goal),
        ]
        return edits, files, {"material": goal}

    return finish


def _suffix(name: InputName) -> str:
    return _SUFFIX.get(name, name.replace("_", " ").title().replace(" ", ""))


def _stored(name: InputName, values: Float) -> Pixels:
    if name == "normal":
        return quantise(encode_normals(values), 8)
    if name in COLOUR_INPUTS:
        return quantise(linear_to_srgb(np.clip(values, 0.0, 1.0)), 8)
    return quantise(np.clip(values, 0.0, 1.0)[..., None], 8)


def _kept(name: str, pixels: Pixels) -> str:
    return keep_map(name, partial(write_image, pixels=pixels))
