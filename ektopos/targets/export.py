"""Write a package: complete or not at all, and the same bytes for the same project."""

from __future__ import annotations

import json
import shutil
import tempfile
import time
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import Any

from ektopos.document import Document, Feed, InputName, UvTransform
from ektopos.errors import EktoposError
from ektopos.files import hash_file
from ektopos.images import read_header, read_image, write_image
from ektopos.materials.adjust import adjust
from ektopos.materials.coverage import with_transform
from ektopos.materials.derive import Material
from ektopos.materials.resolve import MapLoader, ReadMap, constant_values
from ektopos.meshes import Mesh, build_gltf, pack_glb
from ektopos.meshes.formats.glb import finish
from ektopos.project import Project, is_safe, load_mesh
from ektopos.targets.packing import pack_file, padded_from
from ektopos.targets.plan import Plan, PlannedFile, make_plan, safe_names
from ektopos.targets.profile import Profile
from ektopos.targets.reuse import (
    PACKAGE_LIST,
    Earlier,
    file_hashes,
    package_key,
    read_earlier,
    texture_key,
)
from ektopos.targets.writers.gltf import add_materials
from ektopos.targets.writers.loose import node_names, write_loose
from ektopos.targets.writers.usdz import write_usdz
from ektopos.types import Progress, no_progress

_MIME = {".png": "image/png", ".jpg": "image/jpeg"}


@dataclass(frozen=True)
class ExportedFile:
    """One file of a package, as its list says it."""

    path: str
    bytes: int
    width: int | None
    height: int | None
    materials: list[str]
    channels: dict[str, str | None]
    encoding: str | None
    sha256: str = ""
    images: list[dict[str, Any]] = field(default_factory=list)
    """Textures inside a binary container: name, size, materials, channels, encoding, what they were
    made from."""
    made_from: str = ""
    """Of a texture, what it was made from: equal texts are equal texels."""
    divided_by: float = 1.0
    """What a texture's emission was divided by, so that it fits into 0–1."""


@dataclass(frozen=True)
class Export:
    """What an export wrote."""

    target: str
    files: list[ExportedFile]
    seconds: float


