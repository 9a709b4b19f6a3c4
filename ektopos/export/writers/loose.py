"""Write what stands beside loose maps: the mesh as GLB without textures, and materials and slots as
MaterialX.

Source: MaterialX 1.39 with its glTF PBR nodes, and its OpenPBR 1.1 for materials with light inside.
What a shader there has no place for travels in the GLB (sides, shading) or in the package list
(surface tag; with OpenPBR occlusion and thickness too).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from ektopos.base.names import free_name
from ektopos.base.types import Json
from ektopos.document import COLOUR_INPUTS, Document, InputName, UvTransform
from ektopos.export.plan import Plan, PlannedChannel, PlannedFile, safe_names
from ektopos.export.profile import Profile
from ektopos.export.quantities import is_inverted, is_mixed
from ektopos.export.values import input_values, material_value
from ektopos.export.writers.gltf import UNLIT, drawing_settings, drawn_geometry
from ektopos.export.writers.writer_context import Asset, Container, WriterContext, Written
from ektopos.materials.inheritance import Material
from ektopos.meshes import pack_glb

if TYPE_CHECKING:
    import MaterialX as mx

MATERIALS = "materials.mtlx"
_Ports = dict[InputName, tuple[str, str]]
_GLTF: _Ports = {
    "base_color": ("base_color", "color3"),
    "metallic": ("metallic", "float"),
    "roughness": ("roughness", "float"),
    "normal": ("normal", "vector3"),
    "occlusion": ("occlusion", "float"),
    "emission": ("emissive", "color3"),
    "opacity": ("alpha", "float"),
    "ior": ("ior", "float"),
    "specular": ("specular", "float"),
    "clearcoat": ("clearcoat", "float"),
    "clearcoat_roughness": ("clearcoat_roughness", "float"),
    "sheen": ("sheen_color", "color3"),
    "sheen_roughness": ("sheen_roughness", "float"),
    "transmission": ("transmission", "float"),
    "thickness": ("thickness", "float"),
    "attenuation": ("attenuation_color", "color3"),
    "attenuation_distance": ("attenuation_distance", "float"),
}
_OPEN_PBR: _Ports = {
    "base_color": ("base_color", "color3"),
    "metallic": ("base_metalness", "float"),
    "roughness": ("specular_roughness", "float"),
    "normal": ("geometry_normal", "vector3"),
    "emission": ("emission_color", "color3"),
    "opacity": ("geometry_opacity", "float"),
    "ior": ("specular_ior", "float"),
    "specular": ("specular_weight", "float"),
    "clearcoat": ("coat_weight", "float"),
    "clearcoat_roughness": ("coat_roughness", "float"),
    "sheen": ("fuzz_color", "color3"),
    "sheen_roughness": ("fuzz_roughness", "float"),
    "transmission": ("transmission_weight", "float"),
    "attenuation": ("transmission_color", "color3"),
    "attenuation_distance": ("transmission_depth", "float"),
    "subsurface": ("subsurface_weight", "float"),
    "subsurface_color": ("subsurface_color", "color3"),
    "subsurface_radius": ("subsurface_radius", "float"),
}
_AS_GLTF: dict[InputName, tuple[tuple[str, str, str], ...]] = {
    "clearcoat": (("coat_ior", "float", "1.5"), ("coat_darkening", "float", "0")),
    "sheen": (("fuzz_weight", "float", "1"),),
    "attenuation": (("transmission_depth", "float", "1e7"),),
    "subsurface": (("subsurface_radius_scale", "color3", "1, 1, 1"),),
}
"""By input, what OpenPBR has to be told besides, so that it means what the input means here."""
_ALPHA_MODE = {"opaque": 0, "mask": 1, "blend": 2}


def node_names(plan: Plan) -> list[str]:
    """The name of every material in the MaterialX document: valid there, and told apart."""
    import MaterialX as mx

    names: list[str] = []
    taken: set[str] = set()
    for safe in safe_names(list(plan.materials)).values():
        name = free_name(mx.createValidName(safe), taken, seen_as=str.lower)
        taken.add(name.lower())
        names.append(name)
    return names


def write_loose(parts: WriterContext) -> Written:
    """GLBs with the meshes and nothing on them, and the materials as MaterialX."""
    containers = []
    for asset in parts.assets():
        if not asset.meshes:
            continue
        gltf, binary = drawn_geometry(parts, asset)
        path = parts.folder / f"{asset.stem}.glb"
        path.write_bytes(pack_glb(gltf | _bare_materials(asset, gltf), binary))
        containers.append(Container(path, list(asset.materials), list(asset.meshes)))
    path = parts.folder / MATERIALS
    path.write_text(
        materialx(parts.document, parts.plan, parts.emission_factors, parts.profile), "utf-8"
    )
    containers.append(Container(path, list(parts.plan.materials)))
    return Written(containers, beside=True)


def _bare_materials(asset: Asset, gltf: Json) -> Json:
    """The materials of a mesh's GLB: their names, and how they are drawn. Their maps lie beside."""
    materials = [
        {"name": name, **drawing_settings(material)}
        | ({"extensions": {UNLIT: {}}} if material.shading == "unlit" else {})
        for name, material in asset.materials.items()
    ]
    if not materials:
        return {}
    if not any("extensions" in material for material in materials):
        return {"materials": materials}
    used = sorted({UNLIT, *gltf.get("extensionsUsed", [])})
    return {"materials": materials, "extensionsUsed": used}


