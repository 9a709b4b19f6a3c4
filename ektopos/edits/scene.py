"""How the project's scene is changed: what stands where, on what, under which sun."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ektopos.base.errors import EktoposError
from ektopos.document import (
    MOST_ITEMS,
    Document,
    Ground,
    Scene,
    SceneItem,
    SceneView,
    Sun,
    parse,
)
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import BaseEdit, Footprint, exists, require


class Stand(BaseEdit):
    """Stand meshes in the scene, each under a name of its own there."""

    kind: Literal["stand"] = "stand"
    items: dict[Name, SceneItem] = Field(min_length=1, max_length=MOST_ITEMS)

    def label(self) -> str:
        one, *more = self.items
        return f"add {f'{len(more) + 1} meshes' if more else one} to the scene"

    def footprint(self, document: Document) -> Footprint:
        return _standing(document, *self.items) | exists(
            document.meshes, *(item.mesh for item in self.items.values())
        )

    def apply(self, document: Document) -> None:
        for name, item in self.items.items():
            require(document.meshes, item.mesh, "mesh")
            if name in document.scene.items:
                raise EktoposError(
                    "something of that name stands in the scene already.",
                    subject=name,
                    hint="Choose another name.",
                )
        _change(document, items=document.scene.items | self.items)


class MoveItem(BaseEdit):
    """Move, turn, scale or repeat one thing in the scene, or take another mesh for it; what is not
    named stays."""

    kind: Literal["move-item"] = "move-item"
    item: str
    change: dict[Literal["mesh", "position", "rotation", "scale", "repeat", "every"], Any] = Field(
        min_length=1
    )

    def label(self) -> str:
        return f"{self.item} in the scene: {', '.join(self.change)}"

    def footprint(self, document: Document) -> Footprint:
        item = document.scene.items.get(self.item)
        said = item.model_dump(mode="json") if item else {}
        return {f"{key} of {self.item}": said.get(key) for key in self.change} | exists(
            document.scene.items, self.item
        )

    def apply(self, document: Document) -> None:
        item = require(document.scene.items, self.item, "thing in the scene")
        changed = parse(SceneItem, item.model_dump(mode="json") | self.change, self.item)
        require(document.meshes, changed.mesh, "mesh")
        _change(document, items=document.scene.items | {self.item: changed})


class RenameItem(BaseEdit):
    """Give a thing in the scene another name."""

    kind: Literal["rename-item"] = "rename-item"
    item: str
    name: Name

    def label(self) -> str:
        return f"rename {self.item} to {self.name} in the scene"

    def footprint(self, document: Document) -> Footprint:
        return exists(document.scene.items, self.item, self.name)

    def apply(self, document: Document) -> None:
        items = document.scene.items
        require(items, self.item, "thing in the scene")
        if self.name != self.item and self.name in items:
            raise EktoposError(
                "something of that name stands in the scene already.",
                subject=self.name,
                hint="Choose another name.",
            )
        _change(
            document,
            items={self.name if key == self.item else key: item for key, item in items.items()},
        )


class TakeAway(BaseEdit):
    """Take things out of the scene; their meshes stay in the project."""

    kind: Literal["take-away"] = "take-away"
    items: list[str] = Field(min_length=1)

    def label(self) -> str:
        return f"remove {', '.join(self.items[:3])} from the scene"

    def footprint(self, document: Document) -> Footprint:
        return _standing(document, *self.items)

    def apply(self, document: Document) -> None:
        for name in self.items:
            require(document.scene.items, name, "thing in the scene")
        _change(
            document,
            items={k: item for k, item in document.scene.items.items() if k not in self.items},
        )


class SetGround(BaseEdit):
    """Lay a ground, change parts of it, or take it away with `change` null."""

    kind: Literal["set-ground"] = "set-ground"
    change: dict[Literal["material", "size", "tile"], Any] | None

    def label(self) -> str:
        return "remove the ground" if self.change is None else "the ground of the scene"

    def footprint(self, document: Document) -> Footprint:
        return _parts(document.scene.ground, self.change, "ground")

    def apply(self, document: Document) -> None:
        ground = _with(Ground, document.scene.ground, self.change, "ground")
        if ground and ground.material is not None and (self.change or {}).get("material"):
            require(document.materials, ground.material, "material")
        _change(document, ground=ground)


class SetSun(BaseEdit):
    """Set a sun, change parts of it, or take it away with `change` null."""

    kind: Literal["set-sun"] = "set-sun"
    change: dict[Literal["turn", "height", "strength"], Any] | None

    def label(self) -> str:
        return "remove the sun" if self.change is None else "the sun of the scene"

    def footprint(self, document: Document) -> Footprint:
        return _parts(document.scene.sun, self.change, "sun")

    def apply(self, document: Document) -> None:
        _change(document, sun=_with(Sun, document.scene.sun, self.change, "sun"))


class SetPanorama(BaseEdit):
    """Light the scene by a map of all surroundings, or by the light set-ups with `map` null."""

    kind: Literal["set-panorama"] = "set-panorama"
    map: str | None

    def label(self) -> str:
        return f"the scene lit by {self.map}" if self.map else "remove the panorama"

    def footprint(self, document: Document) -> Footprint:
        return {"panorama of the scene": document.scene.panorama} | exists(document.maps, self.map)

    def apply(self, document: Document) -> None:
        if self.map is not None:
            require(document.maps, self.map, "map")
        _change(document, panorama=self.map)


class KeepView(BaseEdit):
    """Keep a place of the camera under a name, or forget it with `view` null."""

    kind: Literal["keep-view"] = "keep-view"
    name: Name
    view: SceneView | None

    def label(self) -> str:
        return f"{'delete' if self.view is None else 'save'} the view {self.name}"

    def footprint(self, document: Document) -> Footprint:
        view = document.scene.views.get(self.name)
        return {f"the view {self.name}": view.model_dump(mode="json") if view else None}

    def apply(self, document: Document) -> None:
        views = {key: view for key, view in document.scene.views.items() if key != self.name}
        if self.view is None:
            require(document.scene.views, self.name, "view")
        else:
            views[self.name] = self.view
        _change(document, views=views)


def without_mesh(document: Document, mesh: str) -> None:
    """Nothing of a mesh stands in the scene any more."""
    items = {name: item for name, item in document.scene.items.items() if item.mesh != mesh}
    if len(items) < len(document.scene.items):
        _change(document, items=items)


def without_panorama(document: Document, maps: set[str]) -> None:
    """None of these maps lights the scene any more."""
    if document.scene.panorama in maps:
        _change(document, panorama=None)


def make_ground(document: Document, old: str, new: str | None) -> None:
    """The ground wears another material where it wore `old`."""
    ground = document.scene.ground
    if ground is not None and ground.material == old:
        _change(document, ground=ground.model_copy(update={"material": new}))


def _change(document: Document, **parts: Any) -> None:
    """Replace parts of the scene. Raises `InvalidDocument` beyond its limits."""
    raw = document.scene.model_copy(update=parts)
    document.scene = parse(Scene, raw.model_dump(mode="json"), "the scene")


def _standing(document: Document, *names: str) -> Footprint:
    items = document.scene.items
    return {
        f"{name} in the scene": items[name].model_dump(mode="json") if name in items else None
        for name in names
    }


def _parts(entry: Ground | Sun | None, change: dict[Any, Any] | None, what: str) -> Footprint:
    """What a partial change touches; taking away touches all."""
    said = entry.model_dump(mode="json") if entry else {}
    there: Footprint = {f"a {what}, there or not": entry is not None}
    keys = said if change is None else change
    return there | {f"{key} of the {what}": said.get(key) for key in keys}


def _with(kind: Any, entry: Ground | Sun | None, change: dict[Any, Any] | None, what: str) -> Any:
    if change is None:
        return None
    said = entry.model_dump(mode="json", exclude_defaults=True) if entry else {}
    return parse(kind, said | change, what)
