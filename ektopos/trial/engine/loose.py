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
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

from ektopos.base.types import Json
from ektopos.export.profile import Profile, ProfileFile
from ektopos.trial.engine.arithmetic import with_arithmetic
from ektopos.trial.engine.files import PackageFiles, listed_slots
from ektopos.trial.engine.gltf import read_bare
from ektopos.trial.engine.mtlx_graph import Signal, evaluate, numbers_of, ports_of
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Imported,
    ImportedInput,
    ImportedMaterial,
    Place,
    Problem,
    Texture,
    common_filter,
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
_HEIGHT: dict[str, tuple[float, ...]] = {"height": (0.5,)}
_PLAIN = (
    _DEFAULTS | _HEIGHT | {extra: default for extra, (*_, default) in EXTENSIONS.items()} | _INSIDE
)
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
_DIELECTRIC = 0.04
"""What is reflected at normal incidence where nothing is said: an index of refraction of 1.5."""
_ALPHA_MODES = ("opaque", "mask", "blend")


def import_loose(profile: Profile, files: PackageFiles, listing: Json) -> Imported:
    """Read a loose package. A missing or broken file is said in the result, not raised.

    One that was made elsewhere has no package list: then the mesh names the materials, the target's
    naming rule says which files are theirs, and what else there is to know stands in the MaterialX
    document, if there is one.
    """
    listed = listed_slots(listing)
    made_elsewhere = not listing

    def refused(problem: Problem, message: str) -> Imported:
        return Imported(profile.id, listed_slots=listed, problem=problem, message=message)

    meshes = sorted({str(entry.get("file")) for entry in listing.get("meshes", {}).values()})
    meshes = meshes or sorted(path.name for path in files.root.glob("*.glb"))
    broken = next((name for name in meshes if files.find(name) is None), None)
    if broken is not None:
        return refused("missing-file", f"{broken} is missing.")
    if made_elsewhere and not meshes:
        return refused("missing-file", "there is neither a package.json nor a GLB in it.")
    try:
        imported, drawing = _bare_meshes(profile, meshes, files, listing)
        if made_elsewhere:
            listing = _guessed(profile, files, _materials_of(imported))
            files.listed = {entry["path"]: entry for entry in listing["files"]}
        facts_of = listing.get("materials", {})
        materials = {
            name: _from_list(profile, files, name, facts) for name, facts in facts_of.items()
        }
    except Exception as problem:
        return refused("unreadable-file", f"the package cannot be read ({problem}).")
    imported = replace(imported, listed_slots=listed)
    path = files.find(MATERIALS)
    if path is None and made_elsewhere:
        return replace(imported, materials=_drawn_with(materials, drawing, alpha=True))
    if path is None:
        return refused("missing-file", f"{MATERIALS} is missing.")
    try:
        tree = ET.fromstring(path.read_bytes())
        nodes = {str(facts.get("node", name)): name for name, facts in facts_of.items()}
        second = _second_reading(profile, tree, files, nodes, materials)
        materials = {name: _by_convention(one, second.get(name)) for name, one in materials.items()}
        assigned = _assigned(tree, nodes, imported.slots)
    except (ET.ParseError, KeyError, ValueError, IndexError) as problem:
        return refused("unreadable-file", f"{MATERIALS} cannot be read ({problem}).")
    if made_elsewhere:
        materials, second = materials | second, {}
    return replace(
        imported,
        assigned_slots=assigned,
        materials=_drawn_with(materials, drawing, alpha=not made_elsewhere),
        second=_drawn_with(second, drawing, alpha=False),
    )


def _bare_meshes(
    profile: Profile, meshes: list[str], files: PackageFiles, listing: Json
) -> tuple[Imported, dict[str, Json]]:
    """The meshes without their materials, and by material what their files say of drawing it."""
    imported = Imported(profile.id)
    drawing: dict[str, Json] = {}
    for name in meshes:
        for material, settings in read_bare(imported, name, files, listing).items():
            drawing[material] = _agreed(drawing.get(material, settings), settings)
    return imported, drawing


def _materials_of(imported: Imported) -> list[str]:
    return [
        material
        for mesh in imported.slots.values()
        for material in mesh.values()
        if material is not None
    ]


def _drawn_with(
    materials: dict[str, ImportedMaterial], drawing: dict[str, Json], *, alpha: bool
) -> dict[str, ImportedMaterial]:
    """Materials with what the mesh files say of drawing them; of alpha only where `alpha` says that
    nothing else does."""

    def settings(name: str) -> Json:
        stated = drawing.get(name, {})
        return stated if alpha else _without_alpha(stated)

    return {name: replace(one, **settings(name)) for name, one in materials.items()}


