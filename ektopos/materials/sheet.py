"""What the feed sheet shows of a material: a row for every input with what feeds it, what that
gives and where it leaves, and what the stage draws it with.

Pictures are named by their recipes here and made elsewhere, when somebody looks at them.
"""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass, replace
from typing import get_args

from pydantic import BaseModel

from ektopos.base.errors import EktoposError
from ektopos.base.hashing import hash_json
from ektopos.base.types import Float, Json, WrapPair
from ektopos.document import (
    EXTRA_INPUTS,
    INPUTS,
    TABLE,
    AlphaMode,
    Cover,
    Document,
    Feed,
    Filter,
    InputName,
    Shading,
    UvTransform,
    Workflow,
)
from ektopos.maps import set_of_each, sets_of
from ektopos.materials.adjust import clipped
from ektopos.materials.from_map_set import Unused, contradiction, unused_of_set
from ektopos.materials.inheritance import Material, Placement, resolve_inheritance
from ektopos.materials.layering import surface_of, with_material_layers
from ektopos.materials.preview import (
    STAGE_PICTURES,
    FeedPreview,
    ReducedMap,
    StagePicture,
    feed_preview,
    feed_recipe,
    recipe_values,
    stage_picture,
    stage_recipe,
)
from ektopos.materials.resolve import feed_problem
from ektopos.materials.texel_coverage import slots_with

GLOSS_BELOW = 0.3
"""A mean roughness below this is brighter than most surfaces are, as gloss would be."""


class RowFacts(BaseModel):
    """What an input gives, in numbers."""

    low: float
    high: float
    mean: float
    histogram: list[float]
    unit: str
    clipped: float
    """Share of texels that the adjustments cut off at 0 or 1."""
    suggestion: str = ""
    """What may be wrong, with the evidence; never changed automatically."""


class InputDestination(BaseModel):
    """Where an input leaves in the current target."""

    file: str | None = None
    channels: str = ""
    words: str = ""
    quantity: str = ""
    """What is written where it is not the input itself: gloss, smoothness, diffuse or specular."""
    carried: bool = True
    problem: str = ""
    """Why nothing can leave now."""


class StagePlace(BaseModel):
    """Where a picture of the stage lies on the mesh."""

    uv: UvTransform
    wrap: WrapPair


class Row(BaseModel):
    """One row of the feed sheet."""

    input: InputName
    feed: Feed | None
    own: bool
    origin: str | None
    picture: str | None
    gives: RowFacts | None
    place: StagePlace
    """Where its maps lie."""
    leaves: InputDestination
    problem: str | None = None


class StageLook(BaseModel):
    """The pictures and settings the stage draws with."""

    picture: str
    """The key of a rendered picture of the material on the specimen."""
    extras: dict[InputName, float | list[float]]
    """Means of the inputs beyond the seven."""

    pictures: dict[StagePicture, str]
    emission_factor: float
    alpha_mode: AlphaMode
    alpha_cutoff: float
    double_sided: bool
    uv: UvTransform
    wrap: WrapPair
    places: dict[StagePicture, StagePlace]
    """Where each picture lies."""
    filter: Filter
    shading: Shading


class Sheet(BaseModel):
    """A material's whole feed sheet."""

    material: str
    chain: list[str]
    derived: list[str]
    slots: list[str]
    own_settings: list[str]
    surface_tag: str | None
    size_limit: int | None
    workflow: Workflow
    rows: list[Row]
    unused: list[Unused]
    """Channels of its map set that it has no use for."""
    covers: list[Cover]
    """What lies over it; the rows say what feeds it, and what they give is under its covers."""
    covers_problem: str | None
    stage: StageLook


@dataclass(frozen=True)
class Sources:
    """Where a sheet has from what its document does not hold."""

    content: Callable[[str], str]
    """The hash of a map's file, by the map's name."""
    usable: Set[str]
    """The maps whose files are there and measured."""
    reduced: ReducedMap
    longest: int
    """The longest side of the reduced copies, in texels."""
    keep: Callable[[Json], str]
    """Keeps a recipe for when its picture is asked for; gives its key."""


LeavesOf = Callable[[Material, InputName], InputDestination]


