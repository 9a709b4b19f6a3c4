"""Materials: made, named, fed, derived."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ektopos.base.errors import EktoposError
from ektopos.base.names import counted
from ektopos.document import Document, MaterialEntry
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import (
    BaseEdit,
    Footprint,
    entry_touched,
    exists,
    free,
    require,
    unused,
)
from ektopos.edits.scene import make_ground
from ektopos.maps.sets import maps_of_set
from ektopos.materials.from_map_set import material_from_set, rewired
from ektopos.materials.inheritance import base_chain, resolve_inheritance


class AddMaterial(BaseEdit):
    """A new material, empty or derived from a base."""

    kind: Literal["add-material"] = "add-material"
    name: Name
    base: str | None = None

    def label(self) -> str:
        return f"new material {self.name}"

    def footprint(self, document: Document) -> Footprint:
        return exists(document.materials, self.name, self.base)

    def apply(self, document: Document) -> None:
        free(document, self.name)
        if self.base is not None:
            base_chain(document, self.base)
        document.materials[self.name] = MaterialEntry(base=self.base)


class MakeFromSet(BaseEdit):
    """A new material, fed from a map set, or from one UDIM tile of it."""

    kind: Literal["material-from-set"] = "material-from-set"
    set: str
    name: Name | None = None
    tile: int | None = Field(default=None, ge=1001, le=1999)

    def label(self) -> str:
        return f"material from set {self.set}" + (f", tile {self.tile}" if self.tile else "")

    def footprint(self, document: Document) -> Footprint:
        members = {
            name: document.maps[name].model_dump(mode="json")
            for name in maps_of_set(document, self.set)
        }
        return {f"set {self.set}": members} | exists(document.materials, self.name)

    def apply(self, document: Document) -> None:
        entry = material_from_set(document, self.set, self.tile)
        name = self.name or unused(document, f"{self.set}_{self.tile}" if self.tile else self.set)
        free(document, name)
        document.materials[name] = entry


class RenameMaterial(BaseEdit):
    """Rename a material; slots and derived materials follow."""

    kind: Literal["rename-material"] = "rename-material"
    material: str
    name: Name

    def label(self) -> str:
        return f"rename {self.material} to {self.name}"

    def footprint(self, document: Document) -> Footprint:
        return exists(document.materials, self.material, self.name)

    def apply(self, document: Document) -> None:
        require(document.materials, self.material, "material")
        if self.name == self.material:
            return
        free(document, self.name)
        document.materials = {
            self.name if name == self.material else name: _renamed(entry, self.material, self.name)
            for name, entry in document.materials.items()
        }
        for mesh in document.meshes.values():
            mesh.slots = {
                s: self.name if assigned == self.material else assigned
                for s, assigned in mesh.slots.items()
            }
        document.left_out.materials = [
            self.name if out == self.material else out for out in document.left_out.materials
        ]
        document.also_exported = [
            self.name if name == self.material else name for name in document.also_exported
        ]
        make_ground(document, self.material, self.name)


def _renamed(entry: MaterialEntry, old: str, new: str) -> MaterialEntry:
    """An entry that refers to a material by its new name."""
    covers = entry.covers and [
        cover.model_copy(update={"material": new}) if cover.material == old else cover
        for cover in entry.covers
    ]
    base = new if entry.base == old else entry.base
    return entry.model_copy(update={"base": base, "covers": covers})


class RenameMaterials(BaseEdit):
    """Rename several materials at once, by a rule that was looked at before."""

    kind: Literal["rename-materials"] = "rename-materials"
    names: dict[str, Name] = Field(min_length=1)

    def label(self) -> str:
        return f"rename {counted(len(self.names), 'material')}"

    def footprint(self, document: Document) -> Footprint:
        return exists(document.materials, *self.names, *self.names.values())

    def apply(self, document: Document) -> None:
        kept = set(document.materials) - set(self.names)
        clash = next(
            (
                new
                for new in self.names.values()
                if new in kept or list(self.names.values()).count(new) > 1
            ),
            None,
        )
        if clash is not None:
            raise EktoposError(
                "two materials would have that name.",
                subject=clash,
                hint="Add a token that tells them apart.",
            )
        for old in self.names:
            require(document.materials, old, "material")
        # By way of names that nothing has, so that names can be exchanged.
        for old in self.names:
            RenameMaterial(material=old, name=f"\0{old}").apply(document)
        for old, new in self.names.items():
            RenameMaterial(material=f"\0{old}", name=new).apply(document)


class DuplicateMaterial(BaseEdit):
    """A copy of a material under another name."""

    kind: Literal["duplicate-material"] = "duplicate-material"
    material: str
    name: Name | None = None

    def label(self) -> str:
        return f"duplicate {self.material}"

    def footprint(self, document: Document) -> Footprint:
        return entry_touched(document.materials, self.material) | exists(
            document.materials, self.name
        )

    def apply(self, document: Document) -> None:
        entry = require(document.materials, self.material, "material")
        name = self.name or unused(document, f"{self.material}_copy")
        free(document, name)
        document.materials[name] = entry.model_copy(deep=True)


class RemoveMaterial(BaseEdit):
    """Take a material out; its slots become bare. A base of others stays, and it is said."""

    kind: Literal["remove-material"] = "remove-material"
    material: str

    def label(self) -> str:
        return f"remove {self.material}"

    def footprint(self, document: Document) -> Footprint:
        assigned = [
            (mesh, slot)
            for mesh, entry in document.meshes.items()
            for slot, on in entry.slots.items()
            if on == self.material
        ]
        derived = [
            name for name, entry in document.materials.items() if entry.base == self.material
        ]
        on_slots: Footprint = {
            f"what {self.material} is on": assigned,
            f"what derives from {self.material}": derived,
        }
        return entry_touched(document.materials, self.material) | on_slots

    def apply(self, document: Document) -> None:
        require(document.materials, self.material, "material")
        derived = [
            name for name, entry in document.materials.items() if entry.base == self.material
        ]
        if derived:
            raise EktoposError(
                f"{', '.join(derived)} derive from it.",
                subject=self.material,
                hint="Delete them or give them another base.",
            )
        over = [
            name
            for name, entry in document.materials.items()
            if any(cover.material == self.material for cover in entry.covers or ())
        ]
        if over:
            raise EktoposError(
                f"it covers {', '.join(over)}.",
                subject=self.material,
                hint="Remove it from there first.",
            )
        del document.materials[self.material]
        for mesh in document.meshes.values():
            mesh.slots = {
                slot: None if assigned == self.material else assigned
                for slot, assigned in mesh.slots.items()
            }
        document.left_out.materials = [
            out for out in document.left_out.materials if out != self.material
        ]
        document.also_exported = [n for n in document.also_exported if n != self.material]
        make_ground(document, self.material, None)


class Detach(BaseEdit):
    """Make a derived material stand alone: it states all that it had inherited."""

    kind: Literal["detach"] = "detach"
    material: str

    def label(self) -> str:
        return f"detach {self.material}"

    def footprint(self, document: Document) -> Footprint:
        touched: Footprint = {}
        for link in (
            base_chain(document, self.material)
            if self.material in document.materials
            else [self.material]
        ):
            touched |= entry_touched(document.materials, link)
        return touched

    def apply(self, document: Document) -> None:
        require(document.materials, self.material, "material")
        whole = resolve_inheritance(document, self.material)
        stated = {name: feed for name, feed in whole.feeds.items() if name in whole.origin}
        document.materials[self.material] = whole.as_entry(stated)


class ApplyPattern(BaseEdit):
    """A new material with the wiring of another on a different map set: same roles and adjustments,
    other files."""

    kind: Literal["apply-pattern"] = "apply-pattern"
    material: str
    set: str
    name: Name | None = None
    derived: bool = False
    """Whether it is a variant of that material, which states only what the other set feeds."""

    def label(self) -> str:
        return f"{self.material} as a pattern for {self.set}"

    def footprint(self, document: Document) -> Footprint:
        members = {
            name: document.maps[name].model_dump(mode="json")
            for name in maps_of_set(document, self.set)
        }
        touched = {f"set {self.set}": members} | exists(document.materials, self.name)
        return touched | entry_touched(document.materials, self.material)

    def apply(self, document: Document) -> None:
        require(document.materials, self.material, "material")
        name = self.name or unused(document, self.set)
        free(document, name)
        made = rewired(document, self.material, self.set)
        if self.derived:
            fed = {input_name: feed for input_name, feed in made.inputs.items() if feed.map}
            made = MaterialEntry(base=self.material, inputs=fed)
        document.materials[name] = made
