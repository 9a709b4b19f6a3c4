"""What is said of maps and map sets."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import Literal

from pydantic import Field

from ektopos.document import (
    Document,
    NamingRule,
    Role,
    RoleChannels,
)
from ektopos.edits.common import BaseEdit, Name, found
from ektopos.errors import EktoposError, MissingReference
from ektopos.maps.names import read_names, rule_fits, set_name
from ektopos.maps.sets import ending_of, maps_of_set
from ektopos.types import Encoding, NormalY


class SetMap(BaseEdit):
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
            entry = found(document.maps, name, "map")
            given = self.model_dump(include={"roles", "encoding", "normal_y", "set"}, exclude_none=True)
            if self.roles is not None and "normal" not in self.roles.values():
                given["normal_y"] = None
            document.maps[name] = entry.model_copy(update=given | {"by_hand": entry.by_hand or set(given) != {"set"}})


class RenameSet(BaseEdit):
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


class AddNamingRule(BaseEdit):
    """Treat all maps whose names end like this map's as what a person has said of it, now and when more come in."""

    kind: Literal["add-naming-rule"] = "add-naming-rule"
    map: str

    def label(self) -> str:
        return f"a naming rule from {self.map}"

    def apply(self, document: Document) -> None:
        entry = found(document.maps, self.map, "map")
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


class RemoveNamingRule(BaseEdit):
    """Take a naming rule back; maps it has named keep what they are."""

    kind: Literal["remove-naming-rule"] = "remove-naming-rule"
    ending: str

    def label(self) -> str:
        return f"remove the naming rule “…{self.ending}”"

    def apply(self, document: Document) -> None:
        document.naming = [rule for rule in document.naming if rule.ending != self.ending]


class RemoveMaps(BaseEdit):
    """Take maps out of the project; maps that feed something stay, and it is said."""

    kind: Literal["remove-maps"] = "remove-maps"
    maps: list[str] = Field(min_length=1)

    def label(self) -> str:
        return f"remove {self.maps[0] if len(self.maps) == 1 else f'{len(self.maps)} maps'}"

    def apply(self, document: Document) -> None:
        for name in self.maps:
            found(document.maps, name, "map")
            users = [m for m, entry in document.materials.items() if any(name in f.maps() for f in entry.inputs.values())]
            if users:
                raise EktoposError(f"it feeds {', '.join(users)}.", subject=name, hint="Feed them from something else first.")
            del document.maps[name]
