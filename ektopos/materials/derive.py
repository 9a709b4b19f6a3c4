"""What a material is once its bases are counted in."""

from __future__ import annotations

from dataclasses import dataclass, field

from ektopos.document import (
    CORE_INPUTS,
    TABLE,
    AlphaMode,
    Document,
    Feed,
    Filter,
    InputName,
    UvTransform,
)
from ektopos.errors import MissingReference

DEFAULTS: dict[InputName, Feed] = {name: Feed(value=TABLE[name].default) for name in CORE_INPUTS}
"""What feeds the seven inputs when nothing does."""


@dataclass(frozen=True)
class Material:
    """An effective material: every carried input fed, every setting known."""

    name: str
    chain: tuple[str, ...]
    """The material and its bases, nearest first."""
    feeds: dict[InputName, Feed] = field(default_factory=dict)
    """A feed for each of the seven inputs; `height` only if something feeds it."""
    origin: dict[InputName, str] = field(default_factory=dict)
    """Which material of the chain states each feed; inputs at their default are not in it."""
    alpha_mode: AlphaMode = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    uv: UvTransform = field(default_factory=UvTransform)
    filter: Filter = "linear"
    surface_tag: str | None = None
    size_limit: int | None = None
    """The longest side its maps leave with; `None` for no limit of its own."""


def base_chain(document: Document, name: str) -> tuple[str, ...]:
    """A material and its bases, nearest first. Raises `MissingReference` for a gap or a circle."""
    chain: list[str] = []
    current: str | None = name
    while current is not None:
        if current in chain:
            raise MissingReference(
                f"its bases go round in a circle ({' → '.join([*chain, current])}).",
                subject=name,
                hint="Give one of them another base.",
            )
        entry = document.materials.get(current)
        if entry is None:
            missing = (
                "there is no such material."
                if current == name
                else f"its base {current} is missing."
            )
            raise MissingReference(missing, subject=name, hint="Choose another.")
        chain.append(current)
        current = entry.base
    return tuple(chain)


def effective(document: Document, name: str) -> Material:
    """The material `name` with everything it inherits. Raises `MissingReference`."""
    chain = base_chain(document, name)
    feeds = dict(DEFAULTS)
    origin: dict[InputName, str] = {}
    settings: dict[str, object] = {}
    for link in reversed(chain):
        entry = document.materials[link]
        feeds |= entry.inputs
        origin |= dict.fromkeys(entry.inputs, link)
        own = (
            ("alpha_mode", entry.alpha_mode),
            ("alpha_cutoff", entry.alpha_cutoff),
            ("double_sided", entry.double_sided),
            ("uv", entry.uv),
            ("filter", entry.filter),
            ("surface_tag", entry.surface_tag),
            ("size_limit", entry.size_limit),
        )
        settings |= {key: value for key, value in own if value is not None}
    return Material(name=name, chain=chain, feeds=feeds, origin=origin, **settings)  # type: ignore[arg-type]