def sheet_of(document: Document, name: str, sources: Sources, leaves: LeavesOf) -> Sheet:
    """The feed sheet of a material. Raises `MissingReference` for a material that is not there.

    Cost: a reduced map a fed input.
    """
    material, entry = resolve_inheritance(document, name), document.materials[name]
    whole, problem = _covered(document, material)
    shown = _shown_inputs(material, whole)
    sets = sets_of(document)
    return Sheet(
        material=name,
        chain=list(material.chain),
        derived=[other for other, e in document.materials.items() if e.base == name],
        slots=[f"{mesh} · {slot}" for mesh, slot in slots_with(document, name)],
        own_settings=[
            key for key in entry.model_dump(exclude_none=True, exclude={"inputs"}) if key != "base"
        ],
        surface_tag=material.surface_tag,
        size_limit=material.size_limit,
        workflow=material.workflow,
        rows=[
            _row(
                document,
                # What diffuse and F0 give is shown as they are, before both are converted.
                (material, material if _is_reflectance(material, i) else whole),
                i,
                i in entry.inputs,
                sources,
                leaves(whole, "metallic" if i == "f0" else i),
            )
            for i in shown
        ],
        unused=unused_of_set(document, material, sets, set_of_each(sets)),
        covers=list(material.covers),
        covers_problem=problem,
        stage=stage_look(document, whole, sources),
    )


def _is_reflectance(material: Material, name: InputName) -> bool:
    return material.workflow == "specular" and name in ("base_color", "f0")


def _shown_inputs(material: Material, whole: Material) -> list[InputName]:
    """The rows of a sheet: the inputs of its workflow, and whatever else is fed."""
    if material.workflow == "specular":
        shown = [i for i in INPUTS if i in whole.feeds or i == "f0" or i not in EXTRA_INPUTS]
        shown.remove("metallic")
        shown.remove("f0")
        shown.insert(shown.index("base_color") + 1, "f0")
        return shown
    return [i for i in INPUTS if i in whole.feeds or i not in EXTRA_INPUTS]


def _covered(document: Document, material: Material) -> tuple[Material, str | None]:
    """A material under its covers, or bare and why that is."""
    try:
        return with_material_layers(document, material), None
    except EktoposError as problem:
        return material, str(problem)


def stage_looks(document: Document, sources: Sources) -> dict[str, StageLook]:
    """What the stage needs of every material; broken ones are left out."""
    looks = {}
    for name in document.materials:
        try:
            looks[name] = stage_look(document, surface_of(document, name), sources)
        except EktoposError:
            continue
    return looks


def stage_look(document: Document, material: Material, sources: Sources) -> StageLook:
    """What the stage draws a material with; inputs with unreadable maps have their defaults."""
    usable = {
        name: feed
        for name, feed in material.feeds.items()
        if problem_of(document, feed, name, sources.usable) is None
    }
    keys, factor = _stage_pictures(document, replace(material, feeds=usable), sources)
    recipes = {name: solo_recipe(document, usable[name], name, sources) for name in usable}
    extras = {
        name: _mean(recipe_values(recipe, name, sources.reduced))
        for name, recipe in recipes.items()
        if name in EXTRA_INPUTS
    }
    rendered: Json = {
        "picture": "material",
        "inputs": {
            name: recipe["inputs"][name]
            for name, recipe in recipes.items()
            if name not in EXTRA_INPUTS
            and not (name == "opacity" and material.alpha_mode == "opaque")
        },
        "alpha_mode": material.alpha_mode,
        "alpha_cutoff": material.alpha_cutoff,
        "double_sided": material.double_sided,
        "places": {
            name: {"uv": place.uv.model_dump(mode="json"), "wrap": list(place.wrap)}
            for name, place in material.placements().items()
            if name in recipes
        },
        "filter": material.filter,
        "unlit": material.shading == "unlit",
        "ior": extras.get("ior", TABLE["ior"].default),
    }
    return StageLook(
        picture=sources.keep(rendered),
        extras=extras,
        pictures=keys,
        emission_factor=factor,
        alpha_mode=material.alpha_mode,
        alpha_cutoff=material.alpha_cutoff,
        double_sided=material.double_sided,
        uv=material.uv,
        wrap=material.wrap,
        places={kind: _stage_place(material, kind) for kind in keys},
        filter=material.filter,
        shading=material.shading,
    )


def _stage_place(material: Material, kind: StagePicture) -> StagePlace:
    """Where a picture lies: as the first of its inputs that has maps."""
    made_of = STAGE_PICTURES[kind]
    first = next((name for name in made_of if name in material.placements()), made_of[0])
    return _place(material.placement(first))


def _place(place: Placement) -> StagePlace:
    return StagePlace(uv=place.uv, wrap=place.wrap)


def solo_recipe(document: Document, feed: Feed, name: InputName, sources: Sources) -> Json:
    """The recipe of one input by itself."""
    return {
        "picture": "solo",
        "inputs": {name: feed_recipe(feed, document.maps, sources.content)},
    }


