"""Meshes of a project in one of its states: read with their recipes, measured once, kept for the
stage and for whoever asks.

What a mesh is measured by is its *source*: its file, those it refers to, and what is done to it
apart from names. So renaming a slot measures nothing, and whatever the cache has lost is made again
from the source.
"""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, fields, replace
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Any, cast

import numpy as np
from pydantic import TypeAdapter

from ektopos.automation.watched_folders import COMPANIONS
from ektopos.base.errors import MissingReference
from ektopos.base.vectors import bounds
from ektopos.document import Document, MeshEntry
from ektopos.document.mesh_steps import MeshStep
from ektopos.export.dropped_features import scene_reader
from ektopos.images import Image, linear_to_srgb
from ektopos.maps import sets_of
from ektopos.matching import Candidate, ImageSpectra, MatchMap, rank_sets, small_picture, spectra_of
from ektopos.meshes import (
    Mesh,
    SlotTriangles,
    apply_recipe,
    build_gltf,
    companion_files,
    measure_mesh,
    measured_triangles,
    pack_glb,
    read_mesh,
    triangle_measures,
)
from ektopos.meshes.formats.gltf_passthrough import keep_scene
from ektopos.meshes.mesh import Node
from ektopos.meshes.read import with_nested
from ektopos.meshes.recipe import with_names, without_names
from ektopos.meshes.scene import FileScene
from ektopos.project import OpenProject as Core
from ektopos.project import read_original
from server.workshop import pictures
from server.workshop.models import AnyState, MapFacts, MeshFacts, Revision
from server.workshop.store import (
    cache_path,
    content_path,
    known_content,
    named,
    write_array,
    writing,
)

VERSION = 11
"""Of what is measured and kept; another one measures again."""
KEPT = 3

_STEPS = TypeAdapter(list[MeshStep])
_read: OrderedDict[str, Mesh] = OrderedDict()
_reading = threading.RLock()


@dataclass(frozen=True)
class Source:
    """What a mesh is made from."""

    path: str
    """Its file, as the project calls it."""
    sha256: str
    parts: dict[str, str] = field(default_factory=dict)
    """Contents of the files that it refers to, by the paths it gives them."""
    steps: list[MeshStep] = field(default_factory=list)
    """What is done to it, renamed slots left out."""

    @property
    def key(self) -> str:
        """The key of all that is kept of it."""
        needed = sorted(
            (part, sha)
            for part, sha in self.parts.items()
            if PurePosixPath(part).suffix.lower() in COMPANIONS
        )
        steps = _STEPS.dump_python(self.steps, mode="json")
        return hashlib.sha256(repr((VERSION, self.sha256, needed, steps)).encode()).hexdigest()


def companions(sha256: str, file: str) -> tuple[str, ...]:
    """The files that a mesh's content refers to, read once for as long as the content stays as it
    is: every list of meshes asks."""
    return _companions(sha256, file, content_path(sha256).stat().st_mtime_ns)


@lru_cache(maxsize=4096)
def _companions(sha256: str, file: str, changed: int) -> tuple[str, ...]:
    return tuple(companion_files(named(content_path(sha256), file), file))


def referred(sha256: str, file: str, sha_of: Callable[[str], str]) -> dict[str, str]:
    """The files that a mesh file and its layers refer to, by their paths from its folder, and their
    contents; empty where one is not there."""
    folder = file.rpartition("/")[0]

    def inside(part: str) -> tuple[str, ...]:
        other = sha_of(f"{folder}/{part}")
        return companions(other, part) if other and known_content(other) else ()

    parts = with_nested(companions(sha256, file), inside)
    return {part: sha_of(f"{folder}/{part}") for part in parts}


def source_mesh(revision: AnyState, name: str, steps: Sequence[MeshStep] | None = None) -> Source:
    """What a mesh is made from in a state, with its recipe or another. Raises `MissingReference` if
    it or its file is not there."""
    entry = _entry(revision, name)
    sha = revision.sha_of(entry.file)
    if not sha or known_content(sha) is None:
        raise MissingReference("the mesh’s file is missing.", subject=name, hint="Import it again.")
    beside = referred(sha, entry.file, revision.sha_of)
    parts = {part: other for part, other in beside.items() if other}
    return Source(
        entry.file, sha, parts, without_names(entry.recipe if steps is None else steps)[0]
    )


