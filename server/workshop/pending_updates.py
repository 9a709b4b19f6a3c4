"""New versions of files that wait to be taken: what they would change, and taking them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import PurePosixPath

import numpy as np

from ektopos.automation.watched_folders import COMPANIONS
from ektopos.base.errors import EktoposError, MissingReference
from ektopos.checks import Finding
from ektopos.document import TABLE, Document, MapEntry, MeshEntry
from ektopos.edits import Edit, Import, ReplaceMap, ReplaceMesh, apply_edits
from ektopos.export.input_destinations import files_with
from ektopos.export.plan import make_plan
from ektopos.export.profile import find_profile
from ektopos.images import ImageHeader, resize
from ektopos.maps import map_name
from ektopos.matching.renew import renew
from server.workshop import pictures
from server.workshop.checking import findings_in
from server.workshop.mesh_cache import Source, read_source, source_mesh
from server.workshop.models import MapFacts, Offer, Project

Files = dict[str, str]
"""Contents by path."""
COMPARED = 256
STEP = 2.5 / 255
"""How far a texel has to be off, decoded as light, to count as another one: rounding apart."""


@dataclass(frozen=True)
class Taken:
    """What taking an offer does."""

    edits: list[Edit]
    files: Files
    notes: list[str]
    """What of a mesh was found again otherwise than by name, or could not be kept."""


def offers_of(project: Project, ids: Iterable[int] | None = None) -> list[Offer]:
    """The project's offers, or some of them. Raises `MissingReference` for one that is gone."""
    rows = {row.pk: row for row in project.offers.all()}
    wanted = list(rows) if ids is None else list(dict.fromkeys(ids))
    if any(number not in rows for number in wanted):
        raise MissingReference(
            "this file is not waiting any more.",
            subject=project.name,
            hint="It was taken or left meanwhile.",
        )
    return [rows[number] for number in wanted]


def taking(project: Project, offer: Offer) -> Taken:
    """What taking an offer does to the project as it is now. Raises `EktoposError` where what it
    would replace is gone."""
    document = project.document
    entries = document.maps if offer.kind == "map" else document.meshes
    entry = entries.get(offer.name)
    if entry is None:
        raise MissingReference(
            "it is not in the project any more.", subject=offer.name, hint="Keep it beside."
        )
    # Another kind of file is read by its ending.
    suffix = PurePosixPath(offer.path).suffix.lower()
    file = str(PurePosixPath(entry.file).with_suffix(suffix))
    others = {one.file for name, one in entries.items() if name != offer.name}
    if file in others:
        file = f"{PurePosixPath(file).with_suffix('')}_{offer.sha256[:8]}{suffix}"
    if isinstance(entry, MapEntry):
        return Taken([ReplaceMap(map=offer.name, file=file)], {file: offer.sha256}, [])
    before = read_source(source_mesh(project.head, offer.name, []))
    after = read_source(Source(file, offer.sha256, offer.parts, []))
    new = renew(before, entry.recipe, after)
    edit = ReplaceMesh(
        mesh=offer.name,
        file=file,
        recipe=new.recipe,
        slots=new.slots,
        came_from=new.came_from,
    )
    return Taken([edit], {file: offer.sha256} | companion_paths(file, offer.parts), new.notes)


def companion_paths(file: str, parts: Files) -> Files:
    """Where the files lie that a mesh's file needs, by their paths from it."""
    folder = PurePosixPath(file).parent
    needed = {p: sha for p, sha in parts.items() if PurePosixPath(p).suffix.lower() in COMPANIONS}
    return {str(folder / part): sha for part, sha in needed.items()}


def keeping_both(project: Project, offer: Offer) -> Taken:
    """What bringing an offer in beside the old one does."""
    document = project.document
    step = Import()
    if offer.kind == "map":
        entry = MapEntry.model_validate(offer.entry)
        file = _free_file(entry.file, {one.file for one in document.maps.values()})
        step.maps[map_name(file, set(document.maps))] = entry.model_copy(update={"file": file})
        return Taken([step], {file: offer.sha256}, [])
    mesh = MeshEntry.model_validate(offer.entry)
    file = _free_file(mesh.file, {one.file for one in document.meshes.values()})
    step.meshes[map_name(file, set(document.meshes))] = mesh.model_copy(update={"file": file})
    return Taken([step], {file: offer.sha256} | companion_paths(file, offer.parts), [])


