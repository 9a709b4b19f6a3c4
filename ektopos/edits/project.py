"""How the project as a whole is changed: its name, its target, its own targets, what stays
behind.
"""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ektopos.base.errors import EktoposError
from ektopos.base.types import Json
from ektopos.document import (
    Document,
    parse,
)
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import BaseEdit, Footprint, entry_touched, exists, require
from ektopos.export.profile import Profile, built_in_profiles, find_profile


class RenameProject(BaseEdit):
    """Give the project another name."""

    kind: Literal["rename-project"] = "rename-project"
    name: Name

    def label(self) -> str:
        return f"rename the project to {self.name}"

    def footprint(self, document: Document) -> Footprint:
        return {"the project’s name": document.name}

    def apply(self, document: Document) -> None:
        document.name = self.name


class SetTarget(BaseEdit):
    """Choose the target engine."""

    kind: Literal["set-target"] = "set-target"
    target: Name

    def label(self) -> str:
        return f"target {self.target}"

    def footprint(self, document: Document) -> Footprint:
        return {"the target": document.target}

    def apply(self, document: Document) -> None:
        document.target = find_profile(self.target, document).id


class SetProfile(BaseEdit):
    """Add or change a target of the project's own; with its `id` under another name than before, it
    is renamed."""

    kind: Literal["set-profile"] = "set-profile"
    profile: Json
    replaces: str | None = None

    def label(self) -> str:
        return f"target {self.profile.get('id', '?')} described"

    def footprint(self, document: Document) -> Footprint:
        names = [name for name in (self.replaces, self.profile.get("id")) if isinstance(name, str)]
        return {f"target {name}": document.targets.get(name) for name in names}

    def apply(self, document: Document) -> None:
        profile = parse(Profile, self.profile, "target")
        if profile.id in built_in_profiles():
            raise EktoposError(
                "a built-in target has that id.", subject=profile.id, hint="Choose another id."
            )
        if profile.id in document.targets and profile.id != self.replaces:
            raise EktoposError(
                "there is a target of that id already.",
                subject=profile.id,
                hint="Choose another id.",
            )
        kept = {name: raw for name, raw in document.targets.items() if name != self.replaces}
        document.targets = kept | {
            profile.id: profile.model_dump(mode="json", by_alias=True, exclude_defaults=True)
        }
        if document.target == self.replaces:
            document.target = profile.id


class RemoveProfile(BaseEdit):
    """Take a target of the project's own away."""

    kind: Literal["remove-profile"] = "remove-profile"
    target: str

    def label(self) -> str:
        return f"remove target {self.target}"

    def footprint(self, document: Document) -> Footprint:
        return entry_touched(document.targets, self.target, f"target {self.target}")

    def apply(self, document: Document) -> None:
        require(document.targets, self.target, "target")
        document.targets = {
            name: raw for name, raw in document.targets.items() if name != self.target
        }
        if document.target == self.target:
            document.target = Document().target


class LeaveOut(BaseEdit):
    """Leave meshes or materials behind when the project is exported, or let them go with it
    again.
    """

    kind: Literal["leave-out"] = "leave-out"
    what: Literal["meshes", "materials"]
    names: list[str] = Field(min_length=1)
    out: bool

    def label(self) -> str:
        which = self.names[0] if len(self.names) == 1 else f"{len(self.names)} {self.what}"
        return f"{which} {'not exported' if self.out else 'exported'}"

    def footprint(self, document: Document) -> Footprint:
        left = getattr(document.left_out, self.what)
        return {f"whether {name} goes": name in left for name in self.names} | exists(
            getattr(document, self.what), *self.names
        )

    def apply(self, document: Document) -> None:
        for name in self.names:
            require(
                getattr(document, self.what), name, "mesh" if self.what == "meshes" else "material"
            )
        kept = [name for name in getattr(document.left_out, self.what) if name not in self.names]
        left = kept + (self.names if self.out else [])
        document.left_out = document.left_out.model_copy(update={self.what: left})
        if self.what == "materials":
            others = [name for name in document.also_exported if name not in self.names]
            document.also_exported = others
            if not self.out:
                asked_for = [name for name in document.unassigned() if name in self.names]
                document.also_exported = [*others, *asked_for]