def called(revision: AnyState, name: str) -> dict[str, str]:
    """What the slots of a mesh are called in a state, by what its source calls them, where that
    differs."""
    return without_names(_entry(revision, name).recipe)[1]


def read_source(source: Source) -> Mesh:
    """A mesh, read and changed, from the files. Raises `EktoposError`. Cost: that of its recipe."""
    mesh = read_mesh(
        named(content_path(source.sha256), source.path),
        lambda part: known_content(source.parts[part]) if part in source.parts else None,
        name=source.path,
    )
    return apply_recipe(mesh, source.steps)


def mesh_of(source: Source) -> Mesh:
    """A mesh from what is kept of it, or from the files if nothing is; the last few are remembered.
    Raises `EktoposError`."""
    with _reading:
        mesh = _read.get(source.key) or _kept_mesh(source.key)
        if mesh is None:
            mesh = read_source(source)
            _keep_arrays(source.key, mesh)
        _read[source.key] = mesh
        _read.move_to_end(source.key)
        while len(_read) > KEPT:
            _read.popitem(last=False)
    return mesh


def mesh_at(revision: AnyState, name: str) -> Mesh:
    """A mesh as it is in a state, its slots called as they are there. Raises `EktoposError`."""
    return with_names(mesh_of(source_mesh(revision, name)), called(revision, name))


def changed_mesh(revision: Revision, name: str, steps: Sequence[MeshStep]) -> Mesh:
    """A mesh with another recipe, from where it is at hand already. Raises `EktoposError`."""
    made = list(_entry(revision, name).recipe)
    if list(steps[: len(made)]) == made:
        return apply_recipe(mesh_at(revision, name), steps[len(made) :])
    plain = source_mesh(revision, name, [])
    return apply_recipe(mesh_of(plain), steps)


def is_at_hand(source: Source) -> bool:
    """Whether a mesh can be had without reading and changing it."""
    return source.key in _read or _arrays_path(source.key).is_file()


def measured(revision: AnyState, names: Sequence[str]) -> dict[str, MeshFacts]:
    """The facts of meshes in a state, slots called as they are there; meshes that nobody has
    measured are left out."""
    sources: dict[str, str] = {}
    for name in names:
        try:
            sources[name] = source_mesh(revision, name).key
        except MissingReference:
            continue
    rows = {row.key: row for row in MeshFacts.objects.filter(key__in=set(sources.values()))}
    return {
        name: _named_row(rows[key], called(revision, name))
        for name, key in sources.items()
        if key in rows
    }


def unmeasured_meshes(revision: Revision) -> dict[str, Source]:
    """Meshes of a state that nobody has measured, or not by today's measures, and whose files are
    there."""
    known = measured(revision, names := list(revision.core().document.meshes))
    left = {}
    for name in names:
        if name not in known:
            try:
                left[name] = source_mesh(revision, name)
            except MissingReference:
                continue
    return left


def _named_row(row: MeshFacts, names: dict[str, str]) -> MeshFacts:
    if names:
        row = MeshFacts(
            **{f.attname: getattr(row, f.attname) for f in MeshFacts._meta.concrete_fields}
        )
        row.slots = [slot | {"name": names.get(slot["name"], slot["name"])} for slot in row.slots]
        row.faults = [
            fault | {"slot": names.get(fault["slot"], fault["slot"])} for fault in row.faults
        ]
    return row


def keep_mesh(source: Source, mesh: Mesh) -> MeshFacts:
    """Measure a mesh, its slots called as its source calls them, and keep its facts and all that
    the stage asks for."""
    with ThreadPoolExecutor(max_workers=1) as beside:
        kept = [beside.submit(_keep_arrays, source.key, mesh)]
        triangles = measured_triangles(mesh)
        kept.append(beside.submit(_keep_stage, source.key, mesh, triangles))
        slots, faults = MeshFacts.dump(*measure_mesh(mesh, triangles))
        for one in kept:
            one.result()
    used = np.zeros(len(mesh.positions), bool)
    used[mesh.triangles] = True
    low, high = bounds(mesh.positions[used]) if used.any() else (np.zeros(3), np.zeros(3))
    row, _ = MeshFacts.objects.update_or_create(
        key=source.key,
        defaults={
            "name": PurePosixPath(source.path).name[:200],
            "triangles": len(mesh.triangles),
            "size": [float(x) for x in high - low],
            "notes": list(mesh.notes),
            "slots": slots,
            "faults": faults,
            "source": asdict(source) | {"steps": _STEPS.dump_python(source.steps, mode="json")},
        },
    )
    return row


