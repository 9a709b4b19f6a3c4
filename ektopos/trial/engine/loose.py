"""The stand-in engine's importer for a mesh with loose maps.

What a channel carries is the profile's convention, which maps belong to which material is read from
the package list, and the materials are read a second time from the MaterialX document: an engine
may go by either, so both have to be right. XML is read with the standard library, never with the
library that wrote it.
"""

from __future__ import annotations

import math
import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path
from typing import Any

from ektopos.targets.profile import Profile, ProfileFile
from ektopos.trial.engine.files import PackageFiles, listed_slots
from ektopos.trial.engine.gltf import read_bare
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Imported,
    ImportedInput,
    ImportedMaterial,
    Place,
    Texture,
)

MATERIALS = "materials.mtlx"
_DEFAULTS: dict[str, tuple[float, ...]] = {
    "base_color": (1.0, 1.0, 1.0),
    "metallic": (0.0,),
    "roughness": (1.0,),
    "normal": (0.0, 0.0, 1.0),
    "occlusion": (1.0,),
    "emission": (0.0, 0.0, 0.0),
    "opacity": (1.0,),
}
_INSIDE: dict[str, tuple[float, ...]] = {
    "subsurface": (0.0,),
    "subsurface_color": (1.0, 1.0, 1.0),
    "subsurface_radius": (0.01,),
}
"""Light inside, when nothing is said of it: there is none."""
_PLAIN = _DEFAULTS | {extra: default for extra, (*_, default) in EXTENSIONS.items()} | _INSIDE
_GLTF_PORTS = {
    "base_color": "base_color",
    "metallic": "metallic",
    "roughness": "roughness",
    "normal": "normal",
    "occlusion": "occlusion",
    "emissive": "emission",
    "alpha": "opacity",
    "specular_color": "metallic",
    "ior": "ior",
    "specular": "specular",
    "clearcoat": "clearcoat",
    "clearcoat_roughness": "clearcoat_roughness",
    "sheen_color": "sheen",
    "sheen_roughness": "sheen_roughness",
    "transmission": "transmission",
    "thickness": "thickness",
    "attenuation_color": "attenuation",
    "attenuation_distance": "attenuation_distance",
}
_OPEN_PBR_PORTS = {
    "base_color": "base_color",
    "base_metalness": "metallic",
    "specular_roughness": "roughness",
    "geometry_normal": "normal",
    "emission_color": "emission",
    "geometry_opacity": "opacity",
    "specular_ior": "ior",
    "specular_weight": "specular",
    "coat_weight": "clearcoat",
    "coat_roughness": "clearcoat_roughness",
    "fuzz_color": "sheen",
    "fuzz_roughness": "sheen_roughness",
    "transmission_weight": "transmission",
    "transmission_color": "attenuation",
    "transmission_depth": "attenuation_distance",
    "subsurface_weight": "subsurface",
    "subsurface_color": "subsurface_color",
    "subsurface_radius": "subsurface_radius",
}
_SHADERS: dict[str, dict[str, str]] = {
    "gltf_pbr": _GLTF_PORTS,
    "open_pbr_surface": _OPEN_PBR_PORTS,
}
"""By shader, the input that each port is. Source: MaterialX 1.39's own node definitions."""
_ALPHA_MODES = ("opaque", "mask", "blend")