def _free_file(file: str, taken: set[str]) -> str:
    path, number = PurePosixPath(file), 2
    while file in taken:
        file = str(path.with_name(f"{path.stem}_{number}{path.suffix}"))
        number += 1
    return file


@dataclass(frozen=True)
class Effect:
    """What taking an offer would change."""

    feeds: list[str]
    """Inputs that it feeds, or slots that it has, in words."""
    leaving: list[str]
    """Files that would be others, of the current target and of all that are delivered."""
    come: list[Finding]
    go: list[Finding]
    notes: list[str]
    changed: float | None
    """Of a map: the share of its texels that would be others, at a reduced size."""
    problem: str = ""
    """Why it cannot be taken."""


def effect_of(project: Project, offer: Offer, now: list[Finding]) -> Effect:
    """What taking an offer would change; `now` are the findings of the project as it is."""
    try:
        taken = taking(project, offer)
    except EktoposError as problem:
        return Effect([], [], [], [], [], None, problem.message)
    document = apply_edits(project.document, taken.edits)
    files = project.head.files | taken.files
    then = findings_in(project, document, files)
    # What a finding says may name a size that is another now: it is one finding all the same.
    before, after = ({(f.code, f.subject): f for f in found} for found in (now, then))
    return Effect(
        feeds=_feeds(document, offer),
        leaving=_leaving(project, document, offer),
        come=[finding for key, finding in after.items() if key not in before],
        go=[finding for key, finding in before.items() if key not in after],
        notes=taken.notes,
        changed=_changed(project, offer) if offer.kind == "map" else None,
    )


def _feeds(document: Document, offer: Offer) -> list[str]:
    if offer.kind == "mesh":
        slots = document.meshes[offer.name].slots
        return [f"{slot}: {material or 'no material'}" for slot, material in slots.items()]
    return [
        f"{TABLE[name].label.lower()} of {material}"
        for material, entry in document.materials.items()
        for name, feed in entry.inputs.items()
        if offer.name in feed.maps()
    ]


def _leaving(project: Project, document: Document, offer: Offer) -> list[str]:
    """Files that hold a map, or a mesh, of each target that counts; none where nothing can be
    planned."""
    if offer.kind == "mesh":
        return [offer.name]
    shas = {name: project.head.sha_of(entry.file) for name, entry in document.maps.items()}
    facts = MapFacts.values([*shas.values(), offer.sha256])

    def header_of(name: str) -> ImageHeader:
        sha = offer.sha256 if name == offer.name else shas.get(name, "")
        if sha not in facts:
            raise MissingReference("the map has not been measured.", subject=name)
        return facts[sha].header

    delivered = project.destinations.values_list("target", flat=True)
    targets = list(dict.fromkeys([document.target, *delivered]))
    found = []
    for target in targets:
        try:
            profile = find_profile(target, document)
            plan = make_plan(document, profile, header_of)
        except EktoposError:
            continue
        files = files_with(offer.name, document, plan, profile)
        found += files if len(targets) == 1 else [f"{target}: {file}" for file in files]
    return found


def _changed(project: Project, offer: Offer) -> float | None:
    old = project.head.sha_of(project.document.maps[offer.name].file)
    try:
        one, other = (
            pictures.reduced_map(f"{sha}-linear", COMPARED) for sha in (old, offer.sha256)
        )
    except (EktoposError, OSError):
        return None
    if one.channels != other.channels:
        return 1.0
    new = resize(other.pixels.astype(np.float32), one.width, one.height)
    apart = np.abs(new - one.pixels.astype(np.float32)).max(axis=2)
    return float((apart > STEP).mean())
