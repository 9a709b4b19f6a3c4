"""The registry of checks and what they report."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from ektopos.base.errors import EktoposError
from ektopos.checks.catalogue import CODES, Family, Severity
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits import Edit
from ektopos.export.dropped_features import SceneOf, scene_reader
from ektopos.export.profile import Profile
from ektopos.images import ImageHeader, read_header
from ektopos.maps import Facts, facts_of
from ektopos.materials import Material, resolve_inheritance, with_material_layers
from ektopos.meshes import Fault, Mesh, SlotFacts, measure_mesh
from ektopos.project import OpenProject, load_mesh

_ORDER: dict[str, int] = {"error": 0, "warning": 1, "note": 2}


@dataclass(frozen=True)
class Number:
    """One number that a finding rests on."""

    label: str
    value: str
    """With its unit."""
    remark: str = ""
    """What it is held against."""


@dataclass(frozen=True)
class Remedy:
    """A change that mends a finding and nothing else; only where there is one that is safe."""

    label: str
    """As a command, in a word or three."""
    does: str
    """What it does, and what stays as it is."""
    edits: list[Edit] = field(default_factory=list)
    """To be done as one step."""
    mesh: str | None = None
    """The mesh to whose recipe …"""
    step: MeshStep | None = None
    """… this is added."""


@dataclass(frozen=True)
class Finding:
    """One thing found."""

    code: str
    severity: Severity
    subject: str
    """What it is about: `map NAME`, `material NAME`, `material NAME · input`, `mesh NAME` or
    `mesh NAME · slot`; `project` for all of it."""
    message: str
    why: str
    """Why it matters."""
    evidence: str = ""
    fix: str = ""
    """What to do, in one sentence."""
    title: str = ""
    """The finding as a heading."""
    family: Family = "files"
    numbers: tuple[Number, ...] = ()
    remedy: Remedy | None = None
    waived: str | None = None
    """The reason for which a person has accepted it."""


def finding(
    code: str,
    subject: str,
    message: str,
    *,
    evidence: str = "",
    why: str = "",
    fix: str = "",
    severity: Severity | None = None,
    numbers: tuple[Number, ...] = (),
    remedy: Remedy | None = None,
) -> Finding:
    """A finding of a code; what is not given stands in the table of codes."""
    kind = CODES[code]
    return Finding(
        code=code,
        severity=severity or kind.severity,
        subject=subject,
        message=message,
        why=why or kind.why,
        evidence=evidence or ", ".join(f"{n.label} {n.value}" for n in numbers),
        fix=fix or kind.mended,
        title=kind.title,
        family=kind.family,
        numbers=numbers,
        remedy=remedy,
    )


@dataclass(frozen=True)
class MeshLook:
    """What checks know of a mesh without its triangles."""

    slots: tuple[SlotFacts, ...]
    faults: tuple[Fault, ...]
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Known:
    """What whoever asks has measured before, so that nothing is measured twice; each gives `None`
    for what it does not know."""

    facts: Callable[[str], Facts | None]
    mesh: Callable[[str], MeshLook | None] = lambda _: None
    load: Callable[[str], Mesh] | None = None
    """The mesh itself, with its recipe; by default from its file."""
    scene_of: SceneOf | None = None


@dataclass(frozen=True)
class Examined:
    """A project with what checks look at, each thing worked out once. What is broken is simply
    absent."""

    project: OpenProject
    profile: Profile
    known: Known | None = None
    problems: dict[str, EktoposError] = field(default_factory=dict)
    """Files that could not be read, by subject."""
    _meshes: dict[str, Mesh | None] = field(default_factory=dict)
    _facts: dict[str, Facts | None] = field(default_factory=dict)

    def facts(self, name: str) -> Facts | None:
        """The measures of a map; `None` if it cannot be read, or they are not known."""
        if name not in self._facts:
            self._facts[name] = self._measured(name)
        return self._facts[name]

    def _measured(self, name: str) -> Facts | None:
        if self.known is not None:
            return self.known.facts(name)
        try:
            return facts_of(self.project.map_path(name))
        except EktoposError as problem:
            self.problems[f"map {name}"] = problem
            return None

    @cached_property
    def materials(self) -> dict[str, Material]:
        """Every material whose bases are all there."""
        materials = {}
        for name in self.project.document.materials:
            try:
                materials[name] = resolve_inheritance(self.project.document, name)
                with_material_layers(self.project.document, materials[name])
            except EktoposError as problem:
                self.problems[f"material {name}"] = problem
        return materials

    @cached_property
    def headers(self) -> dict[str, ImageHeader]:
        """The header of every map that can be opened."""
        headers = {}
        for name in self.project.document.maps:
            try:
                path = self.project.map_path(name)
                facts = self.known.facts(name) if self.known else None
                headers[name] = facts.header if facts else read_header(path)
            except EktoposError as problem:
                self.problems[f"map {name}"] = problem
        return headers

    def mesh(self, name: str) -> Mesh | None:
        """A mesh with its recipe, or `None` if it cannot be read."""
        if name not in self._meshes:
            load = (self.known and self.known.load) or (lambda n: load_mesh(self.project, n))
            try:
                self._meshes[name] = load(name)
            except EktoposError as problem:
                self.problems[f"mesh {name}"] = problem
                self._meshes[name] = None
        return self._meshes[name]

    @cached_property
    def looks(self) -> dict[str, MeshLook]:
        """What every mesh that can be read measures."""
        looks = {}
        for name in self.project.document.meshes:
            look = self.known.mesh(name) if self.known else None
            if look is None and (mesh := self.mesh(name)) is not None:
                slots, faults = measure_mesh(mesh)
                look = MeshLook(tuple(slots), tuple(faults), mesh.notes)
            if look is not None:
                looks[name] = look
        return looks

    def worn(self) -> Iterator[tuple[str, SlotFacts, Material]]:
        """Every slot with triangles and the material that it wears: mesh, slot, material."""
        for name, look in self.looks.items():
            assigned = self.project.document.meshes[name].slots
            for slot in look.slots:
                material = self.materials.get(assigned.get(slot.name) or "")
                if slot.triangles and material is not None:
                    yield name, slot, material

    @cached_property
    def scene_of(self) -> SceneOf:
        """Reads the scene of a mesh's file."""
        return (self.known and self.known.scene_of) or scene_reader(self.project)


Check = Callable[[Examined], Iterator[Finding]]
_CHECKS: list[Check] = []


def check(function: Check) -> Check:
    """Register a check."""
    _CHECKS.append(function)
    return function


def run_checks(project: OpenProject, profile: Profile, known: Known | None = None) -> list[Finding]:
    """Everything that all checks find, worst first; what a person has accepted says so. With
    `known` no map is measured: what it does not know is not judged by its pixels."""
    examined = Examined(project, profile, known)
    document = project.document
    waived = {(one.code, one.subject): one.reason for one in document.waived}
    findings = []
    for function in _CHECKS:
        for finding in function(examined):
            severity: Any = document.rules.severities.get(finding.code, finding.severity)
            if severity == "off":
                continue
            reason = waived.get((finding.code, finding.subject))
            same = reason is None and severity == finding.severity
            findings.append(finding if same else replace(finding, severity=severity, waived=reason))
    return sorted(
        findings, key=lambda finding: (_ORDER[finding.severity], finding.code, finding.subject)
    )