def _agreed(one: Json, other: Json) -> Json:
    """How a material of several meshes is drawn; what they do not agree on is neither."""
    return {
        key: value if value == other[key] else _NEITHER.get(key, f"{value} and {other[key]}")
        for key, value in one.items()
    }


_NEITHER = {"alpha_cutoff": math.inf, "double_sided": None}
"""What stands for settings on which two meshes differ: it is not what was meant."""


def _without_alpha(drawing: Json) -> Json:
    """How a material is drawn, apart from what the MaterialX document says itself."""
    return {key: drawing[key] for key in ("double_sided", "shading") if key in drawing}


def _by_convention(listed: ImportedMaterial, said: ImportedMaterial | None) -> ImportedMaterial:
    """A material whose textures are found by the target's convention, and whose values are those of
    the document: the package list is for people."""
    if said is None:
        return listed
    inputs = {
        name: said.inputs[name]
        if one.texture is None
        else replace(
            one,
            strength=said.inputs[name].strength,
            place=said.inputs[name].place,
            filter=said.inputs[name].filter,
        )
        for name, one in listed.inputs.items()
    }
    return replace(said, inputs=inputs)


def _guessed(profile: Profile, files: PackageFiles, materials: list[str]) -> Json:
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


def _from_list(profile: Profile, files: PackageFiles, name: str, facts: Json) -> ImportedMaterial:
    """A material as the package list and the profile's convention say it."""
    listed = facts.get("inputs", {})
    inputs: dict[str, ImportedInput] = {}
    for input_name, default in _PLAIN.items():
        listed_as = profile.quantity_for(input_name)  # type: ignore[arg-type]
        told = listed.get(listed_as or input_name, {}) if isinstance(listed, dict) else {}
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
            if listed_as in ("gloss", "smoothness") and "value" in told:
                factor = (1.0 - factor[0],)
            mixed = listed_as if listed_as in ("diffuse", "specular") else ""
            if mixed == "specular" and "value" not in told:
                factor = (_DIELECTRIC,) * 3
            inputs[input_name] = ImportedInput(factor=factor, strength=strength, quantity=mixed)
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


def _said_place(facts: Json) -> Place:
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
        shader = by_name[ports_of(by_name[node])["surfaceshader"]["nodename"]]
        ports = ports_of(shader)
        inputs, cutoff = _inputs_of_shader(by_name, shader.tag, ports, first[name], files)
        glow, mode, cutoff = (
            _open_pbr_settings(ports, cutoff)
            if shader.tag == "open_pbr_surface"
            else _gltf_settings(ports)
        )
        inputs["emission"] = replace(
            inputs["emission"], strength=glow * inputs["emission"].strength
        )
        readings[name] = replace(
            first[name],
            inputs=inputs,
            alpha_mode=mode,
            alpha_cutoff=first[name].alpha_cutoff if cutoff is None else cutoff,
            filter=common_filter(inputs, first[name].filter),
            unexpected=_unexpected(shader.tag, ports),
        )
    return readings


def _inputs_of_shader(
    by_name: dict[str, ET.Element],
    shader: str,
    ports: dict[str, dict[str, str]],
    first: ImportedMaterial,
    files: PackageFiles,
) -> tuple[dict[str, ImportedInput], float | None]:
    """What feeds the inputs of a shader, and the alpha cut-off that its nodes hold, if any."""
    known = _SHADERS.get(shader, {})
    stated = {known[port]: values for port, values in ports.items() if port in known}
    is_specular = shader == "gltf_pbr" and "specular_color" in ports
    if is_specular:
        stated["metallic"] = ports["specular_color"]
        # They only make the specular colour what it is.
        known = {port: name for port, name in known.items() if port not in ("ior", "specular")}
    inputs: dict[str, ImportedInput] = {}
    cutoff: float | None = None
    for name, listed in first.inputs.items():
        quantity = _SPECULAR_QUANTITIES.get(name, "") if is_specular else ""
        values = stated.get(name)
        if name not in known.values():
            inputs[name] = listed
        elif values is None:
            unstated = listed.texture is None and name in ("normal", "opacity")
            inputs[name] = (
                listed
                if unstated or listed.quantity
                else replace(listed, texture=None, factor=_PLAIN[name])
            )
        elif "nodename" in values:
            signal = evaluate(by_name, values["nodename"])
            cutoff = signal.cutoff if signal.cutoff is not None else cutoff
            inputs[name] = _from_signal(signal, listed, name, quantity, files)
        else:
            factor = numbers_of(values["value"])
            inputs[name] = replace(
                listed, texture=None, factor=factor, strength=1.0, quantity=quantity
            )
        if quantity == "specular":
            inputs[name] = _reflecting(inputs[name], ports)
    return inputs, cutoff


