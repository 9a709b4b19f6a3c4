"""Write USDZ: meshes by slot, materials as UsdPreviewSurface, textures beside them in one
uncompressed archive.

The layer is written here as text, so that the trial can read it with Pixar's library and share
nothing with this. Source: “UsdPreviewSurface Specification” 2.6 and “Usdz File Format
Specification” 1.3; UsdTransform2d for the UV transform.
"""

from __future__ import annotations

import json
import math
import re
import zipfile
from typing import Any

import numpy as np

from ektopos.base.names import free_name
from ektopos.base.types import WrapPair
from ektopos.document import InputName, UvTransform
from ektopos.export.plan import Plan, PlannedFile
from ektopos.export.profile import MeshRules
from ektopos.export.values import input_values
from ektopos.export.writers.writer_context import Asset, Container, WriterContext, Written
from ektopos.materials.adjust import apply_strength
from ektopos.materials.inheritance import Material
from ektopos.meshes import Mesh
from ektopos.meshes.mesh import with_normals

_ALIGNED = 64
_Z_UP = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])
"""Turns y up to z up: a quarter turn round x."""
_DATE = (1980, 1, 1, 0, 0, 0)
_PORTS: dict[InputName, tuple[str, str]] = {
    "base_color": ("diffuseColor", "color3f"),
    "metallic": ("metallic", "float"),
    "roughness": ("roughness", "float"),
    "normal": ("normal", "normal3f"),
    "occlusion": ("occlusion", "float"),
    "emission": ("emissiveColor", "color3f"),
    "opacity": ("opacity", "float"),
    "ior": ("ior", "float"),
    "clearcoat": ("clearcoat", "float"),
    "clearcoat_roughness": ("clearcoatRoughness", "float"),
}


def write_usdz(parts: WriterContext) -> Written:
    """Archives of a layer and the textures that it uses."""
    containers = []
    for asset in parts.assets():
        path = parts.folder / f"{asset.stem}.usdz"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            _add(archive, f"{asset.stem}.usda", _layer(parts, asset).encode())
            for file in asset.files:
                _add(archive, file.path, (parts.folder / file.path).read_bytes())
        containers.append(Container(path, list(asset.materials), list(asset.meshes), asset.files))
    for file in parts.plan.files:
        (parts.folder / file.path).unlink()
    return Written(containers, beside=False)


def _layer(parts: WriterContext, asset: Asset) -> str:
    """A whole stage as USD text."""
    plan, rules, coloured = parts.plan, parts.profile.mesh, parts.coloured()
    unit, up = 0.01 if rules.unit == "cm" else 1, rules.up.upper()
    materials = dict(zip(asset.materials, _identifiers(list(asset.materials)), strict=True))
    files = {file.path: file for file in plan.files}
    lines = [
        "#usda 1.0",
        "(",
        '    defaultPrim = "Root"',
        f"    metersPerUnit = {unit}",
        f'    upAxis = "{up}"',
        ")",
        "",
    ]
    lines += ['def Xform "Root"', "{", '    def Scope "Materials"', "    {"]
    for name, material in asset.materials.items():
        lines += _indented(
            _material(materials[name], name, material, plan, files, parts.emission_factors), 2
        )
    lines += ["    }"]
    for mesh_name, identifier in zip(
        asset.meshes, _identifiers([f"mesh_{name}" for name in asset.meshes]), strict=True
    ):
        assigned = parts.document.meshes[mesh_name].slots
        lines += [f'    def Xform "{identifier}"', "    {"]
        mesh = with_normals(asset.meshes[mesh_name])
        for number, (slot, prim) in enumerate(
            zip(mesh.slots, _identifiers(list(mesh.slots)), strict=True)
        ):
            material_name = assigned.get(slot)
            twice = material_name is not None and plan.materials[material_name].double_sided
            bound = materials.get(material_name or "")
            written = _mesh(
                mesh, number, prim, slot, bound, twice, rules, coloured=mesh_name in coloured
            )
            marks = [f"    custom string userProperties:mesh = {_text(mesh_name)}"]
            lines += _indented([*written[:4], *marks, *written[4:]] if written else [], 2)
        lines += ["    }"]
    return "\n".join([*lines, "}", ""])


