"""What a document states of a material, as JSON: the ground on which parts of it are changed."""

from __future__ import annotations

from typing import Any

from ektopos.base.errors import EktoposError
from ektopos.base.names import in_words
from ektopos.base.types import Json
from ektopos.document import Document, InputName, UvTransform
from ektopos.materials.inheritance import base_chain, resolve_inheritance


def input_in_words(input_name: str, material: str) -> str:
    """An input of a material in words."""
    return f"{in_words(input_name)} of {material}"


def own_feed(document: Document, material: str, name: InputName) -> Json | None:
    """What a material itself says of an input, as JSON."""
    entry = document.materials.get(material)
    feed = entry.inputs.get(name) if entry else None
    return feed.model_dump(mode="json", exclude_defaults=True) if feed else None


def inherited_feed(document: Document, material: str, name: InputName) -> Json:
    """What feeds an input of a material, its own or inherited, as JSON; empty where nothing
    does.
    """
    try:
        chain = base_chain(document, material)
    except EktoposError:
        return {}
    return next((feed for link in chain if (feed := own_feed(document, link, name))), {})


def inherited_uv(document: Document, material: str) -> Json:
    """The UV transform of a material, its own or inherited, as JSON."""
    return resolve_inheritance(document, material).uv.model_dump(mode="json")


_AXES = {"u": 0, "v": 1}


def uv_part(uv: Json, setting: str) -> Any:
    """A part of a UV transform by its name: `uv.tiling`, `uv.tiling.u`, `uv.rotation`, …"""
    _, key, *axis = setting.split(".")
    return uv[key][_AXES[axis[0]]] if axis else uv[key]


def with_uv_part(uv: Json, setting: str, value: Any) -> Json:
    """A UV transform with one part set; without a value, set to what changes nothing."""
    plain = UvTransform().model_dump(mode="json")
    value = uv_part(plain, setting) if value is None else value
    _, key, *axis = setting.split(".")
    if not axis:
        return uv | {key: value}
    pair = list(uv[key])
    pair[_AXES[axis[0]]] = value
    return uv | {key: pair}