def problem_of(document: Document, feed: Feed, name: InputName, usable: Set[str]) -> str | None:
    """Why a feed cannot fill its input, in words; `None` if it can."""
    gone = sorted(feed.maps() - usable)
    return feed_problem(document, feed, name) or (
        f"the file of {gone[0]} is missing or still being measured." if gone else None
    )


def _row(
    document: Document,
    bare_and_covered: tuple[Material, Material],
    name: InputName,
    own: bool,
    sources: Sources,
    leaves: InputDestination,
) -> Row:
    material, whole = bare_and_covered
    feed, result = material.feeds.get(name), whole.feeds.get(name)
    row = Row(
        input=name,
        feed=feed,
        own=own,
        origin=material.origin.get(name),
        picture=None,
        gives=None,
        place=_place(material.placement(name)),
        leaves=leaves,
        problem=None if feed is None else problem_of(document, feed, name, sources.usable),
    )
    if result is None or row.problem is not None:
        return row
    recipe = solo_recipe(document, result, name, sources)
    row.picture = sources.keep(recipe)
    own_recipe = recipe if feed is None else solo_recipe(document, feed, name, sources)
    facts, cut = _numbers(recipe, own_recipe, name, sources)
    row.gives = RowFacts(
        **vars(facts), clipped=cut, suggestion=suggestion(document, material, name, facts.mean)
    )
    return row


_known: dict[str, tuple[FeedPreview, float]] = {}
"""Numbers of rows, by all that they follow from: while one input is changed, the others stay."""
_KNOWN = 2000


def _numbers(
    recipe: Json, own: Json, name: InputName, sources: Sources
) -> tuple[FeedPreview, float]:
    """What an input gives, and how much of it its own adjustments cut off."""
    key = hash_json([name, sources.longest, recipe, own])
    found = _known.get(key)
    if found is None:
        facts = feed_preview(recipe_values(recipe, name, sources.reduced), name)
        found = facts, _clipped(own, name, sources.reduced)
        if len(_known) >= _KNOWN:
            _known.clear()
        _known[key] = found
    return found


def _stage_pictures(
    document: Document, material: Material, sources: Sources
) -> tuple[dict[StagePicture, str], float]:
    """The keys of a material's stage pictures, and what its emission is divided by."""
    keys: dict[StagePicture, str] = {}
    factor = 1.0
    for kind in get_args(StagePicture):
        made_of = [name for name in STAGE_PICTURES[kind] if name in material.feeds]
        beyond = kind not in ("base", "orm", "normal", "emission")
        if beyond and not any(material.feeds[name].maps() for name in made_of):
            continue
        if kind == "occlusion" and _stage_place(material, kind) == _stage_place(material, "orm"):
            continue  # It is in that picture, and lies where that lies.
        recipe = stage_recipe(material, kind, document.maps, sources.content)
        keys[kind] = sources.keep(recipe)
        if kind == "emission" and made_of:
            _, factor = stage_picture(recipe, sources.reduced, sources.longest)
    return keys, factor


def _mean(values: Float) -> float | list[float]:
    mean = values.reshape(-1, values.shape[2]).mean(axis=0) if values.ndim == 3 else values.mean()
    return [round(float(v), 5) for v in mean] if values.ndim == 3 else round(float(mean), 5)


def _clipped(recipe: Json, name: InputName, reduced: ReducedMap) -> float:
    """How much of an input its adjustments cut off."""
    if not TABLE[name].adjusts:
        return 0.0
    given = recipe["inputs"][name]
    plain = {key: given[key] for key in ("map", "channels", "value") if key in given}
    values = recipe_values({"inputs": {name: plain}}, name, reduced)
    return clipped(values, Feed.model_validate(given))


def suggestion(document: Document, material: Material, name: InputName, mean: float) -> str:
    """“Too shiny? This may be gloss”, where a map is fed as roughness, is bright where gloss would
    be, and nobody has said."""
    feed = material.feeds.get(name)
    said_otherwise = None if feed is None else contradiction(document, feed, name)
    if said_otherwise is not None:
        label = TABLE[said_otherwise[1]].label.lower()
        return f"You said that this map holds {label}. Move the feed there, on Checks."
    if name != "roughness" or feed is None or feed.map is None or feed.invert:
        return ""
    entry = document.maps[feed.map]
    letter = (feed.channels or "r")[0]
    held = next((role for group, role in entry.roles.items() if letter in group), "unknown")
    if held == "gloss":
        return "Too shiny? Its map holds gloss: invert it."
    if mean < GLOSS_BELOW and not entry.by_hand and held in ("roughness", "unknown"):
        return f"Too shiny? This may be gloss: its mean is {mean:.2f}, and the pixels do not tell."
    return ""