def import_loose(profile: Profile, files: PackageFiles, listing: dict[str, Any]) -> Imported:
    """Read a loose package. A missing or broken file is said in the result, not raised.

    One that was made elsewhere has no package list: then the mesh names the materials, the target's
    naming rule says which files are theirs, and what else there is to know stands in the MaterialX
    document, if there is one.
    """
    listed = listed_slots(listing)
    made_elsewhere = not listing
    meshes = sorted({str(entry.get("file")) for entry in listing.get("meshes", {}).values()})
    meshes = meshes or sorted(path.name for path in files.root.glob("*.glb"))
    broken = next((name for name in meshes if files.find(name) is None), None)
    if broken is not None or (made_elsewhere and not meshes):
        reason = (
            f"{broken} is missing."
            if broken
            else "there is neither a package.json nor a GLB in it."
        )
        return Imported(profile.id, listed_slots=listed, problem="missing-file", message=reason)
    try:
        imported = Imported(profile.id)
        for name in meshes:
            read_bare(imported, name, files, listing)
        slots, drawn, scenes = imported.slots, imported.drawn, imported.scenes
        if made_elsewhere:
            listing = _guessed(
                profile,
                files,
                [
                    material
                    for mesh in slots.values()
                    for material in mesh.values()
                    if material is not None
                ],
            )
            files.listed = {entry["path"]: entry for entry in listing["files"]}
        said_materials = listing.get("materials", {})
        materials = {
            name: _from_list(profile, files, name, facts) for name, facts in said_materials.items()
        }
    except Exception as problem:
        return Imported(
            profile.id,
            listed_slots=listed,
            problem="unreadable-file",
            message=f"the package cannot be read ({problem}).",
        )
    path = files.find(MATERIALS)
    if path is None and made_elsewhere:
        return Imported(profile.id, materials, slots, listed, drawn=drawn, scenes=scenes)
    if path is None:
        return Imported(
            profile.id,
            listed_slots=listed,
            problem="missing-file",
            message=f"{MATERIALS} is missing.",
        )
    try:
        tree = ET.fromstring(path.read_bytes())
        nodes = {str(facts.get("node", name)): name for name, facts in said_materials.items()}
        second = _second_reading(profile, tree, files, nodes, materials)
        materials = {name: _by_convention(one, second.get(name)) for name, one in materials.items()}
        assigned = _assigned(tree, nodes)
    except (ET.ParseError, KeyError, ValueError, IndexError) as problem:
        reason = f"{MATERIALS} cannot be read ({problem})."
        return Imported(profile.id, listed_slots=listed, problem="unreadable-file", message=reason)
    if made_elsewhere:
        materials, second = materials | second, {}
    return Imported(
        profile.id,
        materials,
        slots,
        listed,
        assigned_slots=assigned,
        second=second,
        drawn=drawn,
        scenes=scenes,
    )


def _by_convention(listed: ImportedMaterial, said: ImportedMaterial | None) -> ImportedMaterial:
    """A material whose textures are found by the target's convention, and whose values are those of
    the document: the package list is for people."""
    if said is None:
        return listed
    inputs = {
        name: said.inputs[name]
        if one.texture is None
        else replace(one, strength=said.inputs[name].strength, place=said.inputs[name].place)
        for name, one in listed.inputs.items()
    }
    return replace(said, inputs=inputs)


def _guessed(profile: Profile, files: PackageFiles, materials: list[str]) -> dict[str, Any]:
    """A package list for a package without one: files by the target's naming rule, materials by the
    names in the mesh."""
    entries = []
    for path in sorted(path for path in files.root.rglob("*") if path.is_file()):
        for name in dict.fromkeys(materials):
            kind = next(
                (
                    kind
                    for kind in profile.files
                    if _is_named(path.stem, profile, kind, _plain_name(name))
                ),
                None,
            )
            if kind is not None and path.suffix.lower() == f".{kind.format}":
                channels = {letter: kind.letters().get(letter) for letter in "rgba"}  # type: ignore[call-overload]
                place = str(path.relative_to(files.root))
                entries.append({"path": place, "materials": [name], "channels": channels})
    return {
        "files": entries,
        "materials": {name: {"node": re.sub(r"\W", "_", name)} for name in materials},
    }


def _plain_name(material: str) -> str:
    """A material's name as file names can have it."""
    return re.sub(r"[^A-Za-z0-9_.-]+", "_", material).strip("._ ")