def materialx(
    document: Document, plan: Plan, emission_factors: dict[str, float], profile: Profile
) -> str:
    """The MaterialX document: a shader and a material for each, and a look that assigns them to
    `mesh/slot`."""
    import MaterialX as mx

    written = mx.createDocument()
    nodes = dict(zip(plan.materials, node_names(plan), strict=True))
    files = {file.path: file for file in plan.files}
    for name, material in plan.materials.items():
        _add_material(written, nodes[name], name, material, plan, files, emission_factors, profile)
    look = written.addLook("slots")
    for mesh, entry in document.meshes.items():
        for slot, worn in entry.slots.items():
            if worn is not None:
                assigned = look.addMaterialAssign(
                    look.createValidChildName(f"{mesh}_{slot}"), nodes[worn]
                )
                assigned.setGeom(f"/{mesh}/{slot}")
    return str(mx.writeToXmlString(written))


def _is_lit_inside(material: Material, profile: Profile) -> bool:
    """Whether a material needs the shader that has a place for light inside. The specular workflow
    has none: OpenPBR lays its specular colour over the diffuse light without taking from it."""
    feed = material.feeds.get("subsurface")
    return (
        feed is not None
        and profile.workflow == "metallic"
        and bool(feed.maps() or input_values(feed, "subsurface").any())
    )


def _add_material(
    written: mx.Document,
    node: str,
    name: str,
    material: Material,
    plan: Plan,
    files: dict[str, PlannedFile],
    emission_factors: dict[str, float],
    profile: Profile,
) -> None:
    is_gltf = not _is_lit_inside(material, profile)
    category = "gltf_pbr" if is_gltf else "open_pbr_surface"
    shader = written.addNode(category, f"SR_{node}", "surfaceshader")
    ports = _GLTF if is_gltf else _OPEN_PBR
    for input_name, feed in material.feeds.items():
        if input_name not in ports or (input_name == "opacity" and material.alpha_mode == "opaque"):
            continue
        if not profile.carries(input_name, not feed.maps()):
            continue
        port, kind = ports[input_name]
        for beside in () if is_gltf else _AS_GLTF.get(input_name, ()):
            _port(shader, *beside[:2]).setValueString(beside[2])
        path = plan.file_of.get((name, input_name))
        quantity = profile.quantity_for(input_name)
        if quantity == "specular":
            # No metal, and a reflectance of the specular colour itself: the shader multiplies
            # that by ((ior − 1) / (ior + 1))², which is 1 for a very large one.
            shader.addInput(port, kind).setValueString("0")
            shader.addInput("ior", "float").setValueString(f"{_MIRROR_IOR:g}")
            port, kind = "specular_color", "color3"
        if path is not None:
            image = _image_of(written, node, files[path], input_name, kind, material)
            source = _corrected(written, image, input_name, material, profile, is_gltf=is_gltf)
            shader.addInput(port, kind).setNodeName(source)
        elif input_name != "normal":
            # Smoothness and gloss are roughness again here: the shader knows nothing else.
            mixed = quantity if is_mixed(quantity) else ""
            number = material_value(material, mixed, input_name)
            if number is not None:
                told = ", ".join(f"{float(v):.7g}" for v in number.reshape(-1))
                _port(shader, port, kind).setValueString(told)
    glow = material.feeds["emission"].strength * emission_factors.get(
        plan.file_of.get((name, "emission"), ""), 1.0
    )
    if is_gltf:
        _gltf_settings(shader, material, glow)
    else:
        _say_the_rest(shader, material, glow)
    surface = written.addNode("surfacematerial", node, "material")
    surface.addInput("surfaceshader", "surfaceshader").setNodeName(shader.getName())
    if name != node:
        # Names of nodes are ASCII. Source: MaterialX 1.39, “uiname”, for display.
        surface.setAttribute("uiname", name)


