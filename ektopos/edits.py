"""Every change that can be made to a project's document, as a value.

An edit says what it does (`label`) and does it (`apply`) to a copy; the application keeps a revision for each, which is what
undo and redo move through. Rules that hold a document together (a renamed material keeps its slots and its derived
materials) live here and nowhere else.
"""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ektopos.document import (
    Document,
    Feed,
    InputName,
    LeftOut,
    MapEntry,
    MaterialEntry,
    MeshEntry,
    NamingRule,
    Role,
    RoleChannels,
    parse,
)
from ektopos.errors import EktoposError, MissingReference
from ektopos.maps.names import read_names, rule_fits, set_name
from ektopos.maps.sets import ending_of, maps_of_set
from ektopos.materials.derive import base_chain, effective
from ektopos.materials.wire import material_from_set, rewired
from ektopos.steps import MeshStep
from ektopos.targets.profile import Profile, built_in_profiles
from ektopos.types import Encoding, NormalY

Name = Annotated[str, Field(min_length=1, max_length=120)]


class _Edit(BaseModel):
    model_config = ConfigDict(extra="forbid")

    def label(self) -> str:
        """What the edit does, for the list of changes."""
        raise NotImplementedError

    def apply(self, document: Document) -> None:
        """Do it to a document that nobody else holds. Raises `EktoposError`."""
        raise NotImplementedError


class RenameProject(_Edit):
    """Give the project another name."""

    kind: Literal["rename-project"] = "rename-project"
    name: Name

    def label(self) -> str:
        return f"name the project {self.name}"

    def apply(self, document: Document) -> None:
        document.name = self.name


class SetTarget(_Edit):
    """Choose the target engine."""

    kind: Literal["set-target"] = "set-target"
    target: Name

    def label(self) -> str:
        return f"target {self.target}"

    def apply(self, document: Document) -> None:
        document.target = self.target


class SetProfile(_Edit):
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


class RemoveProfile(_Edit):
    """Take a target of the project's own away."""

    kind: Literal["remove-profile"] = "remove-profile"
    target: str

    def label(self) -> str:
        return f"remove target {self.target}"

    def apply(self, document: Document) -> None:
        _found(document.targets, self.target, "target")
        document.targets = {name: raw for name, raw in document.targets.items() if name != self.target}
        if document.target == self.target:
            document.target = Document().target


class SetLeftOut(_Edit):
    """Say which meshes and materials stay behind when the project is exported."""

    kind: Literal["set-left-out"] = "set-left-out"
    meshes: list[str] = Field(default_factory=list)
    materials: list[str] = Field(default_factory=list)

    def label(self) -> str:
        return "choose what is exported"

    def apply(self, document: Document) -> None:
        for mesh in self.meshes:
            _found(document.meshes, mesh, "mesh")
        for material in self.materials:
            _found(document.materials, material, "material")
        document.left_out = LeftOut(meshes=self.meshes, materials=self.materials)


class SetMap(_Edit):
    """Say what maps are; what is not given stays, and giving nothing confirms what they are.

    A person said it, so it is not judged again; being put into a set alone says nothing of what a map is.
    """

    kind: Literal["set-map"] = "set-map"
    maps: list[str] = Field(min_length=1)
    roles: dict[RoleChannels, Role] | None = None
    encoding: Encoding | None = None
    normal_y: NormalY | None = None
    set: Name | None = None

    def label(self) -> str:
        said = [
            " · ".join(self.roles.values()) if self.roles is not None else "",
            self.encoding or "",
            f"green {self.normal_y}Y" if self.normal_y else "",
            f"set {self.set}" if self.set else "",
        ]
        what = ", ".join(text for text in said if text) or "confirmed"
        return f"{self.maps[0] if len(self.maps) == 1 else f'{len(self.maps)} maps'}: {what.replace('_', ' ')}"

    def apply(self, document: Document) -> None:
        for name in self.maps:
            entry = _found(document.maps, name, "map")
            given = self.model_dump(include={"roles", "encoding", "normal_y", "set"}, exclude_none=True)
            if self.roles is not None and "normal" not in self.roles.values():
                given["normal_y"] = None
            document.maps[name] = entry.model_copy(update=given | {"by_hand": entry.by_hand or set(given) != {"set"}})


class RenameSet(_Edit):
    """Rename a map set; renaming it to one that is there merges the two."""

    kind: Literal["rename-set"] = "rename-set"
    set: str
    name: Name

    def label(self) -> str:
        return f"rename set {self.set} to {self.name}"

    def apply(self, document: Document) -> None:
        members = maps_of_set(document, self.set)
        if not members:
            raise MissingReference("there is no such map set.", subject=self.set)
        for member in members:
            document.maps[member] = document.maps[member].model_copy(update={"set": self.name})