def _from_list(
    profile: Profile, files: PackageFiles, name: str, facts: dict[str, Any]
) -> ImportedMaterial:
    """A material as the package list and the profile's convention say it."""
    listed = facts.get("inputs", {})
    inputs: dict[str, ImportedInput] = {}
    for input_name, default in _PLAIN.items():
        told = listed.get(input_name, {}) if isinstance(listed, dict) else {}
        strength = float(told.get("strength", 1.0))
        channel = _channel_of(profile, files, name, input_name)
        if channel is not None:
            texture, kind, group, quantity = channel
            # A format that says its own encoding is believed before the convention.
            own = None if texture.said_srgb is None else "srgb" if texture.said_srgb else "linear"
            encoding = "linear" if group == "a" else own or kind.encoding
            one = (1.0, 1.0, 1.0) if len(group) > 1 else (1.0,)
            inputs[input_name] = ImportedInput(
                texture,
                _letters(group, input_name, quantity),
                encoding,
                profile.normal_y,
                one,
                strength,
                inverted=quantity in ("gloss", "smoothness"),
                quantity=quantity,
                copies=group.removeprefix(_letters(group, input_name, quantity)),
            )
        else:
            value = told.get("value", default)
            factor = (
                tuple(float(v) for v in value)
                if isinstance(value, (list, tuple))
                else (float(value),)
            )
            inputs[input_name] = ImportedInput(factor=factor, strength=strength)
        inputs[input_name] = replace(inputs[input_name], place=_said_place(facts | told))
    return ImportedMaterial(
        name=name,
        inputs=inputs,
        alpha_mode=str(facts.get("alpha_mode", "opaque")),
        alpha_cutoff=float(facts.get("alpha_cutoff", 0.5)),
        double_sided=bool(facts.get("double_sided", False)),
        filter=str(facts.get("filter", "linear")),
        shading=str(facts.get("shading", "standard")),
        surface_tag=facts.get("surface_tag"),
    )


def _said_place(facts: dict[str, Any]) -> Place:
    """Where the package list lays a texture."""
    uv, wrap = facts.get("uv", {}), facts.get("wrap", ("repeat", "repeat"))
    return Place(
        int(uv.get("set", 0)),
        _pair(uv.get("tiling", (1.0, 1.0))),
        _pair(uv.get("offset", (0.0, 0.0))),
        float(uv.get("rotation", 0.0)),
        (str(wrap[0]), str(wrap[1])),
    )


def _channel_of(
    profile: Profile, files: PackageFiles, material: str, name: str
) -> tuple[Texture, ProfileFile, str, str] | None:
    """The file, its kind, the channels and the quantity that carry an input of a material; `None`
    where no file does."""
    for path, entry in files.listed.items():
        if material not in entry.get("materials", []):
            continue
        kind = next(
            (kind for kind in profile.files if _is_named(Path(path).stem, profile, kind)), None
        )
        if kind is None:
            continue
        for group, carry in kind.channels.items():
            made_of = profile.inputs_of(carry)
            written = entry.get("channels", {}).get(group[0]) is not None
            if made_of[0] == name and written:
                return files.texture(path), kind, group, carry if carry != name else ""
    return None


def _is_named(stem: str, profile: Profile, kind: ProfileFile, material: str | None = None) -> bool:
    """Whether a file is called as the target's rule calls files of a kind, of any material or of
    one."""
    parts = {
        "material": ".+" if material is None else re.escape(material),
        "suffix": re.escape(kind.suffix),
        "target": re.escape(profile.id),
    }
    pieces = re.findall(r"([^{]*)(?:\{(\w+)\})?", profile.name_rule)
    pattern = "".join(re.escape(text) + parts.get(token, "") for text, token in pieces)
    return re.fullmatch(pattern, stem) is not None


def _letters(group: str, name: str, quantity: str) -> str:
    """The channels that are looked at: one for data, though it may be written in three."""
    wide = quantity == "specular" or name in (
        "base_color",
        "emission",
        "normal",
        "sheen",
        "subsurface_color",
    )
    return group if wide or len(group) == 1 else "r"