def _add(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    """Add a file so that its bytes begin at a multiple of 64, as the format wants."""
    entry = zipfile.ZipInfo(name, _DATE)
    start = archive.fp.tell() + 30 + len(name.encode())  # type: ignore[union-attr]
    room = -(start + 4) % _ALIGNED
    entry.extra = b"\x86\x19" + room.to_bytes(2, "little") + b"\0" * room
    archive.writestr(entry, content)


def _material(
    prim: str,
    name: str,
    material: Material,
    plan: Plan,
    files: dict[str, PlannedFile],
    emission_factors: dict[str, float],
) -> list[str]:
    root = f"/Root/Materials/{prim}"
    surface = [
        'def Shader "Surface"',
        "{",
        '    uniform token info:id = "UsdPreviewSurface"',
        "    int inputs:useSpecularWorkflow = 0",
    ]
    nodes: list[str] = []
    places: list[UvTransform] = []
    for input_name, (port, kind) in _PORTS.items():
        feed = material.feeds.get(input_name)
        if feed is None or (input_name == "opacity" and material.alpha_mode == "opaque"):
            continue
        path = plan.file_of.get((name, input_name))
        carried = None if path is None else _letters(files[path], input_name)
        if path is not None and carried:
            strength = feed.strength * emission_factors.get(path, 1.0)
            place = material.placement(input_name)
            if place.uv not in places:
                places.append(place.uv)
            number = places.index(place.uv)
            nodes += _texture(root, input_name, files[path], strength, number, place.wrap)
            surface.append(
                f"    {kind} inputs:{port}.connect = <{root}/{input_name}.outputs:{carried}>"
            )
        elif not feed.maps():
            strong = apply_strength(input_values(feed, input_name), input_name, feed.strength)
            values = strong.reshape(-1)
            surface.append(f"    {kind} inputs:{port} = {_values(values, kind)}")
    if material.alpha_mode == "mask":
        surface.append(
            f"    float inputs:opacityThreshold = {max(material.alpha_cutoff, 1e-6):.7g}"
        )
    surface += ["    token outputs:surface", "}"]
    for number in sorted({uv.set for uv in places}):
        nodes += _uv_reader(number)
    for number, uv in enumerate(places):
        nodes += _placed(root, number, uv)
    return [
        f'def Material "{prim}"',
        "{",
        f"    custom string userProperties:material = {_text(name)}",
        f"    token outputs:surface.connect = <{root}/Surface.outputs:surface>",
        *_indented([*surface, *nodes], 1),
        "}",
    ]


def _uv_reader(number: int) -> list[str]:
    """The node that reads a UV set of the mesh."""
    return [
        f'def Shader "Uv{number or ""}"',
        "{",
        '    uniform token info:id = "UsdPrimvarReader_float2"',
        f'    string inputs:varname = "{_primvar(number)}"',
        "    float2 outputs:result",
        "}",
    ]


def _letters(file: PlannedFile, name: InputName) -> str:
    """The outputs of a texture that carry an input: `rgb`, or one letter."""
    letters = "".join(
        letter
        for letter, channel in file.channels.items()
        if channel.carries and name in channel.inputs()
    )
    return letters if len(letters) in (0, 1) else "rgb"


def _primvar(uv_set: int) -> str:
    """What a UV set is called: the first as nearly every file has it."""
    return f"st{uv_set or ''}"


def _texture(
    root: str, name: str, file: PlannedFile, strength: float, place: int, wrap: WrapPair
) -> list[str]:
    """A texture's reader; strengths are in its scale and bias, for the surface has none."""
    lines = [
        f'def Shader "{name}"',
        "{",
        '    uniform token info:id = "UsdUVTexture"',
        f"    asset inputs:file = @{file.path}@",
    ]
    scaled: dict[str, tuple[list[float], list[float]]] = {
        "normal": ([2 * strength, 2 * strength, 2, 1], [-strength, -strength, -1, 0]),
        "occlusion": ([strength] * 3 + [1], [1 - strength] * 3 + [0]),
        "emission": ([strength] * 3 + [1], [0, 0, 0, 0]),
    }
    if name in scaled and (name == "normal" or strength != 1.0):
        for port, values in zip(("scale", "bias"), scaled[name], strict=True):
            lines.append(f"    float4 inputs:{port} = {_tuple(values)}")
    space = "sRGB" if file.encoding == "srgb" else "raw"
    outputs = [
        f"    float{'3' if output == 'rgb' else ''} outputs:{output}"
        for output in ("rgb", "r", "g", "b", "a")
    ]
    return [
        *lines,
        f'    token inputs:sourceColorSpace = "{space}"',
        f"    float2 inputs:st.connect = <{root}/Placed{place or ''}.outputs:result>",
        f'    token inputs:wrapS = "{wrap[0]}"',
        f'    token inputs:wrapT = "{wrap[1]}"',
        *outputs,
        "}",
    ]


def _placed(root: str, number: int, uv: UvTransform) -> list[str]:
    """A UV transform, turned round because st points up: KHR_texture_transform on (u, v) is this
    on (u, 1 − v)."""
    (su, sv), (ou, ov), turn = uv.tiling, uv.offset, uv.rotation
    across, up = ou + math.sin(turn) * sv, 1.0 - ov - math.cos(turn) * sv
    return [
        f'def Shader "Placed{number or ""}"',
        "{",
        '    uniform token info:id = "UsdTransform2d"',
        f"    float2 inputs:in.connect = <{root}/Uv{uv.set or ''}.outputs:result>",
        f"    float inputs:rotation = {math.degrees(turn):.9g}",
        f"    float2 inputs:scale = ({su:.9g}, {sv:.9g})",
        f"    float2 inputs:translation = ({across:.9g}, {up:.9g})",
        "    float2 outputs:result",
        "}",
    ]


def _mesh(
    mesh: Mesh,
    number: int,
    prim: str,
    slot: str,
    bound: str | None,
    double_sided: bool,
    rules: MeshRules,
    *,
    coloured: bool,
) -> list[str]:
    """One slot of a mesh as a mesh of its own; nothing for a slot without triangles."""
    triangles = mesh.triangles[mesh.triangle_slot == number]
    if not len(triangles):
        return []
    used, corners = np.unique(triangles, return_inverse=True)
    normals = mesh.normals[used]
    places = mesh.positions[used] * (100.0 if rules.unit == "cm" else 1.0)
    if rules.up == "z":
        places, normals = places @ _Z_UP.T, normals @ _Z_UP.T
    lines = [
        f'def Mesh "{prim}" (',
        '    prepend apiSchemas = ["MaterialBindingAPI"]',
        ")",
        "{",
        f"    custom string userProperties:slot = {_text(slot)}",
        f"    uniform bool doubleSided = {int(double_sided)}",
        f"    float3[] extent = [{_tuple(places.min(axis=0))}, {_tuple(places.max(axis=0))}]",
        f"    int[] faceVertexCounts = [{', '.join(['3'] * len(triangles))}]",
        f"    int[] faceVertexIndices = [{', '.join(map(str, corners.reshape(-1).tolist()))}]",
        f"    normal3f[] normals = [{', '.join(map(_tuple, normals))}] (",
        '        interpolation = "vertex"',
        "    )",
        f"    point3f[] points = [{', '.join(map(_tuple, places))}]",
        '    uniform token subdivisionScheme = "none"',
    ]
    for uv_set, stored in enumerate((mesh.uvs, *mesh.more_uvs)):
        if not np.isfinite(stored[used]).any():
            continue
        uvs = np.nan_to_num(stored[used].astype(np.float64)) * [1, -1] + [0, 1]
        lines += [
            f"    texCoord2f[] primvars:{_primvar(uv_set)} = [{', '.join(map(_tuple, uvs))}] (",
            '        interpolation = "vertex"',
            "    )",
        ]
    if coloured and mesh.coloured[used].any():
        tints = np.where(mesh.coloured[used][:, None], mesh.colours[used], 1.0)[:, :3]
        lines += [
            f"    color3f[] primvars:displayColor = [{', '.join(map(_tuple, tints))}] (",
            '        interpolation = "vertex"',
            "    )",
        ]
    if bound is not None:
        lines.append(f"    rel material:binding = </Root/Materials/{bound}>")
    return [*lines, "}"]


def _identifiers(names: list[str]) -> list[str]:
    """Names as USD allows them, told apart."""
    identifiers: list[str] = []
    for name in names:
        stem = re.sub(r"[^A-Za-z0-9_]", "_", name) or "_"
        stem = stem if re.match(r"[A-Za-z_]", stem) else f"_{stem}"
        identifiers.append(free_name(stem, identifiers))
    return identifiers


def _text(words: str) -> str:
    return json.dumps(words, ensure_ascii=False)


def _tuple(values: Any) -> str:
    return f"({', '.join(f'{float(v):.7g}' for v in values)})"


def _values(values: Any, kind: str) -> str:
    return _tuple(values) if kind != "float" else f"{float(values[0]):.7g}"


def _indented(lines: list[str], by: int) -> list[str]:
    return ["    " * by + line for line in lines]