class AddNamingRule(_Edit):
    """Treat all maps whose names end like this map's as what a person has said of it, now and when more come in."""

    kind: Literal["add-naming-rule"] = "add-naming-rule"
    map: str

    def label(self) -> str:
        return f"a naming rule from {self.map}"

    def apply(self, document: Document) -> None:
        entry = _found(document.maps, self.map, "map")
        ending = ending_of(document, self.map)
        if not ending:
            said = "its name has no end that other names could share."
            raise EktoposError(said, subject=self.map, hint="Rename its set.")
        rule = NamingRule(ending=ending, roles=entry.roles, encoding=entry.encoding, normal_y=entry.normal_y)
        document.naming = [rule, *(other for other in document.naming if other.ending.lower() != ending.lower())]
        given = {"roles": rule.roles, "encoding": rule.encoding, "normal_y": rule.normal_y}
        for name, other in document.maps.items():
            if not rule_fits(rule, PurePosixPath(other.file).stem):
                continue
            placed = {"set": set_name(other.file, read_names([other.file], [rule])[0])}
            document.maps[name] = other.model_copy(update=placed if other.by_hand else placed | given)


class RemoveNamingRule(_Edit):
    """Take a naming rule back; maps it has named keep what they are."""

    kind: Literal["remove-naming-rule"] = "remove-naming-rule"
    ending: str

    def label(self) -> str:
        return f"remove the naming rule “…{self.ending}”"

    def apply(self, document: Document) -> None:
        document.naming = [rule for rule in document.naming if rule.ending != self.ending]


class RemoveMaps(_Edit):
    """Take maps out of the project; maps that feed something stay, and it is said."""

    kind: Literal["remove-maps"] = "remove-maps"
    maps: list[str] = Field(min_length=1)

    def label(self) -> str:
        return f"remove {self.maps[0] if len(self.maps) == 1 else f'{len(self.maps)} maps'}"

    def apply(self, document: Document) -> None:
        for name in self.maps:
            _found(document.maps, name, "map")
            users = [m for m, entry in document.materials.items() if any(name in f.maps() for f in entry.inputs.values())]
            if users:
                raise EktoposError(f"it feeds {', '.join(users)}.", subject=name, hint="Feed them from something else first.")
            del document.maps[name]


class AddMaterial(_Edit):
    """A new material, empty or derived from a base."""

    kind: Literal["add-material"] = "add-material"
    name: Name
    base: str | None = None

    def label(self) -> str:
        return f"new material {self.name}"

    def apply(self, document: Document) -> None:
        _free(document, self.name)
        if self.base is not None:
            base_chain(document, self.base)
        document.materials[self.name] = MaterialEntry(base=self.base)


class MakeFromSet(_Edit):
    """A new material, fed from a map set."""

    kind: Literal["material-from-set"] = "material-from-set"
    set: str
    name: Name | None = None

    def label(self) -> str:
        return f"material from set {self.set}"

    def apply(self, document: Document) -> None:
        entry = material_from_set(document, self.set)
        name = self.name or _unused(document, self.set)
        _free(document, name)
        document.materials[name] = entry


class RenameMaterial(_Edit):
    """Rename a material; slots and derived materials follow."""

    kind: Literal["rename-material"] = "rename-material"
    material: str
    name: Name

    def label(self) -> str:
        return f"rename {self.material} to {self.name}"

    def apply(self, document: Document) -> None:
        _found(document.materials, self.material, "material")
        if self.name == self.material:
            return
        _free(document, self.name)
        document.materials = {
            self.name if name == self.material else name: (
                entry.model_copy(update={"base": self.name}) if entry.base == self.material else entry
            )
            for name, entry in document.materials.items()
        }
        for mesh in document.meshes.values():
            mesh.slots = {s: self.name if worn == self.material else worn for s, worn in mesh.slots.items()}
        document.left_out.materials = [self.name if out == self.material else out for out in document.left_out.materials]


class RenameMaterials(_Edit):
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
            _found(document.materials, old, "material")
        # By way of names that nothing has, so that names can be exchanged.
        for turn, pairs in enumerate((self.names.items(), self.names.items())):
            for old, new in pairs:
                start, goal = (old, f"\0{old}") if turn == 0 else (f"\0{old}", new)
                RenameMaterial(material=start, name=goal).apply(document)


