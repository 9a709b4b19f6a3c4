"""What feeds the inputs of materials, and where its maps lie."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.base.errors import EktoposError
from ektopos.base.names import in_words
from ektopos.base.types import Json
from ektopos.document import Document, Feed, InputName, parse
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import BaseEdit, Footprint, exists, require
from ektopos.edits.confirmed import inherited_feed, input_in_words, own_feed, uv_part, with_uv_part
from ektopos.materials.inheritance import resolve_inheritance


class SetFeed(BaseEdit):
    """Feed an input of a material, or give it back to its base (or glTF's default) with `feed`
    null."""

    kind: Literal["set-feed"] = "set-feed"
    material: str
    input: InputName
    feed: Feed | None

    def label(self) -> str:
        what = "reset to inherited" if self.feed is None else self.feed.map or f"{self.feed.value}"
        return f"{self.material}: {in_words(self.input)} {what}"

    def footprint(self, document: Document) -> Footprint:
        own = own_feed(document, self.material, self.input)
        used = self.feed.maps() if self.feed else set()
        return (
            {input_in_words(self.input, self.material): own}
            | exists(document.materials, self.material)
            | exists(document.maps, *used)
        )

    def apply(self, document: Document) -> None:
        entry = require(document.materials, self.material, "material")
        inputs = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        if self.feed is not None:
            for name in self.feed.maps():
                require(document.maps, name, "map")
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
        return f"{self.material}: {in_words(self.input)} {in_words(', '.join(self.change))}"

    def footprint(self, document: Document) -> Footprint:
        feed = inherited_feed(document, self.material, self.input)
        # What a feed is made from decides what all the rest of it means.
        parts = (
            {*self.change, "map", "value", "channels"}
            if {"map", "value", "channels"} & set(self.change)
            else set(self.change)
        )
        touched: Footprint = {
            f"{part} of {input_in_words(self.input, self.material)}": feed.get(part)
            for part in sorted(parts)
        }
        return touched | exists(document.materials, self.material)

    def apply(self, document: Document) -> None:
        entry = require(document.materials, self.material, "material")
        raw = inherited_feed(document, self.material, self.input) | self.change
        feed = parse(
            Feed,
            {key: value for key, value in raw.items() if value is not None},
            input_in_words(self.input, self.material),
        )
        for name in feed.maps():
            require(document.maps, name, "map")
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
        return f"{self.material}: {in_words(self.input)} {self.part.replace('.', ' ')}"

    def footprint(self, document: Document) -> Footprint:
        words = f"{self.part} of {input_in_words(self.input, self.material)}"
        there = exists(document.materials, self.material)
        if self.part in ("uv", "wrap"):
            return {
                words: inherited_feed(document, self.material, self.input).get(self.part)
            } | there
        if self.material not in document.materials:
            return there
        return {words: uv_part(self._own(document), self.part)} | there

    def apply(self, document: Document) -> None:
        require(document.materials, self.material, "material")
        change: Json = {self.part: self.value}
        if self.part not in ("uv", "wrap"):
            change = {"uv": with_uv_part(self._own(document), self.part, self.value)}
        ChangeFeed(material=self.material, input=self.input, change=change).apply(document)

    def _own(self, document: Document) -> Json:
        """Where the maps lie now, as JSON."""
        place = resolve_inheritance(document, self.material).placement(self.input)
        return place.uv.model_dump(mode="json")


class PushUp(BaseEdit):
    """Move a derived material's own value of one input up to its base, so that all that derive from
    it have it."""

    kind: Literal["push-up"] = "push-up"
    material: str
    input: InputName

    def label(self) -> str:
        return f"{self.material}: {in_words(self.input)} moved to its base"

    def footprint(self, document: Document) -> Footprint:
        entry = document.materials.get(self.material)
        links = [self.material, entry.base if entry and entry.base else ""]
        return {
            input_in_words(self.input, link): own_feed(document, link, self.input) for link in links
        } | exists(document.materials, *links)

    def apply(self, document: Document) -> None:
        entry = require(document.materials, self.material, "material")
        if entry.base is None or self.input not in entry.inputs:
            raise EktoposError("there is no override to move to the base.", subject=self.material)
        base = require(document.materials, entry.base, "material")
        raised = base.inputs | {self.input: entry.inputs[self.input]}
        document.materials[entry.base] = base.model_copy(update={"inputs": raised})
        kept = {name: feed for name, feed in entry.inputs.items() if name != self.input}
        document.materials[self.material] = entry.model_copy(update={"inputs": kept})