def _second_reading(
    profile: Profile,
    tree: ET.Element,
    files: PackageFiles,
    nodes: dict[str, str],
    first: dict[str, ImportedMaterial],
) -> dict[str, ImportedMaterial]:
    """The materials as the MaterialX document says them; what it has no place for is taken from the
    list."""
    by_name = {element.get("name", ""): element for element in tree}
    readings = {}
    for node, name in nodes.items():
        if name not in first:
            continue
        surface = by_name[node]
        shader = by_name[_input(surface, "surfaceshader")["nodename"]]
        ports = _inputs(shader)
        known = _SHADERS.get(shader.tag, {})
        stated = {known[port]: values for port, values in ports.items() if port in known}
        if shader.tag == "gltf_pbr" and "specular_color" in ports:
            stated["metallic"] = ports["specular_color"]
        inputs: dict[str, ImportedInput] = {}
        filters = set()
        cutoff: float | None = None
        for input_name, own in first[name].inputs.items():
            values = stated.get(input_name)
            if input_name == "ior" and "specular_color" in ports:
                inputs[input_name] = own  # It only makes the specular colour what it says.
            elif input_name not in known.values():
                inputs[input_name] = own
            elif values is None:
                unstated = own.texture is None and input_name in ("normal", "opacity")
                inputs[input_name] = (
                    own
                    if unstated or own.quantity
                    else replace(own, texture=None, factor=_PLAIN[input_name])
                )
            elif "nodename" in values:
                traced = _trace(by_name, values["nodename"], own)
                filters.add(traced["filter"])
                cutoff = traced.get("cutoff", cutoff)
                inputs[input_name] = replace(
                    own,
                    texture=files.texture(traced["file"]),
                    factor=_reflecting(ports) if own.quantity == "specular" else (1.0, 1.0, 1.0),
                    normal_y=traced["normal_y"],
                    channels=traced["channels"],
                    encoding=traced["encoding"],
                    inverted=traced["inverted"],
                    strength=traced["strength"]
                    if input_name in ("normal", "occlusion")
                    else own.strength,
                    place=traced["place"],
                )
            else:
                inputs[input_name] = replace(
                    own, texture=None, factor=tuple(float(v) for v in values["value"].split(","))
                )
        glow, mode, cutoff = (
            _open_pbr_settings(ports, cutoff)
            if shader.tag == "open_pbr_surface"
            else _gltf_settings(ports)
        )
        inputs["emission"] = replace(inputs["emission"], strength=glow)
        readings[name] = replace(
            first[name],
            inputs=inputs,
            alpha_mode=mode,
            alpha_cutoff=first[name].alpha_cutoff if cutoff is None else cutoff,
            filter=first[name].filter
            if not filters
            else "nearest"
            if filters == {"closest"}
            else "linear",
        )
    return readings


def _gltf_settings(ports: dict[str, dict[str, str]]) -> tuple[float, str, float | None]:
    """How strongly a shader of glTF's kind glows, its alpha mode, and its cut-off where it says
    one."""
    cutoff = ports.get("alpha_cutoff", {}).get("value")
    return (
        float(ports.get("emissive_strength", {}).get("value", 1.0)),
        _ALPHA_MODES[int(ports.get("alpha_mode", {}).get("value", 0))],
        None if cutoff is None else float(cutoff),
    )


def _open_pbr_settings(
    ports: dict[str, dict[str, str]], cutoff: float | None
) -> tuple[float, str, float | None]:
    """The same of OpenPBR, which is as solid as its opacity says: cut where a comparison feeds it.
    Its emission has no luminance unless one is told."""
    glow = float(ports.get("emission_luminance", {}).get("value", 0.0))
    if "geometry_opacity" not in ports:
        return glow, "opaque", None
    return glow, "blend" if cutoff is None else "mask", cutoff


def _reflecting(ports: dict[str, dict[str, str]]) -> tuple[float, float, float]:
    """What the shader makes of a specular colour of 1 on what is no metal: how much is reflected at
    normal incidence. Metal does not heed it. Source: MaterialX 1.39, `gltf_pbr`."""
    if float(ports.get("metallic", {}).get("value", 1.0)) != 0.0:
        return (0.0, 0.0, 0.0)
    ior = float(ports.get("ior", {}).get("value", 1.5))
    share = ((ior - 1.0) / (ior + 1.0)) ** 2 * float(ports.get("specular", {}).get("value", 1.0))
    return (share, share, share)