class DuplicateMaterial(_Edit):
    """A copy of a material under another name."""

    kind: Literal["duplicate-material"] = "duplicate-material"
    material: str
    name: Name | None = None

    def label(self) -> str:
        return f"duplicate {self.material}"

    def apply(self, document: Document) -> None:
        entry = _found(document.materials, self.material, "material")
        name = self.name or _unused(document, f"{self.material}_copy")
        _free(document, name)
        document.materials[name] = entry.model_copy(deep=True)


class RemoveMaterial(_Edit):
    """Take a material out; its slots become bare. A base of others stays, and it is said."""

    kind: Literal["remove-material"] = "remove-material"
    material: str

    def label(self) -> str:
        return f"delete {self.material}"

    def apply(self, document: Document) -> None:
        _found(document.materials, self.material, "material")
        derived = [name for name, entry in document.materials.items() if entry.base == self.material]
        if derived:
            raise EktoposError(
                f"{', '.join(derived)} derive from it.", subject=self.material, hint="Delete them or give them another base."
            )
        del document.materials[self.material]
        for mesh in document.meshes.values():
            mesh.slots = {slot: None if worn == self.material else worn for slot, worn in mesh.slots.items()}
        document.left_out.materials = [out for out in document.left_out.materials if out != self.material]


class SetFeed(_Edit):
    """Feed an input of a material, or give it back to its base (or glTF's default) with `feed` null."""

    kind: Literal["set-feed"] = "set-feed"
    material: str
    input: InputName
    feed: Feed | None

    def label(self) -> str:
        what = "given back" if self.feed is None else self.feed.map or f"{self.feed.value}"
        return f"{self.material}: {self.input.replace('_', ' ')} {what}"

    def apply(self, document: Document) -> None:
        entry = _found(document.materials, self.material, "material")
        inputs = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        if self.feed is not None:
            for name in self.feed.maps():
                _found(document.maps, name, "map")
            inputs[self.input] = self.feed
        document.materials[self.material] = entry.model_copy(update={"inputs": inputs})


class SetSetting(_Edit):
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
        entry = _found(document.materials, self.material, "material")
        raw = entry.model_dump(mode="json", by_alias=True, exclude_none=True)
        raw.pop(self.setting, None)
        if self.value is not None:
            raw[self.setting] = self.value
        document.materials[self.material] = parse(MaterialEntry, raw, self.material)
        base_chain(document, self.material)


class PushUp(_Edit):
    """Move a derived material's own value of one input up to its base, so that all that derive from it have it."""

    kind: Literal["push-up"] = "push-up"
    material: str
    input: InputName

    def label(self) -> str:
        return f"{self.material}: {self.input.replace('_', ' ')} pushed up to its base"

    def apply(self, document: Document) -> None:
        entry = _found(document.materials, self.material, "material")
        if entry.base is None or self.input not in entry.inputs:
            raise EktoposError("there is no own value to push up.", subject=self.material)
        base = _found(document.materials, entry.base, "material")
        raised = base.inputs | {self.input: entry.inputs[self.input]}
        document.materials[entry.base] = base.model_copy(update={"inputs": raised})
        kept = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        document.materials[self.material] = entry.model_copy(update={"inputs": kept})


class Detach(_Edit):
    """Make a derived material stand alone: it states all that it had inherited."""

    kind: Literal["detach"] = "detach"
    material: str

    def label(self) -> str:
        return f"detach {self.material}"

    def apply(self, document: Document) -> None:
        _found(document.materials, self.material, "material")
        whole = effective(document, self.material)
        document.materials[self.material] = MaterialEntry(
            inputs={name: feed for name, feed in whole.feeds.items() if name in whole.origin},
            alpha_mode=whole.alpha_mode, alpha_cutoff=whole.alpha_cutoff, double_sided=whole.double_sided, uv=whole.uv,
            filter=whole.filter, surface_tag=whole.surface_tag, size_limit=whole.size_limit,
        )  # fmt: skip


class ApplyPattern(_Edit):
    """A new material with the wiring of another on a different map set: same roles and adjustments, other files."""

    kind: Literal["apply-pattern"] = "apply-pattern"
    material: str
    set: str
    name: Name | None = None

    def label(self) -> str:
        return f"{self.material} as a pattern for {self.set}"

    def apply(self, document: Document) -> None:
        _found(document.materials, self.material, "material")
        name = self.name or _unused(document, self.set)
        _free(document, name)
        document.materials[name] = rewired(document, self.material, self.set)