def export_package(
    project: Project,
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
        return Export(
            profile.id, [ExportedFile(**file) for file in before.listing["files"]], _since(started)
        )
    plan = make_plan(project.document, profile, lambda name: read_header(project.map_path(name)))
    if out.exists() and not out.is_dir():
        raise EktoposError(
            "this is a file, not a folder.", subject=str(out), hint="Name another folder."
        )
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-", dir=out.parent) as temporary:
        fresh = Path(temporary)
        files, factors = _write(
            MapLoader(project, read=read), profile, plan, fresh, before, progress
        )
        listing = {
            "ektopos": 1,
            "target": profile.id,
            "made_from": made_from,
            "files": [asdict(file) for file in files],
            "materials": _material_facts(plan, profile, factors),
            "meshes": _mesh_facts(project, profile),
        }
        (fresh / PACKAGE_LIST).write_text(
            json.dumps(listing, indent=2, ensure_ascii=False) + "\n", "utf-8"
        )
        progress(0.98, "putting the package in place")
        _replace(out, fresh, [file.path for file in files], backup)
    return Export(profile.id, files, _since(started))


def _since(started: float) -> float:
    return round(time.perf_counter() - started, 3)


def _write(
    loader: MapLoader,
    profile: Profile,
    plan: Plan,
    folder: Path,
    before: Earlier,
    progress: Progress,
) -> tuple[list[ExportedFile], dict[str, float]]:
    """Every file but the list, and what the emission of each texture was divided by."""
    project = loader.project
    stem = next(iter(safe_names([project.document.name]).values()))
    meshes: dict[str, Mesh] = {}
    steps = len(plan.files) + len(project.document.meshes) + 1
    for done, name in enumerate(project.document.meshes):
        progress(done / steps, f"reading {name}")
        meshes[name] = load_mesh(project, name)
    numbers = {name: i for i, name in enumerate(plan.materials)}
    assigned = {
        mesh: {
            slot: numbers[material]
            for slot, material in entry.slots.items()
            if material is not None
        }
        for mesh, entry in project.document.meshes.items()
    }
    placed = _placed(project.document, profile, plan, meshes)
    gltf, binary = build_gltf(placed, assigned, colours=profile.mesh.vertex_colours)
    images: list[dict[str, Any]] = []
    image_of: dict[str, int] = {}
    emission_factors: dict[str, float] = {}
    textures: list[ExportedFile] = []
    for done, planned in enumerate(plan.files, start=len(meshes)):
        progress(done / steps, f"packing {PurePosixPath(planned.path).name}")
        path = folder / planned.path
        path.parent.mkdir(parents=True, exist_ok=True)
        key = texture_key(planned, profile, project, file_hashes(project))
        kept = before.texture(key)
        if kept is not None:
            path.write_bytes(kept.content)
            factor, sha256 = kept.divided_by, kept.sha256
        else:
            packed = pack_file(
                loader,
                planned,
                profile.normal_y,
                padded_from(planned, plan.materials, meshes, loader),
            )
            factor = packed.divided_by
            sha256 = write_image(path, packed.levels[0], packed.levels[1:], planned.encoding)
        emission_factors[planned.path] = factor
        textures.append(_exported(planned, path, sha256, key, factor))
        image_of[planned.path] = len(images)
        name = PurePosixPath(planned.path).stem
        if profile.container == "glb":
            view = binary.add(path.read_bytes())
            images.append({"name": name, "mimeType": _MIME[path.suffix], "bufferView": view})
            path.unlink()
        else:
            images.append({"name": name, "uri": planned.path})
    progress((steps - 1) / steps, "writing the container")
    everything = list(plan.materials)
    inside = [
        {k: v for k, v in asdict(texture).items() if k not in ("images", "sha256")}
        for texture in textures
    ]
    if profile.mesh.uv_transform == "baked":
        plan = replace(
            plan,
            materials={name: replace(m, uv=UvTransform()) for name, m in plan.materials.items()},
        )
    if profile.container == "usdz":
        container = write_usdz(
            folder, stem, project.document, plan, placed, emission_factors, profile.mesh
        )
        for planned in plan.files:
            (folder / planned.path).unlink()
        return [_container(container, everything, inside)], emission_factors
    if profile.container == "loose":
        beside = write_loose(folder, stem, project.document, plan, gltf, binary, emission_factors)
        written = [_container(path, list(plan.materials)) for path in beside]
        return [*written, *textures], emission_factors
    gltf = add_materials(
        gltf | ({"images": images} if images else {}), plan, image_of, emission_factors
    )
    if profile.container == "glb":
        container = folder / f"{stem}.glb"
        container.write_bytes(pack_glb(gltf, binary))
        return [_container(container, everything, inside)], emission_factors
    content = binary.content()
    container = folder / f"{stem}.gltf"
    text = json.dumps(finish(gltf, binary, f"{stem}.bin"), indent=2, ensure_ascii=False) + "\n"
    container.write_text(text, "utf-8")
    written = [_container(container, everything)]
    if content:
        (folder / f"{stem}.bin").write_bytes(content)
        written.append(_container(folder / f"{stem}.bin", []))
    return [*written, *textures], emission_factors


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
                placed[name] = with_transform(placed[name], slot, plan.materials[material].uv)
    return placed


def _exported(
    planned: PlannedFile, path: Path, sha256: str, made_from: str, divided_by: float
) -> ExportedFile:
    return ExportedFile(
        path=planned.path,
        bytes=path.stat().st_size,
        width=planned.width,
        height=planned.height,
        materials=list(planned.materials),
        channels=planned.carries(),
        encoding=planned.encoding,
        sha256=sha256,
        made_from=made_from,
        divided_by=divided_by,
    )


def _container(
    path: Path, materials: list[str], images: list[dict[str, Any]] | None = None
) -> ExportedFile:
    nothing: dict[str, str | None] = dict.fromkeys("rgba")
    return ExportedFile(
        path.name,
        path.stat().st_size,
        None,
        None,
        materials,
        nothing,
        None,
        hash_file(path),
        images or [],
    )


def _material_facts(
    plan: Plan, profile: Profile, emission_factors: dict[str, float]
) -> dict[str, Any]:
    """By material, everything that no texture holds."""
    found: dict[str, Any] = {}
    for node, (name, material) in zip(node_names(plan), plan.materials.items(), strict=True):
        inputs: dict[str, Any] = {}
        for input_name, feed in material.feeds.items():
            facts: dict[str, Any] = {}
            if (name, input_name) not in plan.file_of and not feed.maps():
                facts["value"] = _constant(feed, input_name)
            strength = feed.strength
            if input_name == "emission" and profile.container == "loose":
                strength *= emission_factors.get(plan.file_of.get((name, input_name), ""), 1.0)
            if strength != 1.0:
                facts["strength"] = strength
            if facts:
                inputs[input_name] = facts
        settings = _settings(material)
        if profile.mesh.uv_transform == "baked":
            settings["uv"] = UvTransform().model_dump(mode="json")
        found[name] = {"node": node, "inputs": inputs, **settings}
    return found


def _settings(material: Material) -> dict[str, Any]:
    return {
        "alpha_mode": material.alpha_mode,
        "alpha_cutoff": material.alpha_cutoff,
        "double_sided": material.double_sided,
        "uv": material.uv.model_dump(mode="json"),
        "filter": material.filter,
        "surface_tag": material.surface_tag,
    }


def _constant(feed: Feed, name: InputName) -> float | list[float]:
    values = constant_values(feed, name)
    values = values if name == "normal" else adjust(values, feed, name)
    plain = [round(float(value), 7) for value in values.reshape(-1)]
    return plain if len(plain) > 1 else plain[0]


def _mesh_facts(project: Project, profile: Profile) -> dict[str, Any]:
    stem = next(iter(safe_names([project.document.name]).values()))
    file = f"{stem}.{'glb' if profile.container == 'loose' else profile.container}"
    return {
        name: {"file": file, "slots": dict(entry.slots)}
        for name, entry in project.document.meshes.items()
    }


def _replace(out: Path, fresh: Path, files: list[str], backup: Path | None = None) -> None:
    """Put a finished package in place of the one before, which goes to `backup`; on an error put
    that one back."""
    before = _own_files(out)
    foreign = [
        file for file in [*files, PACKAGE_LIST] if (out / file).exists() and file not in before
    ]
    if foreign:
        raise EktoposError(
            f"{foreign[0]} is already there and is not part of an earlier package.",
            subject=str(out.name),
            hint="Move it away, or name another folder.",
        )
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-before-", dir=out.parent) as kept:
        moved = [file for file in before if (out / file).exists()]
        try:
            for file in moved:
                _move(out / file, Path(kept) / file)
            for file in [*files, PACKAGE_LIST]:
                _move(fresh / file, out / file)
        except BaseException as problem:
            # Whatever stopped it, a person at the keyboard too: what has left `fresh` goes, what
            # lies in `kept` comes back.
            for file in [*files, PACKAGE_LIST]:
                if not (fresh / file).exists():
                    (out / file).unlink(missing_ok=True)
            for file in moved:
                if (Path(kept) / file).exists():
                    _move(Path(kept) / file, out / file)
            if isinstance(problem, OSError):
                raise EktoposError(
                    f"cannot be written ({problem.strerror}).", subject=str(out)
                ) from None
            raise
        if backup is not None and PACKAGE_LIST in moved:
            backup.mkdir(parents=True, exist_ok=True)
            _replace(backup, Path(kept), [file for file in moved if file != PACKAGE_LIST])


def bring_back(out: Path, backup: Path) -> list[str]:
    """Put a package that was kept as a backup in place again; the one that it replaces becomes the
    backup.

    Gives the files that are back. Raises `EktoposError` if there is no whole package in `backup`.
    """
    files = [file for file in _own_files(backup) if file != PACKAGE_LIST]
    missing = next((file for file in files if not (backup / file).is_file()), None)
    if not (backup / PACKAGE_LIST).is_file() or missing:
        said = f"{missing} is missing from it." if missing else "there is no package in it."
        raise EktoposError(
            said, subject=str(backup), hint="Name the folder that was given as the backup."
        )
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-back-", dir=out.parent) as temporary:
        shutil.copytree(backup, temporary, dirs_exist_ok=True)
        _replace(out, Path(temporary), files, backup)
    return files


def _own_files(out: Path) -> list[str]:
    """The files of the package that is in a folder now."""
    listing = out / PACKAGE_LIST
    if not listing.is_file():
        return []
    try:
        found = json.loads(listing.read_bytes())
        files = [file["path"] for file in found["files"]] if "ektopos" in found else []
    except (ValueError, KeyError, TypeError):
        return []
    return [file for file in files if isinstance(file, str) and is_safe(file)] + [PACKAGE_LIST]


def _move(source: Path, goal: Path) -> None:
    goal.parent.mkdir(parents=True, exist_ok=True)
    shutil.move(source, goal)