def keep_changed(revision: Revision, name: str, steps: Sequence[MeshStep], mesh: Mesh) -> MeshFacts:
    """Measure and keep a mesh with another recipe, its slots called as that recipe calls them."""
    was = {now: was for was, now in without_names(steps)[1].items()}
    return keep_mesh(source_mesh(revision, name, steps), with_names(mesh, was))


def mesh_row(key: str) -> tuple[MeshFacts, Source]:
    """What is known of a mesh, and what it was made from. Raises `MissingReference` for an unknown
    one."""
    row = MeshFacts.objects.filter(key=key).first()
    if row is None or not row.source:
        raise MissingReference(
            "the mesh has not been measured.", subject=key[:12], hint="Load the page again."
        )
    return row, Source(**row.source | {"steps": _STEPS.validate_python(row.source["steps"])})


def stage_file(key: str, ending: str) -> Path:
    """Something that the stage asks for, made again if the cache was emptied. Raises
    `MissingReference` for an unknown mesh."""
    path = cache_path("stage", f"{key}{ending}")
    if not path.is_file():
        _keep_stage(key, mesh_of(mesh_row(key)[1]))
    if not path.is_file():
        raise MissingReference(
            "there is no such measure.", subject=key[:12], hint="Load the page again."
        )
    return path


def _keep_stage(key: str, mesh: Mesh, triangles: SlotTriangles | None = None) -> None:
    """The geometry for the stage, and the measures of its triangles in the same order."""
    order = np.argsort(mesh.triangle_slot, kind="stable")
    write_array(cache_path("stage", f"{key}-order.npy"), order)
    for measure, values in triangle_measures(mesh, triangles).items():
        with writing(cache_path("stage", f"{key}-{measure}.bin")) as temporary:
            temporary.write_bytes(values[order].astype("<f4").tobytes())
    # One primitive a slot: faces are picked by their order there.
    whole = replace(mesh, objects=(), triangle_object=None)
    gltf, binary = build_gltf({mesh.name: whole}, {})
    with writing(cache_path("stage", f"{key}.glb")) as temporary:
        temporary.write_bytes(pack_glb(gltf, binary))


_SET = "more_uvs_"


def _arrays_path(key: str) -> Path:
    return cache_path("meshes", f"{key}.npz")


def _keep_arrays(key: str, mesh: Mesh) -> None:
    """The mesh itself: arrays as they are, the rest as JSON."""
    values = {f.name: getattr(mesh, f.name) for f in fields(mesh)}
    arrays = {name: value for name, value in values.items() if isinstance(value, np.ndarray)}
    rest = {name: value for name, value in values.items() if name not in arrays}
    rest["nodes"] = [asdict(node) for node in mesh.nodes]
    arrays |= {f"{_SET}{number}": uvs for number, uvs in enumerate(rest.pop("more_uvs"))}
    with writing(_arrays_path(key)) as temporary, temporary.open("wb") as file:
        arrays["rest"] = np.frombuffer(json.dumps(rest).encode(), np.uint8)
        np.savez(file, **cast(dict[str, Any], arrays))


def _kept_mesh(key: str) -> Mesh | None:
    try:
        with np.load(_arrays_path(key)) as kept:
            arrays: dict[str, Any] = {name: kept[name] for name in kept.files if name != "rest"}
            rest = json.loads(kept["rest"].tobytes())
    except (OSError, ValueError, KeyError):
        return None
    sets = sorted(name for name in arrays if name.startswith(_SET))
    more_uvs = tuple(arrays.pop(name) for name in sets)
    nodes = tuple(Node(**node | {"scale": tuple(node["scale"])}) for node in rest.pop("nodes"))
    plain: dict[str, Any] = {n: tuple(v) if isinstance(v, list) else v for n, v in rest.items()}
    return Mesh(**arrays, **plain, nodes=nodes, more_uvs=more_uvs)


def kept_suggestions(revision: Revision, name: str) -> dict[str, list[Candidate]] | None:
    """Map sets of the project ranked for every slot of a mesh, if they have been compared as they
    are now."""
    try:
        kept = json.loads(_suggestions_path(revision, name).read_text())
    except (OSError, ValueError):
        return None
    names = called(revision, name)
    return {
        names.get(slot, slot): [Candidate(**candidate) for candidate in ranked]
        for slot, ranked in kept.items()
    }


