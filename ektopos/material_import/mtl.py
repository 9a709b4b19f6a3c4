"""Materials of an OBJ's MTL libraries, with the lines for real-time materials that exporters write.

Source: the MTL format's specification (“Alias/Wavefront, Object Files”, appendix B1), and its
extension for physically based materials (Pr, Pm, Ps, Pc, Pcr, Ke, norm), which has no standard:
common practice.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from ektopos.base.names import shortened
from ektopos.document import InputName, MaterialEntry, Role, RoleChannels, UvTransform
from ektopos.material_import.carried import Carried, CarriedMaterials, MapName, Place, feed_of, laid
from ektopos.materials.inheritance import REPEAT
from ektopos.meshes.formats.gltf_accessors import Find
from ektopos.meshes.formats.obj import obj_companions

_OPTIONS = {
    "-blendu": 1,
    "-blendv": 1,
    "-boost": 1,
    "-mm": 2,
    "-o": 3,
    "-s": 3,
    "-t": 3,
    "-texres": 1,
    "-clamp": 1,
    "-bm": 1,
    "-imfchan": 1,
    "-type": 1,
    "-cc": 1,
    "-colorspace": 1,
}
"""How many words follow each option of a map, at most."""
_MAPS: dict[str, tuple[InputName, Role, RoleChannels]] = {
    "map_kd": ("base_color", "base_color", "rgb"),
    "map_pm": ("metallic", "metallic", "r"),
    "map_pr": ("roughness", "roughness", "r"),
    "map_ke": ("emission", "emission", "rgb"),
    "map_d": ("opacity", "opacity", "r"),
    "norm": ("normal", "normal", "rgb"),
    "map_kn": ("normal", "normal", "rgb"),
}
_LEFT = {
    "map_ks": "specular colour",
    "map_ns": "specular exponent",
    "map_ka": "ambient colour",
    "disp": "displacement",
    "decal": "decal",
    "refl": "reflection",
    "ps": "sheen",
    "tf": "transmission filter",
    "aniso": "anisotropy",
    "anisor": "anisotropy",
}


def carried_by_obj(path: Path, find: Find, name: str, map_name: MapName) -> Carried:
    """The maps and materials of an OBJ with its libraries. Raises `ValueError` and its kin for
    damage."""
    collected = CarriedMaterials(map_name)
    materials: dict[str, MaterialEntry] = {}
    for library in obj_companions(path):
        source = find(library)
        if source is None:
            collected.skip(Path(name).stem, f"its library {library} is not beside the mesh.")
            continue
        base = library.replace("\\", "/").rpartition("/")[0]
        for label, lines in _blocks(source).items():
            materials[label] = _material(label, lines, base, find, collected)
    return collected.carried(materials)


def _blocks(library: Path) -> dict[str, dict[str, str]]:
    """The lines of every material by their first word, in lower case; the last one counts."""
    blocks: dict[str, dict[str, str]] = {}
    current: dict[str, str] | None = None
    for line in library.read_text("utf-8", errors="replace").splitlines():
        key, _, rest = line.strip().partition(" ")
        if key.lower() == "newmtl":
            current = blocks.setdefault(shortened(rest.strip()), {})
        elif current is not None and key and not key.startswith("#"):
            current[key.lower()] = rest.strip()
    return blocks


def _material(
    label: str, lines: dict[str, str], base: str, find: Find, collected: CarriedMaterials
) -> MaterialEntry:
    inputs: dict[InputName, Any] = {}
    places: dict[InputName, Place] = {}

    def picture(line: str) -> tuple[str | None, dict[str, list[str]]]:
        file, options = _map_line(line)
        if not file:
            return None, options
        path = find(f"{base}/{file}" if base else file)
        read = path.read_bytes if path else None
        return collected.picture(file, file, read, label, beside=True), options

    numbers = {key: _numbers(value) for key, value in lines.items()}
    kd = numbers.get("kd") or [1.0, 1.0, 1.0] if "map_kd" in lines else numbers.get("kd")
    for key, (name, role, channels) in _MAPS.items():
        if key not in lines or name in inputs:
            continue
        picked, options = picture(lines[key])
        if picked is None:
            continue
        collected.use(picked, channels, role, name)
        more = (
            {"strength": float(options["-bm"][0])} if name == "normal" and "-bm" in options else {}
        )
        value = _multiplied(name, kd, numbers.get("ke"))
        inputs[name] = feed_of(collected.maps[picked].entry, channels, value, **more)
        is_clamped = options.get("-clamp", ["off"])[0] == "on"
        places[name] = _transform(options), ("clamp", "clamp") if is_clamped else REPEAT
    _constants(numbers, kd, inputs)
    for key in ("bump", "map_bump"):
        if key in lines:
            collected.skip(
                label, "its bump map is left out: make a normal map of the height first."
            )
    for key, what in _LEFT.items():
        if key in lines and any(numbers.get(key) or [1.0]):
            collected.skip(label, f"its {what} is left out.")
    inputs, uv, wrap = laid(inputs, places)
    clear = "opacity" in inputs and inputs["opacity"].value != 1.0
    return MaterialEntry(
        inputs=inputs,
        alpha_mode="blend" if clear else None,
        uv=uv,
        wrap=wrap,
    )


def _multiplied(
    name: InputName, kd: list[float] | None, ke: list[float] | None
) -> float | tuple[float, ...]:
    """What the numbers beside a map multiply it with."""
    if name == "base_color" and kd and len(kd) >= 3:
        return _colour(kd)
    if name == "emission":
        light = tuple((ke or [1.0, 1.0, 1.0])[:3])
        return light if any(light) else (1.0, 1.0, 1.0)
    return 1.0


def _constants(
    numbers: dict[str, list[float]], kd: list[float] | None, inputs: dict[InputName, Any]
) -> None:
    """Numbers where no map feeds the input."""
    if kd and len(kd) >= 3 and "base_color" not in inputs:
        inputs["base_color"] = feed_of(None, "rgb", _colour(kd))
    for key, name in (("pm", "metallic"), ("pr", "roughness"), ("pc", "clearcoat")):
        if numbers.get(key) and name not in inputs:
            inputs[name] = feed_of(None, "r", numbers[key][0])  # type: ignore[index]
    if numbers.get("pcr"):
        inputs["clearcoat_roughness"] = feed_of(None, "r", numbers["pcr"][0])
    if "roughness" not in inputs and numbers.get("ns"):
        # A Blinn-Phong exponent n has the width of α = √(2 / (n + 2)), and roughness = √α.
        # Source: Walter 2007, 5.1.
        inputs["roughness"] = feed_of(None, "r", (2.0 / (numbers["ns"][0] + 2.0)) ** 0.25)
    if any(glow := numbers.get("ke", [])[:3]) and "emission" not in inputs:
        inputs["emission"] = feed_of(None, "rgb", tuple(glow))
    if numbers.get("ni") and numbers["ni"][0] not in (0.0, 1.0, 1.5):
        inputs["ior"] = feed_of(None, "r", numbers["ni"][0])
    solid = numbers["d"][0] if numbers.get("d") else None
    if solid is None and numbers.get("tr"):
        solid = 1.0 - numbers["tr"][0]
    if solid is not None and solid != 1.0 and "opacity" not in inputs:
        inputs["opacity"] = feed_of(None, "r", solid)


def _colour(values: list[float]) -> tuple[float, ...]:
    """A colour as it is written: a reflectance, so linear."""
    return tuple(values[:3])


def _map_line(line: str) -> tuple[str, dict[str, list[str]]]:
    """The file of a map's line, which may have blanks in its name, and its options."""
    words, options, place = line.split(), dict[str, list[str]](), 0
    while place < len(words) and words[place].lower() in _OPTIONS:
        key, most = words[place].lower(), _OPTIONS[words[place].lower()]
        place += 1
        values: list[str] = []
        while (
            place < len(words) and len(values) < most and (not values or _is_number(words[place]))
        ):
            values.append(words[place])
            place += 1
        options[key] = values
    return " ".join(words[place:]).replace("\\", "/"), options


def _is_number(word: str) -> bool:
    try:
        return math.isfinite(float(word))
    except ValueError:
        return False


def _numbers(line: str) -> list[float]:
    return [float(word) for word in line.split() if _is_number(word)]


def _transform(options: dict[str, list[str]]) -> UvTransform:
    """A map's scale and offset. MTL's v points up, KHR_texture_transform's down: v' = 1 − (s · (1 −
    v) + o)."""
    scale = [*map(float, options.get("-s", [])), 1.0, 1.0][:2]
    offset = [*map(float, options.get("-o", [])), 0.0, 0.0][:2]
    if len(options.get("-s", [])) == 1:
        scale[1] = 1.0
    return UvTransform(tiling=(scale[0], scale[1]), offset=(offset[0], 1.0 - scale[1] - offset[1]))
