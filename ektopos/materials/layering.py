"""A material's surface: the specular workflow converted, and other materials laid over it where a
mask is (moss, dirt, paint).

A cover is stated in a material and kept live; here it becomes feeds that are laid over feeds, so
that whatever reads feeds reads covered ones too. What is made of an input stays one picture.
"""

from __future__ import annotations

from dataclasses import replace

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.document import (
    TABLE,
    Cover,
    Document,
    Feed,
    InputName,
    Laid,
    Reflectance,
    UvTransform,
)
from ektopos.materials.inheritance import DEFAULTS, Material, resolve_inheritance


def surface_of(document: Document, name: str) -> Material:
    """The material `name` with all it inherits and all that covers it. Raises `MissingReference`
    for what is not there or goes round in a circle, `EktoposError` for what cannot be laid over
    each other."""
    return with_material_layers(document, resolve_inheritance(document, name))


def in_metallic_workflow(material: Material) -> Material:
    """A material with base colour and metallic converted from diffuse and `f0`, where it is of the
    specular workflow. Raises `EktoposError` where these two lie at different UVs.

    Source: the conversion published with KHR_materials_pbrSpecularGlossiness.
    """
    feeds = dict(material.feeds)
    f0 = feeds.pop("f0", None)
    if material.workflow == "metallic" or f0 is None:
        return replace(material, feeds=feeds)
    diffuse = feeds["base_color"]
    places = [material.placement(n) for n in ("base_color", "f0") if material.feeds[n].maps()]
    if len(set(places)) > 1:
        raise EktoposError(
            "its diffuse and its specular (F0) are placed at different UVs, and are converted "
            "texel by texel.",
            subject=material.name,
            hint="Give both the same UVs.",
        )
    place = places[0] if places else material.placement("base_color")
    both = Reflectance(diffuse=_unplaced(diffuse), f0=_unplaced(f0))
    converted = Feed(
        value=(1.0, 1.0, 1.0),
        converted=both,
        uv=None if place.uv == material.uv else place.uv,
        wrap=None if place.wrap == material.wrap else place.wrap,
    )
    feeds |= {"base_color": converted, "metallic": converted.model_copy(update={"value": 0.0})}
    return replace(material, feeds=feeds, reflectance=both)


def _unplaced(feed: Feed) -> Feed:
    return feed.model_copy(update={"uv": None, "wrap": None})


def with_material_layers(
    document: Document, material: Material, above: tuple[str, ...] = ()
) -> Material:
    """A material under its covers, first to last. `above` are the materials that it covers itself.

    The seven inputs and those of extensions that take textures are covered. Opacity stays the
    material's own: where a cover is see-through, it does not cover. Raises as `surface_of`.
    """
    material = in_metallic_workflow(material)
    if not material.covers:
        return material
    if material.name in above:
        raise MissingReference(
            f"its covers go round in a circle ({' → '.join([*above, material.name])}).",
            subject=material.name,
            hint="Take one of them away.",
        )
    over = []
    for cover in material.covers:
        if cover.material not in document.materials:
            raise MissingReference(
                f"the material {cover.material}, which covers it, is missing.",
                subject=material.name,
                hint="Choose another, or take the cover away.",
            )
        other = resolve_inheritance(document, cover.material)
        over.append((cover, with_material_layers(document, other, (*above, material.name))))
    places = {
        one.placement(name).uv.set
        for one in (material, *(other for _, other in over))
        for name in one.placements()
    }
    if len(places) > 1:
        raise EktoposError(
            "what covers it lies in another UV set.",
            subject=material.name,
            hint="Give both the same UV set.",
        )
    uv_set = next(iter(places), 0)
    feeds = dict(material.feeds)
    for name, table in TABLE.items():
        if not table.textured or name == "f0":  # It is in base colour and metallic.
            continue
        laid = [_laid(material, name)]
        if name != "opacity":
            laid += [_laid(other, name, cover) for cover, other in over]
        # Nothing is laid over anything where all give one constant.
        if all(one.feed == laid[0].feed and not one.feed.maps() for one in laid):
            continue
        feeds[name] = Feed(value=table.default, laid=laid, uv=UvTransform(set=uv_set))
    return replace(material, feeds=feeds, reflectance=None)


def _laid(material: Material, name: InputName, cover: Cover | None = None) -> Laid:
    """An input of a material as it lies on the surface."""
    place = material.placement(name)
    feed = material.feeds.get(name, DEFAULTS.get(name, Feed(value=TABLE[name].default)))
    holes = material.feeds["opacity"]
    return Laid(
        feed=_unplaced(feed),
        uv=place.uv.model_copy(update={"set": 0}),
        wrap=place.wrap,
        mask=cover.mask if cover else None,
        amount=cover.amount if cover else 1.0,
        opacity=holes if cover and material.alpha_mode != "opaque" else None,
    )
