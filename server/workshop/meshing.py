"""Meshes of a project in one of its states: read with their recipes, measured once, kept for the stage."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from pathlib import PurePosixPath
from typing import Any

import numpy as np

from ektopos.errors import EktoposError, MissingReference
from ektopos.images import Image, linear_to_srgb
from ektopos.maps import sets_of
from ektopos.matching import MatchMap, rank_sets, small_picture
from ektopos.meshes import (
    Candidate,
    Mesh,
    build_gltf,
    companion_files,
    find_faults,
    pack_glb,
    slot_facts,
    triangle_measures,
)
from ektopos.project import load_mesh
from server.workshop import pictures
from server.workshop.models import MapFacts, MeshFacts, Revision
from server.workshop.store import cache_path, content_path, named, writing

VERSION = 5
"""Of what is measured and kept; another one measures again."""
COMPANIONS = (".bin", ".mtl")
KEPT = 3

_read: OrderedDict[str, Mesh] = OrderedDict()


def mesh_key(sha: str, companions: dict[str, str], recipe: list[Any]) -> str:
    """The key of a mesh's facts: its content, the buffers and materials it refers to, and its recipe."""
    needed = sorted((part, other) for part, other in companions.items() if PurePosixPath(part).suffix.lower() in COMPANIONS)
    steps = [step.model_dump(mode="json") for step in recipe]
    return hashlib.sha256(repr((VERSION, sha, needed, steps)).encode()).hexdigest()


def state_key(revision: Revision, name: str) -> str:
    """The key of a mesh as it is in a state; empty if its file is not there."""
    entry = revision.core().document.meshes.get(name)
    sha = revision.sha_of(entry.file) if entry else ""
    if entry is None or not sha or not content_path(sha).is_file():
        return ""
    folder = entry.file.rpartition("/")[0]
    parts = companion_files(named(content_path(sha), entry.file), entry.file)
    beside = {part: revision.sha_of(f"{folder}/{part}") for part in parts}
    return mesh_key(sha, {part: other for part, other in beside.items() if other}, entry.recipe)


def mesh_at(revision: Revision, name: str) -> Mesh:
    """A mesh as it is in a state; the last few are kept. Raises `EktoposError`."""
    key = state_key(revision, name)
    if not key:
        raise MissingReference("the mesh’s file is missing.", subject=name, hint="Bring it in again.")
    if key not in _read:
        _read[key] = load_mesh(revision.core(), name)
        while len(_read) > KEPT:
            _read.popitem(last=False)
    return _read[key]


def measured(revision: Revision, names: list[str]) -> dict[str, MeshFacts]:
    """The facts of meshes in a state; what has not been measured is measured now. Meshes that cannot be read are left out."""
    keys = {name: state_key(revision, name) for name in names}
    rows = {row.key: row for row in MeshFacts.objects.filter(key__in=set(keys.values()))}
    found = {}
    for name, key in keys.items():
        if key and key not in rows:
            try:
                rows[key] = keep_mesh(key, revision.core().document.meshes[name].file, mesh_at(revision, name))
            except EktoposError:
                continue
        if key in rows:
            found[name] = rows[key]
    return found


def keep_mesh(key: str, path: str, mesh: Mesh) -> MeshFacts:
    """Measure a mesh: keep its facts, its geometry for the stage, and the measures of its triangles in the same order."""
    slots, faults = MeshFacts.dump(slot_facts(mesh), find_faults(mesh))
    corners = mesh.positions[mesh.triangles.reshape(-1)] if len(mesh.triangles) else np.zeros((1, 3))
    size = [float(x) for x in np.ptp(corners, axis=0)]
    with writing(cache_path("stage", f"{key}.glb")) as temporary:
        gltf, binary = build_gltf({mesh.name: mesh}, {})
        temporary.write_bytes(pack_glb(gltf, binary))
    order = np.argsort(mesh.triangle_slot, kind="stable")
    for measure, values in triangle_measures(mesh).items():
        with writing(cache_path("stage", f"{key}-{measure}.bin")) as temporary:
            temporary.write_bytes(values[order].astype("<f4").tobytes())
    with writing(cache_path("stage", f"{key}-order.npy")) as temporary, temporary.open("wb") as file:
        np.save(file, order)
    row, _ = MeshFacts.objects.update_or_create(
        key=key,
        defaults={
            "name": PurePosixPath(path).name[:200], "triangles": len(mesh.triangles), "size": size,
            "notes": list(mesh.notes), "slots": slots, "faults": faults,
        },
    )  # fmt: skip
    return row


def suggestions(revision: Revision, name: str) -> dict[str, list[Candidate]]:
    """Map sets of the project ranked for every slot of a mesh; kept until the mesh or the maps change."""
    document = revision.core().document
    shas = {map_name: revision.sha_of(entry.file) for map_name, entry in document.maps.items()}
    rows = MapFacts.known(shas.values())
    sets = {
        set_name: usable
        for set_name, members in sets_of(document).items()
        if (usable := [member for member in members if shas[member] in rows])
    }
    recipe = [VERSION, state_key(revision, name), sorted((s, sorted(shas[m] for m in members)) for s, members in sets.items())]
    path = cache_path("matches", hashlib.sha256(json.dumps(recipe).encode()).hexdigest())
    if path.exists():
        kept = json.loads(path.read_text())
        return {slot: [Candidate(**candidate) for candidate in ranked] for slot, ranked in kept.items()}

    def read(member: str) -> MatchMap:
        facts = rows[shas[member]].value()
        small = pictures.reduced_map(f"{shas[member]}-linear", pictures.REDUCED).pixels.astype(np.float32)
        # Float maps are kept linear; a picture is compared as it is seen.
        return MatchMap(member, facts, small_picture(Image(linear_to_srgb(small) if facts.header.is_float else small)))

    ranked = rank_sets(mesh_at(revision, name), {set_name: [read(m) for m in members] for set_name, members in sets.items()})
    with writing(path) as temporary:
        temporary.write_text(json.dumps({slot: [vars(c) for c in found] for slot, found in ranked.items()}))
    return ranked
