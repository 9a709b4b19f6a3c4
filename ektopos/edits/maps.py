"""What is said of maps and map sets."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import Literal

from pydantic import Field

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.names import in_words
from ektopos.base.types import Encoding, NormalY, ProfileUse
from ektopos.document import (
    Document,
    InputName,
    NamingRule,
    Role,
    RoleChannels,
)
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import BaseEdit, Footprint, entry_touched, require
from ektopos.edits.scene import without_panorama
from ektopos.maps.names import read_names, rule_fits, set_name
from ektopos.maps.sets import ending_of, maps_of_set


class SetMap(BaseEdit):
    """Say what maps are; what is not given stays, and giving nothing confirms what they are.

    A person said it, so it is not judged again; being put into a set alone says nothing of what a
    map is.
    """

    kind: Literal["set-map"] = "set-map"
    maps: list[str] = Field(min_length=1)
    roles: dict[RoleChannels, Role] | None = None
    encoding: Encoding | None = None
    normal_y: NormalY | None = None
    profile: ProfileUse | None = None
    set: Name | None = None

    def label(self) -> str:
        changes = [
            " · ".join(self.roles.values()) if self.roles is not None else "",
            self.encoding or "",
            f"green {self.normal_y}Y" if self.normal_y else "",
            f"{self.profile} its colour profile" if self.profile else "",
            f"set {self.set}" if self.set else "",
        ]
        what = ", ".join(text for text in changes if text) or "confirmed"
        return (
            f"{self.maps[0] if len(self.maps) == 1 else f'{len(self.maps)} maps'}: {in_words(what)}"
        )

    def footprint(self, document: Document) -> Footprint:
        parts = self.model_dump(
            include={"roles", "encoding", "normal_y", "profile", "set"}, exclude_none=True
        ) or {
            "roles": 0,
            "by_hand": 0,
        }
        if "roles" in parts:
            parts["normal_y"] = None
        return {
            f"{in_words(part)} of {name}": getattr(document.maps[name], part)
            if name in document.maps
            else None
            for name in self.maps
            for part in parts
        }

    def apply(self, document: Document) -> None:
        for name in self.maps:
            entry = require(document.maps, name, "map")
            given = self.model_dump(
                include={"roles", "encoding", "normal_y", "profile", "set"}, exclude_none=True
            )
            if self.roles is not None and "normal" not in self.roles.values():
                given["normal_y"] = None
            document.maps[name] = entry.model_copy(
                update=given | {"by_hand": entry.by_hand or set(given) != {"set"}}
            )


class RenameSet(BaseEdit):
    """Rename a map set; renaming it to one that is there merges the two."""

    kind: Literal["rename-set"] = "rename-set"
    set: str
    name: Name

    def label(self) -> str:
        return f"rename set {self.set} to {self.name}"

    def footprint(self, document: Document) -> Footprint:
        return {f"set {name}": maps_of_set(document, name) for name in (self.set, self.name)}

    def apply(self, document: Document) -> None:
        members = maps_of_set(document, self.set)
        if not members:
            raise MissingReference("there is no such map set.", subject=self.set)
        for member in members:
            document.maps[member] = document.maps[member].model_copy(update={"set": self.name})


class AddNamingRule(BaseEdit):
    """Treat all maps whose names end like this map's as what a person has said of it, now and when
    more come in."""

    kind: Literal["add-naming-rule"] = "add-naming-rule"
    map: str

    def label(self) -> str:
        return f"a naming rule from {self.map}"

    def footprint(self, document: Document) -> Footprint:
        rules = {"naming rules": [rule.model_dump(mode="json") for rule in document.naming]}
        return rules | entry_touched(document.maps, self.map)

    def apply(self, document: Document) -> None:
        entry = require(document.maps, self.map, "map")
        ending = ending_of(document, self.map)
        if not ending:
            reason = "its name has no end that other names could share."
            raise EktoposError(reason, subject=self.map, hint="Rename its set.")
        rule = NamingRule(
            ending=ending, roles=entry.roles, encoding=entry.encoding, normal_y=entry.normal_y
        )
        document.naming = [
            rule,
            *(other for other in document.naming if other.ending.lower() != ending.lower()),
        ]
        given = {"roles": rule.roles, "encoding": rule.encoding, "normal_y": rule.normal_y}
        for name, other in document.maps.items():
            if not rule_fits(rule, PurePosixPath(other.file).stem):
                continue
            placed = {"set": set_name(other.file, read_names([other.file], [rule])[0])}
            document.maps[name] = other.model_copy(
                update=placed if other.is_confirmed else placed | given
            )


class RemoveNamingRule(BaseEdit):
    """Take a naming rule back; maps it has named keep what they are."""

    kind: Literal["remove-naming-rule"] = "remove-naming-rule"
    ending: str

    def label(self) -> str:
        return f"remove the naming rule “…{self.ending}”"

    def footprint(self, document: Document) -> Footprint:
        return {}

    def apply(self, document: Document) -> None:
        document.naming = [rule for rule in document.naming if rule.ending != self.ending]


class RemoveMaps(BaseEdit):
    """Remove maps from the project; maps that something uses stay, and it is said, unless those
    uses are to go with them."""

    kind: Literal["remove-maps"] = "remove-maps"
    maps: list[str] = Field(min_length=1)
    with_feeds: bool = False
    """Also clear the inputs that they feed, which go back to their base or to what they are when
    nothing feeds them, the masks that they are, and the light of the scene."""

    def label(self) -> str:
        return f"remove {self.maps[0] if len(self.maps) == 1 else f'{len(self.maps)} maps'}"

    def footprint(self, document: Document) -> Footprint:
        touched: Footprint = {}
        for name in self.maps:
            touched |= entry_touched(document.maps, name)
            touched[f"what {name} feeds"] = fed_by(document, {name})
        return touched

    def apply(self, document: Document) -> None:
        gone = set(self.maps)
        for name in gone:
            require(document.maps, name, "map")
        fed = fed_by(document, gone)
        users = dict.fromkeys([material for material, _ in fed] + masked_by(document, gone))
        if users and not self.with_feeds:
            reason = f"it feeds {', '.join(users)}."
            raise EktoposError(
                reason, subject=self.maps[0], hint="Feed them from something else first."
            )
        for material, name in fed:
            entry = document.materials[material]
            inputs = {other: feed for other, feed in entry.inputs.items() if other != name}
            document.materials[material] = entry.model_copy(update={"inputs": inputs})
        for material in masked_by(document, gone):
            entry = document.materials[material]
            covers = [c for c in entry.covers or () if not (c.mask and c.mask.map in gone)]
            document.materials[material] = entry.model_copy(update={"covers": covers})
        if document.scene.panorama in gone and not self.with_feeds:
            hint = "Light the scene by something else first."
            raise EktoposError("it lights the scene.", subject=self.maps[0], hint=hint)
        without_panorama(document, gone)
        document.maps = {name: entry for name, entry in document.maps.items() if name not in gone}


def uses_of_maps(document: Document) -> dict[str, list[str]]:
    """What every map is used for, as a person reads it; a map that nothing uses is left out."""
    uses: dict[str, list[str]] = {}
    for material, entry in document.materials.items():
        for name, feed in entry.inputs.items():
            for used in feed.maps():
                uses.setdefault(used, []).append(f"{in_words(name)} of {material}")
        for cover in entry.covers or ():
            if cover.mask and cover.mask.map:
                words = f"mask of {cover.material} over {material}"
                uses.setdefault(cover.mask.map, []).append(words)
    if document.scene.panorama:
        uses.setdefault(document.scene.panorama, []).append("light of the scene")
    return uses


def masked_by(document: Document, maps: set[str]) -> list[str]:
    """The materials with a cover whose mask is any of these maps."""
    return [
        material
        for material, entry in document.materials.items()
        if any(cover.mask and cover.mask.map in maps for cover in entry.covers or ())
    ]


def fed_by(document: Document, maps: set[str]) -> list[tuple[str, InputName]]:
    """Which inputs of which materials any of these maps feed."""
    return [
        (material, name)
        for material, entry in document.materials.items()
        for name, feed in entry.inputs.items()
        if feed.maps() & maps
    ]
