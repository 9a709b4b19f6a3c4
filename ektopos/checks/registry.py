"""The registry of checks and what they report."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from ektopos.errors import EktoposError
from ektopos.images import ImageHeader, read_header
from ektopos.maps import Facts, facts_of
from ektopos.materials import Material, covered, effective
from ektopos.meshes import Mesh
from ektopos.project import Project, load_mesh
from ektopos.targets.profile import Profile

Severity = Literal["error", "warning", "note"]
_ORDER: dict[str, int] = {"error": 0, "warning": 1, "note": 2}


@dataclass(frozen=True)
class Finding:
    """One thing found."""

    code: str
    severity: Severity
    subject: str
    """What it is about: `map NAME`, `material NAME`, `mesh NAME` or `mesh NAME · slot`."""
    message: str
    why: str
    """Why it matters."""
    evidence: str = ""
    fix: str = ""
    """What to do, in one sentence."""


@dataclass(frozen=True)
class Examined:
    """A project with what checks look at, each thing worked out once. What is broken is simply
    absent."""

    project: Project
    profile: Profile
    known: Callable[[str], Facts | None] | None = None
    """Gives the measures of a map where they are known; without it maps are measured."""
    problems: dict[str, EktoposError] = field(default_factory=dict)
    """Files that could not be read, by subject."""

    def facts(self, name: str) -> Facts | None:
        """The measures of a map; `None` if it cannot be read, or they are not known."""
        if self.known is not None:
            return self.known(name)
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
                materials[name] = effective(self.project.document, name)
                covered(self.project.document, materials[name])
            except EktoposError as problem:
                self.problems[f"material {name}"] = problem
        return materials

    @cached_property
    def headers(self) -> dict[str, ImageHeader]:
        """The header of every map that can be opened."""
        headers = {}
        for name in self.project.document.maps:
            try:
                headers[name] = read_header(self.project.map_path(name))
            except EktoposError as problem:
                self.problems[f"map {name}"] = problem
        return headers

    @cached_property
    def meshes(self) -> dict[str, Mesh]:
        """Every mesh that can be read."""
        meshes = {}
        for name in self.project.document.meshes:
            try:
                meshes[name] = load_mesh(self.project, name)
            except EktoposError as problem:
                self.problems[f"mesh {name}"] = problem
        return meshes


Check = Callable[[Examined], Iterator[Finding]]
_CHECKS: list[Check] = []


def check(function: Check) -> Check:
    """Register a check."""
    _CHECKS.append(function)
    return function


def run_checks(
    project: Project, profile: Profile, known: Callable[[str], Facts | None] | None = None
) -> list[Finding]:
    """Everything that all checks find, worst first. With `known` no map is measured: what it does
    not know is not judged by its pixels."""
    examined = Examined(project, profile, known)
    findings = [finding for function in _CHECKS for finding in function(examined)]
    return sorted(
        findings, key=lambda finding: (_ORDER[finding.severity], finding.code, finding.subject)
    )
