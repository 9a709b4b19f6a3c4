"""What a material is once its bases are counted in."""

from __future__ import annotations

from dataclasses import dataclass, field

from ektopos.base.errors import MissingReference
from ektopos.base.types import WrapPair
from ektopos.document import (
    CORE_INPUTS,
    TABLE,
    AlphaMode,
    Cover,
    Document,
    Feed,
    Filter,
    InputName,
    MaterialEntry,
    Reflectance,
    Shading,
    UvTransform,
    Workflow,
)

DEFAULTS: dict[InputName, Feed] = {name: Feed(value=TABLE[name].default) for name in CORE_INPUTS}
"""What feeds the seven inputs when nothing does."""


REPEAT: WrapPair = ("repeat", "repeat")


@dataclass(frozen=True)
class Placement:
    """Where a texture lies on a mesh."""

    uv: UvTransform = field(default_factory=UvTransform)
    wrap: WrapPair = REPEAT
    """What lies beyond its borders, in u and v."""


@dataclass(frozen=True)
class Material:
    """A material with everything inherited: every carried input fed, every setting known."""

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
    wrap: WrapPair = REPEAT
    filter: Filter = "linear"
    shading: Shading = "standard"
    workflow: Workflow = "metallic"
    """In the specular one `base_color` is diffuse, until `layering.surface_of` converts it."""
    reflectance: Reflectance | None = None
    """Diffuse and `f0` as they are fed, where `feeds` are converted from just these."""
    surface_tag: str | None = None
    covers: tuple[Cover, ...] = ()
    """What is layered over it; `layering.with_material_layers` puts them into `feeds`."""
    size_limit: int | None = None
    """The longest side its maps leave with; `None` for no limit of its own."""

    def placement(self, name: InputName) -> Placement:
        """Where the maps of an input lie: as its feed says, or else as the material does."""
        feed = self.feeds.get(name)
        uv, wrap = (None, None) if feed is None else (feed.uv, feed.wrap)
        return Placement(uv or self.uv, wrap or self.wrap)

    def as_entry(self, inputs: dict[InputName, Feed]) -> MaterialEntry:
        """An entry without a base that has all of these settings, and the inputs that are given."""
        return MaterialEntry(
            inputs=inputs,
            alpha_mode=self.alpha_mode,
            alpha_cutoff=self.alpha_cutoff,
            double_sided=self.double_sided,
            uv=self.uv,
            wrap=self.wrap,
            filter=self.filter,
            shading=self.shading,
            workflow="specular" if self.workflow == "specular" else None,
            surface_tag=self.surface_tag,
            size_limit=self.size_limit,
            covers=list(self.covers) or None,
        )

    def common_place(self) -> Placement:
        """Where its maps lie, for targets to which all of them have to lie alike."""
        return next(iter(self.placements().values()), self.placement("base_color"))

    def placements(self) -> dict[InputName, Placement]:
        """Where every input lies that is fed from maps and counts."""
        idle = ("height", *(("opacity",) if self.alpha_mode == "opaque" else ()))
        fed = [name for name, feed in self.feeds.items() if feed.maps() and name not in idle]
        return {name: self.placement(name) for name in fed}


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


def resolve_inheritance(document: Document, name: str) -> Material:
    """The material `name` with everything it inherits. Raises `MissingReference`."""
    chain = base_chain(document, name)
    feeds: dict[InputName, Feed] = dict(DEFAULTS)
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
            ("wrap", entry.wrap),
            ("filter", entry.filter),
            ("shading", entry.shading),
            ("workflow", entry.workflow),
            ("surface_tag", entry.surface_tag),
            ("covers", None if entry.covers is None else tuple(entry.covers)),
            ("size_limit", entry.size_limit),
        )
        settings |= {key: value for key, value in own if value is not None}
    if settings.get("workflow") == "specular":
        feeds.setdefault("f0", Feed(value=TABLE["f0"].default))
    return Material(name=name, chain=chain, feeds=feeds, origin=origin, **settings)  # type: ignore[arg-type]