def _image_of(
    written: mx.Document,
    node: str,
    file: PlannedFile,
    name: InputName,
    kind: str,
    material: Material,
) -> str:
    """The node that reads an input from its file; its name."""
    letter, channel = next(
        (letter, c) for letter, c in file.channels.items() if c.carries and name in c.inputs()
    )
    return _image(written, node, file, name, kind, letter, channel, material)


def _corrected(
    written: mx.Document,
    source: str,
    name: InputName,
    material: Material,
    profile: Profile,
    *,
    is_gltf: bool,
) -> str:
    """The node that gives what the shader wants of the node `source`; its name."""
    strength = material.feeds[name].strength
    if name == "normal":
        if profile.normal_y == "-":
            # Green is turned before it is read: 1 − y.
            source = _counted(written, source, "vector3", (1.0, -1.0, 1.0), (0.0, 1.0, 0.0))
        return _normal(written, source, strength)
    if name == "occlusion" and strength != 1.0:
        return _counted(written, source, "float", (strength,), (1.0 - strength,))
    if name == "opacity" and material.alpha_mode == "mask" and not is_gltf:
        return _cut(written, source, material.alpha_cutoff)
    return source


def _gltf_settings(shader: mx.Node, material: Material, glow: float) -> None:
    """What glTF's shader has places for besides its inputs."""
    if glow != 1.0:
        shader.addInput("emissive_strength", "float").setValueString(f"{glow:.9g}")
    if material.alpha_mode != "opaque":
        mode = str(_ALPHA_MODE[material.alpha_mode])
        shader.addInput("alpha_mode", "integer").setValueString(mode)
    if material.alpha_mode == "mask":
        shader.addInput("alpha_cutoff", "float").setValueString(f"{material.alpha_cutoff:.7g}")


def _image(
    written: mx.Document,
    node: str,
    file: PlannedFile,
    name: InputName,
    kind: str,
    letter: str,
    channel: PlannedChannel,
    material: Material,
) -> str:
    """The nodes from a file to an input: image, the channel that is picked, and 1 − x for gloss.
    Gives the last one's name."""
    wide = "color4" if "a" in file.channels and file.channels["a"].carries else "color3"
    carried = [a_letter for a_letter, c in file.channels.items() if c.carries]
    # An image of one number reads the first channel, whichever one the file carries it in.
    is_alone = carried == ["r"] or (kind in COLOUR_KINDS and "a" not in carried)
    kind_of_image = "vector3" if kind == "vector3" else kind if is_alone else wide
    label = written.createValidChildName(f"{node}_{name}")
    image = written.addNode("image", label, kind_of_image)
    source = image.addInput("file", "filename")
    source.setValueString(file.path)
    if file.encoding == "srgb" and kind_of_image.startswith("color"):
        source.setColorSpace("srgb_texture")
    place = material.placement(name)
    placed = _placed(written, node, place.uv)
    if placed:
        image.addInput("texcoord", "vector2").setNodeName(placed)
    for port, wrap in zip(("uaddressmode", "vaddressmode"), place.wrap, strict=True):
        if wrap != "repeat":
            image.addInput(port, "string").setValueString(wrap)
    image.addInput("filtertype", "string").setValueString(
        "closest" if material.filter == "nearest" else "linear"
    )
    last = label
    if kind == "float" and kind_of_image != "float":
        extract = written.addNode("extract", f"{label}_channel", "float")
        extract.addInput("in", kind_of_image).setNodeName(last)
        extract.addInput("index", "integer").setValueString(str("rgba".index(letter)))
        last = extract.getName()
    elif kind in COLOUR_KINDS and kind_of_image == "color4":
        convert = written.addNode("convert", f"{label}_rgb", "color3")
        convert.addInput("in", "color4").setNodeName(last)
        last = convert.getName()
    if is_inverted(channel.quantity):
        invert = written.addNode("invert", f"{label}_inverted", "float")
        invert.addInput("in", "float").setNodeName(last)
        last = invert.getName()
    return str(last)