class Assign(_Edit):
    """Put a material on slots, or take it off with `material` null."""

    kind: Literal["assign"] = "assign"
    mesh: str
    slots: list[str] = Field(min_length=1)
    material: str | None

    def label(self) -> str:
        return f"{self.mesh} · {', '.join(self.slots)}: {self.material or 'no material'}"

    def apply(self, document: Document) -> None:
        mesh = _found(document.meshes, self.mesh, "mesh")
        if self.material is not None:
            _found(document.materials, self.material, "material")
        mesh.slots = mesh.slots | dict.fromkeys(self.slots, self.material)


class SetDone(_Edit):
    """Tick a slot off, or not."""

    kind: Literal["set-done"] = "set-done"
    mesh: str
    slot: str
    done: bool

    def label(self) -> str:
        return f"{self.mesh} · {self.slot}: {'done' if self.done else 'not done'}"

    def apply(self, document: Document) -> None:
        mesh = _found(document.meshes, self.mesh, "mesh")
        mesh.done = [slot for slot in mesh.done if slot != self.slot] + ([self.slot] if self.done else [])


class SetRecipe(_Edit):
    """Change what is done to a mesh after it is read; `came_from` says for every slot it then has which one it was."""

    kind: Literal["set-recipe"] = "set-recipe"
    mesh: str
    recipe: list[MeshStep]
    came_from: dict[str, str]

    def label(self) -> str:
        return f"{self.mesh}: {self.recipe[-1].label() if self.recipe else 'as it is in its file'}"

    def apply(self, document: Document) -> None:
        mesh = _found(document.meshes, self.mesh, "mesh")
        mesh.recipe = self.recipe
        mesh.slots = {slot: mesh.slots.get(was) for slot, was in self.came_from.items()}
        mesh.done = [slot for slot, was in self.came_from.items() if was in mesh.done]


class RemoveMesh(_Edit):
    """Take a mesh out of the project."""

    kind: Literal["remove-mesh"] = "remove-mesh"
    mesh: str

    def label(self) -> str:
        return f"remove {self.mesh}"

    def apply(self, document: Document) -> None:
        _found(document.meshes, self.mesh, "mesh")
        del document.meshes[self.mesh]


class BringIn(_Edit):
    """Add maps and meshes; those that are there already keep what a person said of them."""

    kind: Literal["bring-in"] = "bring-in"
    maps: dict[str, MapEntry] = Field(default_factory=dict)
    meshes: dict[str, MeshEntry] = Field(default_factory=dict)

    def label(self) -> str:
        parts = [f"{len(self.maps)} maps" if self.maps else "", f"{len(self.meshes)} meshes" if self.meshes else ""]
        return f"bring in {' and '.join(part for part in parts if part)}"

    def apply(self, document: Document) -> None:
        for name, entry in self.maps.items():
            before = document.maps.get(name)
            document.maps[name] = before if before is not None and before.by_hand else entry
        for name, mesh in self.meshes.items():
            worn = document.meshes[name].slots if name in document.meshes else {}
            document.meshes[name] = mesh.model_copy(
                update={"slots": mesh.slots | {s: worn[s] for s in mesh.slots if s in worn}}
            )


Edit = Annotated[
    RenameProject
    | SetTarget
    | SetProfile
    | RemoveProfile
    | SetLeftOut
    | SetMap
    | RenameSet
    | AddNamingRule
    | RemoveNamingRule
    | RemoveMaps
    | AddMaterial
    | MakeFromSet
    | RenameMaterial
    | RenameMaterials
    | DuplicateMaterial
    | RemoveMaterial
    | SetFeed
    | SetSetting
    | PushUp
    | Detach
    | ApplyPattern
    | Assign
    | SetDone
    | SetRecipe
    | RemoveMesh
    | BringIn,
    Field(discriminator="kind"),
]


def apply_edits(document: Document, edits: list[Edit]) -> Document:
    """A copy of the document with all edits done, or an `EktoposError` and nothing done."""
    changed = document.model_copy(deep=True)
    for edit in edits:
        edit.apply(changed)
    return changed


def _found(entries: dict[str, Any], name: str, what: str) -> Any:
    if name not in entries:
        raise MissingReference(f"there is no such {what}.", subject=name, hint="It may have been removed meanwhile.")
    return entries[name]


def _free(document: Document, name: str) -> None:
    if name in document.materials:
        raise EktoposError("a material has that name already.", subject=name, hint="Choose another name.")


def _unused(document: Document, name: str) -> str:
    unused, number = name, 2
    while unused in document.materials:
        unused, number = f"{name}_{number}", number + 1
    return unused
