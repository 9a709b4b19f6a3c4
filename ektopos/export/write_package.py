"""Write a package: complete or not at all, and the same bytes for the same project."""

from __future__ import annotations

import json
import tempfile
import time
from dataclasses import asdict, dataclass, replace
from pathlib import Path, PurePosixPath

from ektopos.base.errors import EktoposError
from ektopos.base.types import Json, Progress, no_progress
from ektopos.document import Document, UvTransform
from ektopos.export.dropped_features import DroppedFeature, all_dropped_features
from ektopos.export.hand_over import HAND_OVER, hand_over, hand_over_text
from ektopos.export.package import (
    CONSTANT_SIDE,
    ExportedFile,
    exported_container,
    exported_texture,
    material_facts,
    mesh_facts,
)
from ektopos.export.packing import constant_levels, is_constant, pack_file, padded_from
from ektopos.export.placing import put_in_place
from ektopos.export.plan import Plan, PlannedFile, make_plan
from ektopos.export.profile import Profile
from ektopos.export.reuse import (
    PACKAGE_LIST,
    EarlierPackage,
    file_hashes,
    package_key,
    read_earlier,
    texture_key,
)
from ektopos.export.writers import WRITERS
from ektopos.export.writers.writer_context import Container, WriterContext
from ektopos.images import read_header, read_image, write_image
from ektopos.materials.resolve import MapLoader, ReadMap
from ektopos.materials.texel_coverage import with_transform
from ektopos.meshes import Mesh, apply_recipe
from ektopos.project import OpenProject, read_original, read_project_mesh


@dataclass(frozen=True)
class Export:
    """What an export wrote."""

    target: str
    files: list[ExportedFile]
    seconds: float
    left: list[DroppedFeature]
    """What stays behind of the meshes' files."""
    notes: list[str]
    """What else is worth knowing of the package."""


def export_package(
    project: OpenProject,
    profile: Profile,
    out: Path,
    progress: Progress = no_progress,
    *,
    earlier: Path | None = None,
    backup: Path | None = None,
    read: ReadMap = read_image,
) -> Export:
    """Write the project's package for a target into the folder `out`.

    Files of an earlier package there are replaced or removed, other files are left alone; on any
    error `out` stays as it was. Textures of the package in `earlier` (by default `out`) that were
    made from the same are used again; if all of it was, and lies in `out`, nothing is written. A
    package that is replaced is kept whole in `backup`, if that is named. `read` decodes maps.
    Raises `EktoposError` and its kin.
    """
    started = time.perf_counter()
    project = replace(project, document=project.document.exported())
    before = read_earlier(out if earlier is None else earlier)
    made_from = package_key(project, profile)
    if before.folder == out and before.is_whole(made_from):
        files = [ExportedFile(**file) for file in before.listing["files"]]
        return _done(project, profile, files, started)
    plan = make_plan(project.document, profile, lambda name: read_header(project.map_path(name)))
    if out.exists() and not out.is_dir():
        raise EktoposError(
            "this is a file, not a folder.", subject=str(out), hint="Name another folder."
        )
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-", dir=out.parent) as temporary:
        fresh = Path(temporary)
        files, factors, meshes = _write(
            MapLoader(project, read=read), profile, plan, fresh, before, progress
        )
        listing = {
            "ektopos": 1,
            "target": profile.id,
            "made_from": made_from,
            "files": [asdict(file) for file in files],
            "materials": material_facts(plan, profile, factors),
            "meshes": meshes,
        }
        text = json.dumps(listing, indent=2, ensure_ascii=False) + "\n"
        (fresh / PACKAGE_LIST).write_text(text, "utf-8")
        progress(0.98, "putting the package in place")
        put_in_place(out, fresh, [file.path for file in files], backup)
    return _done(project, profile, files, started)


def _done(
    project: OpenProject, profile: Profile, files: list[ExportedFile], started: float
) -> Export:
    """What an export that began at `started` says of itself."""
    dropped = all_dropped_features(project, profile)
    notes = export_notes(project.document, files)
    return Export(profile.id, files, _since(started), dropped, notes)


def export_notes(document: Document, files: list[ExportedFile]) -> list[str]:
    """What is worth knowing of a package: materials that are not in it, and textures that are small
    because they have one colour."""
    unassigned = document.unassigned()
    notes = []
    if unassigned:
        names = ", ".join(unassigned)
        notes.append(f"Not exported, because no slot uses them: {names}.")
    every = [part for file in files for part in (asdict(file), *file.images)]
    notes += [
        f"{part['path']} has one colour all over, so it is written with 4 × 4 texels."
        for part in every
        if part.get("constant")
    ]
    return notes


