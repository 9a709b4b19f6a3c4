"""Materials: made, named, fed, derived."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.document import (
    Document,
    Feed,
    InputName,
    MaterialEntry,
    UvTransform,
    parse,
)
from ektopos.edits.common import BaseEdit, Name, Touched, entry_touched, exists, found, free, unused
from ektopos.errors import EktoposError
from ektopos.maps.sets import maps_of_set
from ektopos.materials.derive import base_chain, effective
from ektopos.materials.wire import material_from_set, rewired


class AddMaterial(BaseEdit):
    """A new material, empty or derived from a base."""

    kind: Literal["add-material"] = "add-material"
    name: Name
    base: str | None = None

    def label(self) -> str:
        return f"new material {self.name}"

    def touches(self, document: Document) -> Touched:
        return exists(document.materials, self.name, self.base)

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

    def touches(self, document: Document) -> Touched:
        members = {
            name: document.maps[name].model_dump(mode="json")
            for name in maps_of_set(document, self.set)
        }
        return {f"set {self.set}": members} | exists(document.materials, self.name)

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

    def touches(self, document: Document) -> Touched:
        return exists(document.materials, self.material, self.name)

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        if self.name == self.material:
            return
        free(document, self.name)
        document.materials = {
            self.name if name == self.material else name: (
                entry.model_copy(update={"base": self.name})
                if entry.base == self.material
                else entry
            )
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


class RenameMaterials(BaseEdit):
    """Rename several materials at once, by a rule that was looked at before."""

    kind: Literal["rename-materials"] = "rename-materials"
    names: dict[str, Name] = Field(min_length=1)

    def label(self) -> str:
        return f"rename {len(self.names)} materials"

    def touches(self, document: Document) -> Touched:
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

    def touches(self, document: Document) -> Touched:
        return entry_touched(document.materials, self.material) | exists(
            document.materials, self.name
        )

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

    def touches(self, document: Document) -> Touched:
        assigned = [
            (mesh, slot)
            for mesh, entry in document.meshes.items()
            for slot, on in entry.slots.items()
            if on == self.material
        ]
        derived = [
            name for name, entry in document.materials.items() if entry.base == self.material
        ]
        on_slots: Touched = {
            f"what {self.material} is on": assigned,
            f"what derives from {self.material}": derived,
        }
        return entry_touched(document.materials, self.material) | on_slots

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        derived = [
            name for name, entry in document.materials.items() if entry.base == self.material
        ]
        if derived:
            raise EktoposError(
                f"{', '.join(derived)} derive from it.",
                subject=self.material,
                hint="Delete them or give them another base.",
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


class SetFeed(BaseEdit):
    """Feed an input of a material, or give it back to its base (or glTF's default) with `feed`
    null."""

    kind: Literal["set-feed"] = "set-feed"
    material: str
    input: InputName
    feed: Feed | None

    def label(self) -> str:
        what = "given back" if self.feed is None else self.feed.map or f"{self.feed.value}"
        return f"{self.material}: {self.input.replace('_', ' ')} {what}"

    def touches(self, document: Document) -> Touched:
        own = _own_feed(document, self.material, self.input)
        used = self.feed.maps() if self.feed else set()
        return (
            {_named(self.input, self.material): own}
            | exists(document.materials, self.material)
            | exists(document.maps, *used)
        )

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        inputs = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        if self.feed is not None:
            for name in self.feed.maps():
                found(document.maps, name, "map")
            inputs[self.input] = self.feed
        document.materials[self.material] = entry.model_copy(update={"inputs": inputs})


class ChangeFeed(BaseEdit):
    """Change parts of what feeds an input, and leave the rest of it as it is by then: two such
    edits add up.

    `change` holds new values by the names of a feed's fields; `null` gives a field back to its
    default. On a derived material that inherits the feed, what it inherits is changed and becomes
    its own, as a whole.
    """

    kind: Literal["change-feed"] = "change-feed"
    material: str
    input: InputName
    change: dict[Name, Any] = Field(min_length=1)

    def label(self) -> str:
        return (
            f"{self.material}: {self.input.replace('_', ' ')} "
            f"{', '.join(self.change).replace('_', ' ')}"
        )

    def touches(self, document: Document) -> Touched:
        feed = _feed(document, self.material, self.input)
        # What a feed is made from decides what all the rest of it means.
        parts = (
            {*self.change, "map", "value", "channels"}
            if {"map", "value", "channels"} & set(self.change)
            else set(self.change)
        )
        touched: Touched = {
            f"{part} of {_named(self.input, self.material)}": feed.get(part)
            for part in sorted(parts)
        }
        return touched | exists(document.materials, self.material)

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        raw = _feed(document, self.material, self.input) | self.change
        feed = parse(
            Feed,
            {key: value for key, value in raw.items() if value is not None},
            _named(self.input, self.material),
        )
        for name in feed.maps():
            found(document.maps, name, "map")
        document.materials[self.material] = entry.model_copy(
            update={"inputs": entry.inputs | {self.input: feed}}
        )


Place = Literal[
    "uv",
    "uv.tiling.u",
    "uv.tiling.v",
    "uv.offset.u",
    "uv.offset.v",
    "uv.rotation",
    "uv.set",
    "wrap",
]


class PlaceFeed(BaseEdit):
    """Say where the maps of one input lie, apart from the material's own UVs; with `value` null,
    they lie there again (`uv`, `wrap`), or a part changes nothing.

    A feed that has no UVs of its own begins with the material's. On a derived material that
    inherits the feed, it becomes its own, as a whole.
    """

    kind: Literal["place-feed"] = "place-feed"
    material: str
    input: InputName
    part: Place
    value: Any = None

    def label(self) -> str:
        return f"{self.material}: {self.input.replace('_', ' ')} {self.part.replace('.', ' ')}"

    def touches(self, document: Document) -> Touched:
        said = f"{self.part} of {_named(self.input, self.material)}"
        there = exists(document.materials, self.material)
        if self.part in ("uv", "wrap"):
            return {said: _feed(document, self.material, self.input).get(self.part)} | there
        if self.material not in document.materials:
            return there
        return {said: _part(self._own(document), self.part)} | there

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        change: dict[str, Any] = {self.part: self.value}
        if self.part not in ("uv", "wrap"):
            change = {"uv": _with_part(self._own(document), self.part, self.value)}
        ChangeFeed(material=self.material, input=self.input, change=change).apply(document)

    def _own(self, document: Document) -> dict[str, Any]:
        """Where the maps lie now, as JSON."""
        place = effective(document, self.material).placement(self.input)
        return place.uv.model_dump(mode="json")


Setting = Literal[
    "alpha_mode",
    "alpha_cutoff",
    "double_sided",
    "filter",
    "surface_tag",
    "size_limit",
    "folder",
    "from",
    "uv",
    "uv.tiling",
    "uv.tiling.u",
    "uv.tiling.v",
    "uv.offset",
    "uv.offset.u",
    "uv.offset.v",
    "uv.rotation",
    "uv.set",
    "wrap",
    "shading",
]
_WORDS = {"from": "base", "uv.tiling.u": "tiles in u", "uv.tiling.v": "tiles in v"}


class SetSetting(BaseEdit):
    """Set one of a material's settings, or give it back with `value` null.

    Parts of the UV transform (`uv.tiling.u`, …) can be set by themselves; the other parts stay as
    they are by then. A derived material that inherits the transform makes it its own with that.
    """

    kind: Literal["set-setting"] = "set-setting"
    material: str
    setting: Setting
    value: Any = None

    def label(self) -> str:
        return (
            f"{self.material}: "
            f"{_WORDS.get(self.setting, self.setting.replace('_', ' ').replace('.', ' '))}"
        )

    def touches(self, document: Document) -> Touched:
        entry = document.materials.get(self.material)
        if entry is None:
            return {self.material: None}
        said = f"{self.label().partition(': ')[2]} of {self.material}"
        if self.setting.startswith("uv."):
            return {said: _part(_uv(document, self.material), self.setting)}
        return {said: entry.model_dump(mode="json", by_alias=True).get(self.setting)}

    def apply(self, document: Document) -> None:
        entry = found(document.materials, self.material, "material")
        raw = entry.model_dump(mode="json", by_alias=True, exclude_none=True)
        if self.setting.startswith("uv."):
            raw["uv"] = _with_part(_uv(document, self.material), self.setting, self.value)
        else:
            raw.pop(self.setting, None)
            if self.value is not None:
                raw[self.setting] = self.value
        document.materials[self.material] = parse(MaterialEntry, raw, self.material)
        base_chain(document, self.material)


class PushUp(BaseEdit):
    """Move a derived material's own value of one input up to its base, so that all that derive from
    it have it."""

    kind: Literal["push-up"] = "push-up"
    material: str
    input: InputName

    def label(self) -> str:
        return f"{self.material}: {self.input.replace('_', ' ')} pushed up to its base"

    def touches(self, document: Document) -> Touched:
        entry = document.materials.get(self.material)
        links = [self.material, entry.base if entry and entry.base else ""]
        return {
            _named(self.input, link): _own_feed(document, link, self.input) for link in links
        } | exists(document.materials, *links)

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

    def touches(self, document: Document) -> Touched:
        touched: Touched = {}
        for link in (
            base_chain(document, self.material)
            if self.material in document.materials
            else [self.material]
        ):
            touched |= entry_touched(document.materials, link)
        return touched

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        whole = effective(document, self.material)
        document.materials[self.material] = MaterialEntry(
            inputs={name: feed for name, feed in whole.feeds.items() if name in whole.origin},
            alpha_mode=whole.alpha_mode,
            alpha_cutoff=whole.alpha_cutoff,
            double_sided=whole.double_sided,
            uv=whole.uv,
            wrap=whole.wrap,
            filter=whole.filter,
            shading=whole.shading,
            surface_tag=whole.surface_tag,
            size_limit=whole.size_limit,
        )


class ApplyPattern(BaseEdit):
    """A new material with the wiring of another on a different map set: same roles and adjustments,
    other files."""

    kind: Literal["apply-pattern"] = "apply-pattern"
    material: str
    set: str
    name: Name | None = None

    def label(self) -> str:
        return f"{self.material} as a pattern for {self.set}"

    def touches(self, document: Document) -> Touched:
        members = {
            name: document.maps[name].model_dump(mode="json")
            for name in maps_of_set(document, self.set)
        }
        touched = {f"set {self.set}": members} | exists(document.materials, self.name)
        return touched | entry_touched(document.materials, self.material)

    def apply(self, document: Document) -> None:
        found(document.materials, self.material, "material")
        name = self.name or unused(document, self.set)
        free(document, name)
        document.materials[name] = rewired(document, self.material, self.set)


def _named(input_name: str, material: str) -> str:
    return f"{input_name.replace('_', ' ')} of {material}"


def _own_feed(document: Document, material: str, name: InputName) -> dict[str, Any] | None:
    """What a material itself says of an input, as JSON."""
    entry = document.materials.get(material)
    feed = entry.inputs.get(name) if entry else None
    return feed.model_dump(mode="json", exclude_defaults=True) if feed else None


def _feed(document: Document, material: str, name: InputName) -> dict[str, Any]:
    """What feeds an input of a material, its own or inherited, as JSON; empty where nothing
    does.
    """
    try:
        chain = base_chain(document, material)
    except EktoposError:
        return {}
    return next((feed for link in chain if (feed := _own_feed(document, link, name))), {})


def _uv(document: Document, material: str) -> dict[str, Any]:
    """The UV transform of a material, its own or inherited, as JSON."""
    return effective(document, material).uv.model_dump(mode="json")


_AXES = {"u": 0, "v": 1}


def _part(uv: dict[str, Any], setting: str) -> Any:
    _, key, *axis = setting.split(".")
    return uv[key][_AXES[axis[0]]] if axis else uv[key]


def _with_part(uv: dict[str, Any], setting: str, value: Any) -> dict[str, Any]:
    """A UV transform with one part set; without a value, set to what changes nothing."""
    plain = UvTransform().model_dump(mode="json")
    value = _part(plain, setting) if value is None else value
    _, key, *axis = setting.split(".")
    if not axis:
        return uv | {key: value}
    pair = list(uv[key])
    pair[_AXES[axis[0]]] = value
    return uv | {key: pair}
