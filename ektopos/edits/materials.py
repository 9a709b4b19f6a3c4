"""Materials: made, named, fed, derived."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.document import (
    Document,
    Feed,
    InputName,
    MaterialEntry,
    parse,
)
from ektopos.edits.common import BaseEdit, Name, found, free, unused
from ektopos.errors import EktoposError
from ektopos.materials.derive import base_chain, effective
from ektopos.materials.wire import material_from_set, rewired


class AddMaterial(BaseEdit):
    """A new material, empty or derived from a base."""

    kind: Literal["add-material"] = "add-material"
    name: Name
    base: str | None = None

    def label(self) -> str:
        return f"new material {self.name}"

    def apply(self, document: Document) -> None:
        free(document, self.name)
        if self.base is not None:
            base_chain(document, self.base)
        document.materials[self.name] = MaterialEntry(base=self.base)


class MakeFromSet(BaseEdit):
    """A new material, fed from a map set."""

    kind: Literal["material-from-set"] = "material-from-set"
    set: str
    name: Name | None = None

    def label(self) -> str:
        return f"material from set {self.set}"

    def apply(self, document: Document) -> None:
        entry = material_from_set(document, self.set)
        name = self.name or unused(document, self.set)
        free(document, name)
        document.materials[name] = entry


class RenameMaterial(BaseEdit):
    """Rename a material; slots and derived materials follow."""

    kind: Literal["rename-material"] = "rename-material"
    material: str
    name: Name

    def label(self) -> str:
        return f"rename {self.material} to {self.name}"

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        if self.name == self.material:
            return
        free(document, self.name)
        document.materials = {
            self.name if name == self.material else name: (
                entry.model_copy(update={"base": self.name}) if entry.base == self.material else entry
            )
            for name, entry in document.materials.items()
        }
        for mesh in document.meshes.values():
            mesh.slots = {s: self.name if worn == self.material else worn for s, worn in mesh.slots.items()}
        document.left_out.materials = [self.name if out == self.material else out for out in document.left_out.materials]


class RenameMaterials(BaseEdit):
    """Rename several materials at once, by a rule that was looked at before."""

    kind: Literal["rename-materials"] = "rename-materials"
    names: dict[str, Name] = Field(min_length=1)

    def label(self) -> str:
        return f"rename {len(self.names)} materials"

    def apply(self, document: Document) -> None:
        kept = set(document.materials) - set(self.names)
        clash = next((new for new in self.names.values() if new in kept or list(self.names.values()).count(new) > 1), None)
        if clash is not None:
            raise EktoposError("two materials would have that name.", subject=clash, hint="Add a token that tells them apart.")
        for old in self.names:
            found(document.materials, old, "material")
        # By way of names that nothing has, so that names can be exchanged.
        for turn, pairs in enumerate((self.names.items(), self.names.items())):
            for old, new in pairs:
                start, goal = (old, f"\0{old}") if turn == 0 else (f"\0{old}", new)
                RenameMaterial(material=start, name=goal).apply(document)


class DuplicateMaterial(BaseEdit):
    """A copy of a material under another name."""

    kind: Literal["duplicate-material"] = "duplicate-material"
    material: str
    name: Name | None = None

    def label(self) -> str:
        return f"duplicate {self.material}"

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        name = self.name or unused(document, f"{self.material}_copy")
        free(document, name)
        document.materials[name] = entry.model_copy(deep=True)


class RemoveMaterial(BaseEdit):
    """Take a material out; its slots become bare. A base of others stays, and it is said."""

    kind: Literal["remove-material"] = "remove-material"
    material: str

    def label(self) -> str:
        return f"delete {self.material}"

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        derived = [name for name, entry in document.materials.items() if entry.base == self.material]
        if derived:
            raise EktoposError(
                f"{', '.join(derived)} derive from it.", subject=self.material, hint="Delete them or give them another base."
            )
        del document.materials[self.material]
        for mesh in document.meshes.values():
            mesh.slots = {slot: None if worn == self.material else worn for slot, worn in mesh.slots.items()}
        document.left_out.materials = [out for out in document.left_out.materials if out != self.material]


class SetFeed(BaseEdit):
    """Feed an input of a material, or give it back to its base (or glTF's default) with `feed` null."""

    kind: Literal["set-feed"] = "set-feed"
    material: str
    input: InputName
    feed: Feed | None

    def label(self) -> str:
        what = "given back" if self.feed is None else self.feed.map or f"{self.feed.value}"
        return f"{self.material}: {self.input.replace('_', ' ')} {what}"

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        inputs = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        if self.feed is not None:
            for name in self.feed.maps():
                found(document.maps, name, "map")
            inputs[self.input] = self.feed
        document.materials[self.material] = entry.model_copy(update={"inputs": inputs})


class SetSetting(BaseEdit):
    """Set one of a material's settings, or give it back with `value` null."""

    kind: Literal["set-setting"] = "set-setting"
    material: str
    setting: Literal[
        "alpha_mode", "alpha_cutoff", "double_sided", "uv", "filter", "surface_tag", "size_limit", "folder", "from"
    ]
    value: Any = None

    def label(self) -> str:
        return f"{self.material}: {self.setting.replace('_', ' ')}"

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        raw = entry.model_dump(mode="json", by_alias=True, exclude_none=True)
        raw.pop(self.setting, None)
        if self.value is not None:
            raw[self.setting] = self.value
        document.materials[self.material] = parse(MaterialEntry, raw, self.material)
        base_chain(document, self.material)


class PushUp(BaseEdit):
    """Move a derived material's own value of one input up to its base, so that all that derive from it have it."""

    kind: Literal["push-up"] = "push-up"
    material: str
    input: InputName

    def label(self) -> str:
        return f"{self.material}: {self.input.replace('_', ' ')} pushed up to its base"

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        if entry.base is None or self.input not in entry.inputs:
            raise EktoposError("there is no own value to push up.", subject=self.material)
        base = found(document.materials, entry.base, "material")
        raised = base.inputs | {self.input: entry.inputs[self.input]}
        document.materials[entry.base] = base.model_copy(update={"inputs": raised})
        kept = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        document.materials[self.material] = entry.model_copy(update={"inputs": kept})


class Detach(BaseEdit):
    """Make a derived material stand alone: it states all that it had inherited."""

    kind: Literal["detach"] = "detach"
    material: str

    def label(self) -> str:
        return f"detach {self.material}"

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        whole = effective(document, self.material)
        document.materials[self.material] = MaterialEntry(
            inputs={name: feed for name, feed in whole.feeds.items() if name in whole.origin},
            alpha_mode=whole.alpha_mode, alpha_cutoff=whole.alpha_cutoff, double_sided=whole.double_sided, uv=whole.uv,
            filter=whole.filter, surface_tag=whole.surface_tag, size_limit=whole.size_limit,
        )  # fmt: skip


class ApplyPattern(BaseEdit):
    """A new material with the wiring of another on a different map set: same roles and adjustments, other files."""

    kind: Literal["apply-pattern"] = "apply-pattern"
    material: str
    set: str
    name: Name | None = None

    def label(self) -> str:
        return f"{self.material} as a pattern for {self.set}"

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        name = self.name or unused(document, self.set)
        free(document, name)
        document.materials[name] = rewired(document, self.material, self.set)