def _since(started: float) -> float:
    return round(time.perf_counter() - started, 3)


def _write(
    loader: MapLoader,
    profile: Profile,
    plan: Plan,
    folder: Path,
    before: EarlierPackage,
    progress: Progress,
) -> tuple[list[ExportedFile], dict[str, float], Json]:
    """Every file but the list, what the emission of each texture was divided by, and which file
    holds each mesh."""
    project, document = loader.project, loader.project.document
    steps = len(plan.files) + len(document.meshes) + 1
    raw: dict[str, Mesh] = {}
    for done, name in enumerate(document.meshes):
        progress(done / steps, f"reading {name}")
        raw[name] = read_project_mesh(project, name)
    meshes = {name: apply_recipe(mesh, document.meshes[name].recipe) for name, mesh in raw.items()}
    textures: list[ExportedFile] = []
    for done, planned in enumerate(plan.files, start=len(meshes)):
        progress(done / steps, f"packing {PurePosixPath(planned.path).name}")
        textures.append(_texture(loader, profile, plan, planned, meshes, folder, before))
    progress((steps - 1) / steps, "writing the container")
    parts = WriterContext(
        folder,
        document,
        profile,
        _untransformed(plan) if profile.mesh.uv_transform == "baked" else plan,
        _placed(document, profile, plan, meshes),
        lambda name: read_original(project, name, raw[name]),
        {texture.path: texture.divided_by for texture in textures},
    )
    written = WRITERS[profile.container](parts)
    files = [_listed(part, textures) for part in written.containers]
    lines = hand_over(document, plan.materials, profile)
    if lines:
        path = folder / HAND_OVER
        path.write_text(hand_over_text(lines, document.name, profile), "utf-8")
        files.append(exported_container(path, list(dict.fromkeys(one.material for one in lines))))
    return (
        [*files, *(textures if written.beside else [])],
        parts.emission_factors,
        mesh_facts(document, written.containers),
    )


def _texture(
    loader: MapLoader,
    profile: Profile,
    plan: Plan,
    planned: PlannedFile,
    meshes: dict[str, Mesh],
    folder: Path,
    before: EarlierPackage,
) -> ExportedFile:
    """One texture, from the package before if it was made from the same."""
    path = folder / planned.path
    path.parent.mkdir(parents=True, exist_ok=True)
    key = texture_key(planned, profile, loader.project, file_hashes(loader.project))
    kept = before.texture(key)
    if kept is not None:
        path.write_bytes(kept.content)
        return exported_texture(
            planned, path, kept.sha256, key, kept.divided_by, constant=kept.constant
        )
    nearest = padded_from(planned, plan.materials, meshes, loader)
    packed = pack_file(loader, planned, profile.normal_y, nearest)
    levels = packed.levels
    constant = max(planned.width, planned.height) > CONSTANT_SIDE and is_constant(levels[0])
    if constant:
        levels = constant_levels(levels)
    sha256 = write_image(path, levels[0], levels[1:], planned.encoding, planned.basis)
    return exported_texture(planned, path, sha256, key, packed.divided_by, constant=constant)


def _listed(part: Container, textures: list[ExportedFile]) -> ExportedFile:
    """A container as the package's list has it, with the textures that it holds."""
    held = [file.path for file in part.textures]
    inside = [
        {key: value for key, value in asdict(texture).items() if key not in ("images", "sha256")}
        for texture in textures
        if texture.path in held
    ]
    return exported_container(part.path, part.materials, inside or None)


def _untransformed(plan: Plan) -> Plan:
    """The plan as it is written where UV transforms are worked into the UVs."""
    plain = {
        name: replace(
            material,
            uv=UvTransform(),
            feeds={i: f.model_copy(update={"uv": None}) for i, f in material.feeds.items()},
        )
        for name, material in plan.materials.items()
    }
    return replace(plan, materials=plain)


def _placed(
    document: Document, profile: Profile, plan: Plan, meshes: dict[str, Mesh]
) -> dict[str, Mesh]:
    """The meshes as the target takes them: with their materials' UV transforms worked in, where it
    wants that."""
    if profile.mesh.uv_transform == "carried":
        return meshes
    placed = dict(meshes)
    for name, entry in document.meshes.items():
        for slot, material in entry.slots.items():
            number = meshes[name].slots.index(slot) if slot in meshes[name].slots else -1
            if material is not None and (meshes[name].triangle_slot == number).any():
                # All that is mapped lies alike, or the plan had refused it.
                uv = plan.materials[material].common_place().uv
                placed[name] = with_transform(placed[name], slot, uv)
    return placed