def _port(shader: mx.Node, name: str, kind: str) -> mx.Input:
    """An input of a shader, made where it is not there yet."""
    return shader.getInput(name) or shader.addInput(name, kind)


def _say_the_rest(shader: mx.Node, material: Material, glow: float) -> None:
    """What is said otherwise in OpenPBR: how bright emission is, which glows only where its
    luminance is told, and that occlusion and thickness stand elsewhere."""
    shader.addInput("emission_luminance", "float").setValueString(f"{glow:.9g}")
    elsewhere = [name for name in ("occlusion", "thickness") if name in material.feeds]
    shader.setDocString(f"OpenPBR has no input for {' and '.join(elsewhere)}: see package.json.")


def _cut(written: mx.Document, source: str, cutoff: float) -> str:
    """The node that is 1 where a value reaches the cut-off, and 0 elsewhere; its name."""
    node = written.addNode("ifgreatereq", written.createValidChildName(f"{source}_cut"), "float")
    node.addInput("value1", "float").setNodeName(source)
    for port, value in (("value2", cutoff), ("in1", 1.0), ("in2", 0.0)):
        node.addInput(port, "float").setValueString(f"{value:.7g}")
    return str(node.getName())


def _normal(written: mx.Document, source: str, strength: float) -> str:
    """The node that makes stored normals, +Y, those of the surface; its name."""
    node = written.addNode("normalmap", written.createValidChildName(f"{source}_map"), "vector3")
    node.addInput("in", "vector3").setNodeName(source)
    node.addInput("scale", "float").setValueString(f"{strength:.7g}")
    return str(node.getName())


def _counted(
    written: mx.Document, source: str, kind: str, factor: tuple[float, ...], more: tuple[float, ...]
) -> str:
    """The nodes that multiply a value and add to it; the last one's name."""
    for category, values in (("multiply", factor), ("add", more)):
        node = written.addNode(category, written.createValidChildName(f"{source}_{category}"), kind)
        node.addInput("in1", kind).setNodeName(source)
        node.addInput("in2", kind).setValueString(", ".join(f"{v:.9g}" for v in values))
        source = str(node.getName())
    return source


def _placed(written: mx.Document, node: str, uv: UvTransform) -> str:
    """The node that moves UVs, one for all the material's images that lie alike; nothing where the
    first set stays as it is.

    v points up in MaterialX, so KHR_texture_transform turns about (0, 1) there; `place2d` divides
    by its scale and takes its offset away. Source: MaterialX 1.39, standard library,
    `NG_place2d_vector2`; its glTF images have the same pivot.
    """
    if uv.is_identity and not uv.set:
        return ""
    numbers = [*uv.tiling, *uv.offset, uv.rotation, uv.set]
    known = next(
        (n for n in written.getNodes() if n.getAttribute(_LIES) == f"{node} {numbers}"), None
    )
    if known is not None:
        return str(known.getName())
    coordinates = written.addNode("texcoord", written.createValidChildName(f"{node}_uv"), "vector2")
    if uv.set:
        coordinates.addInput("index", "integer").setValueString(str(uv.set))
    if uv.is_identity:
        coordinates.setAttribute(_LIES, f"{node} {numbers}")
        return str(coordinates.getName())
    place = written.addNode("place2d", written.createValidChildName(f"{node}_placed"), "vector2")
    place.setAttribute(_LIES, f"{node} {numbers}")
    place.addInput("texcoord", "vector2").setNodeName(coordinates.getName())
    scale = [1.0 / (side or _NO_TILING) for side in uv.tiling]
    for port, pair in (
        ("pivot", (0.0, 1.0)),
        ("scale", scale),
        ("offset", (-uv.offset[0], uv.offset[1])),
    ):
        place.addInput(port, "vector2").setValueString(", ".join(f"{value:.9g}" for value in pair))
    place.addInput("rotate", "float").setValueString(f"{-math.degrees(uv.rotation):.9g}")
    return str(place.getName())


_MIRROR_IOR = 1e7
_LIES = "lies"
"""Attribute of a node that places UVs: what it is for, so that it is used again."""
_NO_TILING = 1e-9
"""Stands for a tiling of 0, by which no scale can divide."""
COLOUR_KINDS = ("color3",)
assert set(COLOUR_INPUTS) - {"f0"} <= set(_OPEN_PBR)
