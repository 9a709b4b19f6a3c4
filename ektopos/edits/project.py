"""How the project as a whole is changed: its name, its target, its own targets, what stays behind."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.document import (
    Document,
    LeftOut,
    parse,
)
from ektopos.edits.common import BaseEdit, Name, found
from ektopos.errors import EktoposError
from ektopos.targets.profile import Profile, built_in_profiles, find_profile


class RenameProject(BaseEdit):
    """Give the project another name."""

    kind: Literal["rename-project"] = "rename-project"
    name: Name

    def label(self) -> str:
        return f"name the project {self.name}"

    def apply(self, document: Document) -> None:
        document.name = self.name


class SetTarget(BaseEdit):
    """Choose the target engine."""

    kind: Literal["set-target"] = "set-target"
    target: Name

    def label(self) -> str:
        return f"target {self.target}"

    def apply(self, document: Document) -> None:
        document.target = find_profile(self.target, document).id


class SetProfile(BaseEdit):
    """Add or change a target of the project's own; with its `id` under another name than before, it is renamed."""

    kind: Literal["set-profile"] = "set-profile"
    profile: dict[str, Any]
    replaces: str | None = None

    def label(self) -> str:
        return f"target {self.profile.get('id', '?')} described"

    def apply(self, document: Document) -> None:
        profile = parse(Profile, self.profile, "target")
        if profile.id in built_in_profiles():
            raise EktoposError("a built-in target has that id.", subject=profile.id, hint="Choose another id.")
        if profile.id in document.targets and profile.id != self.replaces:
            raise EktoposError("there is a target of that id already.", subject=profile.id, hint="Choose another id.")
        kept = {name: raw for name, raw in document.targets.items() if name != self.replaces}
        document.targets = kept | {profile.id: profile.model_dump(mode="json", by_alias=True, exclude_defaults=True)}
        if document.target == self.replaces:
            document.target = profile.id


class RemoveProfile(BaseEdit):
    """Take a target of the project's own away."""

    kind: Literal["remove-profile"] = "remove-profile"
    target: str

    def label(self) -> str:
        return f"remove target {self.target}"

    def apply(self, document: Document) -> None:
        found(document.targets, self.target, "target")
        document.targets = {name: raw for name, raw in document.targets.items() if name != self.target}
        if document.target == self.target:
            document.target = Document().target


class SetLeftOut(BaseEdit):
    """Say which meshes and materials stay behind when the project is exported."""

    kind: Literal["set-left-out"] = "set-left-out"
    meshes: list[str] = Field(default_factory=list)
    materials: list[str] = Field(default_factory=list)

    def label(self) -> str:
        return "choose what is exported"

    def apply(self, document: Document) -> None:
        for mesh in self.meshes:
            found(document.meshes, mesh, "mesh")
        for material in self.materials:
            found(document.materials, material, "material")
        document.left_out = LeftOut(meshes=self.meshes, materials=self.materials)
