"""A material's settings: alpha, sides, where its maps lie, its base and folder."""

from __future__ import annotations

from typing import Any, Literal

from ektopos.base.names import in_words
from ektopos.document import Document, MaterialEntry, parse
from ektopos.edits.common import BaseEdit, Footprint, require
from ektopos.edits.confirmed import inherited_uv, uv_part, with_uv_part
from ektopos.materials.inheritance import base_chain
from ektopos.materials.layering import surface_of

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
    "workflow",
    "covers",
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
            f"{self.material}: {_WORDS.get(self.setting, in_words(self.setting).replace('.', ' '))}"
        )

    def footprint(self, document: Document) -> Footprint:
        entry = document.materials.get(self.material)
        if entry is None:
            return {self.material: None}
        words = f"{self.label().partition(': ')[2]} of {self.material}"
        if self.setting.startswith("uv."):
            return {words: uv_part(inherited_uv(document, self.material), self.setting)}
        return {words: entry.model_dump(mode="json", by_alias=True).get(self.setting)}

    def apply(self, document: Document) -> None:
        entry = require(document.materials, self.material, "material")
        raw = entry.model_dump(mode="json", by_alias=True, exclude_none=True)
        if self.setting.startswith("uv."):
            raw["uv"] = with_uv_part(
                inherited_uv(document, self.material), self.setting, self.value
            )
        else:
            raw.pop(self.setting, None)
            if self.value is not None:
                raw[self.setting] = self.value
        document.materials[self.material] = parse(MaterialEntry, raw, self.material)
        base_chain(document, self.material)
        if self.setting in ("covers", "from"):
            surface_of(document, self.material)