def _trace(by_name: dict[str, ET.Element], name: str, own: ImportedInput) -> dict[str, Any]:
    """Follow the nodes from a shader's input back to its image."""
    traced: dict[str, Any] = {
        "inverted": False,
        "channels": own.channels,
        "filter": "linear",
        "normal_y": "+",
        "strength": 1.0,
    }
    for _ in range(12):
        node = by_name[name]
        values = _inputs(node)
        if node.tag == "image":
            traced |= {
                "file": values["file"]["value"],
                "filter": values.get("filtertype", {}).get("value", "linear"),
            }
            srgb = values["file"].get("colorspace") == "srgb_texture" and traced["channels"] != "a"
            traced["encoding"] = "srgb" if srgb else "linear"
            wrap = [
                _WRAPS.get(values.get(port, {}).get("value", "periodic"), "unknown")
                for port in ("uaddressmode", "vaddressmode")
            ]
            placed = _place(by_name, values.get("texcoord", {}).get("nodename"))
            traced["place"] = replace(placed, wrap=(wrap[0], wrap[1]))
            return traced
        if node.tag == "extract":
            traced["channels"] = "rgba"[int(values["index"]["value"])]
        elif node.tag == "invert":
            traced["inverted"] = True
        elif node.tag == "ifgreatereq":
            traced["cutoff"] = float(values["value2"]["value"])
        elif node.tag == "normalmap":
            traced["strength"] = float(values.get("scale", {}).get("value", 1.0))
        elif node.tag == "multiply":
            factor = [float(v) for v in values["in2"]["value"].split(",")]
            if len(factor) == 3 and factor[1] < 0:
                traced["normal_y"] = "-"
            elif len(factor) == 1:
                traced["strength"] = factor[0]
        name = next(values[port] for port in ("in", "value1", "in1") if port in values)["nodename"]
    raise ValueError(f"the nodes behind {name} go round in a circle")


_WRAPS = {"periodic": "repeat", "clamp": "clamp", "mirror": "mirror"}


def _place(by_name: dict[str, ET.Element], name: str | None) -> Place:
    """UV set, tiling, offset and rotation as glTF counts them, of the nodes behind an image's
    coordinates; v points up there."""
    node = by_name[name] if name else None
    if node is None:
        return Place()
    if node.tag == "texcoord":
        return Place(int(_inputs(node).get("index", {}).get("value", 0)))
    if node.tag != "place2d":
        return Place()
    below = _place(by_name, _inputs(node).get("texcoord", {}).get("nodename"))
    stated = {key: values.get("value", "") for key, values in _inputs(node).items()}

    def pair(key: str, plain: tuple[float, float]) -> tuple[float, float]:
        return _pair(stated[key].split(",")) if stated.get(key) else plain

    (px, py), (sx, sy), (ox, oy) = (
        pair("pivot", (0.0, 0.0)),
        pair("scale", (1.0, 1.0)),
        pair("offset", (0.0, 0.0)),
    )
    turn = -math.radians(float(stated.get("rotate") or 0.0))
    su, sv = 1.0 / sx, 1.0 / sy
    # Its result at (0, 1), glTF's origin, is where glTF's offset lies; with the pivot there, only
    # the offset moves it.
    x, y = -px * su, (1.0 - py) * sv
    cos, sin = math.cos(turn), math.sin(turn)
    moved = (cos * x - sin * y + px - ox, sin * x + cos * y + py - oy)
    offset = (round(moved[0], 9), round(1.0 - moved[1], 9))
    return Place(below.uv_set, (su, sv), offset, turn)


def _assigned(tree: ET.Element, nodes: dict[str, str]) -> dict[str, dict[str, str | None]]:
    by_mesh: dict[str, dict[str, str | None]] = {}
    for assigned in tree.iter("materialassign"):
        _, mesh, slot = (assigned.get("geom") or "").split("/", 2)
        material = assigned.get("material") or ""
        by_mesh.setdefault(mesh, {})[slot] = nodes.get(material, material)
    return by_mesh


def _inputs(node: ET.Element) -> dict[str, dict[str, str]]:
    return {child.get("name", ""): dict(child.attrib) for child in node if child.tag == "input"}


def _input(node: ET.Element, name: str) -> dict[str, str]:
    return _inputs(node)[name]


def _pair(values: Any) -> tuple[float, float]:
    return float(values[0]), float(values[1])