_SPECULAR_QUANTITIES = {"base_color": "diffuse", "metallic": "specular"}
"""What two inputs hold in a shader that is told a specular colour."""
_BESIDE: tuple[tuple[str, str, tuple[float, ...], tuple[float, ...]], ...] = (
    ("coat_weight", "coat_ior", (1.5,), (1.6,)),
    ("coat_weight", "coat_darkening", (0.0,), (1.0,)),
    ("fuzz_color", "fuzz_weight", (1.0,), (0.0,)),
    ("subsurface_weight", "subsurface_radius_scale", (1.0, 1.0, 1.0), (1.0, 0.5, 0.25)),
)
"""Ports of OpenPBR beside those of inputs: the port they count with, what they have to be for the
inputs to mean what they say, and what they are where nothing is said. Source: OpenPBR 1.1, and
glTF's coat and sheen extensions."""


def _unexpected(shader: str, ports: dict[str, dict[str, str]]) -> tuple[str, ...]:
    """What a shader is told besides its inputs that makes them look otherwise, in words."""
    told = []
    for counts_with, port, wanted, default in _BESIDE if shader == "open_pbr_surface" else ():
        text = ports.get(port, {}).get("value")
        value = default if text is None else numbers_of(text)
        if counts_with in ports and not _alike(value, wanted):
            here, meant = (" ".join(f"{n:g}" for n in numbers) for numbers in (value, wanted))
            told.append(f"{port} is {here}, and should be {meant}")
    return tuple(told)


def _alike(one: tuple[float, ...], other: tuple[float, ...]) -> bool:
    return len(one) == len(other) and all(
        abs(a - b) <= 1e-6 for a, b in zip(one, other, strict=True)
    )


def _from_signal(
    signal: Signal, own: ImportedInput, name: str, quantity: str, files: PackageFiles
) -> ImportedInput:
    """An input as the nodes behind it make it."""
    if signal.image is None:
        return replace(own, texture=None, factor=signal.bias, strength=1.0, quantity=quantity)
    image, channels = signal.image, signal.channels
    imported = replace(
        own,
        texture=files.texture(image.file),
        factor=(1.0,) * len(channels),
        normal_y="+",
        channels=channels,
        encoding="srgb" if image.is_srgb and channels != "a" else "linear",
        inverted=False,
        strength=1.0 if signal.strength is None else signal.strength,
        place=image.place,
        filter=image.filter,
        quantity=quantity or own.quantity,
    )
    scale, bias = signal.scale, signal.bias
    if name == "normal" and signal.strength is None:
        # Without the node that makes vectors of texels, texels are the vectors.
        scale = tuple(number * 0.5 for number in scale)
        bias = tuple(number * 0.5 + 0.5 for number in bias)
    return with_arithmetic(imported, name, scale, bias)


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


def _reflecting(imported: ImportedInput, ports: dict[str, dict[str, str]]) -> ImportedInput:
    """What the shader makes of a specular colour on what is no metal: how much is reflected at
    normal incidence. Metal does not heed it. Source: MaterialX 1.39, `gltf_pbr`."""
    share = 0.0
    if float(ports.get("metallic", {}).get("value", 1.0)) == 0.0:
        ior = float(ports.get("ior", {}).get("value", 1.5))
        weight = float(ports.get("specular", {}).get("value", 1.0))
        share = ((ior - 1.0) / (ior + 1.0)) ** 2 * weight
    return replace(imported, factor=tuple(share * part for part in imported.factor))


def _assigned(
    tree: ET.Element, nodes: dict[str, str], meshes: Iterable[str]
) -> dict[str, dict[str, str | None]]:
    """Materials by mesh and slot. Both names may have slashes of their own: what the mesh is called
    is known from its file."""
    by_mesh: dict[str, dict[str, str | None]] = {}
    for assigned in tree.iter("materialassign"):
        place = (assigned.get("geom") or "").removeprefix("/")
        known = [mesh for mesh in meshes if place.startswith(f"{mesh}/")]
        mesh = max(known, key=len, default=place.partition("/")[0])
        slot = place[len(mesh) + 1 :]
        material = assigned.get("material") or ""
        by_mesh.setdefault(mesh, {})[slot] = nodes.get(material, material)
    return by_mesh


def _pair(values: Any) -> tuple[float, float]:
    return float(values[0]), float(values[1])