def keep_suggestions(revision: Revision, name: str) -> None:
    """Rank the map sets of the project for every slot of a mesh; it holds until the mesh or the
    maps change."""
    document, rows, sets, shas = _comparable(revision)

    def read(member: str) -> MatchMap:
        facts = rows[shas[member]].value()
        traits = _traits(shas[member], is_float=facts.header.is_float)
        return MatchMap(member, facts, traits, _folder(document.maps[member].file))

    ranked = rank_sets(
        mesh_of(source_mesh(revision, name)),
        {s: [read(m) for m in members] for s, members in sets.items()},
        _home(document, name),
    )
    with writing(_suggestions_path(revision, name)) as temporary:
        temporary.write_text(
            json.dumps({slot: [vars(c) for c in candidates] for slot, candidates in ranked.items()})
        )


def _folder(file: str) -> str:
    """The folder that a map or mesh was brought in with; "" where it came alone."""
    return "/".join(PurePosixPath(file).parts[1:-1])


def _home(document: Document, mesh: str) -> str:
    """Where maps of a mesh would lie: in its folder, or in one of its name."""
    file = document.meshes[mesh].file
    return f"{_folder(file)}/{PurePosixPath(file).stem}"


def _traits(sha256: str, *, is_float: bool) -> ImageSpectra:
    """What is compared of a map, kept by its content."""
    path = cache_path("traits", f"{sha256}-{VERSION}")
    try:
        with np.load(path) as kept:
            return ImageSpectra(**{name: kept[name] for name in kept.files})
    except (OSError, ValueError, TypeError):
        pass
    small = pictures.reduced_map(f"{sha256}-linear", pictures.REDUCED).pixels.astype(np.float32)
    # Float maps are kept linear; a picture is compared as it is seen.
    made = spectra_of(small_picture(Image(linear_to_srgb(small) if is_float else small)))
    with writing(path) as temporary, temporary.open("wb") as file:
        np.savez(file, **vars(made))
    return made


def _comparable(
    revision: Revision,
) -> tuple[Any, dict[str, MapFacts], dict[str, list[str]], dict[str, str]]:
    """The document, facts by content, the sets with their measured maps, and contents by map."""
    document = revision.core().document
    shas = {map_name: revision.sha_of(entry.file) for map_name, entry in document.maps.items()}
    rows = MapFacts.known(shas.values())
    sets = {
        set_name: usable
        for set_name, members in sets_of(document).items()
        if (usable := [member for member in members if shas[member] in rows])
    }
    return document, rows, sets, shas


def _suggestions_path(revision: Revision, name: str) -> Path:
    document, _, sets, shas = _comparable(revision)
    compared = sorted(
        (s, sorted((shas[m], _folder(document.maps[m].file)) for m in members))
        for s, members in sets.items()
    )
    recipe = [VERSION, source_mesh(revision, name).key, _home(document, name), compared]
    return cache_path("matches", hashlib.sha256(json.dumps(recipe).encode()).hexdigest())


def _entry(revision: AnyState, name: str) -> MeshEntry:
    raw = revision.document["meshes"].get(name)
    if raw is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="Choose another, or import it."
        )
    return MeshEntry.model_validate(raw)


_scenes: dict[str, FileScene] = {}
_SCENES_KEPT = 256


def scene_by_content(core: Core, name: str, sha256: str) -> FileScene:
    """The scene of a mesh's file, read once for a content. Raises `UnreadableFile`."""
    if sha256 not in _scenes:
        while len(_scenes) >= _SCENES_KEPT:
            _scenes.pop(next(iter(_scenes)))
        _scenes[sha256] = scene_reader(core)(name)
    return _scenes[sha256]


def scene_content(revision: Revision, name: str) -> bytes:
    """The scene of a mesh that came as glTF as GLB, without materials. Raises `MissingReference`
    for other formats."""
    core = revision.core()
    original = read_original(core, name)
    if original is None:
        raise MissingReference(
            "its file is no glTF, and holds no scene that could be played.",
            subject=name,
            hint="Save it as GLB.",
        )
    # Kept for every name that its slots may have, so called as the source calls them.
    mesh = apply_recipe(original.mesh, without_names(core.document.meshes[name].recipe)[0])
    return pack_glb(*keep_scene(original, mesh, {}))
